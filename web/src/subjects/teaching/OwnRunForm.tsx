import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row, Stack } from "../../parts/layout";
import { Fault, P, T } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { Weekdays } from "../schedule/PatternFields";

type Prepared = Schemas["OwnPreparation"];
type Run = Schemas["PreparedRunOut"];
type Put = (next: Prepared) => void;
type Values = {
  first: string;
  start: string;
  minutes: string;
  weekdays: string[];
  count: string;
  capacity: string;
  place: string;
  amount: string;
  note: string;
};
const NEW: Values = {
  first: "",
  start: "18:00",
  minutes: "120",
  weekdays: [],
  count: "6",
  capacity: "10",
  place: "",
  amount: "",
  note: "",
};
const NO_PLACE = { value: "", text: "not said" };

const patternOf = (v: Values) => ({
  first: v.first,
  start: v.start,
  minutes: Number(v.minutes),
  weekdays: v.weekdays,
  count: Number(v.count),
});

export function NewRun({ prep, put, onLeave }: { prep: Prepared; put: Put; onLeave: () => void }) {
  const of = useServerForm<Values, Prepared>({
    draft: `own-run-${prep.id}`,
    start: NEW,
    send: (form) =>
      ask(
        api.POST("/api/v1/own/teaching/preparations/{preparation_id}/runs", {
          params: { path: { preparation_id: prep.id } },
          body: asTyped<"OwnRunCommand">({
            ...patternOf(form),
            capacity: Number(form.capacity),
            place: form.place,
            amount: form.amount.trim() ? amount(form.amount, digitsOf(prep.currency)) : null,
            note: form.note,
          }),
        }),
      ),
    done: (next) => {
      put(next);
      onLeave();
    },
  });
  return (
    <Form of={of} look="inset" onLeave={onLeave} label="A run">
      <Stack>
        <PatternPart of={of} at="" />
        <FactsPart of={of} prep={prep} at="" />
      </Stack>
      <Ends of={of} act="Prepare it" onLeave={onLeave} />
    </Form>
  );
}

export function ChangeRun({
  prep,
  run,
  put,
  onLeave,
}: {
  prep: Prepared;
  run: Run;
  put: Put;
  onLeave: () => void;
}) {
  const [trouble, setTrouble] = useState("");
  const path = { preparation_id: prep.id, run_id: run.run_id };
  const of = useServerForm<Values, Prepared>({
    draft: `own-run-change-${run.run_id}`,
    start: valuesOf(run),
    send: (form, _key, { seen }) =>
      ask(
        api.PATCH("/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}", {
          params: { path },
          body: asTyped<"OwnRunPatch">(patchOf(run, form, seen, digitsOf(prep.currency))),
        }),
      ),
    done: (next) => {
      put(next);
      onLeave();
    },
  });
  const dropping = useAct({
    send: () =>
      ask(
        api.DELETE("/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}", { params: { path } }),
      ),
    done: (next) => {
      put(next);
      onLeave();
    },
    failed: setTrouble,
  });
  return (
    <Form of={of} look="inset" onLeave={onLeave} label={`Change ${run.code}`}>
      <Stack>
        {run.pattern ? (
          <PatternPart of={of} at="/pattern" />
        ) : (
          <P tone="slate">The office has planned the dates of this run; they are changed one by one.</P>
        )}
        <FactsPart of={of} prep={prep} at="/set" />
      </Stack>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <Ends of={of} act="Save" onLeave={onLeave} />
      <Button variant="text" disabled={dropping.busy} onClick={() => void dropping.act(undefined)}>
        put this run away
      </Button>
    </Form>
  );
}

const valuesOf = (run: Run): Values => ({
  first: run.pattern?.first ?? "",
  start: (run.pattern?.start ?? "").slice(0, 5),
  minutes: String(run.pattern?.minutes ?? ""),
  weekdays: run.pattern?.weekdays ?? [],
  count: String(run.pattern?.count ?? ""),
  capacity: String(run.capacity),
  place: run.place,
  amount: run.price ?? "",
  note: run.note,
});

/** What was changed, beside what was seen: the pattern goes whole, facts one by one. */
export function patchOf(run: Run, form: Values, seen: Values, digits: number) {
  const held = valuesOf(run);
  const facts = {
    capacity: [form.capacity !== held.capacity, Number(form.capacity), Number(seen.capacity)],
    place: [form.place !== held.place, form.place, seen.place],
    note: [form.note !== held.note, form.note, seen.note],
    amount: [form.amount !== held.amount, amount(form.amount, digits), seen.amount || null],
  } as const;
  const pick = (at: 1 | 2) =>
    Object.fromEntries(
      Object.entries(facts)
        .filter(([, [moved]]) => moved)
        .map(([name, fact]) => [name, fact[at]]),
    );
  const planned = JSON.stringify(patternOf(form)) !== JSON.stringify(patternOf(held));
  return {
    set: pick(1),
    seen: pick(2),
    ...(run.pattern && planned && { pattern: patternOf(form), pattern_seen: patternOf(seen) }),
  };
}

type Of = ReturnType<typeof useServerForm<Values, Prepared>>;

function PatternPart({ of, at }: { of: Of; at: string }) {
  const fault = of.faults[`${at}/weekdays`];
  return (
    <>
      <Row wrap>
        <Field label="First date" width={170} type="date" {...of.field("first", `${at}/first`)} />
        <Field label="Start" width={90} type="time" {...of.field("start", `${at}/start`)} />
        <Field
          label="Minutes"
          width={90}
          {...of.field("minutes", `${at}/minutes`)}
          input={{ inputMode: "numeric" }}
        />
        <Field
          label="Meetings"
          width={90}
          {...of.field("count", `${at}/count`)}
          input={{ inputMode: "numeric" }}
        />
      </Row>
      <div>
        <T label as="div" id="own-run-days">
          Each week on; none: the day of the first date
        </T>
        <Weekdays
          labelledBy="own-run-days"
          value={of.values.weekdays}
          onChange={(weekdays) => of.set({ weekdays })}
        />
        {fault && <Fault>{fault}</Fault>}
      </div>
    </>
  );
}

function FactsPart({ of, prep, at }: { of: Of; prep: Prepared; at: string }) {
  return (
    <>
      <Row wrap>
        <Field
          label="Seats"
          width={80}
          {...of.field("capacity", `${at}/capacity`)}
          input={{ inputMode: "numeric" }}
        />
        {/* Others than the center’s places are the office’s to add. */}
        <Choice
          label="Place"
          width={220}
          {...of.field("place", `${at}/place`)}
          options={[NO_PLACE, ...prep.places.map((p) => ({ value: p, text: p }))]}
        />
        {prep.rights.includes("prepare_prices") && (
          <Field
            label="Price"
            width={110}
            {...of.field("amount", `${at}/amount`)}
            input={{ inputMode: "decimal" }}
          />
        )}
      </Row>
      <Field label="Note for the office" width="100%" multiline {...of.field("note", `${at}/note`)} />
    </>
  );
}

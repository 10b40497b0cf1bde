import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { count, day, money } from "../../parts/text";
import { Fault, Heard, P, T } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";

type Prepared = Schemas["OwnPreparation"];
type Run = Schemas["PreparedRunOut"];
const NO_PLACE = { value: "", text: "not said" };

/** The runs that stand in a preparation, and a further one. */
export function OwnRuns({ prep, put }: { prep: Prepared; put: (next: Prepared) => void }) {
  const [adding, setAdding] = useState(false);
  const [at, setAt] = useState<number | null>(null);
  return (
    <section>
      <h2>Runs</h2>
      {prep.runs.length === 0 && <P tone="slate">No run is prepared with it.</P>}
      <ul>
        {prep.runs.map((r) => (
          <li key={r.run_id}>
            <RunLine run={r} />
            {r.price !== null &&
              r.lacks.map((text) => (
                <P key={text} tone="ochre" small>
                  {text}
                </P>
              ))}
            {prep.writes && r.status === "draft" && at !== r.run_id && (
              <Button variant="text" onClick={() => setAt(r.run_id)}>
                change<Heard> {r.code}</Heard>
              </Button>
            )}
            {at === r.run_id && <Change prep={prep} run={r} put={put} onLeave={() => setAt(null)} />}
          </li>
        ))}
      </ul>
      {prep.writes &&
        (adding ? (
          <NewRun prep={prep} put={put} onLeave={() => setAdding(false)} />
        ) : (
          <Button onClick={() => setAdding(true)}>Prepare a run</Button>
        ))}
    </section>
  );
}

/** A prepared run in words. */
export function RunLine({ run }: { run: Run }) {
  return (
    <>
      <T strong>{run.code}</T>, {count(run.meetings, "meeting")}
      {run.first && ` from ${day(run.first)}`}
      {run.start && `, ${run.start.slice(0, 5)}`}
      {run.place && `, ${run.place}`}, {count(run.capacity, "seat")},{" "}
      <T tone={run.price ? "copper" : "ochre"}>
        {run.price ? money(run.price, run.currency) : "price to be said by the office"}
      </T>
      {run.status !== "draft" && <T tone="slate">, {run.status}</T>}
    </>
  );
}

/** One of the center’s places; others are the office’s to add. */
function Place({ prep, ...field }: { prep: Prepared; value: string; onChange: (value: string) => void }) {
  return (
    <Choice
      label="Place"
      width={220}
      {...field}
      options={[NO_PLACE, ...prep.places.map((p) => ({ value: p, text: p }))]}
    />
  );
}

function NewRun({
  prep,
  put,
  onLeave,
}: {
  prep: Prepared;
  put: (next: Prepared) => void;
  onLeave: () => void;
}) {
  const digits = digitsOf(prep.currency);
  const of = useServerForm({
    draft: `own-run-${prep.id}`,
    start: {
      first: "",
      start: "18:00",
      minutes: "120",
      count: "6",
      capacity: "10",
      place: "",
      amount: "",
      note: "",
    },
    send: (form) =>
      ask(
        api.POST("/api/v1/own/teaching/preparations/{preparation_id}/runs", {
          params: { path: { preparation_id: prep.id } },
          body: asTyped<"OwnRunCommand">({
            ...form,
            minutes: Number(form.minutes),
            count: Number(form.count),
            capacity: Number(form.capacity),
            amount: form.amount.trim() ? amount(form.amount, digits) : null,
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
      <Row wrap>
        <Field label="First date" width={170} type="date" {...of.field("first")} />
        <Field label="Start" width={90} type="time" {...of.field("start")} />
        <Field label="Minutes" width={90} {...of.field("minutes")} input={{ inputMode: "numeric" }} />
        <Field label="Meetings, weekly" width={120} {...of.field("count")} input={{ inputMode: "numeric" }} />
        <Field label="Seats" width={80} {...of.field("capacity")} input={{ inputMode: "numeric" }} />
        <Place prep={prep} {...of.field("place")} />
        {prep.rights.includes("prepare_prices") && (
          <Field label="Price" width={110} {...of.field("amount")} input={{ inputMode: "decimal" }} />
        )}
      </Row>
      <Ends of={of} act="Prepare it" onLeave={onLeave} />
    </Form>
  );
}

function Change({
  prep,
  run,
  put,
  onLeave,
}: {
  prep: Prepared;
  run: Run;
  put: (next: Prepared) => void;
  onLeave: () => void;
}) {
  const [trouble, setTrouble] = useState("");
  const path = { preparation_id: prep.id, run_id: run.run_id };
  const of = useServerForm({
    draft: `own-run-change-${run.run_id}`,
    start: { first: run.first ?? "", capacity: String(run.capacity), place: run.place },
    send: (form, _key, { seen }) =>
      ask(
        api.PATCH("/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}", {
          params: { path },
          body: asTyped<"OwnRunPatch">({
            set: {
              ...(form.capacity !== String(run.capacity) && { capacity: Number(form.capacity) }),
              ...(form.place !== run.place && { place: form.place }),
            },
            seen: {
              ...(form.capacity !== String(run.capacity) && { capacity: Number(seen.capacity) }),
              ...(form.place !== run.place && { place: seen.place }),
            },
            first: form.first !== run.first ? form.first : null,
          }),
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
      <Row wrap>
        <Field label="First date" width={170} type="date" {...of.field("first")} />
        <Field label="Seats" width={80} {...of.field("capacity")} input={{ inputMode: "numeric" }} />
        <Place prep={prep} {...of.field("place")} />
      </Row>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <Ends of={of} act="Save" onLeave={onLeave} />
      <Button variant="text" disabled={dropping.busy} onClick={() => void dropping.act(undefined)}>
        put this run away
      </Button>
    </Form>
  );
}

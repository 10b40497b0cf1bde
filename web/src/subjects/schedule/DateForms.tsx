import Button from "@mui/material/Button";
import type { ReactNode } from "react";

import { api, ask, asTyped, keyHeader } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useProposedForm } from "../../form/useProposedForm";
import type { ServerForm } from "../../form/useServerForm";
import { count, day } from "../../parts/text";
import { T } from "../../parts/words";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";

/** A form in the line of dates; Esc closes it and keeps what was typed, and until it is saved or dropped it says so. */
export function Inside({
  children,
  of,
  onClose,
}: {
  children: ReactNode;
  of: ServerForm & { dirty: unknown[] };
  onClose: () => void;
}) {
  return (
    <Form look="row inset" sx={{ alignItems: "flex-end", marginTop: 14 }} of={of} onLeave={onClose}>
      {children}
      {of.dirty.length > 0 && (
        <T tone="ochre" strong role="status" sx={{ alignSelf: "flex-end", paddingBottom: 7 }}>
          not saved yet
        </T>
      )}
    </Form>
  );
}

export const see = (run: Run) => (run.status === "draft" ? "Save" : "See what moves");

/** What ends a form in the line of dates: the act, and leaving everything as it was. */
function Save({ run, of, onLeave }: { run: Run; of: ServerForm; onLeave: () => void }) {
  return (
    <>
      <Button type="submit" variant="contained" disabled={of.busy}>
        {see(run)}
      </Button>
      <Button onClick={onLeave}>Keep as it was</Button>
    </>
  );
}

type Given = { run: Run; propose: Propose; onClose: () => void };
const MOVES = {
  first: { text: "to a new first date", label: "New first date" },
  weeks: { text: "by weeks", label: "Weeks, minus for earlier" },
  days: { text: "by days", label: "Days, minus for earlier" },
} as const;

/** The whole run, by days, by weeks or to a new first date. */
export function MoveRun({ run, propose, onClose }: Given) {
  const of = useProposedForm({
    draft: `run-move-${run.id}`,
    start: { how: "first" as keyof typeof MOVES, value: "" },
    propose,
    what: ({ how, value }) =>
      how === "first" ? `Move the run to ${day(value)}` : `Move the run by ${value} ${how}`,
    send: ({ how, value }, { preview, key }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/move", {
          params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
          body: how === "first" ? { first: value || null } : { [how]: whole(value) },
        }),
      ),
    saved: onClose,
  });
  const { how } = of.values;
  return (
    <Inside of={of} onClose={onClose}>
      <Choice
        label="Move the run"
        value={how}
        width={190}
        onChange={(next) => of.set({ how: next as keyof typeof MOVES, value: "" })}
        options={Object.entries(MOVES).map(([value, { text }]) => ({ value, text }))}
      />
      <Field
        label={MOVES[how].label}
        type={how === "first" ? "date" : "text"}
        width={180}
        {...of.field("value", `/${how}`)}
        autoFocus
      />
      <Save run={run} of={of} onLeave={() => (of.forget(), onClose())} />
    </Inside>
  );
}

/** The end of a run: further meetings, or a cohort's later last day. */
export function Extend({ run, propose, onClose }: Given) {
  const cohort = run.kind === "cohort";
  const first = { meetings: "1", ends_on: run.ends_on ?? "" };
  const of = useProposedForm({
    draft: `run-extend-${run.id}`,
    start: { how: (cohort ? "ends_on" : "meetings") as keyof typeof first, ...first },
    propose,
    what: ({ how, meetings, ends_on }) =>
      how === "meetings" ? `Extend by ${count(Number(meetings), "meeting")}` : `Extend to ${day(ends_on)}`,
    send: ({ how, meetings, ends_on }, { preview, key }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/extend", {
          params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
          body: asTyped<"ExtendCommand">(
            how === "meetings" ? { meetings: whole(meetings) } : { ends_on: ends_on || null },
          ),
        }),
      ),
    saved: onClose,
  });
  const { how } = of.values;
  return (
    <Inside of={of} onClose={onClose}>
      {cohort && run.patterns.length > 0 && (
        <Choice
          label="Extend"
          value={how}
          width={170}
          onChange={(next) => of.set({ how: next as keyof typeof first })}
          options={[
            { value: "ends_on", text: "the last day" },
            { value: "meetings", text: "by meetings" },
          ]}
        />
      )}
      <Field
        label={how === "meetings" ? "Further meetings" : "New last day"}
        type={how === "meetings" ? "text" : "date"}
        width={160}
        {...of.field(how)}
        help={how === "meetings" ? "by the pattern, closed days left out" : undefined}
        autoFocus
      />
      <Save run={run} of={of} onLeave={() => (of.forget(), onClose())} />
    </Inside>
  );
}

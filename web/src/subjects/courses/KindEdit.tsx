import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, asTyped } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useProposedForm } from "../../form/useProposedForm";
import { Row } from "../../parts/layout";
import { P } from "../../parts/words";
import { whole } from "./form";
import type { Propose, Run, Send } from "./runTypes";

export const KINDS = [
  { value: "dated", text: "dated: meets on dates" },
  { value: "cohort", text: "cohort: from a first to a last day" },
  { value: "open", text: "open: no dates, access from enrollment" },
];

/** The kind of a run: changed while it is a draft, with what that does shown first. */
export function KindEdit({ run, propose }: { run: Run; propose: Propose }) {
  const [open, setOpen] = useState(false);
  const said = KINDS.find((k) => k.value === run.kind)?.text ?? run.kind;
  const of = useProposedForm({
    draft: `run-kind-${run.id}`,
    start: {
      kind: run.kind as string,
      starts_on: run.starts_on ?? run.first ?? "",
      ends_on: run.ends_on ?? run.last ?? "",
      access_days: run.access_days === null ? "" : String(run.access_days),
    },
    propose: (what: string, send: Send, saved?: () => void) => propose(what, send, saved, false, true),
    what: ({ kind }) => `Make it a run of the kind ${kind}`,
    send: (form, { preview }) =>
      ask(
        api.PUT("/api/v1/runs/{run_id}/kind", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: asTyped<"KindCommand">({
            kind: form.kind,
            starts_on: form.kind === "cohort" ? form.starts_on || null : null,
            ends_on: form.kind === "cohort" ? form.ends_on || null : null,
            access_days: form.kind === "dated" ? null : whole(form.access_days),
          }),
        }),
      ),
    saved: () => setOpen(false),
  });
  if (run.status !== "draft" || !open)
    return (
      <P>
        Kind: {said}.{" "}
        {run.status === "draft" && (
          <Button variant="text" onClick={() => setOpen(true)}>
            change the kind
          </Button>
        )}
      </P>
    );
  const { kind } = of.values;
  return (
    <Form look="inset" of={of} onLeave={() => setOpen(false)}>
      <Row wrap>
        <Choice label="Kind of run" width={290} {...of.field("kind")} options={KINDS} />
        {kind === "cohort" && (
          <>
            <Field label="The cohort begins on" type="date" width={170} {...of.field("starts_on")} />
            <Field label="The cohort ends on" type="date" width={170} {...of.field("ends_on")} />
          </>
        )}
        {kind !== "dated" && (
          <Field
            label={kind === "open" ? "Days of access from enrollment" : "Days of access after the end"}
            width={210}
            {...of.field("access_days")}
            input={{ inputMode: "numeric" }}
          />
        )}
      </Row>
      <Row sx={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={of.busy}>
          See what it touches
        </Button>
        <Button onClick={() => (of.forget(), setOpen(false))}>Keep as it was</Button>
      </Row>
    </Form>
  );
}

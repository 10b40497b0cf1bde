import Button from "@mui/material/Button";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field, type FieldProps } from "../../form/Field";
import { Form } from "../../form/Form";
import { useProposedForm } from "../../form/useProposedForm";
import { Grow, Note, Part, Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { Source, useHash } from "../fees/Terms";
import { ToldTicks } from "../roster/ToldTicks";
import { KeptBack } from "../roster/KeptBack";
import { LineRules, NoticeEdit } from "../roster/LineRules";
import { Gates } from "../schedule/Gates";
import { NO_LIMIT } from "../../parts/RunFacts";
import { whole } from "./form";
import { KindEdit } from "./KindEdit";
import { factWords, type Propose, type Run } from "./runTypes";

type Props = { run: Run; propose: Propose };
type Acts = ReturnType<typeof useDone>;

/** Seats and gates of a run. On a draft a field saves when it is left; else changes wait in the margin. */
export function RunTerms({ run, propose, acts }: Props & { acts: Acts }) {
  useHash();
  return (
    <>
      <Part as="div" sx={{ borderTop: 0 }} id="facts">
        <h2>Seats</h2>
        <Facts run={run} propose={propose} />
      </Part>
      <Part as="div" id="kept-back">
        <h2>Held for others</h2>
        <KeptBack run={run} acts={acts} />
      </Part>
      <Part as="div" id="line">
        <h2>Line</h2>
        <LineRules run={run} propose={propose} />
      </Part>
      <Part as="div" id="told">
        <h2>Who is told</h2>
        <WhoIsTold run={run} propose={propose} />
      </Part>
      <Part as="div" id="notice">
        <h2>Desk notice</h2>
        <NoticeEdit run={run} acts={acts} />
      </Part>
      <Part as="div" id="gates">
        <h2>Gates</h2>
        <Gates run={run} propose={propose} />
      </Part>
    </>
  );
}

/** Who hears of an enrollment on this run; not said, it is as the center has it. */
function WhoIsTold({ run, propose }: Props) {
  const me = useMe();
  const send = (told: Schemas["Told"][] | null) => (preview: boolean, over?: Record<string, unknown>) =>
    ask(
      api.PATCH("/api/v1/runs/{run_id}", {
        params: { path: { run_id: run.id }, query: { preview } },
        body: { seen: { told: run.told, ...over }, set: { told } },
      }),
    );
  const told = run.told ?? me.told;
  const put = (next: Schemas["Told"][] | null) =>
    void propose("Change who is told of an enrollment", send(next), undefined, true);
  return (
    <div>
      <ToldTicks told={told} onChange={put} />
      <P tone="slate">
        {run.told === null ? "As the center has it." : "Said for this run."} It is saved at once, and can be
        changed for a single sign-up at the desk.{" "}
        {run.told !== null && (
          <Button variant="text" onClick={() => put(null)}>
            as the center has it
          </Button>
        )}{" "}
        {run.told !== null && <Source run={run} name="told" propose={propose} />}
      </P>
    </div>
  );
}

/** The facts of a run that are typed, and what each is called where it is sent. */
const SENT = {
  code: "code",
  capacity: "capacity",
  smallest: "smallest",
  sign_up_opens: "sign_up_opens",
  place: "place",
  instructor: "instructor",
  own_title: "title",
  note: "note",
  receipt_note: "receipt_note",
  time_zone: "time_zone",
  access_days: "access_days",
  week_names: "week_names",
} as const;
type Fact = keyof typeof SENT;

function factsOf(run: Run): Record<Fact, string> {
  return {
    code: run.code,
    time_zone: run.time_zone,
    access_days: run.access_days === null ? "" : String(run.access_days),
    week_names: run.week_names.join("\n"),
    capacity: run.capacity >= NO_LIMIT ? "" : String(run.capacity),
    smallest: String(run.smallest),
    sign_up_opens: run.sign_up_opens ?? "",
    place: run.place,
    instructor: run.instructor,
    own_title: run.own_title,
    note: run.note,
    receipt_note: run.receipt_note,
  };
}

function valueOf(name: Fact, text: string): string | number | null | string[] {
  if (name === "capacity" || name === "access_days") return whole(text);
  if (name === "week_names") return text.split("\n").map((n) => n.trim());
  if (name === "smallest") return whole(text) ?? 0;
  return name === "sign_up_opens" ? text || null : text;
}

function Facts({ run, propose }: Props) {
  const draft = run.status === "draft";
  const of = useProposedForm({
    draft: `run-facts-${run.id}`,
    start: factsOf(run),
    changesOnly: true,
    propose,
    what: (_, changed) => `Change the ${changed.map((n) => factWords(SENT[n])).join(", ")}`,
    send: (form, { preview, seen, changed, over }) => {
      const only = (from: Record<Fact, string>) =>
        Object.fromEntries(changed.map((n) => [SENT[n], valueOf(n, from[n])]));
      return ask(
        api.PATCH("/api/v1/runs/{run_id}", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { seen: { ...only(seen), ...over }, set: only(form) },
        }),
      );
    },
  });
  const field = (name: Fact, label: string, width?: number, type: FieldProps["type"] = "text") => (
    <Field
      name={name}
      label={label}
      type={type}
      width={width}
      {...of.field(name, `/set/${SENT[name]}`)}
      onBlur={() => draft && void of.submit()}
      help={
        ["capacity", "smallest", "place", "instructor", "time_zone", "access_days"].includes(name) ? (
          <Source run={run} name={name} propose={propose} />
        ) : undefined
      }
    />
  );
  return (
    <Form of={of}>
      <KindEdit run={run} propose={propose} />
      <Row wrap>
        {field("code", "Run code", 160)}
        {field("time_zone", "Time zone", 220)}
        {run.kind !== "dated" &&
          field("access_days", run.kind === "open" ? "Days of access" : "Days of access after the end", 210)}
      </Row>
      <Row wrap>
        {field("capacity", run.kind === "open" ? "Seats; empty is no limit" : "Seats", 270)}
        {field("smallest", "Smallest number", 270)}
        {field("sign_up_opens", "Sign-up opens", 160, "date")}
      </Row>
      <Row wrap>
        {field("place", "Place")}
        {field("instructor", "Instructor")}
      </Row>
      <Row wrap>
        {field("own_title", "Title of this run, if it differs")}
        {field("note", "Note for staff")}
      </Row>
      <Row wrap>{field("receipt_note", "Note on invoices and receipts")}</Row>
      {run.kind === "cohort" && (
        <Row wrap>
          <Field
            label="Names of the weeks, one a line"
            multiline
            {...of.field("week_names", "/set/week_names")}
            onBlur={() => draft && void of.submit()}
          />
        </Row>
      )}
      <P tone="slate" sx={{ marginTop: 10 }}>
        {draft && "On a draft each field is saved when you leave it."}
      </P>
      {!draft && of.dirty.length > 0 && (
        <Note kind="due" row>
          <Grow as="span">Not saved yet: {of.dirty.map((n) => factWords(SENT[n])).join(", ")}.</Grow>
          <Button type="submit" variant="contained" disabled={of.busy}>
            See what it touches
          </Button>
          <Button onClick={of.forget}>Keep as it was</Button>
        </Note>
      )}
    </Form>
  );
}

import { api, ask } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { NotSaved } from "../../form/NotSaved";
import { useProposedForm } from "../../form/useProposedForm";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";
import { Source } from "../fees/Terms";

type Acts = ReturnType<typeof useDone>;

type Rule = "overbook" | "line_rule" | "auto_offer" | "offer_hours" | "hold_hours";

export const HOW_OFFERED = [
  { value: "yes", text: "by themselves, in order" },
  { value: "no", text: "by hand" },
];
export const TOO_LARGE = [
  { value: "fit", text: "keeps its place, the next that fits is offered" },
  { value: "strict", text: "is waited for, nobody passes it" },
];

const SAID: Record<Rule, string> = {
  overbook: "the seats beyond the capacity",
  line_rule: "the rule of the line",
  auto_offer: "how seats are offered",
  offer_hours: "how long an offer stands",
  hold_hours: "how long a seat is held",
};

/** What still holds while another choice waits to be saved. */
function goesOn(rule: Rule, value: string): string {
  if (rule === "auto_offer")
    return value === "yes" ? "seats are offered by themselves" : "seats are offered by hand";
  if (rule === "line_rule")
    return value === "fit" ? "the next that fits is offered" : "nobody passes the first";
  if (rule === "hold_hours") return value ? `held ${value} hours` : "not held for payment";
  return rule === "offer_hours" ? `offers stand ${value} hours` : `${value} beyond the capacity`;
}

const rulesOf = (run: Run): Record<Rule, string> => ({
  overbook: String(run.overbook),
  line_rule: run.line_rule,
  auto_offer: run.auto_offer ? "yes" : "no",
  offer_hours: String(run.offer_hours),
  hold_hours: run.hold_hours === null ? "" : String(run.hold_hours),
});

function valueOf(rule: Rule, text: string) {
  if (rule === "line_rule") return text;
  if (rule === "auto_offer") return text === "yes";
  return rule === "overbook" ? (whole(text) ?? 0) : whole(text);
}

/** How the line moves: by itself or by hand, whom it passes over, how long an offer stands; and seats beyond the capacity. */
export function LineRules({ run, propose }: { run: Run; propose: Propose }) {
  const stored = rulesOf(run);
  const of = useProposedForm({
    draft: `line-rules-${run.id}`,
    start: stored,
    changesOnly: true,
    propose,
    what: () => "Change how seats and line are given",
    send: (form, { preview, seen, changed, over }) => {
      const only = (from: Record<Rule, string>) =>
        Object.fromEntries(changed.map((r) => [r, valueOf(r, from[r])]));
      return ask(
        api.PATCH("/api/v1/runs/{run_id}", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { seen: { ...only(seen), ...over }, set: only(form) },
        }),
      );
    },
  });
  const { values: form, dirty: changed } = of;
  const set = (rule: Rule) => (text: string) => of.set({ [rule]: text });
  const from = (rule: Rule) => <Source run={run} name={rule} propose={propose} />;
  const number = { inputMode: "numeric" } as const;
  return (
    <Form of={of}>
      <Row wrap>
        <Choice
          label="Seats that come free are offered"
          width={230}
          value={form.auto_offer}
          onChange={set("auto_offer")}
          help={from("auto_offer")}
          options={HOW_OFFERED}
        />
        <Field
          label="An offer stands, in hours"
          width={180}
          {...of.field("offer_hours", "/set/offer_hours")}
          help={from("offer_hours")}
          input={number}
        />
        <Choice
          label="A party too large for what is free"
          width={250}
          value={form.line_rule}
          onChange={set("line_rule")}
          help={from("line_rule")}
          options={TOO_LARGE}
        />
        <Field
          label="Seats beyond the capacity"
          width={180}
          {...of.field("overbook", "/set/overbook")}
          help={from("overbook")}
          input={number}
        />
        <Field
          label="Held for payment, in hours"
          width={190}
          placeholder="not at all"
          {...of.field("hold_hours", "/set/hold_hours")}
          help={from("hold_hours")}
          input={number}
        />
      </Row>
      {changed.length > 0 && (
        <>
          <NotSaved
            what={changed.map((r) => SAID[r]).join(", ")}
            then={`It goes on as before: ${changed.map((r) => goesOn(r, stored[r])).join("; ")}.`}
          />
          <Ends
            of={of}
            act={run.status === "draft" ? "Save" : "See what it touches"}
            leave="Keep as it was"
            onLeave={of.forget}
          />
        </>
      )}
    </Form>
  );
}

/** What staff must know while enrolling; another text has to be read anew by each of them. */
export function NoticeEdit({ run, acts }: { run: Run; acts: Acts }) {
  const of = useServerForm({
    draft: `notice-${run.id}`,
    start: { text: run.notice.text },
    send: (body) =>
      ask(api.PUT("/api/v1/runs/{run_id}/notice", { params: { path: { run_id: run.id } }, body })),
    done: ({ text, change }) =>
      acts.say({
        text: text ? "The notice stands; everybody at the desk reads it once." : "No notice any more.",
        change,
      }),
  });
  return (
    <Form of={of}>
      <Field label="Shown to staff while they enroll somebody" {...of.field("text")} multiline />
      {of.dirty.length > 0 && (
        <>
          <NotSaved
            what="the notice"
            then={run.notice.text ? "The desk still sees the old one." : "The desk sees none."}
          />
          <Ends of={of} act="Put it up" leave="Keep as it was" onLeave={of.forget} />
        </>
      )}
    </Form>
  );
}

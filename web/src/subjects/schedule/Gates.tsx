import Button from "@mui/material/Button";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Source } from "../fees/Terms";
import { NotSaved } from "../../form/NotSaved";
import { useWaitingForm } from "../../form/useWaitingForm";
import { Row } from "../../parts/layout";
import { count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";

type Rule = Schemas["RuleIO"] | null | undefined;
type RuleForm = { how: "usual" | "on" | "days_before"; value: string };
type GateForm = { windows: { opens: RuleForm; closes: RuleForm }[]; decision: RuleForm; access: string };

const formOf = (rule: Rule): RuleForm =>
  rule?.on
    ? { how: "on", value: rule.on }
    : rule?.days_before !== undefined && rule?.days_before !== null
      ? { how: "days_before", value: String(rule.days_before) }
      : { how: "usual", value: "" };
const ruleOf = (form: RuleForm) =>
  form.how === "usual"
    ? null
    : form.how === "on"
      ? { on: form.value || null }
      : { days_before: whole(form.value) };
const said = (rule: Rule, usual: string) =>
  rule?.on
    ? day(rule.on)
    : rule?.days_before !== undefined && rule?.days_before !== null
      ? `${count(rule.days_before, "day")} before the start`
      : usual;

/** What is set for a run's gates now, as the form sends it. */
const sentOf = (form: GateForm) => ({
  windows: form.windows.map((w) => ({ opens: ruleOf(w.opens), closes: ruleOf(w.closes) })),
  decision_rule: ruleOf(form.decision),
  access_days: whole(form.access),
});
const windowsOf = (run: Run) => (run.windows.length ? run.windows : [{ opens: null, closes: null }]);
const gatesOf = (run: Run): GateForm => ({
  windows: windowsOf(run).map((w) => ({ opens: formOf(w.opens), closes: formOf(w.closes) })),
  decision: formOf(run.decision_rule),
  access: String(run.access_days ?? ""),
});
const inWords = (run: Run, window: { opens?: Rule; closes?: Rule }) =>
  `opens ${said(window.opens, "when the run is published")}, closes ${said(
    window.closes,
    run.kind === "open" ? "never by itself" : "at the end of the day before the start",
  )}`;

/** Sign-up windows and the decision day: on dates, or counted from the start. */
export function Gates({ run, propose }: { run: Run; propose: Propose }) {
  const of = useWaitingForm<GateForm, object>({
    draft: `run-gates-${run.id}`,
    send: (form, seen, close) =>
      propose(
        "Change the gates",
        (preview, over) =>
          ask(
            api.PATCH("/api/v1/runs/{run_id}", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: asTyped<"RunPatch">({ seen: { ...seen, ...over }, set: sentOf(form) }),
            }),
          ),
        close,
      ),
  });
  const begin = () =>
    of.begin(gatesOf(run), {
      windows: run.windows,
      decision_rule: run.decision_rule,
      access_days: run.access_days,
    });
  if (of.kept === null) return <GatesNow run={run} change={begin} propose={propose} />;
  const { form } = of.kept;
  return (
    <Form of={of}>
      <GateFields run={run} form={form} set={(change) => of.set({ ...form, ...change })} faults={of.faults} />
      {JSON.stringify(sentOf(form)) !== JSON.stringify(sentOf(gatesOf(run))) && (
        <NotSaved
          what="the gates"
          then={`Until then sign-up ${windowsOf(run)
            .map((w) => inWords(run, w))
            .join("; ")}.`}
        />
      )}
      <Ends
        of={of}
        act={run.status === "draft" ? "Save" : "See what it touches"}
        leave="Keep as it was"
        onLeave={of.close}
      />
    </Form>
  );
}

function GatesNow({ run, change, propose }: { run: Run; change: () => void; propose: Propose }) {
  const windows = windowsOf(run);
  const from = run.kind === "open" ? "from enrollment" : "after the end";
  return (
    <div>
      {windows.map((w, i) => (
        <div key={i}>
          Sign-up {windows.length > 1 && <T tone="slate">{i + 1}: </T>}
          {inWords(run, w)}.
        </div>
      ))}
      <div>
        <Source run={run} name="windows" propose={propose} />
      </div>
      <div>
        Decision day: {said(run.decision_rule, "none")}.{" "}
        <Source run={run} name="decision_rule" propose={propose} />
      </div>
      {run.kind !== "dated" && (
        <div>
          Access: {run.access_days === null ? "without an end" : `${count(run.access_days, "day")} ${from}`}.
        </div>
      )}
      <P sx={{ marginTop: 8 }}>
        <Button onClick={change}>Change the gates</Button>
      </P>
    </div>
  );
}

function GateFields({
  run,
  form,
  set,
  faults,
}: {
  run: Run;
  form: GateForm;
  set: (change: Partial<GateForm>) => void;
  faults: Record<string, string>;
}) {
  const open = run.kind === "open";
  const near = (start: string) => Object.entries(faults).find(([at]) => at.startsWith(start))?.[1];
  return (
    <>
      {form.windows.map((w, i) => (
        <WindowFields
          key={i}
          open={open}
          window={w}
          n={form.windows.length > 1 ? i + 1 : null}
          edit={(change) => set({ windows: form.windows.map((o, n) => (n === i ? { ...o, ...change } : o)) })}
          takeOut={() => set({ windows: form.windows.filter((_, n) => n !== i) })}
          fault={(which) => near(`/set/windows/${i}/${which}`)}
        />
      ))}
      <P sx={{ margin: "10px 0" }}>
        <Button
          variant="text"
          onClick={() =>
            set({
              windows: [
                ...form.windows,
                { opens: { how: "on", value: "" }, closes: { how: "usual", value: "" } },
              ],
            })
          }
        >
          Another sign-up window
        </Button>
      </P>
      <Row wrap>
        <RuleFields
          label="Decision day"
          usual="none"
          counted={!open}
          rule={form.decision}
          change={(decision) => set({ decision })}
          fault={near("/set/decision_rule")}
        />
        {run.kind !== "dated" && (
          <Field
            label={open ? "Days of access" : "Days of access after the end"}
            width={190}
            value={form.access}
            onChange={(access) => set({ access })}
            fault={near("/set/access_days")}
          />
        )}
      </Row>
    </>
  );
}

/** One sign-up window; `n` where there are several. */
function WindowFields({
  open,
  window: w,
  n,
  edit,
  takeOut,
  fault,
}: {
  open: boolean;
  window: GateForm["windows"][number];
  n: number | null;
  edit: (change: Partial<GateForm["windows"][number]>) => void;
  takeOut: () => void;
  fault: (which: "opens" | "closes") => string | undefined;
}) {
  const tail = n === null ? "" : `, window ${n}`;
  return (
    <Row wrap sx={{ marginTop: n !== null && n > 1 ? 12 : 0 }}>
      <RuleFields
        label="Sign-up opens"
        usual="when published"
        counted={!open}
        rule={w.opens}
        change={(opens) => edit({ opens })}
        fault={fault("opens")}
        tail={tail}
      />
      <RuleFields
        label="Sign-up closes"
        usual={open ? "never by itself" : "the day before the start"}
        counted={!open}
        rule={w.closes}
        change={(closes) => edit({ closes })}
        fault={fault("closes")}
        tail={tail}
      />
      {n !== null && (
        <Button
          variant="text"
          color="secondary"
          sx={{ alignSelf: "flex-end", marginBottom: 7 }}
          aria-label={`Take out window ${n}`}
          onClick={takeOut}
        >
          take out
        </Button>
      )}
    </Row>
  );
}

/** A day as a rule: the usual one, a date, or counted from the start where there is one. */
function RuleFields({
  label,
  usual,
  counted,
  rule,
  change,
  fault,
  tail = "",
}: {
  label: string;
  usual: string;
  counted: boolean;
  rule: RuleForm;
  change: (next: RuleForm) => void;
  fault?: string;
  tail?: string;
}) {
  return (
    <>
      <Choice
        label={label}
        tail={tail}
        width={230}
        value={rule.how}
        onChange={(how) => change({ how: how as RuleForm["how"], value: how === "days_before" ? "14" : "" })}
        options={[
          { value: "usual", text: usual },
          { value: "on", text: "on a date" },
          ...(counted ? [{ value: "days_before", text: "days before the start" }] : []),
        ]}
        fault={fault}
      />
      {rule.how !== "usual" && (
        <Field
          label={rule.how === "on" ? "Date" : "Days before"}
          tail={`, ${label.toLowerCase()}${tail}`}
          type={rule.how === "on" ? "date" : "text"}
          width={rule.how === "on" ? 150 : 96}
          value={rule.value}
          onChange={(value) => change({ ...rule, value })}
        />
      )}
    </>
  );
}

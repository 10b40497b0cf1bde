import Button from "@mui/material/Button";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
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

/** Sign-up windows and the decision day: on dates, or counted from the start. */
export function Gates({ run, propose }: { run: Run; propose: Propose }) {
  const windows = run.windows.length ? run.windows : [{ opens: null, closes: null }];
  const open = run.kind === "open";
  const usualClose = open ? "never by itself" : "at the end of the day before the start";
  const sentOf = (form: GateForm) => ({
    windows: form.windows.map((w) => ({ opens: ruleOf(w.opens), closes: ruleOf(w.closes) })),
    decision_rule: ruleOf(form.decision),
    access_days: whole(form.access),
  });
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
  const { kept, faults } = of;
  if (kept === null)
    return (
      <div>
        {windows.map((w, i) => (
          <div key={i}>
            Sign-up {windows.length > 1 && <T tone="slate">{i + 1}: </T>}
            opens {said(w.opens, "when the run is published")}, closes {said(w.closes, usualClose)}.
          </div>
        ))}
        <div>Decision day: {said(run.decision_rule, "none")}.</div>
        {run.kind !== "dated" && (
          <div>
            Access:{" "}
            {run.access_days === null
              ? "without an end"
              : `${count(run.access_days, "day")} ${open ? "from enrollment" : "after the end"}`}
            .
          </div>
        )}
        <P sx={{ marginTop: 8 }}>
          <Button
            onClick={() =>
              of.begin(
                {
                  windows: windows.map((w) => ({ opens: formOf(w.opens), closes: formOf(w.closes) })),
                  decision: formOf(run.decision_rule),
                  access: String(run.access_days ?? ""),
                },
                {
                  windows: run.windows,
                  decision_rule: run.decision_rule,
                  access_days: run.access_days,
                },
              )
            }
          >
            Change the gates
          </Button>
        </P>
      </div>
    );
  const { form } = kept;
  const set = (change: Partial<GateForm>) => of.set({ ...form, ...change });
  const rule = (
    label: string,
    usual: string,
    held: RuleForm,
    change: (next: RuleForm) => void,
    fault?: string,
    tail = "",
  ) => (
    <>
      <Choice
        label={label}
        tail={tail}
        width={230}
        value={held.how}
        onChange={(how) => change({ how: how as RuleForm["how"], value: how === "days_before" ? "14" : "" })}
        options={[
          { value: "usual", text: usual },
          { value: "on", text: "on a date" },
          ...(open ? [] : [{ value: "days_before", text: "days before the start" }]),
        ]}
        fault={fault}
      />
      {held.how !== "usual" && (
        <Field
          label={held.how === "on" ? "Date" : "Days before"}
          tail={`, ${label.toLowerCase()}${tail}`}
          type={held.how === "on" ? "date" : "text"}
          width={held.how === "on" ? 150 : 96}
          value={held.value}
          onChange={(value) => change({ ...held, value })}
        />
      )}
    </>
  );
  const changed =
    JSON.stringify(sentOf(form)) !==
    JSON.stringify({
      windows: windows.map((w) => ({ opens: ruleOf(formOf(w.opens)), closes: ruleOf(formOf(w.closes)) })),
      decision_rule: ruleOf(formOf(run.decision_rule)),
      access_days: run.access_days,
    });
  const near = (start: string) => Object.entries(faults).find(([at]) => at.startsWith(start))?.[1];
  return (
    <Form of={of}>
      {form.windows.map((w, i) => {
        const edit = (change: Partial<typeof w>) =>
          set({ windows: form.windows.map((o, n) => (n === i ? { ...o, ...change } : o)) });
        const tail = form.windows.length > 1 ? `, window ${i + 1}` : "";
        return (
          <Row wrap key={i} sx={{ marginTop: i ? 12 : 0 }}>
            {rule(
              "Sign-up opens",
              "when published",
              w.opens,
              (opens) => edit({ opens }),
              near(`/set/windows/${i}/opens`),
              tail,
            )}
            {rule(
              "Sign-up closes",
              open ? "never by itself" : "the day before the start",
              w.closes,
              (closes) => edit({ closes }),
              near(`/set/windows/${i}/closes`),
              tail,
            )}
            {form.windows.length > 1 && (
              <Button
                variant="text"
                color="secondary"
                sx={{ alignSelf: "flex-end", marginBottom: 7 }}
                type="button"
                aria-label={`Take out window ${i + 1}`}
                onClick={() => set({ windows: form.windows.filter((_, n) => n !== i) })}
              >
                take out
              </Button>
            )}
          </Row>
        );
      })}
      <P sx={{ margin: "10px 0" }}>
        <Button
          variant="text"
          type="button"
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
        {rule(
          "Decision day",
          "none",
          form.decision,
          (decision) => set({ decision }),
          near("/set/decision_rule"),
        )}
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
      {changed && (
        <NotSaved
          what="the gates"
          then={`Until then sign-up ${windows.map((w) => `opens ${said(w.opens, "when the run is published")}, closes ${said(w.closes, usualClose)}`).join("; ")}.`}
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

import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, asTyped, faultsOf, type Schemas } from "../../app/server";
import { useKept, useMe } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { digitsOf, PLAN_STARTS, planForm, plansOf, type PlanForm } from "../courses/form";
import { Plan } from "../courses/PlansEdit";
import { KeptForm } from "../schedule/Kept";
import { MoneyTabs } from "./MoneyTabs";
import { PlanExample } from "./PlanExample";

type Held = Schemas["CenterPlan"];

/** The center's payment plans: for any run, or for some courses; those no longer used are kept. */
export default function PlansPage() {
  const acts = useDone();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const [log, setLog] = useState<number | null>(null);
  const query = useQuery({ queryKey: ["plans"], queryFn: () => ask(api.GET("/api/v1/plans")) });
  if (!query.data)
    return <NotYet title="Payment plans" error={query.error} retry={() => void query.refetch()} />;
  const saved = (text: string, change: string) => {
    setOpen(null);
    acts.say({ text, change });
  };
  const inUse = async (plan: Held, active: boolean) => {
    try {
      const done = await ask(
        api.PATCH("/api/v1/plans/{plan_id}", {
          params: { path: { plan_id: plan.id } },
          body: { seen: { active: plan.active }, set: { active } },
        }),
      );
      acts.say({
        text: `${plan.name} is ${active ? "in use again" : "no longer offered"}.`,
        change: done.change,
      });
    } catch (error) {
      acts.fail(error instanceof Error ? error.message : "It could not be saved.");
    }
  };
  return (
    <Page
      title="Payment plans"
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>What a plan does</h2>
            <p className="slate">
              At sign-up the price is split by the lines of the plan chosen; the parts always make the whole,
              odd cents go to the largest fractions, the earlier first. What was agreed stays: a changed plan
              holds for new sign-ups only.
            </p>
          </section>
          {log !== null && <Log plan={query.data.find((p) => p.id === log)} onClose={() => setLog(null)} />}
        </>
      }
    >
      <MoneyTabs />
      <h1 style={{ margin: "12px 0 6px" }}>Payment plans of the center</h1>
      {open === "new" ? (
        <CenterPlanForm onClose={() => setOpen(null)} onSaved={saved} />
      ) : (
        <Button onClick={() => setOpen("new")}>Make a plan</Button>
      )}
      {query.data.length === 0 && open !== "new" && (
        <p className="empty">
          A plan here can be chosen for every run whose course it fits; runs also have plans of their own.
        </p>
      )}
      <ul className="ruled" style={{ marginTop: 12 }}>
        {query.data.map((plan) => (
          <li key={plan.id} style={{ padding: "10px 0" }}>
            {open === plan.id ? (
              <CenterPlanForm plan={plan} onClose={() => setOpen(null)} onSaved={saved} />
            ) : (
              <div className="row">
                <span className="grow">
                  <strong className={plan.active ? "" : "slate"}>{plan.name}</strong>{" "}
                  <span className="slate">
                    {plan.courses.length
                      ? `for ${plan.courses.map((c) => c.title).join(", ")}`
                      : "for any run"}
                    {plan.active ? "" : "; no longer offered"}
                    {plan.agreed ? `; ${count(plan.agreed, "sign-up")} on it` : ""}
                  </span>
                  {plan.lines.map((l, i) => (
                    <div key={i} className="slate">
                      {l.text}.
                    </div>
                  ))}
                  {plan.details && <div className="slate">Payment details are taken at sign-up.</div>}
                  {plan.note && <div className="slate">{plan.note}</div>}
                </span>
                <span className="row" style={{ gap: 12 }}>
                  <button className="plainly" onClick={() => setOpen(plan.id)}>
                    change<span className="sr"> {plan.name}</span>
                  </button>
                  <button className="plainly quiet" onClick={() => void inUse(plan, !plan.active)}>
                    {plan.active ? "no longer offer" : "offer again"}
                    <span className="sr">: {plan.name}</span>
                  </button>
                  <button className="plainly quiet" onClick={() => setLog(plan.id)}>
                    log<span className="sr"> of {plan.name}</span>
                  </button>
                </span>
              </div>
            )}
          </li>
        ))}
      </ul>
    </Page>
  );
}

function CenterPlanForm({
  plan,
  onClose,
  onSaved,
}: {
  plan?: Held;
  onClose: () => void;
  onSaved: (text: string, change: string) => void;
}) {
  const me = useMe();
  const empty: PlanForm = { id: null, ...PLAN_STARTS[0]! };
  const [kept, setKept] = useKept<{ form: PlanForm; courses: string[]; runId: string } | null>(
    `plan-${plan?.id ?? "new"}`,
    null,
  );
  const form = kept ?? {
    form: plan ? planForm(plan) : empty,
    courses: plan?.courses.map((c) => String(c.id)) ?? [],
    runId: "",
  };
  const [error, setError] = useState<unknown>(null);
  const courses = useQuery({ queryKey: ["courses"], queryFn: () => ask(api.GET("/api/v1/courses")) });
  const runs = useQuery({
    queryKey: ["runs-to-come"],
    queryFn: () =>
      ask(
        api.GET("/api/v1/runs", {
          params: { query: { teaching: "before", status: "published", limit: 30 } },
        }),
      ),
  });
  const run = runs.data?.items.find((r) => String(r.id) === form.runId) ?? runs.data?.items[0];
  const faults = Object.fromEntries(
    Object.entries(error ? faultsOf(error) : {}).map(([at, said]) => [
      at.replace(/^\/set/, "").replace(/^/, "/plan"),
      said,
    ]),
  );
  const close = () => {
    setKept(null);
    onClose();
  };
  const send = async () => {
    const body = plansOf([{ ...form.form, id: null }], digitsOf(me.currency))[0]!;
    const whole = { note: "", details: false, ...body, course_ids: form.courses.map(Number) };
    try {
      const done = plan
        ? await ask(
            api.PATCH("/api/v1/plans/{plan_id}", {
              params: { path: { plan_id: plan.id } },
              body: asTyped<"PlanPatch">({ seen: { name: plan.name }, set: whole }),
            }),
          )
        : await ask(api.POST("/api/v1/plans", { body: asTyped<"PlanCommand">(whole) }));
      setKept(null);
      onSaved(`${done.plan.name} is saved; it holds for sign-ups from now on.`, done.change);
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <KeptForm onSend={() => void send()} onClose={close} error={error}>
      <Plan
        plan={form.form}
        tail=""
        onChange={(change) => setKept({ ...form, form: { ...form.form, ...change } })}
        faults={faults}
        at="/plan"
      />
      <div style={{ marginTop: 10 }}>
        <Field
          label="Note for staff"
          value={form.form.note ?? ""}
          onChange={(note) => setKept({ ...form, form: { ...form.form, note } })}
        />
      </div>
      <fieldset className="picks" style={{ marginTop: 10 }}>
        <legend className="label">For which courses; none ticked is any run</legend>
        <span className="row wrap" style={{ gap: "0 14px" }}>
          {courses.data?.map((c) => (
            <label className="tick" key={c.id}>
              <input
                type="checkbox"
                checked={form.courses.includes(String(c.id))}
                onChange={(e) =>
                  setKept({
                    ...form,
                    courses: e.target.checked
                      ? [...form.courses, String(c.id)]
                      : form.courses.filter((n) => n !== String(c.id)),
                  })
                }
              />{" "}
              {c.title}
            </label>
          ))}
        </span>
      </fieldset>
      {run && (
        <div style={{ marginTop: 10 }}>
          <Choice
            label="Example on the run"
            value={String(run.id)}
            width={340}
            onChange={(runId) => setKept({ ...form, runId })}
            options={(runs.data?.items ?? []).map((r) => ({
              value: String(r.id),
              text: `${r.title}, ${r.code}`,
            }))}
          />
        </div>
      )}
      <PlanExample
        plans={[form.form]}
        runId={run?.id ?? null}
        currency={run?.currency ?? me.currency}
        start={run?.first ?? null}
      />
    </KeptForm>
  );
}

function Log({ plan, onClose }: { plan?: Held; onClose: () => void }) {
  const query = useQuery({
    queryKey: ["plan-log", plan?.id],
    queryFn: () => ask(api.GET("/api/v1/plans/{plan_id}/log", { params: { path: { plan_id: plan!.id } } })),
    enabled: plan !== undefined,
  });
  if (!plan) return null;
  return (
    <section>
      <h2>Changes of {plan.name}</h2>
      {query.data?.map((c) => (
        <p key={c.key}>
          <span className="slate">
            {day(c.at)}, {clock(c.at)}, {c.by}:
          </span>{" "}
          {c.text}
        </p>
      ))}
      <button className="plainly quiet" onClick={onClose}>
        close the log
      </button>
    </section>
  );
}

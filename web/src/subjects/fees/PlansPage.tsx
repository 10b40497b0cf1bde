import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Picks, Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Heard, T } from "../../parts/words";
import { digitsOf, PLAN_STARTS, planForm, type PlanForm, plansOf } from "../courses/form";
import { Plan } from "../courses/PlansEdit";
import { KeptForm } from "../schedule/Kept";
import { MoneyTabs } from "./MoneyTabs";
import { PlanExample } from "./PlanExample";
import { useAct } from "../../form/useAct";

type Held = Schemas["CenterPlan"];

/** The center's payment plans: for any run, or for some courses; those no longer used are kept. */
export default function PlansPage() {
  const acts = useDone();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const [log, setLog] = useState<number | null>(null);
  const inUse = useAct({
    send: async ({ plan, active }: { plan: Held; active: boolean }) => {
      const done = await ask(
        api.PATCH("/api/v1/plans/{plan_id}", {
          params: { path: { plan_id: plan.id } },
          body: { seen: { active: plan.active }, set: { active } },
        }),
      );
      return {
        text: `${plan.name} is ${active ? "in use again" : "no longer offered"}.`,
        change: done.change,
      };
    },
    done: acts.say,
    failed: acts.fail,
  });
  const query = $api.useQuery("get", "/api/v1/plans");
  if (!query.data)
    return <NotYet title="Payment plans" error={query.error} retry={() => void query.refetch()} />;
  const saved = (text: string, change: string) => {
    setOpen(null);
    acts.say({ text, change });
  };
  return (
    <Page
      title="Payment plans"
      notes={<ActNotes acts={acts} />}
      help="At sign-up the price is split by the lines of the plan chosen; the parts always make the whole, odd cents go to the largest fractions, the earlier first. What was agreed stays: a changed plan holds for new sign-ups only."
      margin={
        log !== null ? <Log plan={query.data.find((p) => p.id === log)} onClose={() => setLog(null)} /> : null
      }
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Payment plans of the center
      </Box>
      {open === "new" ? (
        <CenterPlanForm onClose={() => setOpen(null)} onSaved={saved} />
      ) : (
        <Button onClick={() => setOpen("new")}>Make a plan</Button>
      )}
      {query.data.length === 0 && open !== "new" && (
        <Empty as="p">
          A plan here can be chosen for every run whose course it fits; runs also have plans of their own.
        </Empty>
      )}
      <Ruled sx={{ marginTop: 12 }}>
        {query.data.map((plan) => (
          <Box component="li" key={plan.id} sx={{ padding: "10px 0" }}>
            {open === plan.id ? (
              <CenterPlanForm plan={plan} onClose={() => setOpen(null)} onSaved={saved} />
            ) : (
              <PlanRow
                plan={plan}
                onChange={() => setOpen(plan.id)}
                onUse={() => void inUse.act({ plan, active: !plan.active })}
                onLog={() => setLog(plan.id)}
              />
            )}
          </Box>
        ))}
      </Ruled>
    </Page>
  );
}

function PlanRow({
  plan,
  onChange,
  onUse,
  onLog,
}: {
  plan: Held;
  onChange: () => void;
  onUse: () => void;
  onLog: () => void;
}) {
  return (
    <Row>
      <Grow as="span">
        <T as="strong" tone={plan.active ? undefined : "slate"}>
          {plan.name}
        </T>{" "}
        <T tone="slate">
          {plan.courses.length ? `for ${plan.courses.map((c) => c.title).join(", ")}` : "for any run"}
          {plan.active ? "" : "; no longer offered"}
          {plan.agreed ? `; ${count(plan.agreed, "sign-up")} on it` : ""}
        </T>
        {plan.lines.map((l, i) => (
          <T tone="slate" as="div" key={i}>
            {l.text}.
          </T>
        ))}
        {plan.details && (
          <T tone="slate" as="div">
            Payment details are taken at sign-up.
          </T>
        )}
        {plan.note && (
          <T tone="slate" as="div">
            {plan.note}
          </T>
        )}
      </Grow>
      <Row as="span" sx={{ gap: 12 }}>
        <Button variant="text" onClick={onChange}>
          change<Heard> {plan.name}</Heard>
        </Button>
        <Button variant="text" color="secondary" onClick={onUse}>
          {plan.active ? "no longer offer" : "offer again"}
          <Heard>: {plan.name}</Heard>
        </Button>
        <Button variant="text" color="secondary" onClick={onLog}>
          log<Heard> of {plan.name}</Heard>
        </Button>
      </Row>
    </Row>
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
  const of = useServerForm({
    draft: `plan-${plan?.id ?? "new"}`,
    start: {
      form: plan ? planForm(plan) : empty,
      courses: plan?.courses.map((c) => String(c.id)) ?? [],
      runId: "",
    },
    send: ({ form, courses }) => {
      const body = plansOf([{ ...form, id: null }], digitsOf(me.currency))[0]!;
      const whole = { note: "", details: false, ...body, course_ids: courses.map(Number) };
      return ask(
        plan
          ? api.PATCH("/api/v1/plans/{plan_id}", {
              params: { path: { plan_id: plan.id } },
              body: asTyped<"PlanPatch">({ seen: { name: plan.name }, set: whole }),
            })
          : api.POST("/api/v1/plans", { body: asTyped<"PlanCommand">(whole) }),
      );
    },
    done: (saved) => onSaved(`${saved.plan.name} is saved; it holds for sign-ups from now on.`, saved.change),
  });
  const { values: form, set } = of;
  const runs = $api.useQuery("get", "/api/v1/runs", {
    params: { query: { teaching: "before", status: "published", limit: 30 } },
  });
  const run = runs.data?.items.find((r) => String(r.id) === form.runId) ?? runs.data?.items[0];
  const faults = Object.fromEntries(
    Object.entries(of.faults).map(([at, said]) => [`/plan${at.replace(/^\/set/, "")}`, said]),
  );
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <KeptForm of={of} onClose={close}>
      <Plan
        plan={form.form}
        tail=""
        onChange={(change) => set({ form: { ...form.form, ...change } })}
        faults={faults}
        at="/plan"
      />
      <Box sx={{ marginTop: 10 }}>
        <Field
          label="Note for staff"
          value={form.form.note ?? ""}
          onChange={(note) => set({ form: { ...form.form, note } })}
        />
      </Box>
      <ForCourses ids={form.courses} onChange={(courses) => set({ courses })} />
      {run && (
        <Box sx={{ marginTop: 10 }}>
          <Choice
            label="Example on the run"
            value={String(run.id)}
            width={340}
            onChange={(runId) => set({ runId })}
            options={(runs.data?.items ?? []).map((r) => ({
              value: String(r.id),
              text: `${r.title}, ${r.code}`,
            }))}
          />
        </Box>
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

function ForCourses({ ids, onChange }: { ids: string[]; onChange: (ids: string[]) => void }) {
  const courses = $api.useQuery("get", "/api/v1/courses");
  return (
    <Picks sx={{ marginTop: 10 }}>
      <T label as="legend">
        For which courses; none ticked is any run
      </T>
      <Row wrap as="span" sx={{ gap: "0 14px" }}>
        {courses.data?.map((c) => (
          <Tick
            key={c.id}
            checked={ids.includes(String(c.id))}
            onChange={(on) => onChange(on ? [...ids, String(c.id)] : ids.filter((n) => n !== String(c.id)))}
          >
            {c.title}
          </Tick>
        ))}
      </Row>
    </Picks>
  );
}

function Log({ plan, onClose }: { plan?: Held; onClose: () => void }) {
  const query = $api.useQuery(
    "get",
    "/api/v1/plans/{plan_id}/log",
    { params: { path: { plan_id: plan!.id } } },
    { enabled: plan !== undefined },
  );
  if (!plan) return null;
  return (
    <section>
      <h2>Changes of {plan.name}</h2>
      {query.data?.map((c) => (
        <p key={c.key}>
          <T tone="slate">
            {day(c.at)}, {clock(c.at)}, {c.by}:
          </T>{" "}
          {c.text}
        </p>
      ))}
      <Button variant="text" color="secondary" onClick={onClose}>
        close the log
      </Button>
    </section>
  );
}

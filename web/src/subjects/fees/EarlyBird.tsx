import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";

import { $api, api, ask, asTyped, faultsOf, type Schemas } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Crumbs, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { amount, digitsOf, whole } from "../courses/form";
import { usePreviewedAct } from "../../form/usePreviewedAct";
import { Confirm } from "../schedule/Confirm";

type Start = Schemas["EarlyStart"];
type Found = Schemas["EarlyOut"];
type Form = { fee: string; share: string; target: string; days: string; rounding: string };

/** Keeps today's fee as the early price and works out the regular one; applied to the run in one step. */
export default function EarlyBird() {
  const runId = Number(useParams().id);
  const start = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}/early-bird",
    { params: { path: { run_id: runId } } },
    { enabled: Number.isInteger(runId) },
  );
  const run = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId } } },
    { enabled: Number.isInteger(runId) },
  );
  if (!start.data || !run.data)
    return (
      <NotYet
        title="Early-bird planner"
        error={start.error ?? run.error}
        retry={() => void start.refetch()}
      />
    );
  return <Planner run={run.data} start={start.data} />;
}

/** What is typed, kept until it is applied, and what it comes to. */
function usePlanned(run: Schemas["RunOut"], start: Start) {
  const [kept, setKept] = useKept<Form | null>(`early-bird-${run.id}`, null);
  const form: Form = kept ?? {
    fee: start.fee,
    share: start.share,
    target: start.target,
    days: String(start.days),
    rounding: start.rounding,
  };
  const digits = digitsOf(start.currency);
  const body = useSettled(
    {
      currency: start.currency,
      fee: amount(form.fee, digits),
      share: form.share.trim() || null,
      target: amount(form.target, digits),
      days: whole(form.days),
      rounding: form.rounding,
    },
    150,
  );
  const worked = useQuery({
    queryKey: ["early-plan", body],
    queryFn: () => ask(api.POST("/api/v1/early-bird", { body: asTyped<"EarlyCommand">(body) })),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return {
    form,
    body,
    typed: kept !== null,
    set: (change: Partial<Form>) => setKept({ ...form, ...change }),
    forget: () => setKept(null),
    faults: worked.error ? faultsOf(worked.error) : {},
    plan: worked.error ? undefined : worked.data,
    target: Number(amount(form.target, digits)),
  };
}

function Planner({ run, start }: { run: Schemas["RunOut"]; start: Start }) {
  const acts = useDone();
  const go = useNavigate();
  const planned = usePlanned(run, start);
  const { form, plan } = planned;
  const act = usePreviewedAct(acts);
  const apply = async () => {
    try {
      await act.see(
        `Put these prices on ${run.code}`,
        (preview) =>
          ask(
            api.POST("/api/v1/runs/{run_id}/early-bird", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: asTyped<"EarlyCommand">({ ...planned.body, currency: undefined }),
            }),
          ),
        () => {
          planned.forget();
          void go(`/runs/${run.id}/fees`);
        },
      );
    } catch (error) {
      acts.failed(error);
    }
  };
  return (
    <Page
      title={`Early-bird planner ${run.code}`}
      margin={
        <>
          <Confirm act={act} currency={run.currency} />
          <ActNotes acts={acts} />
          <Why start={start} back={planned.typed ? planned.forget : undefined} />
        </>
      }
    >
      <Crumbs>
        <Link to="/planner">Runs</Link> / <Link to={`/runs/${run.id}/fees`}>{run.code}</Link> / Early-bird
        planner
      </Crumbs>
      <h1>Early-bird planner for {run.title}</h1>
      <Form
        onSend={() => {
          if (plan) void apply();
        }}
      >
        <Inputs
          start={start}
          form={form}
          faults={planned.faults}
          set={(change) => {
            act.leave();
            planned.set(change);
          }}
        />
        {plan && (
          <>
            <Figures plan={plan} share={form.share} />
            <IncomeChart plan={plan} share={Number(form.share)} target={planned.target} />
          </>
        )}
        <Button type="submit" variant="contained" disabled={!plan} sx={{ marginTop: 12 }}>
          Put it on {run.code}
        </Button>
      </Form>
    </Page>
  );
}

function Why({ start, back }: { start: Start; back: (() => void) | undefined }) {
  return (
    <>
      <section>
        <h2>Where these start from</h2>
        <P tone="slate">{start.said}</P>
        {back && (
          <Button variant="text" onClick={back}>
            back to these
          </Button>
        )}
      </section>
      <section>
        <h2>How it is worked out</h2>
        <P tone="slate">
          Regular price = (target − share × early price) ÷ (1 − share), rounded as you pick. With fewer early
          sign-ups than the break-even share, the two prices bring more than the target; with more, less.
        </P>
      </section>
    </>
  );
}

function Inputs({
  start,
  form,
  set,
  faults,
}: {
  start: Start;
  form: Form;
  set: (change: Partial<Form>) => void;
  faults: Record<string, string>;
}) {
  const number = (key: "fee" | "share" | "target" | "days", label: string, width: number, help?: string) => (
    <Field
      label={label}
      width={width}
      value={form[key]}
      onChange={(value) => set({ [key]: value })}
      fault={faults[`/${key}`]}
      help={help}
      input={{ inputMode: key === "days" ? "numeric" : "decimal" }}
    />
  );
  return (
    <Row wrap sx={{ marginTop: 12 }}>
      {number("fee", `Today’s fee, ${start.rate}`, 150, "it becomes the early price")}
      {number("share", "Percent that sign up early", 180)}
      {number("target", "Target income a seat", 160)}
      {number("days", "Days before the start", 150, "through this day it is early")}
      <Choice
        label="Round the regular price to"
        width={180}
        value={form.rounding}
        onChange={(rounding) => set({ rounding })}
        fault={faults["/rounding"]}
        options={start.roundings.map((r) => ({ value: r, text: money(r, start.currency) }))}
      />
    </Row>
  );
}

function Figures({ plan, share }: { plan: Found; share: string }) {
  const even = plan.break_even;
  return (
    <Row wrap sx={{ gap: 28, margin: "20px 0 6px" }} aria-live="polite">
      <Figure
        label="Early price"
        text={money(plan.early, plan.currency)}
        why={`through ${plan.days} days before the start`}
      />
      <Figure
        label="Regular price"
        text={money(plan.regular, plan.currency)}
        why={`exactly ${money(plan.exact, plan.currency)}`}
      />
      <Figure
        label="Income a seat"
        text={money(plan.income, plan.currency)}
        why={`when ${share} percent sign up early`}
      />
      <Figure
        label="Break-even share"
        text={even === null ? "none" : `${even} percent`}
        why={even === null ? "both prices are the same" : "brings the target a seat"}
      />
    </Row>
  );
}

function Figure({ label, text, why }: { label: string; text: string; why: string }) {
  return (
    <div>
      <T tone="slate" as="div">
        {label}
      </T>
      <T big tone="copper" as="div">
        {text}
      </T>
      <T tone="slate" as="div">
        {why}
      </T>
    </div>
  );
}

/** Income a seat at every share of early sign-ups, with the target and the share expected. */
function IncomeChart({ plan, share, target }: { plan: Found; share: number; target: number }) {
  const W = 760;
  const H = 220;
  const left = 70;
  const bottom = 36;
  const values = [...plan.incomes.map((i) => Number(i.income)), target];
  const low = Math.min(...values) * 0.97;
  const high = Math.max(...values) * 1.02;
  const x = (s: number) => left + ((W - left - 20) * s) / 100;
  const y = (v: number) => 12 + (H - 12 - bottom) * (1 - (v - low) / Math.max(1e-9, high - low));
  const even = plan.break_even === null ? null : Number(plan.break_even);
  const line = plan.incomes.map((i, n) => `${n ? "L" : "M"}${x(i.share)} ${y(Number(i.income))}`).join("");
  return (
    <>
      <svg
        className="pricechart incomes"
        viewBox={`0 0 ${W} ${H}`}
        role="img"
        aria-label={`Income a seat falls from ${money(plan.regular, plan.currency)} when nobody signs up early to ${money(plan.early, plan.currency)} when all do.`}
      >
        <line x1={left} x2={W - 20} y1={H - bottom} y2={H - bottom} className="ground" />
        {[0, 25, 50, 75, 100].map((s) => (
          <text key={s} x={x(s)} y={H - bottom + 18} textAnchor="middle" className="ticktext">
            {s} %
          </text>
        ))}
        {[Number(plan.regular), target, Number(plan.early)].map((v, i) => (
          <g key={i}>
            <line x1={left} x2={W - 20} y1={y(v)} y2={y(v)} className="tickline" />
            <text x={left - 8} y={y(v) + 4} textAnchor="end" className="ticktext">
              {money(v.toFixed(plan.regular.split(".")[1]?.length ?? 0), plan.currency)}
            </text>
          </g>
        ))}
        <text x={W - 24} y={y(target) - 6} textAnchor="end" className="ticktext">
          target
        </text>
        <g className="series s0">
          <path d={line} />
        </g>
        {even !== null && (
          <g>
            <line x1={x(even)} x2={x(even)} y1={y(target)} y2={H - bottom} className="plumb" />
            <text x={x(even) + 6} y={H - bottom - 8} className="ticktext">
              break-even {plan.break_even} %
            </text>
          </g>
        )}
        {share >= 0 && share <= 100 && (
          <circle cx={x(share)} cy={y(Number(plan.income))} r="5" className="dot" />
        )}
      </svg>
      <P small>Percent of sign-ups at the early price; the dot is what you expect.</P>
    </>
  );
}

import Button from "@mui/material/Button";

import { $api, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { ClashList } from "../../parts/ClashList";
import { addDays } from "../../parts/dates";
import { Facts, Note } from "../../parts/layout";
import { count, day, hours, length, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { digitsOf, planLines, ratesOf, type RunForm } from "./form";
import type { ShownDate } from "./PlannedDates";
import { type PlannedInstallments, type Quoted, useCalculator } from "./usePreview";

type Usual = {
  extras?: { code?: string; label: string; amount: string; required?: boolean; most?: number }[];
  group?: { from: number; percent: string }[];
  taxes?: { name: string; percent: string; included?: boolean; on: string[] | null }[];
};

/** The short code that the server makes of a name. */
function codeOf(label: string): string {
  return label.toLowerCase().replace(/,/g, " ").trim().split(/\s+/).join("-").slice(0, 40);
}

/** What the run starts with beside what stands in the form: required extras, group prices and taxes. */
function useUsual(courseId: string): Usual {
  const courses = $api.useQuery("get", "/api/v1/courses");
  const center = $api.useQuery("get", "/api/v1/defaults");
  const course = courses.data?.find((c) => String(c.id) === courseId);
  return { ...center.data?.values, ...course?.defaults } as Usual;
}

/** What is sold on the run: its rates, the usual extras, and the taxes on any of them. */
function soldOf(form: RunForm, usual: Usual, digits: number) {
  const rates = ratesOf(form.rates, digits).map((r) => ({
    code: r.code ?? codeOf(r.label ?? "Standard"),
    label: r.label ?? "Standard",
    amount: r.amount,
    early: r.early,
    ...(r.sale ? { sale: r.sale } : {}),
  }));
  const extras = (usual.extras ?? []).map(({ label, amount, required, most, code }) => ({
    code: code ?? codeOf(label),
    label,
    amount,
    ...(required ? { required } : {}),
    ...(most ? { most } : {}),
  }));
  const sold = new Set([...rates, ...extras].map((x) => x.code));
  const taxes = (usual.taxes ?? [])
    .map((t) => ({ ...t, on: t.on?.filter((c) => sold.has(c)) ?? null }))
    .filter((t) => t.on === null || t.on.length > 0);
  return { rates, extras, taxes };
}

/** What somebody who signs up today pays, and when, as the calculators say it while one types. */
function usePriced(form: RunForm, firstDay: string | null) {
  const me = useMe();
  const digits = digitsOf(me.currency);
  const usual = useUsual(form.courseId);
  const { rates, extras, taxes } = soldOf(form, usual, digits);
  const dated = firstDay !== null || form.kind === "open";
  const priced = rates.every((r) => r.amount !== null && /^\d+(\.\d+)?$/.test(r.amount)) && dated;
  const asked = {
    currency: me.currency,
    time_zone: me.time_zone,
    start: firstDay,
    rates,
    extras,
    group: usual.group ?? [],
    taxes,
    ask: { people: [{ rate: rates[0]?.code, count: 1 }], at: me.now },
  };
  const quote = useCalculator<Quoted>("quote", priced ? asked : null);
  const total = priced && !quote.error ? quote.data?.total : undefined;
  const terms = {
    currency: me.currency,
    total,
    signed_up: me.today,
    start: firstDay,
    lines: planLines(form.plans[0]?.lines ?? [], digits),
  };
  const plan = useCalculator<PlannedInstallments>("plan", total && dated ? terms : null);
  return { quote: quote.data, quoteError: priced ? quote.error : null, total, plan };
}

/** What the form makes, in the margin while it is typed: dates, price, what is due when, and what to mend. */
export function Consequences({
  form,
  dates,
  firstDay,
  warnings,
  error,
  faults,
  busy,
  onSave,
  onForget,
  clashes,
}: {
  form: RunForm;
  dates: ShownDate[];
  firstDay: string | null;
  warnings: string[];
  error: unknown;
  faults: Record<string, string>;
  busy: boolean;
  onSave: () => void;
  onForget: () => void;
  clashes: Schemas["ClashOut"][];
}) {
  return (
    <>
      {error !== null && <ToMend error={error} faults={faults} />}
      <section>
        <h2>What these dates make</h2>
        <Made form={form} dates={dates} firstDay={firstDay} />
        <ClashList clashes={clashes} />
        {warnings.map((w) => (
          <P tone="ochre" key={w}>
            {w}
          </P>
        ))}
      </section>
      <Pays form={form} firstDay={firstDay} />
      <section>
        <Button variant="contained" onClick={onSave} disabled={busy} fullWidth>
          Save as a draft
        </Button>
        <P tone="slate" sx={{ marginTop: 8 }}>
          A draft is seen by staff only; publish it from its page.{" "}
          <Button variant="text" color="secondary" onClick={onForget}>
            Clear the form
          </Button>
        </P>
      </section>
    </>
  );
}

function ToMend({ error, faults }: { error: unknown; faults: Record<string, string> }) {
  const judged = Object.keys(faultsOf(error)).length > 0;
  if (judged && Object.keys(faults).length === 0) return null;
  return (
    <Note kind="wrong" role="alert">
      {judged ? (
        <>
          <P strong>Not saved yet. To mend:</P>
          {Object.entries(faults).map(([at, message]) => (
            <p key={at}>{message}</p>
          ))}
        </>
      ) : (
        <p>{messageOf(error)}</p>
      )}
    </Note>
  );
}

/** The facts that are worked out from the dates. */
function Made({ form, dates, firstDay }: { form: RunForm; dates: ShownDate[]; firstDay: string | null }) {
  if (dates.length) {
    const lengths = [...new Set(dates.map((d) => d.minutes))].sort((a, b) => a - b);
    const minutes = dates.reduce((sum, d) => sum + d.minutes, 0);
    const last = dates
      .map((d) => d.date)
      .sort()
      .at(-1);
    return (
      <Facts>
        <dt>{count(dates.length, "meeting")}</dt>
        <dd>{hours((minutes / 60).toFixed(2))}</dd>
        <dt>First</dt>
        <dd>{day(firstDay)}</dd>
        <dt>Last</dt>
        <dd>{day(last)}</dd>
        <dt>{lengths.length > 1 ? "Of different lengths" : "Each"}</dt>
        <dd>{lengths.map(length).join(", ")}</dd>
        <dt>Sign-up closes</dt>
        <dd>{firstDay && day(addDays(firstDay, -1))}</dd>
        <dd className="why">at the end of the day before the first meeting</dd>
      </Facts>
    );
  }
  if (form.kind === "open")
    return <p>No dates: {count(Number(form.accessDays) || 0, "day")} of access from each enrollment.</p>;
  if (form.kind === "cohort" && form.startsOn && form.endsOn)
    return (
      <Facts>
        <dt>First day</dt>
        <dd>{day(form.startsOn)}</dd>
        <dt>Last day</dt>
        <dd>{day(form.endsOn)}</dd>
        <dt>Sign-up closes</dt>
        <dd>{day(addDays(form.startsOn, -1))}</dd>
        <dd className="why">at the end of the day before the first</dd>
      </Facts>
    );
  return <P tone="slate">Meetings, hours and the day sign-up closes are worked out as you type.</P>;
}

function Pays({ form, firstDay }: { form: RunForm; firstDay: string | null }) {
  const me = useMe();
  const { quote, quoteError, total, plan } = usePriced(form, firstDay);
  return (
    <section>
      <h2>
        Somebody who signs up today
        {form.rates.length > 1 ? ` as ${form.rates[0]?.label || "Standard"}` : ""} pays
      </h2>
      {total && quote ? (
        <>
          <PriceFacts quote={quote} total={total} installments={plan.error ? [] : plan.data?.installments} />
          {quote.next_change && (
            <P tone="slate">
              From {day(quote.next_change.at)} the total is {money(quote.next_change.total, me.currency)}.
            </P>
          )}
          {plan.error && <Fault as="p">{messageOf(plan.error)}</Fault>}
        </>
      ) : quoteError ? (
        <Fault as="p">{Object.values(faultsOf(quoteError)).join(" ")}</Fault>
      ) : (
        <P tone="slate">With dates and a fee, the price and what is due when appear here.</P>
      )}
    </section>
  );
}

function PriceFacts({
  quote,
  total,
  installments = [],
}: {
  quote: Quoted;
  total: string;
  installments?: PlannedInstallments["installments"];
}) {
  const me = useMe();
  const whole = quote.lines.length < 2;
  return (
    <Facts>
      <T strong as="dt">
        Total
      </T>
      <T tone="copper" as="dd">
        {money(total, me.currency)}
      </T>
      {whole && <dd className="why">{quote.lines[0]?.why}</dd>}
      {!whole &&
        quote.lines.map((l) => [
          <dt key={`l${l.label}`}>{l.label}</dt>,
          <dd key={`a${l.label}`}>{money(l.amount, me.currency)}</dd>,
          <dd key={`y${l.label}`} className="why">
            {l.why}
          </dd>,
        ])}
      {quote.taxes.map((t) => [
        <dt key={`t${t.name}`}>
          {t.name}
          {t.included && ", in the price"}
        </dt>,
        <dd key={`x${t.name}`}>{money(t.amount, me.currency)}</dd>,
      ])}
      {installments.map((i) => [
        <dt key={`t${i.n}`}>{i.due === me.today ? "Now" : day(i.due)}</dt>,
        <dd key={`d${i.n}`}>{money(i.amount, me.currency)}</dd>,
        <dd className="why" key={`w${i.n}`}>
          {i.why}
        </dd>,
      ])}
    </Facts>
  );
}

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
  const me = useMe();
  const digits = digitsOf(me.currency);
  const courses = $api.useQuery("get", "/api/v1/courses");
  const center = $api.useQuery("get", "/api/v1/defaults");
  const course = courses.data?.find((c) => String(c.id) === form.courseId);
  // What the run starts with beside what stands in the form: required extras, group prices and taxes.
  const usual = { ...center.data?.values, ...course?.defaults } as Usual;
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
  const priced =
    rates.every((r) => r.amount !== null && /^\d+(\.\d+)?$/.test(r.amount)) &&
    (firstDay !== null || form.kind === "open");
  const quote = useCalculator<Quoted>(
    "quote",
    priced
      ? {
          currency: me.currency,
          time_zone: me.time_zone,
          start: firstDay,
          rates,
          extras,
          group: usual.group ?? [],
          taxes,
          ask: { people: [{ rate: rates[0]?.code, count: 1 }], at: me.now },
        }
      : null,
  );
  const total = priced && !quote.error ? quote.data?.total : undefined;
  const plan = useCalculator<PlannedInstallments>(
    "plan",
    total && (firstDay || form.kind === "open")
      ? {
          currency: me.currency,
          total,
          signed_up: me.today,
          start: firstDay,
          lines: planLines(form.plans[0]?.lines ?? [], digits),
        }
      : null,
  );
  const whole = (quote.data?.lines.length ?? 0) < 2;
  const lengths = [...new Set(dates.map((d) => d.minutes))].sort((a, b) => a - b);
  const minutes = dates.reduce((sum, d) => sum + d.minutes, 0);
  const last = dates
    .map((d) => d.date)
    .sort()
    .at(-1);
  const judged = Object.keys(faultsOf(error)).length > 0;
  return (
    <>
      {error !== null && (!judged || Object.keys(faults).length > 0) && (
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
      )}
      <section>
        <h2>What these dates make</h2>
        {dates.length ? (
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
        ) : form.kind === "open" ? (
          <p>No dates: {count(Number(form.accessDays) || 0, "day")} of access from each enrollment.</p>
        ) : form.kind === "cohort" && form.startsOn && form.endsOn ? (
          <Facts>
            <dt>First day</dt>
            <dd>{day(form.startsOn)}</dd>
            <dt>Last day</dt>
            <dd>{day(form.endsOn)}</dd>
            <dt>Sign-up closes</dt>
            <dd>{day(addDays(form.startsOn, -1))}</dd>
            <dd className="why">at the end of the day before the first</dd>
          </Facts>
        ) : (
          <P tone="slate">Meetings, hours and the day sign-up closes are worked out as you type.</P>
        )}
        <ClashList clashes={clashes} />
        {warnings.map((w) => (
          <P tone="ochre" key={w}>
            {w}
          </P>
        ))}
      </section>
      <section>
        <h2>
          Somebody who signs up today
          {form.rates.length > 1 ? ` as ${form.rates[0]?.label || "Standard"}` : ""} pays
        </h2>
        {total ? (
          <>
            <Facts>
              <T strong as="dt">
                Total
              </T>
              <T tone="copper" as="dd">
                {money(total, me.currency)}
              </T>
              {whole && <dd className="why">{quote.data?.lines[0]?.why}</dd>}
              {!whole &&
                quote.data?.lines.map((l) => [
                  <dt key={`l${l.label}`}>{l.label}</dt>,
                  <dd key={`a${l.label}`}>{money(l.amount, me.currency)}</dd>,
                  <dd key={`y${l.label}`} className="why">
                    {l.why}
                  </dd>,
                ])}
              {quote.data?.taxes.map((t) => [
                <dt key={`t${t.name}`}>
                  {t.name}
                  {t.included && ", in the price"}
                </dt>,
                <dd key={`x${t.name}`}>{money(t.amount, me.currency)}</dd>,
              ])}
              {plan.data &&
                !plan.error &&
                plan.data.installments.map((i) => [
                  <dt key={`t${i.n}`}>{i.due === me.today ? "Now" : day(i.due)}</dt>,
                  <dd key={`d${i.n}`}>{money(i.amount, me.currency)}</dd>,
                  <dd className="why" key={`w${i.n}`}>
                    {i.why}
                  </dd>,
                ])}
            </Facts>
            {quote.data?.next_change && (
              <P tone="slate">
                From {day(quote.data.next_change.at)} the total is{" "}
                {money(quote.data.next_change.total, me.currency)}.
              </P>
            )}
            {plan.error && <Fault as="p">{messageOf(plan.error)}</Fault>}
          </>
        ) : quote.error && priced ? (
          <Fault as="p">{Object.values(faultsOf(quote.error)).join(" ")}</Fault>
        ) : (
          <P tone="slate">With dates and a fee, the price and what is due when appear here.</P>
        )}
      </section>
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

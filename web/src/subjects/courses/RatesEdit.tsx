import Button from "@mui/material/Button";
import { useId } from "react";

import { $api } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { OrganizationPick } from "../../form/OrganizationPick";
import { Tick } from "../../form/Tick";
import { addDays } from "../../parts/dates";
import { Acts, Group, Inset, Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { Fault, Heard, P, T } from "../../parts/words";
import { ANYBODY, type RateForm, type SaleForm, type StepForm, type WhoForm } from "./form";

const STEP: StepForm = { ends: "days_before", when: "14", how: "amount", value: "" };

/** Rates and their early-bird steps: one rate with one step first, more on request. */
export function RatesEdit({
  rates,
  onChange,
  faults,
  at,
  currency,
  firstDay,
}: {
  rates: RateForm[];
  onChange: (rates: RateForm[]) => void;
  faults: Record<string, string>;
  at: string;
  currency: string;
  firstDay: string | null;
}) {
  const set = (i: number, change: Partial<RateForm>) =>
    onChange(rates.map((r, n) => (n === i ? { ...r, ...change } : r)));
  return (
    <>
      {faults[at] && <Fault role="alert">{faults[at]}</Fault>}
      {rates.map((rate, i) => (
        <Rate
          key={i}
          rate={rate}
          n={i + 1}
          many={rates.length > 1}
          set={(change) => set(i, change)}
          onRemove={() => onChange(rates.filter((_, n) => n !== i))}
          faults={faults}
          at={`${at}/${i}`}
          currency={currency}
          firstDay={firstDay}
        />
      ))}
      <P sx={{ margin: "10px 0 0" }}>
        <Button
          variant="text"
          onClick={() => onChange([...rates, { code: "", label: "", amount: "", steps: [] }])}
        >
          Another rate
        </Button>
      </P>
    </>
  );
}

/** One rate: what it is called and costs, its early steps, a sale, who may have it. */
function Rate({
  rate,
  n,
  many,
  set,
  onRemove,
  faults,
  at,
  currency,
  firstDay,
}: {
  rate: RateForm;
  n: number;
  many: boolean;
  set: (change: Partial<RateForm>) => void;
  onRemove: () => void;
  faults: Record<string, string>;
  at: string;
  currency: string;
  firstDay: string | null;
}) {
  const name = rate.label || `rate ${n}`;
  return (
    <Group role="group" aria-label={rate.label || `Rate ${n}`}>
      <Row wrap>
        <Field
          label={n > 1 ? `Rate ${n}` : "Rate"}
          value={rate.label}
          width={180}
          onChange={(label) => set({ label })}
          fault={faults[`${at}/label`] ?? faults[`${at}/code`]}
        />
        <Field
          label={`Fee in ${currency}`}
          tail={n > 1 ? `, rate ${n}` : ""}
          value={rate.amount}
          width={120}
          onChange={(amount) => set({ amount })}
          fault={faults[`${at}/amount`]}
          input={{ inputMode: "decimal" }}
        />
        <Acts>
          {many && (
            <Button
              variant="text"
              color="secondary"
              aria-label={`Take out rate ${rate.label || n}`}
              onClick={onRemove}
            >
              take out
            </Button>
          )}
        </Acts>
      </Row>
      {rate.steps.map((step, k) => (
        <Step
          key={k}
          step={step}
          many={many || rate.steps.length > 1}
          label={`${name}${rate.steps.length > 1 ? `, step ${k + 1}` : ""}`}
          onChange={(next) => set({ steps: rate.steps.map((s, m) => (m === k ? next : s)) })}
          onRemove={() => set({ steps: rate.steps.filter((_, m) => m !== k) })}
          faults={faults}
          at={`${at}/early/${k}`}
          firstDay={firstDay}
        />
      ))}
      {rate.sale && (
        <Sale
          sale={rate.sale}
          tail={many ? `, ${name}` : ""}
          onChange={(sale) => set({ sale })}
          faults={faults}
          at={`${at}/sale`}
        />
      )}
      {rate.who && (
        <Who
          who={rate.who}
          tail={many ? `, ${name}` : ""}
          onChange={(who) => set({ who })}
          faults={faults}
          at={at}
        />
      )}
      <Row as="span" sx={{ gap: 18 }}>
        <Button
          variant="text"
          onClick={() => set({ steps: [...rate.steps, { ...STEP, when: rate.steps.length ? "21" : "14" }] })}
        >
          {rate.steps.length ? "Another early step" : "An early-bird step"}
          {many && <Heard> for {name}</Heard>}
        </Button>
        {!rate.sale && (
          <Button variant="text" onClick={() => set({ sale: { from: "", to: "", amount: "" } })}>
            A sale price
            {many && <Heard> for {name}</Heard>}
          </Button>
        )}
        {!rate.who && (
          <Button variant="text" onClick={() => set({ who: ANYBODY })}>
            Who may have it
            {many && <Heard>: {name}</Heard>}
          </Button>
        )}
      </Row>
    </Group>
  );
}

function Sale({
  sale,
  tail,
  onChange,
  faults,
  at,
}: {
  sale: SaleForm;
  tail: string;
  onChange: (sale: SaleForm | null) => void;
  faults: Record<string, string>;
  at: string;
}) {
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      <Field
        label="Sale price"
        tail={tail}
        value={sale.amount}
        width={120}
        onChange={(amount) => onChange({ ...sale, amount })}
        fault={faults[`${at}/amount`]}
        input={{ inputMode: "decimal" }}
      />
      <Field
        label="From"
        tail={`, sale${tail}`}
        type="date"
        value={sale.from}
        width={160}
        onChange={(from) => onChange({ ...sale, from })}
        fault={faults[`${at}/from`]}
      />
      <Field
        label="Through"
        tail={`, sale${tail}`}
        type="date"
        value={sale.to}
        width={160}
        onChange={(to) => onChange({ ...sale, to })}
        fault={faults[`${at}/to`]}
      />
      <Acts>
        <Button
          variant="text"
          color="secondary"
          aria-label={`Take out the sale price${tail}`}
          onClick={() => onChange(null)}
        >
          take out
        </Button>
      </Acts>
    </Row>
  );
}

/** Who may have a rate, when, and for how many; what is left empty does not limit. */
function Who({
  who,
  tail,
  onChange,
  faults,
  at,
}: {
  who: WhoForm;
  tail: string;
  onChange: (who: WhoForm | null) => void;
  faults: Record<string, string>;
  at: string;
}) {
  const list = useId();
  const tags = $api.useQuery("get", "/api/v1/tags");
  const courses = $api.useQuery("get", "/api/v1/courses");
  const set = (change: Partial<WhoForm>) => onChange({ ...who, ...change });
  return (
    <Inset>
      <Row wrap>
        <Field
          label="Only for people tagged"
          tail={tail}
          value={who.tags}
          width={190}
          placeholder="member, staff"
          onChange={(held) => set({ tags: held })}
          fault={faults[`${at}/tags`]}
          input={{ list }}
        />
        <datalist id={list}>
          {tags.data?.map((t) => (
            <option key={t} value={t} />
          ))}
        </datalist>
        <OrganizationPick
          label="Of the organization"
          tail={tail}
          value={who.organization}
          width={190}
          onChange={(organization) => set({ organization })}
          fault={faults[`${at}/organization_id`]}
          fixed={[{ value: "", text: "any" }]}
        />
        <Choice
          label="Who took the course"
          tail={tail}
          value={who.course}
          width={190}
          onChange={(course) => set({ course })}
          fault={faults[`${at}/past_course_id`]}
          options={[
            { value: "", text: "any" },
            ...(courses.data ?? []).map((c) => ({ value: String(c.id), text: c.title })),
          ]}
        />
      </Row>
      <Row wrap sx={{ marginTop: 10 }}>
        <Field
          label="Offered from"
          tail={tail}
          type="date"
          value={who.from}
          width={160}
          onChange={(from) => set({ from })}
          fault={faults[`${at}/offered_from`]}
        />
        <Field
          label="Offered through"
          tail={tail}
          type="date"
          value={who.to}
          width={160}
          onChange={(to) => set({ to })}
          fault={faults[`${at}/offered_to`]}
        />
        <Field
          label="Seats at this rate"
          tail={tail}
          value={who.most}
          width={130}
          placeholder="any number"
          onChange={(most) => set({ most })}
          fault={faults[`${at}/most`]}
          input={{ inputMode: "numeric" }}
        />
        <Acts>
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take out who may have it${tail}`}
            onClick={() => onChange(null)}
          >
            take out
          </Button>
        </Acts>
      </Row>
      <Tick checked={who.agreed} onChange={(on) => set({ agreed: on })}>
        The amount may be agreed case by case, with a reason
        {tail && <Heard>{tail}</Heard>}
      </Tick>
    </Inset>
  );
}

function Step({
  step,
  label,
  many,
  onChange,
  onRemove,
  faults,
  at,
  firstDay,
}: {
  step: StepForm;
  label: string;
  many: boolean;
  onChange: (step: StepForm) => void;
  onRemove: () => void;
  faults: Record<string, string>;
  at: string;
  firstDay: string | null;
}) {
  const tail = many ? `, ${label}` : "";
  const through =
    step.ends === "days_before" && firstDay && step.value && /^\d+$/.test(step.when)
      ? `through ${day(addDays(firstDay, -Number(step.when)))}`
      : step.ends === "until" && step.when
        ? day(step.when)
        : undefined;
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      <Choice
        label="Early step"
        tail={tail}
        value={step.how}
        width={130}
        onChange={(how) => onChange({ ...step, how: how as StepForm["how"] })}
        options={[
          { value: "amount", text: "early price" },
          { value: "off", text: "amount off" },
          { value: "percent", text: "percent off" },
        ]}
      />
      <Field
        label={step.how === "amount" ? "Early price" : step.how === "off" ? "Amount off" : "Percent off"}
        tail={tail}
        value={step.value}
        width={110}
        placeholder="none"
        onChange={(value) => onChange({ ...step, value })}
        fault={faults[`${at}/amount`] ?? faults[`${at}/off`] ?? faults[`${at}/percent`]}
        input={{ inputMode: "decimal" }}
      />
      <Choice
        label="Holds through"
        tail={tail}
        value={step.ends}
        width={190}
        onChange={(ends) =>
          onChange({ ...step, ends: ends as StepForm["ends"], when: ends === "until" ? "" : "14" })
        }
        options={[
          { value: "days_before", text: "days before the start" },
          { value: "until", text: "a date" },
        ]}
      />
      <Field
        label={step.ends === "until" ? "Last day" : "Days"}
        tail={tail}
        type={step.ends === "until" ? "date" : "text"}
        value={step.when}
        width={165}
        onChange={(when) => onChange({ ...step, when })}
        fault={faults[`${at}/days_before`] ?? faults[`${at}/until`] ?? faults[at]}
        help={through && <T nowrap>{through}</T>}
      />
      <Acts>
        <Button
          variant="text"
          color="secondary"
          aria-label={`Take out the early step of ${label}`}
          onClick={onRemove}
        >
          take out
        </Button>
      </Acts>
    </Row>
  );
}

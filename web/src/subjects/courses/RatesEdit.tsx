import { Choice, Field } from "../../parts/Field";
import { day } from "../../parts/text";
import { dayBefore, type RateForm, type StepForm } from "./form";

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
      {faults[at] && (
        <div className="fault" role="alert">
          {faults[at]}
        </div>
      )}
      {rates.map((rate, i) => (
        <div key={i} className="group" role="group" aria-label={rate.label || `Rate ${i + 1}`}>
          <div className="row wrap">
            <Field
              label={i ? `Rate ${i + 1}` : "Rate"}
              value={rate.label}
              width={180}
              onChange={(label) => set(i, { label })}
              fault={faults[`${at}/${i}/label`] ?? faults[`${at}/${i}/code`]}
            />
            <Field
              label={`Fee in ${currency}`}
              tail={i ? `, rate ${i + 1}` : ""}
              value={rate.amount}
              width={120}
              onChange={(amount) => set(i, { amount })}
              fault={faults[`${at}/${i}/amount`]}
              input={{ inputMode: "decimal" }}
            />
            <span className="acts">
              {rates.length > 1 && (
                <button
                  type="button"
                  className="plainly quiet"
                  aria-label={`Take out rate ${rate.label || i + 1}`}
                  onClick={() => onChange(rates.filter((_, n) => n !== i))}
                >
                  take out
                </button>
              )}
            </span>
          </div>
          {rate.steps.map((step, n) => (
            <Step
              key={n}
              step={step}
              many={rates.length > 1 || rate.steps.length > 1}
              label={`${rate.label || `rate ${i + 1}`}${rate.steps.length > 1 ? `, step ${n + 1}` : ""}`}
              onChange={(next) => set(i, { steps: rate.steps.map((s, m) => (m === n ? next : s)) })}
              onRemove={() => set(i, { steps: rate.steps.filter((_, m) => m !== n) })}
              faults={faults}
              at={`${at}/${i}/early/${n}`}
              firstDay={firstDay}
            />
          ))}
          <button
            type="button"
            className="plainly"
            onClick={() =>
              set(i, { steps: [...rate.steps, { ...STEP, when: rate.steps.length ? "21" : "14" }] })
            }
          >
            {rate.steps.length ? "Another early step" : "An early-bird step"}
            {rates.length > 1 && <span className="sr"> for {rate.label || `rate ${i + 1}`}</span>}
          </button>
        </div>
      ))}
      <p style={{ margin: "10px 0 0" }}>
        <button
          type="button"
          className="plainly"
          onClick={() => onChange([...rates, { code: "", label: "", amount: "", steps: [] }])}
        >
          Another rate
        </button>
      </p>
    </>
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
      ? `through ${day(dayBefore(firstDay, Number(step.when)))}`
      : step.ends === "until" && step.when
        ? day(step.when)
        : undefined;
  return (
    <div className="row wrap" style={{ marginTop: 10 }}>
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
        width={step.ends === "until" ? 160 : 70}
        onChange={(when) => onChange({ ...step, when })}
        fault={faults[`${at}/days_before`] ?? faults[`${at}/until`] ?? faults[at]}
        help={through && <span className="nowrap">{through}</span>}
      />
      <span className="acts">
        <button
          type="button"
          className="plainly quiet"
          aria-label={`Take out the early step of ${label}`}
          onClick={onRemove}
        >
          take out
        </button>
      </span>
    </div>
  );
}

import { Choice, Field } from "../../parts/Field";
import { DUES, PLAN_STARTS, type PlanLineForm } from "./form";

/** The two lines of a payment plan: how much, and when it is due. */
export function PlanLines({
  name,
  lines,
  faults,
  at,
  onChange,
}: {
  name: string;
  lines: PlanLineForm[];
  faults: Record<string, string>;
  at: string;
  onChange: (name: string, lines: PlanLineForm[]) => void;
}) {
  const set = (i: number, change: Partial<PlanLineForm>) =>
    onChange(
      name,
      lines.map((line, j) => (j === i ? { ...line, ...change } : line)),
    );
  const start = PLAN_STARTS.find((p) => p.name === name && JSON.stringify(p.lines) === JSON.stringify(lines));
  return (
    <>
      <div className="row">
        <Choice
          label="Start from"
          value={start?.name ?? ""}
          width={320}
          onChange={(v) => {
            const chosen = PLAN_STARTS.find((p) => p.name === v);
            if (chosen) onChange(chosen.name, chosen.lines);
          }}
          options={[
            ...(start ? [] : [{ value: "", text: "as below" }]),
            ...PLAN_STARTS.map((p) => ({ value: p.name, text: p.name })),
          ]}
        />
        <Field
          label="Name of the plan"
          value={name}
          onChange={(v) => onChange(v, lines)}
          fault={faults[`${at}/name`]}
        />
      </div>
      {lines.map((line, i) => (
        <div className="row" key={i}>
          <Choice
            label={`Line ${i + 1}`}
            value={line.share}
            width={130}
            onChange={(v) => set(i, { share: v as PlanLineForm["share"] })}
            options={[
              { value: "percent", text: "percent" },
              { value: "amount", text: "amount" },
              ...(i === lines.length - 1 ? [{ value: "rest", text: "the rest" }] : []),
            ]}
            fault={faults[`${at}/lines/${i}/rest`] ?? faults[`${at}/lines/${i}`]}
          />
          {line.share !== "rest" && (
            <Field
              label={line.share === "percent" ? "Percent" : "Amount"}
              value={line.value}
              width={100}
              onChange={(v) => set(i, { value: v })}
              fault={faults[`${at}/lines/${i}/${line.share}`]}
              input={{ inputMode: "decimal" }}
            />
          )}
          <Field
            label="Due"
            value={line.number}
            width={70}
            onChange={(v) => set(i, { number: v })}
            fault={faults[`${at}/lines/${i}/due/${line.due}`] ?? faults[`${at}/lines/${i}/due`]}
            input={{ inputMode: "numeric" }}
          />
          <Choice
            label="counted in"
            value={line.due}
            width={200}
            onChange={(v) => set(i, { due: v })}
            options={DUES}
          />
        </div>
      ))}
      {faults[`${at}/lines`] && (
        <div className="fault" role="alert">
          {faults[`${at}/lines`]}
        </div>
      )}
    </>
  );
}

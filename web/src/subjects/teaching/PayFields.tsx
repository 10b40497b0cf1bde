import { Choice, Field } from "../../form/Field";
import { PAY_KINDS, type PayTyped } from "./hours";

/** By what somebody is paid, and how much. */
export function PayFields({
  label,
  pay,
  onChange,
  faults,
  at = "/pay",
  usual,
}: {
  label: string;
  pay: PayTyped;
  onChange: (pay: PayTyped) => void;
  faults: Record<string, string>;
  at?: string;
  /** What the first choice, no terms of one's own, is called. */
  usual?: string;
}) {
  const share = pay.kind === "share_percent";
  return (
    <>
      <Choice
        label={label}
        width={190}
        value={pay.kind}
        onChange={(kind) => onChange({ ...pay, kind })}
        options={usual ? [{ value: "", text: usual }, ...PAY_KINDS.slice(1)] : PAY_KINDS}
        fault={faults[at]}
      />
      {pay.kind !== "" && (
        <Field
          label={share ? "Percent" : "Amount"}
          width={100}
          value={pay.figure}
          onChange={(figure) => onChange({ ...pay, figure })}
          fault={faults[`${at}/percent`] ?? faults[`${at}/amount`]}
          input={{ inputMode: "decimal" }}
        />
      )}
    </>
  );
}

import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";

import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useWaitingForm } from "../../form/useWaitingForm";
import { Acts, Row } from "../../parts/layout";
import { isZero, money } from "../../parts/text";
import { Heard, P } from "../../parts/words";
import { amount, digitsOf, whole } from "../courses/form";

export type Policy = {
  steps: { days_before: number; percent: string }[];
  kept_fee: string;
  transfer_fee?: string;
};

/** A refund policy in words. */
export function PolicyText({ policy, currency }: { policy: Policy; currency: string }) {
  return (
    <>
      {policy.steps.map((s) => (
        <div key={s.days_before}>
          From {s.days_before} days before the start: <strong>{s.percent} percent</strong> goes back
        </div>
      ))}
      <P tone="slate">
        Of that, {money(policy.kept_fee, currency)} is kept in any case. Moving to another run costs{" "}
        {policy.transfer_fee && !isZero(policy.transfer_fee)
          ? money(policy.transfer_fee, currency)
          : "nothing"}
        .
      </P>
    </>
  );
}

type RefundForm = { steps: { days: string; percent: string }[]; fee: string; moving: string };

/**
 * What goes back when somebody withdraws, by the days before the start; without steps none is kept here (`save` gets
 * null). `start` is what a first policy begins from, `children` what else is said of it while it is read.
 */
export function Refunds({
  stored,
  start,
  currency,
  name,
  save,
  act = "Change",
  children,
}: {
  stored: Policy | undefined;
  start?: Policy;
  currency: string;
  name: string;
  save: (value: unknown) => Promise<Record<string, string> | null>;
  act?: string;
  children?: ReactNode;
}) {
  const first = stored ?? start;
  const [opened, setOpened] = useState(false); // by hand, so that its first field takes the focus
  const digits = digitsOf(currency);
  const of = useWaitingForm<RefundForm, null>({
    draft: name,
    send: async (form, _, close) => {
      const value = form.steps.length
        ? {
            steps: form.steps.map((s) => ({
              days_before: whole(s.days),
              percent: s.percent.trim() || null,
            })),
            kept_fee: amount(form.fee, digits),
            transfer_fee: amount(form.moving ?? "", digits),
          }
        : null;
      const wrong = await save(value);
      if (!wrong) close();
      return wrong;
    },
  });
  const { faults } = of;
  const form = of.kept?.form ?? null;
  if (form === null)
    return (
      <div>
        {stored && <PolicyText policy={stored} currency={currency} />}
        {children}
        <Button
          onClick={() => {
            setOpened(true);
            of.begin(
              {
                steps: (first?.steps ?? [{ days_before: 14, percent: "100" }]).map((s) => ({
                  days: String(s.days_before),
                  percent: s.percent,
                })),
                fee: first?.kept_fee ?? "",
                moving: first?.transfer_fee ?? "",
              },
              null,
            );
          }}
        >
          {act}
          <Heard>: Refunds</Heard>
        </Button>
      </div>
    );
  const put = (steps: RefundForm["steps"]) => of.set({ ...form, steps });
  return (
    <Form of={of}>
      {form.steps.map((s, i) => (
        <StepFields
          key={i}
          step={s}
          n={i}
          takes={opened && i === 0}
          set={(change) => put(form.steps.map((x, n) => (n === i ? { ...x, ...change } : x)))}
          onRemove={() => put(form.steps.filter((_, n) => n !== i))}
          faults={faults}
        />
      ))}
      <Button
        variant="text"
        sx={{ marginTop: 10 }}
        onClick={() => put([...form.steps, { days: "", percent: "" }])}
      >
        Another step
      </Button>
      <Row wrap sx={{ marginTop: 10 }}>
        <Field
          label={`Kept in any case, in ${currency}`}
          width={200}
          value={form.fee}
          placeholder="nothing"
          onChange={(fee) => of.set({ ...form, fee })}
          fault={faults["/set/refunds/kept_fee"]}
          input={{ inputMode: "decimal" }}
        />
        <Field
          label={`For moving to another run, in ${currency}`}
          width={240}
          value={form.moving ?? ""}
          placeholder="nothing"
          onChange={(moving) => of.set({ ...form, moving })}
          fault={faults["/set/refunds/transfer_fee"]}
          input={{ inputMode: "decimal" }}
        />
      </Row>
      <Ends of={of} act="Save" leave="Keep as it was" onLeave={of.close} />
    </Form>
  );
}

/** One step of a policy: so many days before the start, so much goes back. */
function StepFields({
  step: s,
  n: i,
  takes,
  set,
  onRemove,
  faults,
}: {
  step: RefundForm["steps"][number];
  n: number;
  takes: boolean;
  set: (change: Partial<RefundForm["steps"][number]>) => void;
  onRemove: () => void;
  faults: Record<string, string>;
}) {
  return (
    <Row wrap sx={{ marginTop: i ? 10 : 0 }}>
      <Field
        label="Days before the start, or more"
        tail={`, step ${i + 1}`}
        width={200}
        value={s.days}
        autoFocus={takes}
        onChange={(days) => set({ days })}
        fault={faults[`/set/refunds/steps/${i}/days_before`]}
        input={{ inputMode: "numeric" }}
      />
      <Field
        label="Percent that goes back"
        tail={`, step ${i + 1}`}
        width={180}
        value={s.percent}
        onChange={(percent) => set({ percent })}
        fault={faults[`/set/refunds/steps/${i}/percent`]}
        input={{ inputMode: "decimal" }}
      />
      <Acts sx={{ alignSelf: "flex-end", paddingBottom: 9 }}>
        <Button variant="text" color="secondary" aria-label={`Take out step ${i + 1}`} onClick={onRemove}>
          take out
        </Button>
      </Acts>
    </Row>
  );
}

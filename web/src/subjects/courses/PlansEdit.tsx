import Button from "@mui/material/Button";

import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Acts, Group, Row } from "../../parts/layout";
import { Fault, Heard, P } from "../../parts/words";
import { $api } from "../../app/server";
import { DUES, PLAN_STARTS, type PlanForm, planLineForm, type PlanLineForm } from "./form";

type Props = {
  plans: PlanForm[];
  onChange: (plans: PlanForm[]) => void;
  faults: Record<string, string>;
  at: string;
};

/** Payment plans: one first, from a usual one; others on request. */
export function PlansEdit({ plans, onChange, faults, at }: Props) {
  const set = (i: number, change: Partial<PlanForm>) =>
    onChange(plans.map((p, n) => (n === i ? { ...p, ...change } : p)));
  return (
    <>
      {faults[at] && <Fault role="alert">{faults[at]}</Fault>}
      {plans.map((plan, i) => (
        <Plan
          key={i}
          plan={plan}
          tail={plans.length > 1 ? `, plan ${i + 1}` : ""}
          onChange={(change) => set(i, change)}
          onRemove={plans.length > 1 ? () => onChange(plans.filter((_, n) => n !== i)) : undefined}
          faults={faults}
          at={`${at}/${i}`}
        />
      ))}
      <P sx={{ margin: "10px 0 0" }}>
        <Button
          variant="text"
          onClick={() => {
            const unused = PLAN_STARTS.find((s) => !plans.some((p) => p.name === s.name)) ?? PLAN_STARTS[0]!;
            onChange([...plans, { id: null, ...unused }]);
          }}
        >
          Another payment plan
        </Button>
      </P>
    </>
  );
}

/** One plan: where to start from, its name, its lines, and whether payment details are taken at sign-up. */
export function Plan({
  plan,
  tail,
  onChange,
  onRemove,
  faults,
  at,
}: {
  plan: PlanForm;
  tail: string;
  onChange: (change: Partial<PlanForm>) => void;
  onRemove?: () => void;
  faults: Record<string, string>;
  at: string;
}) {
  const center = $api.useQuery("get", "/api/v1/plans");
  const starts = [
    ...PLAN_STARTS,
    ...(center.data ?? [])
      .filter((p) => p.active && !PLAN_STARTS.some((s) => s.name === p.name))
      .map((p) => ({ name: p.name, details: p.details, lines: p.lines.map(planLineForm) })),
  ];
  const start = starts.find((p) => p.name === plan.name);
  const set = (i: number, change: Partial<PlanLineForm>) =>
    onChange({ lines: plan.lines.map((l, n) => (n === i ? { ...l, ...change } : l)) });
  return (
    <Group role="group" aria-label={plan.name || "Payment plan"}>
      <Row wrap>
        <Choice
          label="Start from"
          tail={tail}
          value={start?.name ?? ""}
          width={300}
          onChange={(v) => {
            const chosen = starts.find((p) => p.name === v);
            if (chosen)
              onChange({ name: chosen.name, lines: chosen.lines, details: chosen.details ?? false });
          }}
          options={[
            ...(start ? [] : [{ value: "", text: "as below" }]),
            ...starts.map((p, i) => ({
              value: p.name,
              text: i < PLAN_STARTS.length ? p.name : `${p.name}, of the center`,
            })),
          ]}
        />
        <Field
          label="Name of the plan"
          tail={tail}
          value={plan.name}
          onChange={(name) => onChange({ name })}
          fault={faults[`${at}/name`]}
        />
        {onRemove && (
          <Acts>
            <Button
              variant="text"
              color="secondary"
              aria-label={`Take out the plan ${plan.name}`}
              onClick={onRemove}
            >
              take out
            </Button>
          </Acts>
        )}
      </Row>
      {plan.lines.map((line, i) => (
        <PlanLine
          key={i}
          line={line}
          n={i + 1}
          last={i === plan.lines.length - 1}
          tail={tail}
          set={(change) => set(i, change)}
          onRemove={
            plan.lines.length > 1
              ? () => onChange({ lines: plan.lines.filter((_, n) => n !== i) })
              : undefined
          }
          fault={(...names) => names.map((n) => faults[`${at}/lines/${i}${n && `/${n}`}`]).find(Boolean)}
        />
      ))}
      {[faults[at], faults[`${at}/lines`]].filter(Boolean).map((said) => (
        <Fault role="alert" key={said}>
          {said}
        </Fault>
      ))}
      <Tick checked={plan.details ?? false} onChange={(on) => onChange({ details: on })}>
        Payment details are taken at sign-up{tail && <Heard>{tail}</Heard>}
      </Tick>
      <Button
        variant="text"
        sx={{ marginTop: 8 }}
        onClick={() =>
          onChange({
            lines: [...plan.lines, { share: "percent", value: "", due: "after_sign_up", number: "30" }],
          })
        }
      >
        Another line{tail && <Heard>{tail}</Heard>}
      </Button>
    </Group>
  );
}

/** One line of a plan: its share, when it is due and where it is settled. */
function PlanLine({
  line,
  n,
  last,
  tail,
  set,
  onRemove,
  fault,
}: {
  line: PlanLineForm;
  n: number;
  last: boolean;
  tail: string;
  set: (change: Partial<PlanLineForm>) => void;
  onRemove?: () => void;
  fault: (...names: string[]) => string | undefined;
}) {
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      <Choice
        label={`Line ${n}`}
        tail={tail}
        value={line.share}
        width={120}
        onChange={(v) => set({ share: v as PlanLineForm["share"], value: v === "parts" ? "1" : line.value })}
        options={[
          { value: "percent", text: "percent" },
          { value: "amount", text: "amount" },
          { value: "parts", text: "parts" },
          ...(last ? [{ value: "rest", text: "the rest" }] : []),
        ]}
        fault={fault("rest", "")}
      />
      {line.share !== "rest" && (
        <Field
          label={{ percent: "Percent", amount: "Amount", parts: "Parts" }[line.share]}
          tail={` of line ${n}${tail}`}
          value={line.value}
          width={100}
          onChange={(value) => set({ value })}
          fault={fault(line.share)}
          input={{ inputMode: "decimal" }}
        />
      )}
      <Field
        label="Due"
        tail={` of line ${n}${tail}`}
        type={line.due === "on" ? "date" : "text"}
        value={line.number}
        width={line.due === "on" ? 160 : 80}
        onChange={(number) => set({ number })}
        fault={fault(`due/${line.due}`, "due")}
      />
      <Choice
        label="counted in"
        tail={` of line ${n}${tail}`}
        value={line.due}
        width={190}
        onChange={(due) => set({ due, number: due === "on" || line.due === "on" ? "" : line.number })}
        options={DUES}
      />
      <Choice
        label="Settled"
        tail={` for line ${n}${tail}`}
        value={line.settle ?? "any"}
        width={120}
        onChange={(settle) => set({ settle })}
        options={[
          { value: "any", text: "anywhere" },
          { value: "desk", text: "at the desk" },
          { value: "online", text: "online" },
        ]}
      />
      {onRemove && (
        <Acts>
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take out line ${n}${tail}`}
            onClick={onRemove}
          >
            take out
          </Button>
        </Acts>
      )}
    </Row>
  );
}

import type { Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Row } from "../../parts/layout";

/** Who gets a seat that comes free: "next", "keep", or the number of somebody's place in line. */
export type Freed = { to: string; last: string; why: string };

export const IN_TURN: Freed = { to: "next", last: "", why: "" };

/** The wish as the server takes it; nothing where nobody waits. */
export function freedSeat(freed: Freed, could: Schemas["CouldHave"][]): Schemas["FreedSeat"] | null {
  if (could.length === 0) return null;
  const why = freed.why.trim() || null;
  if (freed.to === "keep") return { to: "keep", last: freed.last || null, why };
  if (freed.to === "next") return { to: "next" };
  return { to: "chosen", waiting_id: Number(freed.to), why };
}

/** The question that an act asks which frees a seat while others wait: the next in line, by name; kept; or out of turn. */
export function FreedSeatPick({
  could,
  value,
  set,
  faults,
}: {
  could: Schemas["CouldHave"][];
  value: Freed;
  set: (freed: Freed) => void;
  faults: Record<string, string>;
}) {
  if (could.length === 0) return null;
  const next = could.find((c) => c.next);
  const out = could.filter((c) => !c.next);
  return (
    <Row wrap sx={{ margin: "8px 0" }}>
      <Choice
        label="The seat goes to"
        width={230}
        value={value.to}
        onChange={(to) => set({ ...value, to })}
        fault={faults["/seat/waiting_id"] ?? faults["/seat/to"]}
        options={[
          { value: "next", text: next ? `${next.name}, next in line` : "whoever fits next" },
          { value: "keep", text: "nobody yet: keep it" },
          ...out.map((c) => ({ value: String(c.waiting_id), text: `${c.name}, out of turn` })),
        ]}
      />
      {value.to === "keep" && (
        <Field
          label="Kept through"
          type="date"
          width={150}
          value={value.last}
          onChange={(last) => set({ ...value, last })}
          fault={faults["/seat/last"]}
        />
      )}
      {value.to !== "next" && (
        <Field
          label={value.to === "keep" ? "For whom" : "Why out of turn"}
          width={200}
          value={value.why}
          onChange={(why) => set({ ...value, why })}
          fault={faults["/seat/why"]}
        />
      )}
    </Row>
  );
}

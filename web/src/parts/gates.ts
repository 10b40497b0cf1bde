import type { Schemas } from "../app/server";

type Gate = Schemas["GateOut"];
export const WIDTH = 920;
const WIDE = 6.6; // how wide a letter of a label is taken to be

export type Placed = { gate: Gate; at: number; row: number; anchor: "start" | "middle" | "end" };

/** Gates close together turn their labels away from each other; labels that would still touch go a row down. */
export function placed(gates: Gate[], x: (gate: Gate) => number): Placed[] {
  const wide = (gate: Gate) => Math.max(gate.label.length, 11) * WIDE;
  const near = (a?: Gate, b?: Gate) =>
    Boolean(a && b && x(b) - x(a) < (wide(a) + wide(b)) / 2 && x(b) - x(a) < 60);
  const ends: number[] = [];
  return gates.map((gate, i) => {
    const before = near(gates[i - 1], gate);
    const after = near(gate, gates[i + 1]);
    const at =
      x(gate) +
      (before && x(gate) - x(gates[i - 1]!) < 18 ? 9 : after && x(gates[i + 1]!) - x(gate) < 18 ? -9 : 0);
    let anchor: Placed["anchor"] = after && !before ? "end" : before ? "start" : "middle";
    if (anchor === "middle" && at < wide(gate) / 2) anchor = "start";
    if (anchor === "middle" && at > WIDTH - wide(gate) / 2) anchor = "end";
    if (anchor === "end" && at < wide(gate)) anchor = "start";
    if (anchor === "start" && at > WIDTH - wide(gate)) anchor = "end";
    const left = anchor === "middle" ? at - wide(gate) / 2 : anchor === "end" ? at - wide(gate) + 8 : at - 8;
    let row = 0;
    while ((ends[row] ?? -Infinity) > left - 6) row++;
    ends[row] = left + wide(gate);
    return { gate, at, row, anchor };
  });
}

/** Where a price begins: beside today's plumb line where it would lie on it. */
export function clearOf(today: number | null, at: number, text: string): number {
  const end = at + text.length * 8.4;
  return today !== null && today > at - 4 && today < end + 4 ? today + 7 : at;
}

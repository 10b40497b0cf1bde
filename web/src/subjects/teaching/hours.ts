import type { Schemas } from "../../app/server";
import { DAY_NAMES, DAYS } from "../schedule/PatternFields";

type Hours = Schemas["HoursForm"];

/** Weekly hours in a line: Mon to Thu 17:00 to 21:30. Days that follow each other and have the same hours stand together. */
export function hoursText(hours: Hours[]): string {
  if (hours.length === 0) return "at any time";
  const groups: { days: number[]; span: string }[] = [];
  const ordered = [...hours].sort((a, b) => DAYS.indexOf(a.weekday) - DAYS.indexOf(b.weekday));
  for (const h of ordered) {
    const [at, span] = [DAYS.indexOf(h.weekday), `${h.from.slice(0, 5)} to ${h.to.slice(0, 5)}`];
    const last = [...groups].reverse().find((g) => g.span === span && g.days.at(-1) === at - 1);
    if (last) last.days.push(at);
    else groups.push({ days: [at], span });
  }
  const short = (at: number) => (DAY_NAMES[at] ?? "").slice(0, 3);
  return groups
    .map(({ days, span }) => {
      const [first, last] = [days[0]!, days.at(-1)!];
      return `${first === last ? short(first) : `${short(first)} to ${short(last)}`} ${span}`;
    })
    .join("; ");
}

export const EMPLOYMENTS = [
  { value: "employed", text: "employed" },
  { value: "freelance", text: "freelance" },
  { value: "outside", text: "outside" },
];

export const PAY_KINDS = [
  { value: "", text: "agreed for each run" },
  { value: "per_hour", text: "per hour of contact" },
  { value: "per_meeting", text: "per meeting" },
  { value: "flat", text: "flat, for a run" },
  { value: "per_head", text: "per head" },
  { value: "share_percent", text: "share of the income" },
];

export type PayTyped = { kind: string; figure: string };
export const payTyped = (pay: Schemas["PayOut"] | null): PayTyped => ({
  kind: pay?.kind ?? "",
  figure: pay?.percent ?? pay?.amount ?? "",
});

/** Pay as the server takes it; a figure is completed to the currency's decimals. */
export function payBody({ kind, figure }: PayTyped, digits: number) {
  if (kind === "") return null;
  const typed = figure.trim();
  if (kind === "share_percent") return { kind, percent: typed || null };
  const whole = /^\d+$/.test(typed) && digits > 0;
  return { kind, amount: whole ? `${typed}.${"0".repeat(digits)}` : typed || null };
}

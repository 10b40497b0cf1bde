import type { Schemas } from "../../app/server";

/** What a person types for a new run, all as text, and the document it becomes. */

export type PlanLineForm = {
  share: "percent" | "amount" | "rest";
  value: string;
  due: string;
  number: string;
};
export type DateChange = { n: number; date?: string; start?: string; minutes?: number; dropped?: boolean };
export type RunForm = {
  courseId: string;
  courseTitle: string;
  title: string;
  code: string;
  place: string;
  instructor: string;
  first: string;
  start: string;
  hours: string;
  minutes: string;
  weekdays: string[];
  every: string;
  ends: "count" | "until";
  count: string;
  until: string;
  changes: DateChange[];
  capacity: string;
  smallest: string;
  opens: string;
  fee: string;
  early: string;
  earlyDays: string;
  planName: string;
  plan: PlanLineForm[];
};

export const HALVES: PlanLineForm[] = [
  { share: "percent", value: "50", due: "after_sign_up", number: "0" },
  { share: "percent", value: "50", due: "after_sign_up", number: "30" },
];

export const EMPTY: RunForm = {
  courseId: "",
  courseTitle: "",
  title: "",
  code: "",
  place: "",
  instructor: "",
  first: "",
  start: "18:00",
  hours: "2",
  minutes: "",
  weekdays: [],
  every: "1",
  ends: "count",
  count: "8",
  until: "",
  changes: [],
  capacity: "",
  smallest: "",
  opens: "",
  fee: "",
  early: "",
  earlyDays: "14",
  planName: "Half now, half in 30 days",
  plan: HALVES,
};

export const PLAN_STARTS: { name: string; lines: PlanLineForm[] }[] = [
  { name: "Half now, half in 30 days", lines: HALVES },
  {
    name: "Deposit now, the rest on the first day",
    lines: [
      { share: "amount", value: "40.00", due: "after_sign_up", number: "0" },
      { share: "rest", value: "", due: "after_start", number: "0" },
    ],
  },
  {
    name: "Half now, half two weeks before the start",
    lines: [
      { share: "percent", value: "50", due: "after_sign_up", number: "0" },
      { share: "percent", value: "50", due: "before_start", number: "14" },
    ],
  },
];

export const DUES = [
  { value: "after_sign_up", text: "days after sign-up" },
  { value: "before_start", text: "days before the start" },
  { value: "after_start", text: "days after the start" },
  { value: "months_after_sign_up", text: "months after sign-up" },
  { value: "months_after_start", text: "months after the start" },
];

/** A whole number if that is what was typed, else the text itself, for the server to say what is wrong. */
export function whole(text: string): number | string | null {
  const held = text.trim();
  if (held === "") return null;
  return /^-?\d{1,9}$/.test(held) ? Number(held) : held;
}

/** An amount as typed, with the currency's decimals added where none were typed: "240" is "240.00". */
export function amount(text: string, digits = 2): string | null {
  const held = text
    .trim()
    .replace(/^\$/, "")
    .replace(/,(?=\d{3}(\D|$))/g, "");
  if (held === "") return null;
  return digits > 0 && /^\d+$/.test(held) ? `${held}.${"0".repeat(digits)}` : held;
}

export function minutesOf(form: Pick<RunForm, "hours" | "minutes">): number | string | null {
  const hours = whole(form.hours || "0");
  const minutes = whole(form.minutes || "0");
  if (form.hours.trim() === "" && form.minutes.trim() === "") return null;
  return typeof hours === "number" && typeof minutes === "number"
    ? hours * 60 + minutes
    : `${form.hours} h ${form.minutes}`;
}

export function patternOf(form: RunForm) {
  return {
    first: form.first || null,
    start: form.start || null,
    minutes: minutesOf(form),
    weekdays: form.weekdays.length ? form.weekdays : null,
    every_weeks: whole(form.every),
    count: form.ends === "count" ? whole(form.count) : null,
    until: form.ends === "until" ? form.until || null : null,
  };
}

export function rateOf(form: Pick<RunForm, "fee" | "early" | "earlyDays">, digits: number) {
  const early = amount(form.early, digits);
  return {
    code: "standard",
    label: "Standard",
    amount: amount(form.fee, digits),
    early: early === null ? [] : [{ days_before: whole(form.earlyDays), amount: early }],
  };
}

export function planLines(lines: PlanLineForm[], digits: number) {
  return lines.map((line) => ({
    ...(line.share === "rest"
      ? { rest: true }
      : { [line.share]: line.share === "amount" ? amount(line.value, digits) : line.value.trim() || null }),
    due: { [line.due]: whole(line.number || "0") },
  }));
}

export function documentOf(form: RunForm, digits: number): Schemas["NewRun"] {
  const typed = form.courseTitle.trim();
  return {
    ...(form.courseId ? { course_id: Number(form.courseId) } : { course: { title: typed || null } }),
    title: form.title,
    code: form.code.trim() || null,
    place: form.place,
    instructor: form.instructor,
    capacity: whole(form.capacity),
    smallest: whole(form.smallest),
    sign_up_opens: form.opens || null,
    pattern: patternOf(form),
    changes: form.changes,
    rate: rateOf(form, digits),
    plan: { name: form.planName.trim() || null, lines: planLines(form.plan, digits) },
  };
}

/** A stored plan line as the form holds it. */
export function planLineForm(line: Schemas["PlanLineOut"]): PlanLineForm {
  const [due, number] = Object.entries(line.due)[0] ?? ["after_sign_up", 0];
  if (line.rest) return { share: "rest", value: "", due, number: String(number) };
  if (line.amount !== null) return { share: "amount", value: line.amount, due, number: String(number) };
  return { share: "percent", value: line.percent ?? "", due, number: String(number) };
}

/** How many decimals a currency has, from an amount the server wrote. */
export function digitsOf(currency: string): number {
  return (
    new Intl.NumberFormat("en-US", { style: "currency", currency }).resolvedOptions().maximumFractionDigits ??
    2
  );
}

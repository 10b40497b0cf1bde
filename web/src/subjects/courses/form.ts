import { asTyped, type Schemas } from "../../app/server";
import { isDay, timeTyped } from "../../parts/dates";

/** What a person types for a run, all as text, and the document it becomes. */

export type StepForm = {
  ends: "days_before" | "until";
  when: string;
  how: "amount" | "off" | "percent";
  value: string;
};
export type SaleForm = { from: string; to: string; amount: string };
/** Who may have a rate, when, and for how many heads; all text, empty is no limit. */
export type WhoForm = {
  agreed: boolean;
  tags: string;
  organization: string;
  course: string;
  from: string;
  to: string;
  most: string;
};
export type RateForm = {
  code: string;
  label: string;
  amount: string;
  steps: StepForm[];
  sale?: SaleForm | null;
  who?: WhoForm | null;
};
export type ExtraForm = {
  code: string;
  label: string;
  amount: string;
  required: boolean;
  most: string;
  item: string;
};
export type GroupForm = { from: string; percent: string };
export type TaxForm = { name: string; percent: string; included: boolean; on: string[] | null };
export type PlanLineForm = {
  share: "percent" | "amount" | "parts" | "rest";
  value: string;
  due: string;
  number: string;
  settle?: string;
};
export type PlanForm = {
  id: number | null;
  name: string;
  note?: string;
  details?: boolean;
  lines: PlanLineForm[];
};
export type DateChange = { n: number; date?: string; start?: string; minutes?: number; dropped?: boolean };
export type PatternForm = {
  first: string;
  start: string;
  hours: string;
  minutes: string;
  weekdays: string[];
  every: string;
  ends: "count" | "until";
  count: string;
  until: string;
  closure: "extend" | "skip";
  instructor: string;
  room: string;
};
export type OneOffForm = { date: string; start: string; minutes: string; room: string; instructor: string };
export type RunForm = {
  courseId: string;
  courseTitle: string;
  title: string;
  code: string;
  place: string;
  instructor: string;
  kind: "dated" | "cohort" | "open";
  startsOn: string;
  endsOn: string;
  accessDays: string;
  weekNames: string;
  patterns: PatternForm[];
  oneOffs: OneOffForm[];
  changes: DateChange[];
  capacity: string;
  smallest: string;
  opens: string;
  rates: RateForm[];
  plans: PlanForm[];
};

export const HALVES: PlanLineForm[] = [
  { share: "percent", value: "50", due: "after_sign_up", number: "0" },
  { share: "percent", value: "50", due: "after_sign_up", number: "30" },
];

export const PLAN_STARTS: { name: string; details?: boolean; lines: PlanLineForm[] }[] = [
  { name: "Half now, half in 30 days", lines: HALVES },
  { name: "All now", lines: [{ share: "percent", value: "100", due: "after_sign_up", number: "0" }] },
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
  {
    name: "Nothing now, all on the first day",
    details: true,
    lines: [{ share: "percent", value: "100", due: "after_start", number: "0", settle: "online" }],
  },
  {
    name: "Within 30 days of invoice",
    lines: [{ share: "percent", value: "100", due: "after_sign_up", number: "30" }],
  },
  {
    name: "Three equal parts by the month, from the start",
    lines: [0, 1, 2].map((k) => ({
      share: "parts",
      value: "1",
      due: "months_after_start",
      number: String(k),
    })),
  },
];

export const PATTERN: PatternForm = {
  first: "",
  start: "18:00",
  hours: "2",
  minutes: "",
  weekdays: [],
  every: "1",
  ends: "count",
  count: "8",
  until: "",
  closure: "extend",
  instructor: "",
  room: "",
};

export const EMPTY: RunForm = {
  courseId: "",
  courseTitle: "",
  title: "",
  code: "",
  place: "",
  instructor: "",
  kind: "dated",
  startsOn: "",
  endsOn: "",
  accessDays: "90",
  weekNames: "",
  patterns: [PATTERN],
  oneOffs: [],
  changes: [],
  capacity: "",
  smallest: "",
  opens: "",
  rates: [
    {
      code: "",
      label: "Standard",
      amount: "",
      steps: [{ ends: "days_before", when: "14", how: "amount", value: "" }],
    },
  ],
  plans: [{ id: null, name: "Half now, half in 30 days", lines: HALVES }],
};

export const DUES = [
  { value: "after_sign_up", text: "days after sign-up" },
  { value: "before_start", text: "days before the start" },
  { value: "after_start", text: "days after the start" },
  { value: "months_after_sign_up", text: "months after sign-up" },
  { value: "months_after_start", text: "months after the start" },
  { value: "on", text: "on the date" },
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

export function minutesOf(form: Pick<PatternForm, "hours" | "minutes">): number | string | null {
  const hours = whole(form.hours || "0");
  const minutes = whole(form.minutes || "0");
  if (form.hours.trim() === "" && form.minutes.trim() === "") return null;
  return typeof hours === "number" && typeof minutes === "number"
    ? hours * 60 + minutes
    : `${form.hours} h ${form.minutes}`;
}

const DAY_LONG = 24 * 60;

function minuteOfDay(time: string): number | null {
  const typed = timeTyped(time);
  return typed === null ? null : Number(typed.slice(0, 2)) * 60 + Number(typed.slice(3));
}

/** When a meeting ends on the clock of its start; nothing while start or length are not known, or it lasts a day. */
export function endOf(form: Pick<PatternForm, "start" | "hours" | "minutes">): string {
  const start = minuteOfDay(form.start);
  const length = minutesOf(form);
  if (start === null || typeof length !== "number" || length <= 0 || length >= DAY_LONG) return "";
  const at = (start + length) % DAY_LONG;
  return `${String(Math.floor(at / 60)).padStart(2, "0")}:${String(at % 60).padStart(2, "0")}`;
}

/** The length that an end typed instead makes; an end before the start is on the next day. Null where one of both is no time. */
export function lengthUntil(start: string, end: string): { hours: string; minutes: string } | null {
  const from = minuteOfDay(start);
  const to = minuteOfDay(end);
  if (from === null || to === null || from === to) return null;
  const length = (to - from + DAY_LONG) % DAY_LONG;
  return { hours: String(Math.floor(length / 60)), minutes: length % 60 ? String(length % 60) : "" };
}

export function patternOf(form: PatternForm) {
  return {
    first: form.first || null,
    start: form.start || null,
    minutes: minutesOf(form),
    weekdays: form.weekdays.length ? form.weekdays : null,
    every_weeks: whole(form.every),
    count: form.ends === "count" ? whole(form.count) : null,
    until: form.ends === "until" ? form.until || null : null,
    on_closure: form.ends === "until" ? "skip" : form.closure,
    instructor: form.instructor.trim() || null,
    room: form.room.trim() || null,
  };
}

/** A stored pattern as the form holds it. */
export function patternFormOf(p: Schemas["PatternOut"]): PatternForm {
  return {
    first: p.first,
    start: p.start.slice(0, 5),
    hours: String(Math.floor(p.minutes / 60)),
    minutes: p.minutes % 60 ? String(p.minutes % 60) : "",
    weekdays: p.weekdays,
    every: String(p.every_weeks),
    ends: p.until ? "until" : "count",
    count: String(p.count ?? 1),
    until: p.until ?? "",
    closure: p.on_closure === "extend" ? "extend" : "skip",
    instructor: p.instructor ?? "",
    room: p.room ?? "",
  };
}

/** What a new run of a course starts from: everything of its last run but the dates themselves, which a first date gives. */
export function fromRun(run: Schemas["RunOut"]): Partial<RunForm> {
  return {
    place: run.place,
    instructor: run.instructor,
    kind: run.kind,
    accessDays: run.access_days === null ? "90" : String(run.access_days),
    weekNames: run.week_names.join("\n"),
    capacity: run.capacity >= 100_000 ? "" : String(run.capacity),
    smallest: run.smallest ? String(run.smallest) : "",
    patterns: run.patterns.length
      ? run.patterns.map((p) => ({
          ...patternFormOf(p),
          first: "",
          until: "",
          ends: "count",
          count: String(p.count ?? heldOf(run, p.n)),
        }))
      : [PATTERN],
    oneOffs: [],
    changes: [],
    rates: run.rates.map(rateForm),
    plans: run.plans.filter((p) => !p.of_center).map((p) => ({ ...planForm(p), id: null })),
  };
}

const heldOf = (run: Schemas["RunOut"], n: number) =>
  Math.max(1, run.dates.filter((d) => d.pattern_n === n).length);

/** Whether a pattern says enough to be worked out. */
export function isWhole(form: PatternForm): boolean {
  const minutes = minutesOf(form);
  return isDay(form.first) && timeTyped(form.start) !== null && typeof minutes === "number" && minutes > 0;
}

export function oneOffOf(form: OneOffForm) {
  return {
    date: form.date || null,
    start: form.start || null,
    minutes: whole(form.minutes),
    room: form.room.trim() || null,
    instructor: form.instructor.trim() || null,
  };
}

/** The rates as the server reads them; a step without a price typed is no step. */
export function ratesOf(rates: RateForm[], digits: number) {
  return rates.map((rate) => ({
    ...(rate.code ? { code: rate.code } : {}),
    label: rate.label.trim() || null,
    amount: amount(rate.amount, digits),
    early: rate.steps
      .filter((s) => s.value.trim() !== "")
      .map((s) => ({
        [s.ends]: s.ends === "until" ? s.when || null : whole(s.when),
        [s.how]: s.how === "percent" ? s.value.trim() : amount(s.value, digits),
      })),
    ...(rate.sale && rate.sale.amount.trim() !== ""
      ? {
          sale: {
            from: rate.sale.from || null,
            to: rate.sale.to || null,
            amount: amount(rate.sale.amount, digits),
          },
        }
      : {}),
    ...(rate.who ? whoOf(rate.who) : {}),
  }));
}

/** Only what is said: a rate without conditions is sent as it was before there were any. */
function whoOf(who: WhoForm) {
  const said = {
    by_agreement: who.agreed,
    tags: who.tags
      .split(",")
      .map((t) => t.trim().toLowerCase())
      .filter(Boolean)
      .sort(),
    organization_id: who.organization ? Number(who.organization) : null,
    past_course_id: who.course ? Number(who.course) : null,
    offered_from: who.from || null,
    offered_to: who.to || null,
    most: whole(who.most),
  };
  return Object.fromEntries(
    Object.entries(said).filter(
      ([, v]) => v !== null && v !== false && !(Array.isArray(v) && v.length === 0),
    ),
  );
}

export function extrasOf(extras: ExtraForm[], digits: number) {
  return extras.map((x) => ({
    ...(x.code ? { code: x.code } : {}),
    label: x.label.trim() || null,
    amount: amount(x.amount, digits),
    ...(x.required ? { required: true } : {}),
    ...(x.most.trim() ? { most: whole(x.most) } : {}),
    ...(x.item.trim() ? { item: x.item.trim() } : {}),
  }));
}

export function groupOf(steps: GroupForm[]) {
  return steps.map((g) => ({ from: whole(g.from), percent: g.percent.trim() || null }));
}

export function taxesOf(taxes: TaxForm[]) {
  return taxes.map((t) => ({
    name: t.name.trim() || null,
    percent: t.percent.trim() || null,
    included: t.included,
    on: t.on,
  }));
}

export function planLines(lines: PlanLineForm[], digits: number) {
  return lines.map((line) => ({
    ...(line.share === "rest"
      ? { rest: true }
      : line.share === "parts"
        ? { parts: whole(line.value) }
        : { [line.share]: line.share === "amount" ? amount(line.value, digits) : line.value.trim() || null }),
    due: { [line.due]: line.due === "on" ? line.number || null : whole(line.number || "0") },
    ...(line.settle && line.settle !== "any" ? { settle: line.settle } : {}),
  }));
}

export function plansOf(plans: PlanForm[], digits: number) {
  return plans.map((p) => ({
    ...(p.id === null ? {} : { id: p.id }),
    name: p.name.trim() || null,
    ...(p.note ? { note: p.note } : {}),
    ...(p.details ? { details: true } : {}),
    lines: planLines(p.lines, digits),
  }));
}

export function documentOf(form: RunForm, digits: number): Schemas["RunCommand"] {
  const typed = form.courseTitle.trim();
  return asTyped<"RunCommand">({
    ...(form.courseId ? { course_id: Number(form.courseId) } : { course: { title: typed || null } }),
    title: form.title,
    code: form.code.trim() || null,
    place: form.place,
    instructor: form.instructor,
    capacity: whole(form.capacity),
    smallest: whole(form.smallest),
    sign_up_opens: form.opens || null,
    kind: form.kind,
    ...(form.kind === "cohort"
      ? {
          starts_on: form.startsOn || null,
          ends_on: form.endsOn || null,
          week_names: form.weekNames
            .split("\n")
            .map((n) => n.trim())
            .filter(Boolean),
        }
      : {}),
    ...(form.kind === "dated" ? {} : { access_days: whole(form.accessDays) }),
    ...datesOf(form),
    rates: ratesOf(form.rates, digits),
    plans: plansOf(form.plans, digits),
  });
}

/** Patterns, one-off meetings and changes; a cohort may have none, an open run has none. */
export function datesOf(form: RunForm) {
  if (form.kind === "open") return {};
  const patterns = form.kind === "cohort" ? form.patterns.filter((p) => p.first) : form.patterns;
  return { patterns: patterns.map(patternOf), extra: form.oneOffs.map(oneOffOf), changes: form.changes };
}

type Rate = Schemas["RateOut"];
type StoredRate = Pick<Rate, "code" | "label" | "amount" | "early"> & Partial<Omit<Rate, "id">>;
type StoredExtra = Pick<Schemas["ExtraOut"], "code" | "label" | "amount"> & Partial<Schemas["ExtraOut"]>;
type StoredLine = Partial<Schemas["PlanLineOut"]> & { due: Record<string, string | number> };

/** A stored rate as the form holds it. */
export function rateForm(rate: StoredRate): RateForm {
  return {
    code: rate.code,
    label: rate.label,
    amount: rate.amount,
    steps: rate.early.map((s) => ({
      ends: s.until ? "until" : "days_before",
      when: s.until ?? String(s.days_before ?? ""),
      how: s.amount ? "amount" : s.off ? "off" : "percent",
      value: s.amount ?? s.off ?? s.percent ?? "",
    })),
    sale: rate.sale ? { from: rate.sale.from ?? "", to: rate.sale.to ?? "", amount: rate.sale.amount } : null,
    who: whoForm(rate),
  };
}

export const ANYBODY: WhoForm = {
  agreed: false,
  tags: "",
  organization: "",
  course: "",
  from: "",
  to: "",
  most: "",
};

function whoForm(rate: StoredRate): WhoForm | null {
  const who = {
    agreed: rate.by_agreement ?? false,
    tags: (rate.tags ?? []).join(", "),
    organization: rate.organization_id ? String(rate.organization_id) : "",
    course: rate.past_course_id ? String(rate.past_course_id) : "",
    from: rate.offered_from ?? "",
    to: rate.offered_to ?? "",
    most: rate.most ? String(rate.most) : "",
  };
  return Object.values(who).some(Boolean) ? who : null;
}

export function extraForm(extra: StoredExtra): ExtraForm {
  return {
    code: extra.code,
    label: extra.label,
    amount: extra.amount,
    required: extra.required ?? false,
    most: extra.most ? String(extra.most) : "",
    item: extra.item ?? "",
  };
}

export function groupForm(step: Schemas["GroupStepIO"]): GroupForm {
  return { from: String(step.from), percent: step.percent };
}

export function planForm(plan: {
  id?: number;
  name: string;
  note?: string;
  details?: boolean;
  lines: StoredLine[];
}): PlanForm {
  return {
    id: plan.id ?? null,
    name: plan.name,
    ...(plan.note ? { note: plan.note } : {}),
    ...(plan.details ? { details: true } : {}),
    lines: plan.lines.map(planLineForm),
  };
}

/** A stored plan line as the form holds it. */
export function planLineForm(line: StoredLine): PlanLineForm {
  const [due, number] = Object.entries(line.due)[0] ?? ["after_sign_up", 0];
  const settle = line.settle && line.settle !== "any" ? { settle: line.settle } : {};
  const held = { due, number: String(number), ...settle };
  if (line.rest) return { share: "rest", value: "", ...held };
  if (line.parts) return { share: "parts", value: String(line.parts), ...held };
  if (line.amount) return { share: "amount", value: line.amount, ...held };
  return { share: "percent", value: line.percent ?? "", ...held };
}

export type CourseDefaults = {
  place?: string;
  instructor?: string;
  capacity?: number;
  smallest?: number;
  rates?: StoredRate[];
  plans?: { name: string; lines: StoredLine[] }[];
};

/** What a chosen course brings along; what it does not say stays as typed. */
export function fromDefaults(defaults: CourseDefaults): Partial<RunForm> {
  return {
    ...(defaults.place !== undefined ? { place: defaults.place } : {}),
    ...(defaults.instructor !== undefined ? { instructor: defaults.instructor } : {}),
    ...(defaults.capacity !== undefined ? { capacity: String(defaults.capacity) } : {}),
    ...(defaults.smallest !== undefined ? { smallest: String(defaults.smallest) } : {}),
    ...(defaults.rates ? { rates: defaults.rates.map(rateForm) } : {}),
    ...(defaults.plans ? { plans: defaults.plans.map(planForm) } : {}),
  };
}

/** How many decimals a currency has. */
export function digitsOf(currency: string): number {
  return (
    new Intl.NumberFormat("en-US", { style: "currency", currency }).resolvedOptions().maximumFractionDigits ??
    2
  );
}

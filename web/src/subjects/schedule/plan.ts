import type { Schemas } from "../../app/server";
import { addDays, mondayOf } from "../../parts/dates";
import { DAY, time } from "../../parts/season";

type Raw = Schemas["PlannerOut"];
export type PlanRun = {
  id: number;
  code: string;
  title: string;
  course: string;
  category: string;
  status: string;
  decision: string;
  first: string;
  last: string;
  taken: number;
  capacity: number;
  smallest: number;
  place: number | null;
  instructors: number[];
  kind: string;
  teaching: string;
};
export type PlanMeeting = {
  id: number;
  run_id: number;
  date: string;
  start: string;
  end: string;
  place_id: number | null;
  instructors: number[];
};
export type Plan = Omit<Raw, "runs" | "meetings" | "clashing"> & {
  runs: PlanRun[];
  meetings: PlanMeeting[];
  byRun: Map<number, PlanMeeting[]>;
  clashing: Set<number>;
};

/** The compact rows of the planner as objects. */
export function planOf(raw: Raw): Plan {
  const read = <T>(columns: string[], rows: unknown[][]) =>
    rows.map((row) => Object.fromEntries(columns.map((c, i) => [c, row[i]])) as T);
  const meetings = read<PlanMeeting>(raw.meeting_columns, raw.meetings);
  const byRun = new Map<number, PlanMeeting[]>();
  for (const m of meetings) {
    const held = byRun.get(m.run_id);
    if (held) held.push(m);
    else byRun.set(m.run_id, [m]);
  }
  return {
    ...raw,
    runs: read<PlanRun>(raw.run_columns, raw.runs),
    meetings,
    byRun,
    clashing: new Set(raw.clashing),
  };
}

export type By = "course" | "room" | "instructor" | "category";
export type Lane = {
  key: string;
  name: string;
  id: number | null;
  rows: { run: PlanRun; ticks: PlanMeeting[] }[][];
};

const orNobody = (ids: number[]): (number | null)[] => (ids.length ? ids : [null]);

/** The lanes that a meeting stands in: its room, or everybody who teaches it. */
export const lanesOfMeeting = (m: PlanMeeting, by: "room" | "instructor"): (number | null)[] =>
  by === "room" ? [m.place_id] : orNobody(m.instructors);

/** Lanes with their runs, stacked so that none covers another; a run stands in every lane in which it meets. */
export function lanesOf(plan: Plan, by: By, x: (at: number) => number): Lane[] {
  const names = new Map<number, string>(
    (by === "room" ? plan.places : plan.instructors).map((l) => [l.id, l.name]),
  );
  const held = new Map<
    string,
    { name: string; id: number | null; bars: { run: PlanRun; ticks: PlanMeeting[] }[] }
  >();
  const put = (key: string, name: string, id: number | null, run: PlanRun, ticks: PlanMeeting[]) => {
    const lane = held.get(key) ?? { name, id, bars: [] };
    lane.bars.push({ run, ticks });
    held.set(key, lane);
  };
  for (const run of plan.runs) {
    const ticks = plan.byRun.get(run.id) ?? [];
    if (by === "course" || by === "category") {
      const name = by === "course" ? run.course : run.category || "without a category";
      put(name, name, null, run, ticks);
      continue;
    }
    const of = (m: PlanMeeting) => lanesOfMeeting(m, by);
    const usual = by === "room" ? [run.place] : orNobody(run.instructors);
    const ids = new Set(ticks.length ? ticks.flatMap(of) : usual);
    for (const id of ids)
      put(
        String(id),
        id === null ? (by === "room" ? "no room yet" : "no instructor yet") : (names.get(id) ?? ""),
        id,
        run,
        ticks.filter((m) => of(m).includes(id)),
      );
  }
  return [...held.entries()]
    .sort(
      ([, a], [, b]) =>
        Number(a.id === null && by !== "course" && by !== "category") -
          Number(b.id === null && by !== "course" && by !== "category") || a.name.localeCompare(b.name),
    )
    .map(([key, lane]) => {
      const bars = lane.bars.map((b) => ({ ...b, first: b.run.first, last: b.run.last, opens: null }));
      // A bar leaves room for its label behind it.
      const wide = (b: (typeof bars)[number]) => x(time(b.last) + DAY) + 10 + b.run.code.length * 6.6;
      const rows: Lane["rows"] = [];
      const ends: number[] = [];
      for (const b of bars.sort((p, q) => p.first.localeCompare(q.first))) {
        let row = 0;
        while ((ends[row] ?? -Infinity) > x(time(b.first)) - 6) row++;
        ends[row] = wide(b);
        (rows[row] ??= []).push(b);
      }
      return { key, name: lane.name, id: lane.id, rows };
    });
}

/** The ISO 8601 week number of a date. */
export function weekOf(iso: string): number {
  const thursday = time(addDays(mondayOf(iso), 3));
  const first = Date.UTC(new Date(thursday).getUTCFullYear(), 0, 1);
  return Math.floor((thursday - first) / (7 * DAY)) + 1;
}

/** Where a moment stands on a line of so many days from a date, over a width. */
export function scaleOf(from: string, days: number, width: number): (at: number) => number {
  const start = time(from);
  return (at) => (width * (at - start)) / (days * DAY);
}

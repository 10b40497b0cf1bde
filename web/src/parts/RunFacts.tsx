import type { Schemas } from "../app/server";
import { count, day } from "./text";

type Run = Schemas["RunLine"];

/** The capacity of an open run without a number of seats: as many as come. */
export const NO_LIMIT = 100_000;

/** "of 14", or nothing where there is no limit. */
export const ofText = (capacity: number) => (capacity >= NO_LIMIT ? "" : ` of ${capacity}`);

/** "9 of 14, goes ahead from 6": the figure that stands next to every arch. */
export function seatsText(run: Pick<Run, "taken" | "capacity"> & { kept?: number }): string {
  const kept = run.kept ? `, ${run.kept} held` : "";
  return run.capacity >= NO_LIMIT
    ? `${run.taken}${kept}, no limit of`
    : `${run.taken} of ${run.capacity}${kept}`;
}

/** Whether the smallest number is reached, in words. */
export function smallestText(run: Pick<Run, "taken" | "smallest">): string {
  if (run.smallest === 0) return "";
  const missing = run.smallest - run.taken;
  return missing > 0
    ? `${missing} short of the ${run.smallest} it needs`
    : `has the ${run.smallest} it needs`;
}

/** Whether it goes ahead: what callers ask most. */
export function decisionText(
  run: Pick<Run, "decision" | "decision_until" | "kind" | "status" | "teaching">,
): string {
  if (run.kind === "open" || run.status === "draft" || run.teaching !== "before") return "";
  if (run.decision === "waits" && run.decision_until) return `waits until ${day(run.decision_until, false)}`;
  return run.decision === "undecided" ? "not decided" : run.decision;
}

/** When a run meets next, or that it is over. */
export function nextText(run: Run): string {
  if (run.next_meeting === null) {
    if (run.kind === "open") return "no dates";
    return run.meetings ? "over" : run.first ? "no meetings" : "no dates yet";
  }
  const { date, start, end, place } = run.next_meeting;
  return `next ${day(date, false)}, ${start} to ${end}${place && place !== run.place ? `, ${place}` : ""}`;
}

/** First and last day; the year goes without saying when it is `today`'s. */
export function spanText(
  run: { first: string | null; last: string | null; kind?: string; access_days?: number | null },
  today = "",
): string {
  if (run.kind === "open") return `no dates, ${count(run.access_days ?? 0, "day")} of access from enrollment`;
  if (!run.first || !run.last) return "no dates yet";
  const sameYear = run.first.slice(0, 4) === run.last.slice(0, 4);
  const thisYear = sameYear && run.last.slice(0, 4) === today.slice(0, 4);
  if (run.first === run.last) return day(run.first, !thisYear);
  return `${day(run.first, !sameYear)} to ${day(run.last, !thisYear)}`;
}

/** Sign-up or, once begun, teaching: the state people ask for, in one or two words. */
export function stateText(run: Pick<Run, "status" | "teaching" | "sign_up">): string {
  if (run.status === "draft") return "draft";
  if (run.teaching === "ended") return "ended";
  if (run.teaching === "running") return "running";
  if (run.sign_up === "open") return "sign-up open";
  if (run.sign_up === "full") return "full";
  if (run.sign_up === "not yet") return "sign-up not open yet";
  return run.status === "published" ? "sign-up closed" : run.status;
}

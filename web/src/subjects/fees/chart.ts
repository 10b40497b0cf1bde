import type { Schemas } from "../../app/server";
import { addDays } from "../../parts/dates";

/** The pure part of the price chart: days, scales and the places of labels. */

export type Series = Schemas["PriceLine"] & { run: Schemas["ComparedRun"]; label: string };
export type Chart = {
  first: string;
  last: string;
  span: number;
  low: number;
  high: number;
  least: number;
  digits: number;
  /** The day of a series as the chart shows it: as it is, or moved so that all starts fall on one day. */
  shown: (s: Series, iso: string) => string;
  /** The other way round. */
  real: (s: Series, iso: string) => string;
  /** A day of an aligned chart in words. */
  said: (iso: string) => string;
};

const DAY = 86_400_000;
const ORIGIN = "2000-01-01"; // where every start lies when runs are aligned by it

export function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(to) - Date.parse(from)) / DAY);
}

/** The chart that holds every series; null when there is nothing to draw. */
export function chartOf(series: Series[], aligned: boolean): Chart | null {
  if (series.length === 0) return null;
  const by = (s: Series) => (aligned && s.run.start ? daysBetween(s.run.start, ORIGIN) : 0);
  const shown = (s: Series, iso: string) => addDays(iso, by(s));
  const real = (s: Series, iso: string) => addDays(iso, -by(s));
  const firsts = series.map((s) => shown(s, s.steps[0]!.from));
  const lasts = series.map((s) => shown(s, s.steps[s.steps.length - 1]!.to));
  const totals = series.flatMap((s) => s.steps.map((t) => Number(t.total)));
  const first = firsts.sort()[0]!;
  const last = lasts.sort()[lasts.length - 1]!;
  const least = Math.min(...totals);
  const most = Math.max(...totals);
  const room = Math.max((most - least) * 0.15, most * 0.04, 1);
  const said = (iso: string) => {
    const n = daysBetween(iso, ORIGIN);
    return n > 0
      ? `${n} day${n === 1 ? "" : "s"} before the start`
      : n === 0
        ? "the first day"
        : `${-n} days after`;
  };
  return {
    first,
    last,
    span: Math.max(DAY, Date.parse(last) + DAY - Date.parse(first)),
    low: Math.max(0, least - room),
    high: most + room,
    least,
    digits: series[0]!.steps[0]!.total.split(".")[1]?.length ?? 0,
    shown,
    real,
    said,
  };
}

/** The day at a fraction of the chart's width. */
export function dayAt(chart: Chart, fraction: number): string {
  const days = Math.floor((Math.min(1, Math.max(0, fraction)) * chart.span) / DAY);
  const at = addDays(chart.first, days);
  return at > chart.last ? chart.last : at;
}

/** What a series costs on a day, or null when one cannot sign up then. */
export function priceOn(s: Series, iso: string): string | null {
  return s.steps.find((t) => t.from <= iso && iso <= t.to)?.total ?? null;
}

/** Heights of labels, in the order given, moved apart so that none covers another. */
export function placeLabels(heights: number[], gap = 15): number[] {
  const order = heights.map((_, i) => i).sort((a, b) => heights[a]! - heights[b]!);
  const placed = [...heights];
  order.forEach((i, n) => {
    const before = n ? placed[order[n - 1]!]! : -Infinity;
    placed[i] = Math.max(heights[i]!, before + gap);
  });
  return placed;
}

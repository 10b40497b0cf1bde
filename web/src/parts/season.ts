import type { Schemas } from "../app/server";

type Bar = Pick<Schemas["RibbonBar"], "first" | "last" | "opens">;
export const DAY = 86_400_000;
export const time = (day: string) => Date.parse(`${day}T00:00:00Z`);

/** The first moments of the months between two moments. */
export function months(from: number, to: number): number[] {
  const found: number[] = [];
  const first = new Date(from);
  for (let m = Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + 1, 1); m < to;) {
    found.push(m);
    const at = new Date(m);
    m = Date.UTC(at.getUTCFullYear(), at.getUTCMonth() + 1, 1);
  }
  return found;
}

/** Bars in rows so that none covers another; a sign-up line gives way to the bar before it in its row. */
export function stacked<B extends Bar>(bars: B[], x: (at: number) => number) {
  const ends: number[] = [];
  return bars.map((bar) => {
    const x1 = x(time(bar.first));
    const x2 = Math.max(x1 + 5, x(time(bar.last) + DAY));
    let row = 0;
    while ((ends[row] ?? -Infinity) > x1 - 8) row++;
    const opens = bar.opens ? Math.max(x(time(bar.opens)), (ends[row] ?? -Infinity) + 6) : x1;
    ends[row] = x2;
    return { bar, row, x1, x2, opens };
  });
}

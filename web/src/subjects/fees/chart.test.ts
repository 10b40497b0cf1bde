import { expect, test } from "vitest";

import { addDays } from "../../parts/dates";
import { chartOf, dayAt, daysBetween, placeLabels, priceOn, type Series } from "./chart";

const run = {
  id: 1,
  code: "A",
  title: "A",
  currency: "USD",
  start: "2027-09-14",
  lines: [],
  warnings: [],
  gates: [],
};
const series: Series = {
  rate_id: 1,
  rate: "Standard",
  label: "Standard",
  run,
  steps: [
    { from: "2027-08-01", to: "2027-08-27", total: "210.00" },
    { from: "2027-08-28", to: "2027-09-13", total: "240.00" },
  ],
};
const later: Series = {
  ...series,
  run: { ...run, id: 2, start: "2028-03-01" },
  steps: [{ from: "2028-02-20", to: "2028-02-29", total: "300.00" }],
};

test("days are counted over month ends, leap days and the change of clocks", () => {
  expect(addDays("2028-02-28", 2)).toBe("2028-03-01");
  expect(addDays("2027-03-14", 1)).toBe("2027-03-15");
  expect(daysBetween("2027-10-31", "2027-11-08")).toBe(8);
});

test("a chart holds every step and reads the day under the pointer", () => {
  const chart = chartOf([series], false)!;
  expect([chart.first, chart.last, chart.least, chart.digits]).toEqual(["2027-08-01", "2027-09-13", 210, 2]);
  expect(chart.low).toBeLessThan(210);
  expect(dayAt(chart, 0)).toBe("2027-08-01");
  expect(dayAt(chart, 1)).toBe("2027-09-13");
  expect(dayAt(chart, -3)).toBe("2027-08-01");
  expect(chartOf([], false)).toBeNull();
});

test("runs aligned by their start share one day, and go back to their own", () => {
  const chart = chartOf([series, later], true)!;
  expect(chart.shown(series, "2027-09-13")).toBe(chart.shown(later, "2028-02-29"));
  expect(chart.real(later, chart.shown(later, "2028-02-29"))).toBe("2028-02-29");
  expect(chart.said(chart.shown(series, "2027-09-13"))).toBe("1 day before the start");
  expect(chart.said(chart.shown(series, "2027-09-14"))).toBe("the first day");
});

test("a price is known through the last day of a step and not outside", () => {
  expect(priceOn(series, "2027-08-27")).toBe("210.00");
  expect(priceOn(series, "2027-08-28")).toBe("240.00");
  expect(priceOn(series, "2027-09-14")).toBeNull();
});

test("labels move apart and keep their order", () => {
  expect(placeLabels([50, 52, 20])).toEqual([50, 65, 20]);
  expect(placeLabels([10, 100])).toEqual([10, 100]);
});

import { expect, test } from "vitest";

import {
  endOf,
  lengthUntil,
  amount,
  documentOf,
  EMPTY,
  extraForm,
  extrasOf,
  fromDefaults,
  groupForm,
  groupOf,
  minutesOf,
  planForm,
  plansOf,
  rateForm,
  ratesOf,
  taxesOf,
  whole,
} from "./form";
import { oneOffs, withChanges } from "./PlannedDates";

test("amounts get the decimals people leave out, and nothing else is changed", () => {
  expect(amount("240")).toBe("240.00");
  expect(amount("$1,240.5")).toBe("1240.5");
  expect(amount("abc")).toBe("abc");
  expect(amount("240", 0)).toBe("240");
  expect(amount(" ")).toBeNull();
});

test("what is no whole number goes to the server as typed, so that it can say so", () => {
  expect(whole("8")).toBe(8);
  expect(whole("eight")).toBe("eight");
  expect(whole("")).toBeNull();
  expect(minutesOf({ hours: "1", minutes: "45" })).toBe(105);
});

test("an empty form becomes a document with its gaps named as null", () => {
  const document = documentOf(EMPTY, 2);
  expect(document.course).toEqual({ title: null });
  expect(document.capacity).toBeNull();
  expect(document.rates).toEqual([{ label: "Standard", amount: null, early: [] }]);
});

test("stored rates and plans go through the form and back unchanged", () => {
  const rate = {
    code: "member",
    label: "Member",
    amount: "200.00",
    early: [
      { until: null, days_before: 14, amount: "180.00", off: null, percent: null },
      { until: "2027-09-01", days_before: null, amount: null, off: null, percent: "5" },
    ],
  };
  expect(ratesOf([rateForm(rate)], 2)).toEqual([
    {
      code: "member",
      label: "Member",
      amount: "200.00",
      early: [
        { days_before: 14, amount: "180.00" },
        { until: "2027-09-01", percent: "5" },
      ],
    },
  ]);
  const plan = {
    id: 7,
    name: "Mixed",
    lines: [
      { amount: "40.00", due: { after_sign_up: 0 } },
      { parts: 2, due: { on: "2027-10-01" } },
      { rest: true, due: { after_start: 3 } },
    ],
  };
  expect(plansOf([planForm(plan as unknown as Parameters<typeof planForm>[0])], 2)).toEqual([plan]);
});

test("sales, conditions, extras and taxes go through the form and back unchanged", () => {
  const rate = {
    code: "member",
    label: "Member",
    amount: "200.00",
    early: [],
    sale: { from: "2027-07-01", to: null, amount: "150.00" },
    tags: ["member", "staff"],
    organization_id: 3,
    most: 5,
    by_agreement: true,
  };
  expect(ratesOf([rateForm(rate)], 2)).toEqual([rate]);
  const extra = { code: "book", label: "Book", amount: "31.50", required: true, most: 2, item: "Handbook" };
  expect(extrasOf([extraForm(extra)], 2)).toEqual([extra]);
  expect(extrasOf([{ ...extraForm(extra), required: false, most: "", item: " " }], 2)).toEqual([
    { code: "book", label: "Book", amount: "31.50" },
  ]);
  expect(groupOf([groupForm({ from: 3, percent: "5" })])).toEqual([{ from: 3, percent: "5" }]);
  const tax = { name: "Sales tax", percent: "6", included: false, on: ["book"] };
  expect(taxesOf([tax])).toEqual([tax]);
  expect(taxesOf([{ ...tax, name: " " }])[0]!.name).toBeNull();
});

test("a course brings only what it says", () => {
  expect(fromDefaults({})).toEqual({});
  expect(fromDefaults({ capacity: 12, place: "" })).toEqual({ capacity: "12", place: "" });
});

test("dates changed by hand go to the calculator and come back to their place", () => {
  const meeting = (
    n: number,
    date: string,
    start: string,
    end: string,
    instructor: string | null = null,
  ) => ({
    n,
    of: 2,
    date,
    weekday: "TU",
    start: `${date}T${start}:00-04:00`,
    end: `${date}T${end}:00-04:00`,
    minutes: 105,
    instructor,
    room: null,
    warnings: [],
  });
  const planned = [meeting(1, "2027-09-14", "17:30", "19:15"), meeting(2, "2027-09-21", "17:30", "19:15")];
  const changes = [
    { n: 2, start: "18:00" },
    { n: 1, dropped: true },
    { n: 9, start: "08:00" },
  ];
  expect(oneOffs(planned, changes)).toEqual([
    { date: "2027-09-21", start: "18:00", minutes: 105, instructor: "2" },
  ]);
  const shown = withChanges(planned, changes, [meeting(1, "2027-09-21", "18:00", "19:45", "2")]);
  expect(shown.map((d) => [d.start, d.end, d.dropped, d.changed])).toEqual([
    ["17:30", "19:15", true, true],
    ["18:00", "19:45", false, true],
  ]);
});

test("a length is shown as an end, and an end typed instead makes the length", () => {
  const form = (start: string, hours: string, minutes: string) => ({ start, hours, minutes });
  expect(endOf(form("17:30", "1", "45"))).toBe("19:15");
  expect(endOf(form("23:00", "2", ""))).toBe("01:00");
  expect([endOf(form("", "2", "")), endOf(form("18:00", "", "")), endOf(form("18:00", "24", ""))]).toEqual([
    "",
    "",
    "",
  ]);
  expect(lengthUntil("17:30", "19:15")).toEqual({ hours: "1", minutes: "45" });
  expect(lengthUntil("17:30", "6:30 pm")).toEqual({ hours: "1", minutes: "" });
  expect(lengthUntil("23:00", "01:00")).toEqual({ hours: "2", minutes: "" });
  expect([lengthUntil("", "19:00"), lengthUntil("18:00", "soon"), lengthUntil("18:00", "18:00")]).toEqual([
    null,
    null,
    null,
  ]);
});

import { expect, test } from "vitest";

import { addDays, dayTyped, isDay, mondayOf, timeTyped, weekNumber, weekOf } from "./dates";

const TODAY = "2027-08-20"; // a Friday

test.each([
  ["2027-09-14", "2027-09-14"],
  ["2027/9/4", "2027-09-04"],
  ["9/14/2027", "2027-09-14"],
  ["9/14/27", "2027-09-14"],
  ["9-14-2027", "2027-09-14"],
  ["14.9.2027", "2027-09-14"],
  ["14 Sep 2027", "2027-09-14"],
  ["Tue 14 Sep 2027", "2027-09-14"],
  ["September 14, 2027", "2027-09-14"],
  ["sep 14th 2027", "2027-09-14"],
  ["20270914", "2027-09-14"],
  ["09142027", "2027-09-14"],
  ["2/29/2028", "2028-02-29"],
  ["today", TODAY],
  ["Tomorrow", "2027-08-21"],
  ["+14", "2027-09-03"],
])("%s is a day", (typed, day) => {
  expect(dayTyped(typed, TODAY)).toBe(day);
});

test.each([
  ["9/14", "2027-09-14"],
  ["8/20", TODAY],
  ["8/19", "2028-08-19"],
  ["19.8.", "2028-08-19"],
  ["14 sep", "2027-09-14"],
  ["jan 5", "2028-01-05"],
])("without a year %s is the next one", (typed, day) => {
  expect(dayTyped(typed, TODAY)).toBe(day);
});

test.each([
  ["fri", "2027-08-27"],
  ["Sat", "2027-08-21"],
  ["thursday", "2027-08-26"],
])("a weekday, %s, is the next one, never today", (typed, day) => {
  expect(dayTyped(typed, TODAY)).toBe(day);
});

test.each([
  "",
  "soon",
  "2/30/2027",
  "13/1/2027",
  "32 Sep 2027",
  "2027-9",
  "14 Sept-ember",
  "99",
  "1/2/3/4",
  "0/0/2027",
])("%s is no day", (typed) => {
  expect(dayTyped(typed, TODAY)).toBeNull();
});

test.each([
  ["18:30", "18:30"],
  ["18.30", "18:30"],
  ["1830", "18:30"],
  ["6:30 pm", "18:30"],
  ["6:30PM", "18:30"],
  ["6 p.m.", "18:00"],
  ["6pm", "18:00"],
  ["12 am", "00:00"],
  ["12 pm", "12:00"],
  ["9", "09:00"],
  ["09:05:00", "09:05"],
  ["0:00", "00:00"],
])("%s is a time", (typed, time) => {
  expect(timeTyped(typed)).toBe(time);
});

test.each(["", "24:00", "18:60", "13 pm", "0 am", "noon", "18:3", "-1", "1 830"])(
  "%s is no time",
  (typed) => {
    expect(timeTyped(typed)).toBeNull();
  },
);

test("days are counted over the ends of months and years, and what is no day gives none", () => {
  expect(addDays("2027-12-31", 1)).toBe("2028-01-01");
  expect(addDays("2028-03-01", -1)).toBe("2028-02-29");
  expect(addDays("9/1", 1)).toBe("");
  expect(mondayOf(TODAY)).toBe("2027-08-16");
  expect(mondayOf("2027-08-16")).toBe("2027-08-16");
  expect([isDay("2027-08-20"), isDay("2027-8-20"), isDay("2027-13-01")]).toEqual([true, false, false]);
});

test("calendar weeks are those of ISO 8601 around the turn of years", () => {
  // ISO 8601:2004, 3.2.2 and 4.1.4: the week with the first Thursday is the first; from memory.
  const known: [string, number][] = [
    ["2027-01-03", 53],
    ["2027-01-04", 1],
    ["2024-12-30", 1],
    ["2020-12-31", 53],
    ["2026-01-01", 1],
    ["2027-09-14", 37],
  ];
  for (const [iso, week] of known) expect([iso, weekNumber(iso)]).toEqual([iso, week]);
  expect([
    weekOf("2027-09-14", 0),
    weekOf("2027-09-14", 6),
    weekOf("2027-09-12", 6),
    weekOf("2027-09-11", 5),
  ]).toEqual(["2027-09-13", "2027-09-12", "2027-09-12", "2027-09-11"]);
});

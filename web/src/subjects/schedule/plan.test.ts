import { expect, test } from "vitest";

import { addDays, mondayOf } from "../../parts/dates";
import { lanesOf, planOf, scaleOf, weekOf } from "./plan";
import { pasted, rowsPasted } from "./Season";
import { mondaysOf } from "./TimeLanes";

test("week numbers at year ends are those of ISO 8601 (the week with the year's first Thursday is the first)", () => {
  // Values by an independent implementation, Python's date.isocalendar.
  const known: [string, number][] = [
    ["2015-12-31", 53],
    ["2016-01-03", 53],
    ["2016-01-04", 1],
    ["2018-12-31", 1],
    ["2020-12-31", 53],
    ["2021-01-03", 53],
    ["2024-12-29", 52],
    ["2024-12-30", 1],
    ["2026-12-31", 53],
    ["2027-01-03", 53],
    ["2027-01-04", 1],
  ];
  for (const [date, week] of known) expect([date, weekOf(date)]).toEqual([date, week]);
});

test("days are added across months and changes of clocks", () => {
  expect(addDays("2027-03-13", 1)).toBe("2027-03-14");
  expect(addDays("2027-10-31", 1)).toBe("2027-11-01");
  expect(mondayOf("2027-03-14")).toBe("2027-03-08");
});

const raw = {
  since: "2027-09-01",
  until: "2027-11-30",
  today: "2027-09-10",
  run_columns: [
    "id",
    "code",
    "title",
    "course",
    "category",
    "status",
    "first",
    "last",
    "place",
    "instructors",
  ],
  runs: [
    [1, "A", "A", "Walls", "", "published", "2027-09-14", "2027-09-28", 1, [4]],
    [2, "B", "B", "Walls", "Stone", "draft", "2027-09-20", "2027-09-27", 1, []],
  ],
  meeting_columns: ["id", "run_id", "date", "start", "end", "place_id", "instructors"],
  meetings: [
    [1, 1, "2027-09-14", "17:30", "19:00", 1, [4, 5]],
    [2, 1, "2027-09-28", "17:30", "19:00", 2, [5]],
    [3, 2, "2027-09-20", "17:30", "19:00", 1, []],
  ],
  places: [
    { id: 1, name: "Yard", seats: 9 },
    { id: 2, name: "Hall", seats: null },
  ],
  instructors: [
    { id: 4, name: "I. Marchetti", seats: null },
    { id: 5, name: "P. Hallam", seats: null },
  ],
  closed: {},
  clashing: [3],
};

test("a run stands in every lane in which it meets, and no bar covers another", () => {
  const plan = planOf(raw as never);
  const x = scaleOf("2027-09-01", 91, 900);
  const rooms = lanesOf(plan, "room", x);
  expect(rooms.map((l) => [l.name, l.rows.map((r) => r.map((b) => b.run.code))])).toEqual([
    ["Hall", [["A"]]],
    ["Yard", [["A"], ["B"]]],
  ]);
  expect(rooms[0]!.rows[0]![0]!.ticks.map((t) => t.id)).toEqual([2]);
  const people = lanesOf(plan, "instructor", x);
  expect(people.map((l) => l.name)).toEqual(["I. Marchetti", "P. Hallam", "no instructor yet"]);
  expect(people[1]!.rows[0]![0]!.ticks.map((t) => t.id)).toEqual([1, 2]);
  expect(lanesOf(plan, "category", x).map((l) => l.name)).toEqual(["Stone", "without a category"]);
  expect(plan.clashing.has(3)).toBe(true);
});

test("a block from a sheet is read into rows and cells", () => {
  expect(pasted("Course\tFirst date\r\nDSW\t14 Sep 2027 \r\n")).toEqual([
    ["Course", "First date"],
    ["DSW", "14 Sep 2027"],
  ]);
});

test("a pasted block goes to its columns by name with a heading line, else by their order from the cell on", () => {
  const named = rowsPasted([{}], "Course\tFirst date\tLength (min)\nDSW\t14 Sep 2027\t90", 0, 3);
  expect(named).toEqual([{ course: "DSW", first: "14 Sep 2027", minutes: "90" }, {}]);
  const ordered = rowsPasted([{ course: "A" }, { course: "B" }], "Tue\t8\nWed\t9", 1, 3);
  expect(ordered).toEqual([
    { course: "A" },
    { course: "B", weekdays: "Tue", number: "8" },
    { weekdays: "Wed", number: "9" },
    {},
  ]);
  expect(rowsPasted([{}], "one cell", 0, 0)).toBeNull();
});

test("the Mondays of a span begin within it", () => {
  const span = { from: "2027-09-01", days: 20, width: 700, x: () => 0 };
  expect(mondaysOf(span)).toEqual(["2027-09-06", "2027-09-13", "2027-09-20"]);
  expect(mondaysOf({ ...span, from: "2027-09-06", days: 7 })).toEqual(["2027-09-06"]);
});

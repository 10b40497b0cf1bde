import { expect, test } from "vitest";

import { EMPTY, type RunForm } from "./form";
import { standing } from "./NewRunParts";

const faults = {
  "/course/title": "The title is missing.",
  "/patterns/0/first": "The first date is missing.",
  "/capacity": "The number of seats is missing.",
  "/smallest": "More than there are seats.",
  "/rates/0/amount": "The fee is missing.",
  "/plans/0/lines": "The percents miss 10 of 100.",
};
const after = (change: Partial<RunForm>) => Object.keys(standing(faults, EMPTY, { ...EMPTY, ...change }));

test("a fault stands until its own field is touched", () => {
  expect(after({})).toEqual(Object.keys(faults));
  expect(after({ courseTitle: "Slate" })).not.toContain("/course/title");
  expect(after({ courseTitle: "Slate" })).toContain("/capacity");
});

test("a fault goes when what it depends on is touched", () => {
  expect(after({ capacity: "14" })).not.toContain("/smallest");
  expect(after({ smallest: "4" })).toContain("/capacity");
  expect(after({ rates: [] })).toEqual(expect.not.arrayContaining(["/rates/0/amount", "/plans/0/lines"]));
  expect(after({ oneOffs: [{ date: "", start: "", minutes: "", room: "", instructor: "" }] })).not.toContain(
    "/patterns/0/first",
  );
});

test("before anything was sent all faults stand", () => {
  expect(standing(faults, null, { ...EMPTY, capacity: "14" })).toEqual(faults);
});

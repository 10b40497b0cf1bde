import { expect, test } from "vitest";

import { amount, documentOf, EMPTY, minutesOf, whole } from "./form";

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
  expect(document.rate).toEqual({ code: "standard", label: "Standard", amount: null, early: [] });
});

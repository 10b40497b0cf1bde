import { expect, test } from "vitest";

import { STONES, stonesOf } from "./stones";
import { count, day, hours, length, money, weekdays } from "./text";

test("dates are written with weekday, day, month and year", () => {
  expect(day("2027-09-09")).toBe("Thu 9 Sep 2027");
  expect(day("2027-09-09T17:30:00-04:00", false)).toBe("Thu 9 Sep");
  expect(day(null)).toBe("");
});

test("money keeps the decimals it came with", () => {
  expect(money("1212.00", "USD")).toBe("$1,212.00");
  expect(money("240", "JPY")).toBe("¥240");
  expect(money("-5.50", "USD")).toBe("-$5.50");
});

test("lengths, counts and weekdays read as words", () => {
  expect(length(105)).toBe("1 h 45 min");
  expect(hours("20.00")).toBe("20 h");
  expect(hours("16.25")).toBe("16.25 h");
  expect(count(1, "seat")).toBe("1 seat");
  expect(weekdays(["TU", "TH"])).toBe("Tuesdays and Thursdays");
});

test("an arch is full only when full and empty only when empty", () => {
  for (let capacity = 1; capacity < 60; capacity++)
    for (let taken = 0; taken <= capacity; taken++) {
      const laid = stonesOf(taken, capacity);
      expect(laid === STONES).toBe(taken === capacity);
      expect(laid === 0).toBe(taken === 0);
    }
});

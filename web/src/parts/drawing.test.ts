import { expect, test } from "vitest";

import { clearOf, placed, WIDTH } from "./gates";
import { decisionText, nextText, seatsText, smallestText, spanText, stateText } from "./RunFacts";
import { DAY, months, stacked, time } from "./season";

const gate = (label: string, at: number) => ({
  kind: "x",
  rule: "",
  day: "2027-01-01",
  at: String(at),
  label,
});

test("labels of gates never cover one another within a row", () => {
  for (let seed = 1; seed < 200; seed++) {
    let held = seed;
    const next = () => (held = (held * 16807) % 2147483647) / 2147483647;
    const gates = Array.from({ length: 6 }, () =>
      gate("A gate of some kind".slice(0, 8 + Math.floor(next() * 10)), next() * WIDTH),
    ).sort((a, b) => Number(a.at) - Number(b.at));
    const ends: number[] = [];
    for (const mark of placed(gates, (g) => Number(g.at))) {
      const wide = Math.max(mark.gate.label.length, 11) * 6.6;
      const left =
        mark.anchor === "middle"
          ? mark.at - wide / 2
          : mark.anchor === "end"
            ? mark.at - wide + 8
            : mark.at - 8;
      expect(left).toBeGreaterThan((ends[mark.row] ?? -Infinity) - 1);
      ends[mark.row] = left + wide;
    }
  }
});

test("gates a day apart turn their labels away from each other", () => {
  const [closes, starts] = placed([gate("Sign-up closes", 500), gate("First meeting", 505)], (g) =>
    Number(g.at),
  );
  expect([closes!.anchor, starts!.anchor]).toEqual(["end", "start"]);
  expect(starts!.at - closes!.at).toBeGreaterThan(16);
});

test("bars of one row never touch, and a sign-up line starts behind the bar before it", () => {
  const x = (at: number) => (at - time("2027-01-01")) / DAY;
  const bar = (first: string, last: string, opens: string | null = null) => ({ first, last, opens });
  const rows = stacked(
    [
      bar("2027-01-05", "2027-01-20"),
      bar("2027-01-10", "2027-02-01"),
      bar("2027-03-01", "2027-03-09", "2027-01-01"),
    ],
    x,
  );
  expect(rows.map((r) => r.row)).toEqual([0, 1, 0]);
  expect(rows[2]!.opens).toBeGreaterThan(rows[0]!.x2);
});

test("the months of a season are their first days", () => {
  const found = months(time("2026-11-20"), time("2027-02-10")).map((m) =>
    new Date(m).toISOString().slice(0, 10),
  );
  expect(found).toEqual(["2026-12-01", "2027-01-01", "2027-02-01"]);
});

const run = {
  status: "published",
  decision: "undecided",
  sign_up: "open",
  teaching: "before",
  taken: 4,
  capacity: 10,
  smallest: 6,
  meetings: 3,
  next_meeting: { date: "2027-09-14", start: "17:30", end: "19:15" },
  first: "2027-09-14",
  last: "2027-11-02",
} as unknown as Parameters<typeof nextText>[0];

test("what stands on every line of a run reads as words", () => {
  expect(seatsText(run)).toBe("4 of 10");
  expect(smallestText(run)).toBe("2 short of the 6 it needs");
  expect(smallestText({ taken: 6, smallest: 6 })).toBe("has the 6 it needs");
  expect(smallestText({ taken: 0, smallest: 0 })).toBe("");
  expect(nextText(run)).toBe("next Tue 14 Sep, 17:30 to 19:15");
  expect(nextText({ ...run, next_meeting: null })).toBe("over");
  expect(spanText(run)).toBe("Tue 14 Sep to Tue 2 Nov 2027");
  expect(spanText(run, "2027-05-19")).toBe("Tue 14 Sep to Tue 2 Nov");
  expect(spanText({ first: "2026-12-30", last: "2027-01-06" }, "2027-01-01")).toBe(
    "Wed 30 Dec 2026 to Wed 6 Jan 2027",
  );
  expect(spanText({ first: null, last: null })).toBe("no dates yet");
  expect(decisionText(run)).toBe("not decided");
});

test("a run's state is one word or two", () => {
  const states = [
    [{ status: "draft" }, "draft"],
    [{ teaching: "ended" }, "ended"],
    [{ teaching: "running" }, "running"],
    [{ sign_up: "full" }, "full"],
    [{ sign_up: "not yet" }, "sign-up not open yet"],
    [{ sign_up: "closed" }, "sign-up closed"],
    [{ sign_up: "closed", status: "cancelled" }, "cancelled"],
  ] as const;
  for (const [change, text] of states) expect(stateText({ ...run, ...change })).toBe(text);
});

test("a price never lies on the line of today", () => {
  expect(clearOf(null, 548, "$288.00")).toBe(548);
  expect(clearOf(700, 548, "$288.00")).toBe(548);
  for (let today = 540; today < 640; today++) {
    const at = clearOf(today, 548, "$288.00");
    expect(today < at - 3 || today > at + "$288.00".length * 8.4).toBe(true);
  }
});

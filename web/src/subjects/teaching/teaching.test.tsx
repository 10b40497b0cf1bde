import { cleanup, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { Named, namesIn } from "../../form/Named";
import { draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { hoursText, payBody, payTyped } from "./hours";
import { Marks } from "./Marks";
import { patchOf } from "./OwnRunForm";
import { OwnRoster } from "./OwnRoster";
import { MakeRequest } from "./Requests";

test("weekly hours stand in a line, days of the same hours together", () => {
  const at = (weekday: string, from = "17:00:00", to = "21:30:00") => ({ weekday, from, to }) as never;
  expect(hoursText([])).toBe("at any time");
  expect(hoursText([at("TH"), at("MO"), at("TU"), at("WE")])).toBe("Mon to Thu 17:00 to 21:30");
  expect(hoursText([at("MO"), at("WE"), at("MO", "08:00", "10:00")])).toBe(
    "Mon 17:00 to 21:30; Mon 08:00 to 10:00; Wed 17:00 to 21:30",
  );
});

test("pay is completed to the decimals of the currency, and a share is a percent", () => {
  expect(payBody({ kind: "per_hour", figure: "42" }, 2)).toEqual({ kind: "per_hour", amount: "42.00" });
  expect(payBody({ kind: "flat", figure: "42.5" }, 2)).toEqual({ kind: "flat", amount: "42.5" });
  expect(payBody({ kind: "flat", figure: "42" }, 0)).toEqual({ kind: "flat", amount: "42" });
  expect(payBody({ kind: "share_percent", figure: "30" }, 2)).toEqual({
    kind: "share_percent",
    percent: "30",
  });
  expect(payBody({ kind: "", figure: "9" }, 2)).toBeNull();
  expect(payTyped(null)).toEqual({ kind: "", figure: "" });
});

test("an average never stands without its count and spread, and not at all below the smallest number", () => {
  const marks = { count: 12, average: "4.4", spread: "0.7", shown: true, fewest: 3 };
  draw(<Marks marks={marks} />);
  expect(document.body.textContent).toBe("4.4 of 5 ± 0.7, 12 answers");
  cleanup();
  draw(<Marks marks={{ ...marks, count: 2, average: null, spread: null, shown: false }} />);
  expect(document.body.textContent).toBe("2 answers, shown from 3 on");
  cleanup();
  draw(<Marks marks={{ ...marks, count: 0 }} />);
  expect(document.body.textContent).toBe("no answers yet");
});

test("several names stand with semicolons, each with its part, and only the new are asked about", () => {
  expect(namesIn("I. Marchetti; P. Hallam (Assistant);")).toEqual(["I. Marchetti", "P. Hallam"]);
  const names = ["I. Marchetti", "P. Hallam"];
  draw(
    <Named
      label="Instructor"
      several
      names={names}
      value="i. marchetti; N. Ew (substitute)"
      onChange={() => undefined}
    />,
  );
  expect(screen.getByText("N. Ew: new, asked about when saved")).toBeTruthy();
});

test("the next of several names is offered behind those that stand", async () => {
  const change = vi.fn();
  const { person } = draw(
    <Named
      label="Instructor"
      several
      names={["I. Marchetti", "P. Hallam"]}
      value="I. Marchetti; P"
      onChange={change}
    />,
  );
  const field = screen.getByLabelText("Instructor");
  field.focus();
  await person.keyboard("{ArrowDown}");
  expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["I. Marchetti; P. Hallam"]);
});

test("a pay request is seen before it is made, and made by another press", async () => {
  const request = {
    id: 1, number: "PAY-000001", instructor_id: 4, instructor: "I. Marchetti", run_id: 6, run_code: "DSW-26A",
    through: "2027-09-30", currency: "USD", total: "420.00", made: "2027-09-30T10:00:00-04:00", paid_on: null,
    lines: [{ run_id: 6, run_code: "DSW-26A", label: "Per hour", why: "10 contact hours.", amount: "420.00", correction: false }],
  }; // prettier-ignore
  const sent = answers("post", "/api/v1/pay-requests", { change: "c", request });
  const acts = { say: vi.fn(), fail: vi.fn() };
  const { person } = draw(
    <MakeRequest body={{ instructor_id: 4, run_id: 6 }} text="See it" acts={acts as never} />,
  );
  await person.click(screen.getByText("See it"));
  await screen.findByText("10 contact hours.");
  expect(acts.say).not.toHaveBeenCalled();
  await person.click(screen.getByText("Make it, $420.00"));
  await vi.waitFor(() => expect(acts.say).toHaveBeenCalledTimes(1));
  expect(sent.length).toBe(2);
});

const ownRoster = (marks: Record<string, string>[] = [{}, {}], past = true) => ({
  run_id: 5,
  code: "IRON-27A",
  title: "Iron",
  may_mark: true,
  meetings: [{ id: 9, day: "2027-08-19", start: "18:30:00", past }],
  people: ["Ana Birch", "Ben Obi"].map((name, n) => ({
    person_id: n + 1,
    name,
    seats: 1,
    remark: "",
    marks: marks[n],
  })),
});
const OWN = "/api/v1/own/teaching/runs/5";
const OWN_MARKS = "/api/v1/own/teaching/meetings/9/attendance";

test("on their own page keys mark as fast as they are pressed, and none is dropped", async () => {
  answers("get", OWN, ownRoster());
  const sent = answers("put", OWN_MARKS, ownRoster([{ "9": "late" }, { "9": "absent" }]));
  const { person } = draw(<OwnRoster runId={5} />);
  (await screen.findByRole("button", { name: "Mark Ana Birch" })).focus();
  await person.keyboard("la");
  expect(screen.getByRole("button", { name: "late", pressed: true })).toBeTruthy();
  expect(screen.getByRole("button", { name: "absent", pressed: true })).toBeTruthy();
  await screen.findByText("Saved.");
  await waitFor(() =>
    expect(sent.map((s) => s.body)).toEqual([{ marks: { "1": "late" } }, { marks: { "2": "absent" } }]),
  );
});

test("a mark that was not saved is said, and is not covered by the next that was", async () => {
  answers("get", OWN, ownRoster([{}, { "9": "absent" }]));
  let first = true;
  answers("put", OWN_MARKS, () => {
    if (!first) return ownRoster([{}, { "9": "absent" }]);
    first = false;
    return problem(503, "busy", "The database does not answer just now.");
  });
  const { person } = draw(<OwnRoster runId={5} />);
  (await screen.findByRole("button", { name: "Mark Ana Birch" })).focus();
  await person.keyboard("la");
  const alert = await screen.findByRole("alert");
  expect(alert.textContent).toBe("Not saved for Ana Birch. The database does not answer just now.");
  await screen.findByText("Saved.");
  expect(screen.getByRole("alert")).toBe(alert);
  screen.getByRole("button", { name: "Mark Ana Birch" }).focus();
  await person.keyboard("p");
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
});

test("before its first meeting a roster says when attendance is marked", async () => {
  answers("get", OWN, ownRoster([{}, {}], false));
  draw(<OwnRoster runId={5} />);
  await screen.findByText(/Attendance is marked once a meeting has begun; the first is on Thu 19 Aug 2027/);
  expect(screen.queryByRole("button", { name: "Mark Ana Birch" })).toBeNull();
});

test("of a prepared run only what was changed is sent, each beside what was seen, and the pattern whole", () => {
  const run = {
    capacity: 8,
    place: "Hall 2",
    price: null,
    note: "",
    pattern: { first: "2027-10-05", start: "18:00", minutes: 90, weekdays: ["TU"], count: 3 },
  } as never;
  const values = {
    ...{ first: "2027-10-05", start: "18:00", minutes: "90", weekdays: ["TU"], count: "3" },
    ...{ capacity: "8", place: "Hall 2", amount: "", note: "" },
  };
  expect(patchOf(run, values, values, 2)).toEqual({ set: {}, seen: {} });
  expect(patchOf(run, { ...values, capacity: "9", amount: "80" }, values, 2)).toEqual({
    set: { capacity: 9, amount: "80.00" },
    seen: { capacity: 8, amount: null },
  });
  expect(patchOf(run, { ...values, weekdays: ["TU", "TH"] }, values, 2)).toEqual({
    ...{ set: {}, seen: {} },
    pattern: { first: "2027-10-05", start: "18:00", minutes: 90, weekdays: ["TU", "TH"], count: 3 },
    pattern_seen: { first: "2027-10-05", start: "18:00", minutes: 90, weekdays: ["TU"], count: 3 },
  });
});

import { describe, expect, it } from "vitest";

import { firstSeats, type RosterRow, seatNumbers, shownRows } from "./rosterRows";

const row = (id: number, more: Partial<RosterRow> = {}): RosterRow => ({
  id,
  person_id: id,
  name: `Person ${id}`,
  email: null,
  phone: null,
  way_in: "desk",
  batch: null,
  rate: "Standard",
  payer: null,
  total: "10.00",
  owed: "0.00",
  next_due: null,
  next_amount: null,
  signed_up: "2027-08-20",
  entered_by: "R",
  heads: 1,
  places: [],
  note: "",
  role: "learner",
  group: null,
  sentence: null,
  held_until: null,
  set_aside: null,
  received_on: null,
  exception: "",
  answers: {},
  ...more,
});
const none = { q: "", way: "", rate: "", money: "", group: "", role: "" };

describe("a roster in the browser", () => {
  it("numbers seats by heads and leaves out who is no learner", () => {
    const seats = firstSeats([row(1, { heads: 3 }), row(2, { role: "observer" }), row(3)]);
    expect([
      seatNumbers(seats.get(1), 3),
      seatNumbers(seats.get(2), 1),
      seatNumbers(seats.get(3), 1),
    ]).toEqual(["1–3", "", "4"]);
  });

  it("finds without accents, in answers and among named heads", () => {
    const rows = [
      row(1, { name: "Zoë Ångström" }),
      row(2, { answers: { "Which evening?": "Tuesday" } }),
      row(3, { places: [{ n: 2, person_id: 9, name: "Ana Li" }] }),
    ];
    const ids = (q: string) => shownRows(rows, { ...none, q }, "", "2027-09-01").map((r) => r.id);
    expect([ids("zoe angs"), ids("tues"), ids("ana")]).toEqual([[1], [2], [3]]);
  });

  it("filters by what is owed, rate, group and role", () => {
    const rows = [
      row(1, { owed: "5.00", next_due: "2027-08-01" }),
      row(2, { owed: "5.00", next_due: "2027-10-01", rate: "Member, early; Book" }),
      row(3, { group: 7, role: "assistant" }),
    ];
    const ids = (f: Partial<typeof none>) =>
      shownRows(rows, { ...none, ...f }, "", "2027-09-01").map((r) => r.id);
    expect([ids({ money: "owes" }), ids({ money: "late" }), ids({ money: "paid" })]).toEqual([
      [1, 2],
      [1],
      [],
    ]);
    expect([
      ids({ rate: "Member" }),
      ids({ group: "7" }),
      ids({ group: "none" }),
      ids({ role: "assistant" }),
    ]).toEqual([[2], [3], [1, 2], [3]]);
  });

  it("sorts without changing the order of what is equal", () => {
    const rows = [row(1, { owed: "1.00" }), row(2, { owed: "9.00" }), row(3, { owed: "1.00" })];
    expect(shownRows(rows, none, "owed", "2027-09-01").map((r) => r.id)).toEqual([2, 1, 3]);
    expect(shownRows(rows, none, "signed", "2027-09-01").map((r) => r.id)).toEqual([3, 2, 1]);
  });

  it("orders by name without regard to case and accents, and leaves the rows themselves in their order", () => {
    const rows = ["Öberg", "alba", "Zoë", "Oak", "Ávila"].map((name, n) => row(n + 1, { name }));
    const names = (sort: string) => shownRows(rows, none, sort, "2027-09-01").map((r) => r.name);
    expect(names("name")).toEqual(["alba", "Ávila", "Oak", "Öberg", "Zoë"]);
    expect(names("signed")).toEqual(["Ávila", "Oak", "Zoë", "alba", "Öberg"]);
    expect(names("")).toEqual(["Öberg", "alba", "Zoë", "Oak", "Ávila"]);
    const owing = ["5.00", "100.00", "20.00"].map((owed, n) => row(n + 1, { owed }));
    expect(shownRows(owing, none, "owed", "2027-09-01").map((r) => r.owed)).toEqual([
      "100.00",
      "20.00",
      "5.00",
    ]);
  });

  it("finds the same in a row that is asked for again, and what a new row says anew", () => {
    const rows = [row(1, { note: "brings a ladder" })];
    const found = (q: string, held = rows) => shownRows(held, { ...none, q }, "", "2027-09-01").length;
    expect([found("ladder"), found(" LADDER "), found("ladder")]).toEqual([1, 1, 1]);
    expect(found("ladder", [{ ...rows[0]!, note: "" }])).toBe(0);
  });
});

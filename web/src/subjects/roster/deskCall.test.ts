import { expect, test } from "vitest";

import {
  askOf,
  begun,
  blank,
  type Call,
  deskAfter,
  type DeskEvent,
  headsOf,
  namesOf,
  payerOf,
  type Person,
  quiet,
  seatsOf,
  type SoFar,
  paidNow,
  parkedRead,
} from "./deskCall";

const person = (id: number) => ({ id, name: `Person ${id}` }) as Person;
const line = (more: Partial<SoFar> = {}): SoFar => ({
  text: "done",
  change: "c",
  runId: 5,
  enrollmentId: 9,
  person: person(1),
  run: "Ironwork",
  payer: "p1",
  payerName: "Person 1",
  ...more,
});
const after = (...events: DeskEvent[]) => events.reduce(deskAfter, quiet());

test("whatever is said changes the key under which the call is sent", () => {
  const events: DeskEvent[] = [
    { type: "said", change: { who: "ad" } },
    { type: "said", change: {} },
    { type: "picked a person", person: person(1) },
    { type: "picked a run", run: 5 },
    { type: "left the run" },
    { type: "came with a run", run: 6, held: null },
    { type: "came with a person", person: person(2) },
    { type: "done", line: line() },
  ];
  let state = quiet();
  const keys = new Set([state.call.key]);
  for (const event of events) {
    state = deskAfter(state, event);
    keys.add(state.call.key);
  }
  expect(keys.size).toBe(events.length + 1);
});

test("another run takes its own terms; the person and the note stay", () => {
  const state = after(
    { type: "picked a person", person: person(1) },
    { type: "picked a run", run: 5 },
    { type: "said", change: { rateId: 3, heads: "4", code: "SPRING", note: "by the door" } },
    { type: "picked a run", run: 6 },
  );
  expect(state.call).toMatchObject({ runId: 6, rateId: null, heads: "1", code: "", note: "by the door" });
  expect(state.call.person?.id).toBe(1);
});

test("a person picked without a word that the call goes on begins another call", () => {
  const done = after({ type: "done", line: line() });
  expect(done.soFar).toHaveLength(1);
  expect(deskAfter(done, { type: "picked a person", person: person(2) }).soFar).toEqual([]);
  const on = deskAfter(done, { type: "the same run for another", line: line() });
  expect(deskAfter(on, { type: "picked a person", person: person(2) }).soFar).toHaveLength(1);
});

test("the same person goes on to another run, paying as before unless for themselves", () => {
  const own = after({ type: "the same person again", line: line() }).call;
  expect([own.person?.id, own.payer, own.goesOn, own.runId]).toEqual([1, "", true, null]);
  expect(after({ type: "the same person again", line: line({ payer: "7" }) }).call.payer).toBe("7");
});

test("a parked call comes back as it was, under another key, and leaves the row", () => {
  const said = after(
    { type: "picked a person", person: person(1) },
    { type: "said", change: { note: "calls back" } },
  );
  const parked = deskAfter(said, { type: "parked" });
  expect(begun(parked)).toBe(false);
  const state = parkedRead(JSON.stringify(said))!;
  const back = deskAfter(parked, { type: "taken up", state });
  expect(back.call).toMatchObject({ note: "calls back", person: { id: 1 } });
  expect(back.call.key).not.toBe(said.call.key);
  expect([parkedRead("{"), parkedRead("{}"), parkedRead("null")]).toEqual([null, null, null]);
});

test("what is paid now is what is due now unless another amount is typed", () => {
  const paid = { method: "cash", amount: "", reference: " ", receipt: true } as const;
  expect(paidNow(call({}), "40.00", 2)).toBeNull();
  expect(paidNow(call({ paid }), "40.00", 2)).toEqual({
    method: "cash",
    amount: "40.00",
    reference: "",
    receipt: true,
  });
  expect(paidNow(call({ paid: { ...paid, amount: "50" } }), "40.00", 2)?.amount).toBe("50.00");
  expect(paidNow(call({ paid: { ...paid, amount: "lots" } }), "40.00", 2)?.amount).toBe("lots");
});

test("a kept quote brings its person, payer, run and note along", () => {
  const quote = { id: 3, run_id: 8, organization_id: 2, note: "as agreed" };
  const event = { type: "came with a quote", quote, person: person(1) } as unknown as DeskEvent;
  expect(after(event).call).toMatchObject({ keptId: 3, runId: 8, payer: "2", note: "as agreed" });
});

test("a call that ends leaves nothing behind", () => {
  const state = after(
    { type: "said", change: { who: "ad" } },
    { type: "done", line: line() },
    { type: "ended" },
  );
  expect([state.soFar.length, begun(state)]).toEqual([0, false]);
  expect(after({ type: "done", line: line() }, { type: "summed up" }).soFar).toEqual([]);
});

const call = (more: Partial<Call>): Call => ({ ...blank(), ...more });

test("what is asked of a run follows from what was typed", () => {
  expect(
    askOf(call({ rateId: 3, heads: " 2 ", extras: { 7: "1", 8: "0", 9: "" }, code: " SPRING " }), 2),
  ).toEqual({
    rate_id: 3,
    heads: 2,
    extras: [{ extra_id: 7, count: 1 }],
    code: "SPRING",
    plan_id: null,
  });
  const mixed = call({ mixed: { 3: "2", 4: "", 5: "1" } });
  expect(askOf(mixed, 2).people).toEqual([
    { rate_id: 3, count: 2 },
    { rate_id: 5, count: 1 },
  ]);
  expect(headsOf(mixed)).toBe(3);
  const agreed = call({ rateId: 3, agreed: { amount: "150", reason: " a friend " } });
  expect(askOf(agreed, 2).people).toEqual([
    { rate_id: 3, count: 1, agreed: { amount: "150.00", reason: "a friend" } },
  ]);
  expect(askOf(call({ waive: "prize" }), 2)).toHaveProperty("waive", "prize");
});

test("heads that are no number are none, and names are one a line", () => {
  expect(["", "two", "-1", "1.5", "123456"].map((heads) => headsOf(call({ heads })))).toEqual([
    0, 0, 0, 0, 0,
  ]);
  expect(namesOf(call({ names: " Ada \n\nBo\n" }))).toEqual(["Ada", "Bo"]);
});

test("who pays is the learner, another person or an organization", () => {
  expect(payerOf(call({ payer: "" }))).toEqual({ organization_id: null, payer_person_id: null });
  expect(payerOf(call({ payer: "p12" }))).toEqual({ organization_id: null, payer_person_id: 12 });
  expect(payerOf(call({ payer: "7" }))).toEqual({ organization_id: 7, payer_person_id: null });
});

test("seats are named by their numbers", () => {
  expect([seatsOf(3, 1), seatsOf(3, 3)]).toEqual(["seat 3", "seats 3 to 5"]);
});

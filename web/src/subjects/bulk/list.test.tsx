import { fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, test } from "vitest";

import { nearestFirst } from "../../form/RunPick";
import { draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import type { Batch, Item } from "./batch";
import ListPage from "./ListPage";
import { about, pace, share } from "./ListProgress";

const ITEM: Item = {
  line: 2,
  given: "Annika",
  family: "Berg",
  name: "Annika Berg",
  email: "ann@example.org",
  phone: null,
  number: null,
  department: "",
  run: "DSW-27A",
  run_id: 1,
  group: "",
  rate: "Standard",
  rate_word: "",
  extras: "",
  code: "",
  plan: "",
  payer: "",
  order: "",
  contact: "",
  party: 1,
  remarks: "",
  no_email: false,
  somebody_new: false,
  fixed: false,
  odd: [],
  total: "0.00",
  currency: "USD",
  verdict: "unsure who",
  outcome: null,
  why: "ann@example.org is Ann Berg here, not Annika Berg.",
  kind: "same email, other name",
  fact: "",
  suggested: "",
  near: [{ id: 7, name: "Ann Berg", email: "ann@example.org", phone: null, runs: 3 }],
  person_id: null,
  enrollment_id: null,
};

const batch = (more: Partial<Batch> = {}): Batch => ({
  id: 5,
  run_id: 1,
  run_code: "DSW-27A",
  run_title: "Dry stone walling",
  status: "judged",
  source: "file",
  file_name: "season.csv",
  reading: "UTF-8, comma between cells, 2 lines",
  sheet: "",
  sheets: [],
  headings: ["Name", "Email"],
  columns: { name: 0, email: 1 },
  column_faults: [],
  organization: null,
  rate: "",
  plan: "",
  code: "",
  extras: "",
  group_name: "",
  order_number: "",
  contact: "",
  told: null,
  told_usually: ["learner"],
  counts: { "will enroll": 1, "unsure who": 1 },
  kinds: [{ kind: "same email, other name", lines: 1, decisions: ["take who is known", "leave out"] }],
  people: 1,
  seats: 1,
  waits: 0,
  total: "240.00",
  sums: [],
  runs: [
    {
      id: 1,
      code: "DSW-27A",
      title: "Dry stone walling",
      sign_ups: 1,
      seats: 1,
      waits: 0,
      taken: 3,
      capacity: 12,
      total: "240.00",
      currency: "USD",
    },
  ],
  payers: [],
  new_people: 1,
  letters: 1,
  installments: 2,
  currency: "USD",
  capacity: 12,
  taken: 3,
  can_enroll: true,
  why: "",
  earlier: null,
  lines: 2,
  odd: 0,
  numbered: false,
  moved: false,
  judged_at: null,
  by: "Ruth Okonjo",
  enrolled_at: null,
  progress: null,
  note: "",
  can_take_back: 0,
  items: [ITEM],
  next: null,
  shown: 1,
  change: null,
  ...more,
});

function page(shown: Batch) {
  answers("get", "/api/v1/batches/5", shown);
  answers("get", "/api/v1/batches/5/rows", { items: shown.items, next: null, total: shown.items.length });
  answers("post", "/api/v1/pulse", { revision: 1, changes: [] });
  answers("get", "/api/v1/batches/running", { items: [] });
  return draw(
    <Routes>
      <Route path="/lists/:batch" element={<ListPage />} />
    </Routes>,
    "/lists/5",
  );
}

test("whoever may be meant stands beside the line, and is picked by one press", async () => {
  const fixed = answers(
    "patch",
    "/api/v1/batches/5/rows/2",
    batch({ counts: { "will enroll": 2 }, kinds: [] }),
  );
  const { person } = page(batch());
  await screen.findByText("Known:", { exact: false });
  expect(screen.getByText("on 3 runs so far", { exact: false })).toBeTruthy();
  await person.click(screen.getByText("it is Ann Berg"));
  await waitFor(() => expect(fixed.map((s) => s.body)).toEqual([{ person: "7" }]));
});

test("one decision is sent for all lines of a kind", async () => {
  const decided = answers("post", "/api/v1/batches/5/decide", batch({ kinds: [] }));
  const { person } = page(batch());
  await person.click(await screen.findByText("take who is known"));
  await waitFor(() =>
    expect(decided.map((s) => s.body)).toEqual([
      { kind: "same email, other name", decision: "take who is known" },
    ]),
  );
});

test("what is confirmed is what is shown, with who is told; a double click is one", async () => {
  const sent = answers("post", "/api/v1/batches/5/enroll", batch({ status: "running", can_enroll: false }));
  const { person } = page(batch());
  await person.click(await screen.findByLabelText("Change: Told"));
  await person.click(screen.getByLabelText("the office"));
  const button = screen.getByText("Enroll 1 sign-up, 1 seat, $240.00");
  fireEvent.click(button);
  fireEvent.click(button);
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]!.body).toEqual({ people: 1, total: "240.00", told: ["learner", "office"] });
});

test("a list that was changed meanwhile is said so, and read anew", async () => {
  answers("post", "/api/v1/batches/5/enroll", () =>
    problem(409, "batch-changed", "It was 1 sign-up and is 0 now."),
  );
  const { person } = page(batch());
  await person.click(await screen.findByText("Enroll 1 sign-up, 1 seat, $240.00"));
  expect(await screen.findByText("It was 1 sign-up and is 0 now.")).toBeTruthy();
});

test("a list that runs says how far it is and cannot be confirmed again", async () => {
  page(
    batch({
      status: "running",
      progress: { done: 4000, of: 15_000, per_second: 320, seconds_left: 34 },
    }),
  );
  expect(await screen.findByText("4,000 of 15,000 lines, 320 a second, about 34 s left")).toBeTruthy();
  expect(screen.getByText("Stop here")).toBeTruthy();
  expect(screen.queryByText(/^Enroll /)).toBeNull();
});

test("taking a list back says first what it does", async () => {
  const sent = answers("post", "/api/v1/batches/5/take-back", batch({ status: "taken back" }));
  const { person } = page(batch({ status: "enrolled", can_take_back: 2, kinds: [] }));
  await person.click(await screen.findByText("Take the list back"));
  expect(screen.getByText(/Takes back 2 lines/)).toBeTruthy();
  expect(sent).toHaveLength(0);
  await person.click(screen.getByText("Take it back"));
  await waitFor(() => expect(sent[0]?.body).toEqual({ lines: null, only: "", q: "" }));
});

test("how far, how fast and how long are said in words", () => {
  expect(pace({ done: 1, of: 3, per_second: null, seconds_left: null })).toBe("1 of 3 lines");
  expect([about(0), about(89), about(90), about(600)]).toEqual(["1 s", "89 s", "2 min", "10 min"]);
  expect(share({ done: 2, of: 3, per_second: null, seconds_left: null })).toBe(66);
  expect(share({ done: 0, of: 0, per_second: null, seconds_left: null })).toBe(0);
});

test("a run is found by its code or title before one that fits by something else", () => {
  const found = [
    { value: "1", text: "DSW-26A, A wall" },
    { value: "2", text: "CARVE-26A, In the yard" },
    { value: "3", text: "YARD-27A, Yard safety" },
  ];
  expect(nearestFirst(found, "yard").map((o) => o.value)).toEqual(["3", "2", "1"]);
});

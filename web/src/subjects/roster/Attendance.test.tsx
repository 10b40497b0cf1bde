import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import type { Schemas } from "../../app/server";
import { acts, draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { AttendancePage } from "./Attendance";

const run = { id: 5, code: "IRON-27A" } as unknown as Schemas["RunOut"];
const sheet = (date: string, marks: Record<string, string>[] = [{}, {}]) => ({
  run_id: 5,
  code: "IRON-27A",
  marks: ["present", "late", "left early", "excused", "absent"],
  meetings: [{ id: 9, date, start: "18:30", past: date < "2027-08-20" }],
  people: ["Ana Birch", "Ben Obi"].map((name, n) => ({
    person_id: n + 1,
    name,
    marks: marks[n],
    share: null,
  })),
});
const ADDRESS = "/api/v1/runs/5/attendance";
const MARKS = "/api/v1/meetings/9/attendance";
const rowOf = (name: RegExp) => screen.getByRole("listitem", { name });

test("one key marks a person and goes on to the next; backspace takes the mark back", async () => {
  answers("get", ADDRESS, sheet("2027-08-19"));
  const sent = answers("put", MARKS, sheet("2027-08-19", [{ "9": "present" }, { "9": "late" }]));
  const { person } = draw(<AttendancePage run={run} acts={acts()} />);
  (await screen.findByRole("listitem", { name: /Ana Birch: not marked/ })).focus();
  await person.keyboard("pl");
  await waitFor(() => expect(rowOf(/Ben Obi: late/)).toBeTruthy());
  expect(rowOf(/Ana Birch: present/)).toBeTruthy();
  expect(sent.map((s) => s.body)).toEqual([
    { marks: { "1": "present" }, anyway: false },
    { marks: { "2": "late" }, anyway: false },
  ]);
  expect(document.activeElement).toBe(rowOf(/Ben Obi/));
  await person.keyboard("{Backspace}");
  await waitFor(() => expect(sent[2]?.body).toEqual({ marks: { "2": null }, anyway: false }));
});

test("a meeting that is still ahead is asked about once, before the first mark", async () => {
  answers("get", ADDRESS, sheet("2027-09-01"));
  const sent = answers("put", MARKS, sheet("2027-09-01", [{ "9": "present" }, {}]));
  const { person } = draw(<AttendancePage run={run} acts={acts()} />);
  (await screen.findByRole("listitem", { name: /Ana Birch/ })).focus();
  await person.keyboard("p");
  expect(await screen.findByRole("alertdialog", { name: "Still ahead" })).toBeTruthy();
  expect(sent).toHaveLength(0);
  await person.click(screen.getByRole("button", { name: "Mark it all the same" }));
  await waitFor(() => expect(sent[0]?.body).toEqual({ marks: { "1": "present" }, anyway: true }));
  expect(document.activeElement).toBe(rowOf(/Ben Obi/));
  await person.keyboard("a");
  await waitFor(() => expect(sent).toHaveLength(2));
});

test("a mark that was not saved is said, and the list shows what the server has", async () => {
  answers("get", ADDRESS, sheet("2027-08-19"));
  answers("put", MARKS, () => problem(503, "busy", "The database does not answer just now."));
  const said = acts();
  const { person } = draw(<AttendancePage run={run} acts={said} />);
  (await screen.findByRole("listitem", { name: /Ana Birch/ })).focus();
  await person.keyboard("x");
  await waitFor(() => expect(said.fail).toHaveBeenCalledWith("The database does not answer just now."));
  await waitFor(() => expect(rowOf(/Ana Birch: not marked/)).toBeTruthy());
});

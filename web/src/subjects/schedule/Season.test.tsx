import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import { draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import Season from "./Season";

const line = (n: number, more: object = {}) => ({
  n,
  empty: false,
  course: "Dry-stone walls",
  faults: [],
  new: [],
  clashes: [],
  dropped: [],
  dates: ["2027-09-14T17:30", "2027-09-21T17:30"],
  ...more,
});

function table(rows: object[], faults: number) {
  answers("get", "/api/v1/courses", [{ id: 1, title: "Dry-stone walls" }]);
  answers("get", "/api/v1/places", []);
  answers("get", "/api/v1/instructors", []);
  return answers("post", "/api/v1/season/judge", { rows, runs: rows.length, faults });
}

test("a pasted block is judged as it stands, row by row, and saved once as drafts", async () => {
  const judged = table([line(0), line(1, { clashes: ["Hall 2 is taken"] })], 0);
  const sent = answers("post", "/api/v1/season", { made: [{ id: 5, code: "DSW-27A" }], change: "c1" });
  const { person } = draw(<Season />);
  const first = await screen.findByLabelText("Course, row 1");
  await person.click(first);
  await person.paste("Course\tFirst date\nDry-stone walls\t14 Sep 2027\nDry-stone walls\t21 Sep 2027");
  expect(await screen.findByText("2 runs ready")).toBeTruthy();
  expect(screen.getByText("nothing to mend, 1 run with clashes.")).toBeTruthy();
  const asked = judged.at(-1)!.body as { rows: Record<string, string>[] };
  expect(asked.rows.slice(0, 3)).toEqual([
    { course: "Dry-stone walls", first: "14 Sep 2027" },
    { course: "Dry-stone walls", first: "21 Sep 2027" },
    {},
  ]);
  await person.dblClick(screen.getByRole("button", { name: "Save all as drafts" }));
  expect(await screen.findByRole("link", { name: "DSW-27A" })).toBeTruthy();
  expect(new Set(sent.map((s) => s.key)).size).toBe(1);
  expect(screen.getByLabelText<HTMLInputElement>("Course, row 1").value).toBe("");
});

test("a fault stands at its cell and in the margin, and nothing can be saved with it", async () => {
  const fault = { at: "/rows/0/first", message: "“soon” is no date." };
  table([line(0, { faults: [fault], dates: [] })], 1);
  const { person } = draw(<Season />);
  await person.type(await screen.findByLabelText("First date, row 1"), "soon");
  expect(await screen.findByText(fault.message)).toBeTruthy();
  expect(screen.getByLabelText("First date, row 1").getAttribute("aria-invalid")).toBe("true");
  expect(screen.getByRole<HTMLButtonElement>("button", { name: "Save all as drafts" }).disabled).toBe(true);
});

test("Enter goes to the row below, Ctrl D takes the cell above; what was typed outlives a refusal", async () => {
  table([line(0)], 0);
  answers("post", "/api/v1/season", () => problem(503, "busy", "The database does not answer just now."));
  const { person } = draw(<Season />);
  await person.type(await screen.findByLabelText("Room, row 1"), "Hall 2{Enter}");
  await waitFor(() => expect(document.activeElement).toBe(screen.getByLabelText("Room, row 2")));
  await person.keyboard("{Control>}d{/Control}");
  expect(screen.getByLabelText<HTMLInputElement>("Room, row 2").value).toBe("Hall 2");
  await waitFor(() =>
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Save all as drafts" }).disabled).toBe(
      false,
    ),
  );
  await person.click(screen.getByRole("button", { name: "Save all as drafts" }));
  expect(await screen.findByText("The database does not answer just now.")).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>("Room, row 1").value).toBe("Hall 2");
});

import { screen } from "@testing-library/react";
import { expect, test } from "vitest";

import { ActNotes } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { draw } from "../../testing/render";
import { answers } from "../../testing/server";
import { Log } from "./Log";

function Page() {
  const acts = useDone();
  return (
    <>
      <ActNotes acts={acts} />
      <Log of="run" id={6} acts={acts} />
    </>
  );
}
const line = (summary: string, more: object = {}) => ({
  key: summary,
  at: "2027-08-20T10:00:00-04:00",
  by: "Ruth Okonjo",
  summary,
  undo: null,
  undone: false,
  ...more,
});

test("the log says who did what and when, and takes back what can be taken back", async () => {
  answers("get", "/api/v1/logs/run/6", {
    items: [
      line("Enrolled Piotr", { undo: "c7" }),
      line("Offered a seat", { by: null }),
      line("Moved", { undone: true }),
    ],
    next: null,
  });
  const sent = answers("post", "/api/v1/changes/c7/undo", { summary: "Undid: Enrolled Piotr", change: null });
  const { person } = draw(<Page />);
  await screen.findByText("Enrolled Piotr");
  expect(screen.getAllByRole("listitem").map((l) => l.textContent)).toEqual([
    "Enrolled Piotr Ruth Okonjo, Fri 20 Aug, 10:00what changedundo",
    "Offered a seat by itself, Fri 20 Aug, 10:00what changed",
    "Moved Ruth Okonjo, Fri 20 Aug, 10:00, undonewhat changed",
  ]);
  answers("get", "/api/v1/changes/Moved", {
    summary: "Moved",
    fields: [
      { what: "run", field: "title", before: "Slate", after: "Slating" },
      { what: "meeting", field: "", before: "2027-09-09", after: "" },
    ],
  });
  await person.click(screen.getByRole("button", { name: "what changed: Moved" }));
  const rows = await screen.findAllByRole("row");
  expect(rows.map((r) => r.textContent)).toEqual([
    "WhatFromTo",
    "run, titleSlateSlating",
    "meeting2027-09-09taken out",
  ]);
  await person.click(screen.getByRole("button", { name: "undo: Enrolled Piotr" }));
  expect(await screen.findByText("Undid: Enrolled Piotr.")).toBeTruthy();
  expect(sent).toHaveLength(1);
});

test("older lines come when they are asked for; an empty log says what it is", async () => {
  const sent = answers("get", "/api/v1/logs/run/6", () =>
    sent.length === 1 ? { items: [line("Newest")], next: 12 } : { items: [line("Older")], next: null },
  );
  const { person } = draw(<Page />);
  await person.click(await screen.findByRole("button", { name: "Show more" }));
  await screen.findByText("Older");
  expect(sent.map((s) => s.path.split("?")[1] ?? "")).toEqual(["", "before=12"]);
  expect(screen.queryByRole("button", { name: "Show more" })).toBeNull();
});

import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import { faultsOf } from "../../app/server";
import { draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import type { Propose, Run } from "../courses/runTypes";
import { Patterns } from "./Patterns";

const pattern = {
  n: 2,
  first: "2027-09-14",
  start: "17:30:00",
  minutes: 105,
  weekdays: ["TU"],
  every_weeks: 1,
  count: 8,
  until: null,
  on_closure: "extend",
  room: null,
  instructor: null,
};
const run = { id: 5, status: "published", patterns: [pattern] } as unknown as Run;
/** Confirms at once what is proposed, and gives faults back to the form. */
const propose: Propose = async (_, send, saved) => {
  try {
    await send(true);
    await send(false);
    saved?.();
    return null;
  } catch (error) {
    return faultsOf(error);
  }
};

function draws() {
  answers("get", "/api/v1/places", []);
  answers("get", "/api/v1/instructors", []);
  return draw(<Patterns run={run} propose={propose} frozen={false} />);
}

test("a pattern is shown in words, changed as a whole, and seen before it is saved", async () => {
  const sent = answers("put", "/api/v1/runs/5/patterns/2", { change: "c1" });
  const { person } = draws();
  expect(
    screen.getByText(/Planned as .* at 17:30, 1 h 45 min each, from Tue 14 Sep 2027, 8 meetings/),
  ).toBeTruthy();
  await person.click(screen.getByRole("button", { name: "Change pattern 1" }));
  const number = screen.getByLabelText("Meetings");
  await person.clear(number);
  await person.type(number, "10");
  await person.click(screen.getByRole("button", { name: "See what moves" }));
  await waitFor(() => expect(sent).toHaveLength(2));
  expect(sent.map((s) => s.path.endsWith("preview=true"))).toEqual([true, false]);
  expect(sent[0]!.body).toMatchObject({ first: "2027-09-14", minutes: 105, count: 10, weekdays: ["TU"] });
  await waitFor(() => expect(screen.queryByLabelText("Meetings")).toBeNull());
});

test("what is wrong stands at its field, and what was typed stays", async () => {
  answers("post", "/api/v1/runs/5/patterns", () =>
    problem(422, "invalid", "Not saved.", [{ at: "/first", message: "Sun 1 Aug 2027 is past." }]),
  );
  const { person } = draws();
  await person.click(screen.getByRole("button", { name: "add a pattern" }));
  await person.type(screen.getByLabelText("Starts at"), "18:00");
  await person.click(screen.getByRole("button", { name: "See what moves" }));
  expect(await screen.findByText("Sun 1 Aug 2027 is past.")).toBeTruthy();
  expect(screen.getByLabelText<HTMLInputElement>("Starts at").value).toBe("18:00");
});

test("a pattern ends with a day", async () => {
  const sent = answers("post", "/api/v1/runs/5/patterns/2/end", { change: "c2" });
  const { person } = draws();
  await person.click(screen.getByRole("button", { name: "end earlier, pattern 1" }));
  await person.type(screen.getByLabelText("Last day of this pattern"), "10/1/2027");
  await person.click(screen.getByRole("button", { name: "See what moves" }));
  await waitFor(() => expect(sent).toHaveLength(2));
  expect(sent[1]!.body).toEqual({ last: "2027-10-01" });
});

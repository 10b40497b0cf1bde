import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import type { Schemas } from "../../app/server";
import { acts, draw } from "../../testing/render";
import { answers } from "../../testing/server";
import { WholeLine } from "./WholeLine";

const run = { id: 5, course: { id: 2 } } as Schemas["RunOut"];

test("a line is carried over to a run of the course, once, and who stays is named", async () => {
  answers("get", "/api/v1/runs/5/line/next-runs", [{ id: 8, code: "DSW-27B", title: "Walls" }]);
  const sent = answers("post", "/api/v1/runs/5/line/carry-over", {
    change: "c7",
    people: 3,
    told: 2,
    to: "DSW-27B",
    stayed: ["Cy Stone"],
  });
  const said = acts();
  const { person } = draw(<WholeLine run={run} number={4} acts={said} />);
  await person.click(screen.getByRole("button", { name: "Carry the line over" }));
  const carry = await screen.findByRole<HTMLButtonElement>("button", { name: "Carry it over" });
  expect(carry.disabled).toBe(true);
  await screen.findByText("DSW-27B, Walls");
  await person.selectOptions(screen.getByLabelText("To the run"), "8");
  await person.dblClick(carry);
  await waitFor(() => expect(said.say).toHaveBeenCalledTimes(1));
  expect(sent.map((s) => s.body)).toEqual([{ to_run_id: 8, tell: true }]);
  expect(said.say).toHaveBeenCalledWith({
    text: "3 parties carried over to DSW-27B, 2 written to. There already, and left here: Cy Stone.",
    change: "c7",
  });
});

test("without another run the way to plan one is shown", async () => {
  answers("get", "/api/v1/runs/5/line/next-runs", []);
  const { person } = draw(<WholeLine run={run} number={4} acts={acts()} />);
  await person.click(screen.getByRole("button", { name: "Carry the line over" }));
  expect((await screen.findByRole("link", { name: "Plan one" })).getAttribute("href")).toBe(
    "/runs/new?course=2",
  );
});

test("clearing a line says how many no longer wait, and whether they are told", async () => {
  const sent = answers("post", "/api/v1/runs/5/line/clear", { change: "c8", people: 4, told: 0 });
  const said = acts();
  const { person } = draw(<WholeLine run={run} number={4} acts={said} />);
  await person.click(screen.getByRole("button", { name: "Clear the line" }));
  expect(screen.getByText("4 parties would no longer wait for this run.")).toBeTruthy();
  await person.type(screen.getByLabelText("Why; it stands in the letter"), "No room");
  await person.click(screen.getByRole("checkbox", { name: "write to them" }));
  await person.click(screen.getByRole("button", { name: "Clear the line" }));
  await waitFor(() => expect(said.say).toHaveBeenCalled());
  expect(sent[0]!.body).toEqual({ why: "No room", tell: false });
});

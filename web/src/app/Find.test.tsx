import { screen, waitFor } from "@testing-library/react";
import { useLocation } from "react-router";
import { expect, test, vi } from "vitest";

import { draw } from "../testing/render";
import { answers, problem } from "../testing/server";
import { Find, placeOf } from "./Find";

function Where() {
  const { pathname, search } = useLocation();
  return <output>{pathname + search}</output>;
}
const nothing = { runs: [], people: [], courses: [], others: [] };
const person = { id: 7, name: "Piotr Ndiaye", email: "piotr@example.org", phone: null };
const found = (onAct = vi.fn()) =>
  draw(
    <>
      <button>elsewhere</button>
      <Find onAct={onAct} />
      <Where />
    </>,
    "/today",
  );

test("F2 takes the focus from anywhere, Escape gives it back and keeps what was typed", async () => {
  answers("get", "/api/v1/find", nothing);
  const { person: hand } = found();
  screen.getByRole("button", { name: "elsewhere" }).focus();
  await hand.keyboard("{F2}till{Escape}");
  expect(document.activeElement?.textContent).toBe("elsewhere");
});

test("Enter waits for what is typed now and leads to it", async () => {
  answers("get", "/api/v1/find", { ...nothing, people: [person] });
  const { person: hand } = found();
  await hand.keyboard("{F2}piotr{Enter}");
  await waitFor(() => expect(screen.getByRole("status").textContent).toBe("/people/7"));
});

test("what has no row of its own is an act; acts of the frame are told", async () => {
  answers("get", "/api/v1/find", nothing);
  const told = vi.fn();
  const { person: hand } = found(told);
  await hand.keyboard("{F2}dark theme{Enter}");
  await waitFor(() => expect(told).toHaveBeenCalledWith("night"));
});

test("arrows move through all kinds, each named once", async () => {
  answers("get", "/api/v1/find", {
    ...nothing,
    people: [person, { ...person, id: 8, name: "Piotr Obi" }],
    others: [{ kind: "code", id: 3, title: "PIOTR10", more: "10 percent", account_id: null }],
  });
  const { person: hand } = found();
  await hand.keyboard("{F2}piotr");
  const kinds = () => screen.queryAllByRole("option").map((o) => o.firstElementChild!.textContent);
  await waitFor(() => expect(kinds()).toEqual(["People", "", "Codes"]));
  await hand.keyboard("{ArrowDown}{ArrowDown}{Enter}");
  await waitFor(() => expect(screen.getByRole("status").textContent).toBe("/money/codes?at=3"));
});

test("nothing fits says so; a server that is silent says so too", async () => {
  answers("get", "/api/v1/find", nothing);
  const { person: hand } = found();
  await hand.keyboard("{F2}xyzzy");
  expect(await screen.findByText("Nothing fits “xyzzy”.")).toBeTruthy();
  answers("get", "/api/v1/find", () => problem(500, "broken", "Something went wrong on our side."));
  await hand.keyboard("q");
  expect(await screen.findByText("Something went wrong on our side.")).toBeTruthy();
});

test("everything found leads to its own row", () => {
  expect(placeOf({ kind: "organization", id: 1, account_id: 9 })).toBe("/organizations/1");
  expect(placeOf({ kind: "place", id: 4, account_id: null })).toBe("/places?tab=places&at=4");
  expect(placeOf({ kind: "instructor", id: 5, account_id: null })).toBe("/teaching/5");
  expect(placeOf({ kind: "code", id: 6, account_id: null })).toBe("/money/codes?at=6");
  expect(placeOf({ kind: "paper", id: 2, account_id: null })).toBe("/money");
});

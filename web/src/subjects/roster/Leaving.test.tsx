import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";

import { acts, draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { Leaving } from "./Leaving";

const found = {
  name: "Zofia Fontaine",
  currency: "USD",
  total: "212.00",
  kept: "53.00",
  paid: "106.00",
  credit: "53.00",
  owed: "0.00",
  why: "Less than 21 days before the start, 75 percent goes back.",
  line: "Then the seat is offered to Ada Stone.",
  could: [] as { waiting_id: number; name: string; heads: number; next: boolean }[],
};
const WITHDRAWAL = "/api/v1/enrollments/9/withdrawal";
const WITHDRAW = "/api/v1/enrollments/9/withdraw";
const gone = { name: "Zofia Fontaine", kept: "53.00", taken_back: "159.00", change: "c9", seat: "" };

function leaving(more: { noShow?: boolean } = {}) {
  const said = acts();
  const close = vi.fn();
  function Page() {
    const [open, setOpen] = useState(true);
    return (
      open && <Leaving enrollmentId={9} acts={said} onClose={() => (close(), setOpen(false))} {...more} />
    );
  }
  return { said, close, ...draw(<Page />) };
}

test("what becomes of seat and money is said before it is done", async () => {
  answers("get", WITHDRAWAL, found);
  leaving();
  const text = (await screen.findByText(/gives the seat back/)).closest("form")!.textContent;
  for (const words of [
    "Of $212.00, $53.00 is kept.",
    "75 percent goes back",
    "$53.00 of it becomes credit",
    "Ada Stone",
  ])
    expect(text).toContain(words);
});

test("a double click withdraws once, and says what was kept", async () => {
  answers("get", WITHDRAWAL, found);
  const sent = answers("post", WITHDRAW, gone);
  const { person, said, close } = leaving();
  await person.dblClick(await screen.findByRole("button", { name: "Withdraw" }));
  await waitFor(() => expect(close).toHaveBeenCalledTimes(1));
  expect(sent.map((s) => s.body)).toEqual([{ why: "", received_on: null, no_show: false, seat: null }]);
  expect(said.say).toHaveBeenCalledWith({
    text: "Zofia Fontaine withdrew. $53.00 is kept. $159.00 is taken off the account.",
    change: "c9",
  });
});

test("another sum is kept with a reason; without one it is asked for at its field, and nothing is lost", async () => {
  answers("get", WITHDRAWAL, found);
  const sent = answers("post", WITHDRAW, () =>
    sent.length === 1
      ? problem(422, "invalid", "Not done.", [{ at: "/why", message: "Say why another sum is kept." }])
      : gone,
  );
  const { person, close } = leaving();
  await person.click(await screen.findByRole("button", { name: "keep another sum" }));
  const keep = screen.getByLabelText<HTMLInputElement>("Keep instead");
  expect(keep.value).toBe("53.00");
  await person.clear(keep);
  await person.type(keep, "20{Enter}");
  expect(await screen.findByText("Say why another sum is kept.")).toBeTruthy();
  expect(document.activeElement).toBe(screen.getByLabelText("Reason"));
  await person.type(screen.getByLabelText("Reason"), "moved away{Enter}");
  await waitFor(() => expect(close).toHaveBeenCalled());
  expect(sent[1]!.body).toEqual({
    keep: "20.00",
    why: "moved away",
    received_on: null,
    no_show: false,
    seat: null,
  });
});

test("the day word came is asked of the server and sent along", async () => {
  const asked = answers("get", WITHDRAWAL, found);
  const sent = answers("post", WITHDRAW, gone);
  const { person } = leaving();
  await person.type(await screen.findByLabelText("Word came on, if not today"), "8/10/2027");
  await waitFor(() => expect(asked.at(-1)!.path).toContain("received_on=2027-08-10"));
  await person.click(screen.getByRole("button", { name: "Withdraw" }));
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]!.body).toMatchObject({ received_on: "2027-08-10" });
});

test("who did not come is not asked when word came", async () => {
  answers("get", WITHDRAWAL, { ...found, total: "0.00" });
  leaving({ noShow: true });
  expect(await screen.findByText(/did not come; the seat is free/)).toBeTruthy();
  expect(screen.queryByLabelText("Word came on, if not today")).toBeNull();
  expect(screen.getByText(/Nothing was charged/)).toBeTruthy();
});

test("a refusal that belongs to no field stands in the form", async () => {
  answers("get", WITHDRAWAL, found);
  answers("post", WITHDRAW, () => problem(409, "moved-on", "Zofia was moved to another run meanwhile."));
  const { person, close } = leaving();
  await person.click(await screen.findByRole("button", { name: "Withdraw" }));
  expect(await screen.findByText("Zofia was moved to another run meanwhile.")).toBeTruthy();
  expect(close).not.toHaveBeenCalled();
});

const line = [
  { waiting_id: 4, name: "Ada Stone", heads: 1, next: true },
  { waiting_id: 7, name: "Bo Reed", heads: 1, next: false },
];

test("who is next in line is named, and the seat can be kept or given out of turn", async () => {
  answers("get", WITHDRAWAL, { ...found, could: line });
  const sent = answers("post", WITHDRAW, () =>
    sent.length === 1
      ? problem(422, "invalid", "Not done.", [{ at: "/seat/last", message: "Say through which day." }])
      : { ...gone, seat: "Bo Reed has an offer." },
  );
  const { person, said } = leaving();
  const goes = await screen.findByLabelText("The seat goes to");
  expect([...goes.querySelectorAll("option")].map((o) => o.textContent)).toEqual([
    "Ada Stone, next in line",
    "nobody yet: keep it",
    "Bo Reed, out of turn",
  ]);
  await person.selectOptions(goes, "keep");
  await person.click(screen.getByRole("button", { name: "Withdraw" }));
  expect(await screen.findByText("Say through which day.")).toBeTruthy();
  await person.selectOptions(goes, "7");
  await person.type(screen.getByLabelText("Why out of turn"), "promised");
  await person.click(screen.getByRole("button", { name: "Withdraw" }));
  await waitFor(() => expect(said.say).toHaveBeenCalled());
  expect(sent.map((s) => (s.body as { seat: unknown }).seat)).toEqual([
    { to: "keep", last: null, why: null },
    { to: "chosen", waiting_id: 7, why: "promised" },
  ]);
  expect(said.say).toHaveBeenCalledWith(
    expect.objectContaining({ text: expect.stringContaining("Bo Reed has an offer.") as string }),
  );
});

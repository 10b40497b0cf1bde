import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import type { Schemas } from "../../app/server";
import { acts, draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { Take } from "./TakePayment";

const open = (id: number, run: string, left: string) => ({
  id,
  run,
  who: "Imani Birch",
  due: "2027-09-14",
  left,
});
const account = {
  id: 12,
  name: "Imani Birch",
  currency: "USD",
  open: [open(1, "IRON-27A", "289.00"), open(2, "GLASS-27A", "212.00")],
} as unknown as Schemas["AccountPage"];
const PAYMENTS = "/api/v1/accounts/12/payments";
const amountField = () => screen.getByLabelText<HTMLInputElement>("Amount in USD");

test("the amount is enough: the oldest due is settled first, and the next payment starts empty", async () => {
  const sent = answers("post", PAYMENTS, { credit: "0.00", change: "c1" });
  const said = acts();
  const { person } = draw(<Take account={account} acts={said} />);
  await person.type(amountField(), "105{Enter}");
  await waitFor(() =>
    expect(said.say).toHaveBeenCalledWith({ text: "$105.00 by cash from Imani Birch.", change: "c1" }),
  );
  expect(sent[0]!.body).toEqual({
    amount: "105.00",
    method: "cash",
    reference: "",
    received_on: "2027-08-20",
    fee: null,
  });
  expect(amountField().value).toBe("");
});

test("what it settles can be chosen; what is left of it is said", async () => {
  const sent = answers("post", PAYMENTS, { credit: "5.00", change: "c1" });
  const said = acts();
  const { person } = draw(<Take account={account} acts={said} />);
  await person.type(amountField(), "217");
  await person.click(screen.getByRole("button", { name: "choose what it settles" }));
  await person.type(screen.getByLabelText(/GLASS-27A, due Tue 14 Sep 2027/), "212{Enter}");
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]!.body).toMatchObject({ amount: "217.00", installments: [{ id: 2, amount: "212.00" }] });
  await waitFor(() => expect(said.say.mock.calls[0]![0].text).toContain("$5.00 stays as credit"));
});

test("the same check is asked about once more, and taken only with a yes", async () => {
  const sent = answers("post", PAYMENTS, () =>
    sent.length === 1
      ? problem(409, "same-check", "Check 77 of Imani Birch came in on 12 Aug.")
      : { credit: "0.00", change: "c2" },
  );
  const said = acts();
  const { person } = draw(<Take account={account} acts={said} />);
  await person.selectOptions(screen.getByLabelText("By"), "check");
  await person.type(screen.getByLabelText("Number or reference"), "77");
  await person.type(amountField(), "50{Enter}");
  expect(await screen.findByText(/Check 77 of Imani Birch/)).toBeTruthy();
  expect(said.say).not.toHaveBeenCalled();
  await person.click(screen.getByRole("button", { name: "Take it once more" }));
  await waitFor(() => expect(said.say).toHaveBeenCalledTimes(1));
  expect(sent.map((s) => (s.body as { anyway?: boolean }).anyway)).toEqual([undefined, true]);
});

test("an amount that is none is the server's to refuse, at its field, and stays as typed", async () => {
  answers("post", PAYMENTS, () =>
    problem(422, "invalid", "Not taken.", [{ at: "/amount", message: "“lots” is no amount." }]),
  );
  const { person } = draw(<Take account={account} acts={acts()} />);
  await person.type(amountField(), "lots{Enter}");
  expect(await screen.findByText("“lots” is no amount.")).toBeTruthy();
  expect(amountField().value).toBe("lots");
  expect(document.activeElement).toBe(amountField());
});

test("what the bank kept is asked of transfers alone", async () => {
  const { person } = draw(<Take account={account} acts={acts()} />);
  expect(screen.queryByLabelText("The bank kept")).toBeNull();
  await person.selectOptions(screen.getByLabelText("By"), "transfer");
  expect(screen.getByLabelText("The bank kept")).toBeTruthy();
});

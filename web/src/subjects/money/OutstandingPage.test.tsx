import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";

import { draw } from "../../testing/render";
import { answers } from "../../testing/server";
import OutstandingPage from "./OutstandingPage";

const row = (n: number) => ({
  account_id: n,
  payer: `Payer ${n}`,
  who: `Learner ${n}`,
  run_id: 7,
  run: "IRON-27A",
  due: "2027-08-01",
  left: "134.00",
  age: "1-30",
});
const found = {
  currency: "USD",
  day: "2027-08-20",
  buckets: ["current", "1-30", "31-60", "61-90", "over 90"],
  totals: { current: "0.00", "1-30": "402.00", "31-60": "0.00", "61-90": "0.00", "over 90": "0.00" },
  open: "402.00",
  overdue: "402.00",
  credit: "0.00",
  expected: [{ week: "2027-08-16", amount: "402.00" }],
  deferred: [],
};

test("what is behind a figure comes a page at a time, and says of how many", async () => {
  answers("get", "/api/v1/outstanding", found);
  answers("get", "/api/v1/outstanding/payers", { items: [], total: 0, next: null });
  const pages = [
    { items: [row(1), row(2)], total: 3, next: "2027-08-01|2" },
    { items: [row(3)], total: 3, next: null },
  ];
  const asked = answers("get", "/api/v1/outstanding/open", () => pages.shift()!);
  const { person } = draw(<OutstandingPage />);
  await person.click(await screen.findByRole("button", { name: /from Mon 16 Aug/ }));
  expect(await screen.findByText("Payer 2")).toBeTruthy();
  expect(screen.queryByText("Payer 3")).toBeNull();
  expect(screen.getByText("2 of 3.")).toBeTruthy();
  await person.click(screen.getByRole("button", { name: "show more" }));
  expect(await screen.findByText("Payer 3")).toBeTruthy();
  await waitFor(() => expect(screen.queryByRole("button", { name: "show more" })).toBeNull());
  expect(asked.map((a) => new URL(a.path, "http://x").searchParams.get("after") ?? "")).toEqual([
    "",
    "2027-08-01|2",
  ]);
});

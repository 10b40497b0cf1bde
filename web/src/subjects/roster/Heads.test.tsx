import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import type { Schemas } from "../../app/server";
import { acts, draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { AddHead, HeadLeaves } from "./Heads";

const money = (over: object = {}) => ({
  change: "c1",
  enrollment_id: 9,
  name: "Ada Quill",
  currency: "USD",
  total_before: "630.00",
  total: "870.00",
  lines: [],
  taxes: [],
  before: [{ due: "2027-09-20", amount: "315.00", left: "315.00" }],
  after: [{ due: "2027-09-20", amount: "555.00", left: "555.00" }],
  credit: "0.00",
  heads: 4,
  kept: "0.00",
  why: "",
  seat: "",
  ...over,
});
const held = { id: 9, name: "Ada Quill", people: [{ rate_id: 3, count: 3 }] } as Schemas["EnrollmentOut"];
const run = { currency: "USD", rates: [{ id: 3, label: "Standard", amount: "240.00" }] } as Schemas["RunOut"];

test("a head is added at the total that was shown, once", async () => {
  const sent = answers("post", "/api/v1/enrollments/9/heads", money());
  const said = acts();
  const close = vi.fn();
  const { person } = draw(<AddHead held={held} run={run} acts={said} onClose={close} />);
  expect(await screen.findByText("$870.00")).toBeTruthy();
  expect(screen.getByText("It was $630.00.")).toBeTruthy();
  await person.dblClick(screen.getByRole("button", { name: "Add the head" }));
  await waitFor(() => expect(close).toHaveBeenCalledTimes(1));
  const real = sent.filter((s) => !s.path.includes("preview"));
  expect(real.map((s) => s.body)).toEqual([{ rate_id: 3, exception: null, total: "870.00" }]);
  expect(said.say.mock.calls[0]![0]).toMatchObject({ change: "c1" });
});

test("a run that is shut asks why all the same, and nothing is done without it", async () => {
  const sent = answers("post", "/api/v1/enrollments/9/heads", () =>
    (sent.at(-1)!.body as { exception: string | null }).exception
      ? money()
      : problem(409, "sign-up-shut", "The run is off sale."),
  );
  const { person } = draw(<AddHead held={held} run={run} acts={acts()} onClose={vi.fn()} />);
  expect(await screen.findByText("The run is off sale.")).toBeTruthy();
  expect(screen.getByRole<HTMLButtonElement>("button", { name: "Add the head" }).disabled).toBe(true);
  await person.type(screen.getByLabelText("Why all the same"), "promised");
  expect(await screen.findByText("$870.00")).toBeTruthy();
});

test("a head that leaves shows what is kept of its share and who gets the seat", async () => {
  answers("get", "/api/v1/enrollments/9/withdrawal", {
    currency: "USD",
    could: [{ waiting_id: 4, name: "Bo Reed", heads: 1, next: true }],
  });
  const sent = answers(
    "post",
    "/api/v1/enrollments/9/heads/2/withdraw",
    money({
      total: "525.00",
      kept: "105.00",
      why: "50 percent is given back.",
      heads: 2,
      seat: "Bo Reed has an offer.",
    }),
  );
  const said = acts();
  const close = vi.fn();
  const { person } = draw(
    <HeadLeaves row={{ id: 9, name: "Ada Quill" }} n={2} who="Cy Stone" acts={said} onClose={close} />,
  );
  expect(await screen.findByText("50 percent is given back.")).toBeTruthy();
  expect(screen.getByText("Bo Reed, next in line")).toBeTruthy();
  await person.click(screen.getByRole("button", { name: "Withdraw the head" }));
  await waitFor(() => expect(close).toHaveBeenCalled());
  expect(sent.at(-1)!.body).toEqual({ seat: { to: "next" } });
  expect(said.say.mock.calls[0]![0]).toMatchObject({
    text: "Cy Stone left the party of Ada Quill. $105.00 of it is kept. Bo Reed has an offer.",
  });
});

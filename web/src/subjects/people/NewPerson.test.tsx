import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { draw } from "../../testing/render";
import { answers, problem } from "../../testing/server";
import { NewPerson } from "./NewPerson";

const near = (found: object[] = []) => answers("get", "/api/v1/people/near", found);
const known = { id: 3, name: "Piotr Ndiaye", email: "piotr@example.org", phone: null, why: "the same name" };
const form = (typed: string, onAdded = vi.fn()) =>
  draw(<NewPerson typed={typed} where="desk" onAdded={onAdded} onCancel={vi.fn()} />);
const value = (label: string) => screen.getByLabelText<HTMLInputElement>(label).value;
const LABELS = ["Given name", "Family name", "Email, if any", "Phone, if any"];

test.each([
  ["piotr ndiaye", ["piotr", "ndiaye", "", ""]],
  ["Maria del Mar", ["Maria del", "Mar", "", ""]],
  ["Ada", ["Ada", "", "", ""]],
  ["ada@example.org", ["", "", "ada@example.org", ""]],
])("it starts from what was typed while searching: %s", (typed, values) => {
  near();
  form(typed);
  expect(LABELS.map(value)).toEqual(values);
});

test("the person made is the one shown, and is handed on", async () => {
  near();
  const sent = answers("post", "/api/v1/people", { id: 9, name: "Piotr Ndiaye" });
  const added = vi.fn();
  const { person } = form("Piotr Ndiaye", added);
  await person.type(screen.getByLabelText("Phone, if any"), "555-0142");
  await person.click(screen.getByRole("button", { name: "Add this person" }));
  await waitFor(() => expect(added.mock.calls[0]?.[0]).toEqual({ id: 9, name: "Piotr Ndiaye" }));
  expect(sent[0]!.body).toEqual({
    given: "Piotr",
    family: "Ndiaye",
    email: "",
    phone: "555-0142",
    note: "",
    invite: false,
    anyway: false,
  });
});

test("somebody near may be taken instead", async () => {
  near([known]);
  const added = vi.fn();
  const { person } = form("Piotr Ndiay", added);
  await person.click(await screen.findByRole("button", { name: "take Piotr Ndiaye" }));
  expect(added.mock.calls[0]?.[0]).toMatchObject({ id: 3 });
});

test("the same person is asked about; adding another says so to the server", async () => {
  near();
  const added = vi.fn();
  const sent = answers("post", "/api/v1/people", () =>
    sent.length === 1
      ? problem(409, "same-person", "Already known.", [], { person: known })
      : { id: 9, name: "Piotr Ndiaye" },
  );
  const { person } = form("Piotr Ndiaye", added);
  await person.click(screen.getByRole("button", { name: "Add this person" }));
  expect((await screen.findByRole("alert")).textContent).toContain(
    "Piotr Ndiaye is already known as piotr@example.org.",
  );
  await person.click(screen.getByRole("button", { name: "Add another" }));
  await waitFor(() => expect(added).toHaveBeenCalledTimes(1));
  expect(sent.map((s) => (s.body as { anyway: boolean }).anyway)).toEqual([false, true]);
});

test("what was typed into one form never shows in the next", async () => {
  near();
  const first = form("Rowan Firstcall");
  await first.person.type(screen.getByLabelText("Phone, if any"), "555-0142");
  first.unmount();
  form("Ilse Secondcall");
  expect(LABELS.map(value)).toEqual(["Ilse", "Secondcall", "", ""]);
});

test("a fault stands at its field", async () => {
  near();
  answers("post", "/api/v1/people", () =>
    problem(422, "invalid", "Not saved.", [{ at: "/email", message: "That is no email address." }]),
  );
  const { person } = form("Ada Stone");
  await person.type(screen.getByLabelText("Email, if any"), "ada@{Enter}");
  expect(await screen.findByText("That is no email address.")).toBeTruthy();
  expect(document.activeElement).toBe(screen.getByLabelText("Email, if any"));
});

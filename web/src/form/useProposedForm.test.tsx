import { act, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { draw } from "../testing/render";
import { hasDraft, useDrafts } from "./drafts";
import { Field } from "./Field";
import { Ends, Form } from "./Form";
import { useProposedForm } from "./useProposedForm";

type Propose = Parameters<typeof useProposedForm<{ seats: string }, string>>[0]["propose"];

function Seats({
  propose,
  stored = "12",
  send,
}: {
  propose: Propose;
  stored?: string;
  send: (asked: unknown) => void;
}) {
  const of = useProposedForm({
    draft: "seats-7",
    start: { seats: stored },
    changesOnly: true,
    propose,
    what: ({ seats }, changed) => `Change the ${changed.join()} to ${seats}`,
    send: ({ seats }, { seen, over }) => {
      send({ seats, seen: { ...seen, ...over } });
      return Promise.resolve("outcome");
    },
  });
  return (
    <Form of={of}>
      <Field label="Seats" {...of.field("seats", "/set/seats")} />
      <Ends of={of} act="See what it touches" onLeave={of.forget} />
      <output>{useDrafts().map((d) => d.name)}</output>
    </Form>
  );
}

test("what waits to be confirmed stays typed, and is over once it is saved", async () => {
  let saved: (() => void) | undefined;
  const what = vi.fn();
  const propose: Propose = (text, _, onSaved) => {
    what(text);
    saved = onSaved;
    return Promise.resolve(null);
  };
  const { person } = draw(<Seats propose={propose} send={vi.fn()} />);
  const field = screen.getByLabelText<HTMLInputElement>("Seats");
  await person.clear(field);
  await person.type(field, "14{Enter}");
  await waitFor(() => expect(what).toHaveBeenCalledWith("Change the seats to 14"));
  expect(field.value).toBe("14");
  expect(hasDraft("seats-7")).toBe(true);
  expect(screen.getByRole("status").textContent).toBe("seats-7");
  act(() => saved?.());
  expect(field.value).toBe("12");
  expect(hasDraft("seats-7")).toBe(false);
  expect(screen.getByRole("status").textContent).toBe("");
});

test("without a change nothing is asked; a refusal stands at its field", async () => {
  const propose = vi.fn<Propose>(() => Promise.resolve({ "/set/seats": "At least one seat." }));
  const { person } = draw(<Seats propose={propose} send={vi.fn()} />);
  await person.type(screen.getByLabelText("Seats"), "{Enter}");
  expect(propose).not.toHaveBeenCalled();
  await person.clear(screen.getByLabelText("Seats"));
  await person.type(screen.getByLabelText("Seats"), "0{Enter}");
  expect(await screen.findByText("At least one seat.")).toBeTruthy();
  expect(document.activeElement).toBe(screen.getByLabelText("Seats"));
});

test("what was seen is what stood there when typing began, or what stands there when one insists", async () => {
  const asked = vi.fn();
  const propose: Propose = async (_, send) => {
    await send(true);
    await send(true, { seats: "20" });
    return null;
  };
  const { person, rerender } = draw(<Seats propose={propose} send={asked} />);
  await person.type(screen.getByLabelText("Seats"), "0");
  rerender(<Seats propose={propose} send={asked} stored="15" />);
  await person.type(screen.getByLabelText("Seats"), "{Enter}");
  await waitFor(() => expect(asked).toHaveBeenCalledTimes(2));
  expect(asked.mock.calls.map(([a]) => a as unknown)).toEqual([
    { seats: "120", seen: { seats: "12" } },
    { seats: "120", seen: { seats: "20" } },
  ]);
});

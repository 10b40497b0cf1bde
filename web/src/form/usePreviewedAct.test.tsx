import { act, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { ServerProblem } from "../app/server";
import { Confirm } from "../subjects/schedule/Confirm";
import { draw, run } from "../testing/render";
import { usePreviewedAct } from "./usePreviewedAct";
import { useWaitingForm } from "./useWaitingForm";

const OUTCOME = {
  change: "c7",
  touches: [],
  dates: [],
  made: [],
  healed: [],
  installments: [],
  told: 0,
  enrolled: 0,
  due_back: [],
} as unknown as Awaited<ReturnType<Parameters<ReturnType<typeof usePreviewedAct>["see"]>[1]>>;
const acts = () => ({ say: vi.fn(), failed: vi.fn() });

test("an act is seen first, done once when confirmed, and said with its undo", async () => {
  const said = acts();
  const send = vi.fn(() => Promise.resolve(OUTCOME));
  const saved = vi.fn();
  const { result } = run(() => usePreviewedAct(said));
  await act(() => result.current.see("Move IRON-27A", send, saved));
  expect(send.mock.calls).toEqual([[true]]);
  expect(result.current.waiting?.what).toBe("Move IRON-27A");
  expect(said.say).not.toHaveBeenCalled();
  await act(() => Promise.all([result.current.confirm(), result.current.confirm()]));
  expect(send.mock.calls).toEqual([[true], [false]]);
  expect(said.say).toHaveBeenCalledWith({ text: "Move IRON-27A: done.", change: "c7" });
  expect(saved).toHaveBeenCalled();
  expect(result.current.waiting).toBeNull();
});

test("an act that is left was never done", async () => {
  const send = vi.fn(() => Promise.resolve(OUTCOME));
  const { result } = run(() => usePreviewedAct(acts()));
  await act(() => result.current.see("Cancel IRON-27A", send));
  act(() => result.current.leave());
  await act(() => result.current.confirm());
  expect(send.mock.calls).toEqual([[true]]);
});

test("a refusal is thrown while looking, and said while confirming", async () => {
  const said = acts();
  const refusal = new ServerProblem(409, "moved-on", "The run has moved on.", [], {});
  const { result } = run(() => usePreviewedAct(said));
  await expect(act(() => result.current.see("Move", () => Promise.reject(refusal)))).rejects.toBe(refusal);
  expect(result.current.waiting).toBeNull();
  await act(() =>
    result.current.see("Move", (preview) => (preview ? Promise.resolve(OUTCOME) : Promise.reject(refusal))),
  );
  await act(() => result.current.confirm());
  expect(said.failed).toHaveBeenCalledWith(refusal);
  expect(said.say).not.toHaveBeenCalled();
});

test.each([
  ["Cancel meeting 3 on Tue 14 Sep 2027", "Cancel the meeting"],
  ["Cancel IRON-27A", "Cancel the run"],
  ["Move IRON-27A 1 week later", "Move it"],
  ["Take out meeting 3", "Take it out"],
  ["Change the gates", "Save"],
])("what waits is confirmed by a button that says what it does: %s", async (what, button) => {
  const confirm = vi.fn();
  const leave = vi.fn();
  const waiting = { what, outcome: OUTCOME, send: vi.fn() };
  const { person } = draw(
    <Confirm act={{ waiting, busy: false, now: vi.fn(), see: vi.fn(), confirm, leave }} currency="USD" />,
  );
  expect(screen.getByRole("alertdialog").textContent).toContain(`${what}?`);
  expect(document.activeElement?.textContent).toBe(button);
  await person.keyboard("{Enter}");
  expect(confirm).toHaveBeenCalledTimes(1);
  await person.click(screen.getByRole("button", { name: "Keep as it was" }));
  expect(leave).toHaveBeenCalledTimes(1);
});

test("a form that waits keeps what was typed and what was seen, through a reload, until it is saved or dropped", async () => {
  const send = vi.fn((form: { fee: string }, _seen: string, close: () => void) => {
    if (form.fee !== "240.00") return Promise.resolve({ "/set/fee": "A fee has 2 decimals." });
    close();
    return Promise.resolve(null);
  });
  const useFee = () => useWaitingForm<{ fee: string }, string>({ draft: "run-fee-7", send });
  const first = run(useFee);
  act(() => first.result.current.begin({ fee: "200.00" }, "200.00"));
  act(() => first.result.current.set({ fee: "240" }));
  first.unmount();
  const { result } = run(useFee);
  expect(result.current.kept).toEqual({ form: { fee: "240" }, seen: "200.00" });
  await act(() => result.current.submit());
  expect(result.current.faults).toEqual({ "/set/fee": "A fee has 2 decimals." });
  act(() => result.current.set({ fee: "240.00" }));
  await act(() => result.current.submit());
  expect(send.mock.calls.map(([form, seen]) => [form.fee, seen])).toEqual([
    ["240", "200.00"],
    ["240.00", "200.00"],
  ]);
  await waitFor(() => expect(result.current.kept).toBeNull());
  expect(result.current.faults).toEqual({});
});

import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { ServerProblem } from "../app/server";
import { useSavedForm } from "./useSavedForm";

type Text = { title: string; summary: string };
const start: Text = { title: "", summary: "" };

beforeEach(() => {
  sessionStorage.clear();
  vi.useFakeTimers();
});
afterEach(() => vi.useRealTimers());

function opened(save: (set: Partial<Text>, seen: Partial<Text>) => Promise<unknown>, held = start) {
  return renderHook(() => useSavedForm<Text, unknown>({ draft: "d", start: held, save, saved: () => {} }));
}
const idle = () => act(() => vi.advanceTimersByTimeAsync(1300));

test("what was typed is saved once nothing is typed for a moment, with what stood there", async () => {
  const save = vi.fn(() => Promise.resolve({}));
  const { result } = opened(save);
  act(() => result.current.set({ summary: "Wal" }));
  await act(() => vi.advanceTimersByTimeAsync(800));
  act(() => result.current.set({ summary: "Walls" }));
  expect(save).not.toHaveBeenCalled();
  await idle();
  expect(save.mock.calls).toEqual([[{ summary: "Walls" }, { summary: "" }]]);
  expect(result.current.waits).toBe(false);
  expect(sessionStorage.getItem("d")).toBeNull();
});

test("what is typed while a save is under way is saved after it", async () => {
  let answer = () => {};
  const save = vi.fn(() => new Promise((done) => (answer = () => done({}))));
  const { result } = opened(save);
  act(() => result.current.set({ title: "A" }));
  await idle();
  act(() => result.current.set({ title: "AB" }));
  await act(async () => {
    answer();
    await Promise.resolve();
  });
  expect(result.current.values.title).toBe("AB");
  await idle();
  expect(save.mock.calls.at(-1)).toEqual([{ title: "AB" }, { title: "A" }]);
});

test("what could not be saved is kept through a reload, and is not sent again by itself", async () => {
  const save = vi.fn(() =>
    Promise.reject(new ServerProblem(0, "unreachable", "The server does not answer.", [], {})),
  );
  const { result, unmount } = opened(save);
  act(() => result.current.set({ title: "A" }));
  await idle();
  expect(result.current.trouble).toBe("The server does not answer.");
  await idle();
  act(() => result.current.flush());
  expect(save).toHaveBeenCalledTimes(1);
  unmount();
  expect(opened(save).result.current.values.title).toBe("A");
});

test("what somebody else changed is decided on: mine over theirs, or theirs", async () => {
  const fields = { title: { seen: "", now: "Theirs", yours: "Mine" } };
  const refusal = new ServerProblem(409, "changed-meanwhile", "Changed.", [], { fields });
  const save = vi.fn().mockRejectedValueOnce(refusal).mockResolvedValue({});
  const { result } = opened(save);
  act(() => result.current.set({ title: "Mine" }));
  await idle();
  expect(Object.keys(result.current.conflict ?? {})).toEqual(["title"]);
  await act(async () => {
    result.current.keepMine();
    await Promise.resolve();
  });
  expect(save.mock.calls.at(-1)).toEqual([{ title: "Mine" }, { title: "Theirs" }]);

  save.mockRejectedValueOnce(refusal);
  act(() => result.current.set({ title: "Mine again" }));
  await idle();
  act(() => result.current.takeTheirs());
  expect(result.current.values.title).toBe("");
  expect(result.current.waits).toBe(false);
});

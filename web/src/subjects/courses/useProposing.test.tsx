import { act, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { ServerProblem } from "../../app/server";
import { useDone } from "../../parts/useUndo";
import { draw, run } from "../../testing/render";
import type { Outcome, Send } from "./runTypes";
import { BothVersions, useProposing } from "./useProposing";

const OUTCOME = { change: "c1" } as unknown as Outcome;
const hook = (draft: boolean) =>
  run(function useHere() {
    const acts = useDone();
    return { acts, ...useProposing(acts, draft, () => Promise.resolve()) };
  });
const sends = () => vi.fn<Send>(() => Promise.resolve(OUTCOME));
const meanwhile = new ServerProblem(409, "changed-meanwhile", "Somebody else changed this.", [], {
  fields: { capacity: { seen: 14, now: 16, yours: 20 } },
});

test("a draft is saved at once; a published run shows first what it touches", async () => {
  const draft = hook(true);
  const send = sends();
  await act(() => draft.result.current.propose("Change the place", send));
  expect(send.mock.calls).toEqual([[false]]);
  expect(draft.result.current.acts.done?.text).toBe("Change the place: done.");

  const published = hook(false);
  const other = sends();
  await act(() => published.result.current.propose("Change the place", other));
  expect(other.mock.calls).toEqual([[true]]);
  expect(published.result.current.act.waiting?.what).toBe("Change the place");
  expect(published.result.current.acts.done).toBeNull();
});

test("what is asked about even on a draft waits there too", async () => {
  const { result } = hook(true);
  const send = sends();
  await act(() => result.current.propose("Cancel X", send, undefined, false, true));
  expect(send.mock.calls).toEqual([[true]]);
});

test("faults come back to the form; what belongs to no field is said", async () => {
  const { result } = hook(false);
  const faults = [{ at: "/set/capacity", message: "13 are taken." }] as never[];
  const refused = () => Promise.reject(new ServerProblem(422, "invalid", "Not saved.", faults, {}));
  let found: Record<string, string> | null = null;
  await act(async () => void (found = await result.current.propose("Change the seats", refused)));
  expect(found).toEqual({ "/set/capacity": "13 are taken." });
  expect(result.current.acts.trouble).toBe("");
  const shut = () => Promise.reject(new ServerProblem(409, "over", "The run is over.", [], {}));
  await act(async () => void (await result.current.propose("Change the seats", shut)));
  expect(result.current.acts.trouble).toBe("The run is over.");
});

test("when somebody else changed the same, mine is sent over what they made of it", async () => {
  const { result } = hook(false);
  const send = vi.fn<Send>((_, seen) => (seen ? Promise.resolve(OUTCOME) : Promise.reject(meanwhile)));
  await act(async () => void (await result.current.propose("Change the seats", send)));
  expect(result.current.conflict?.fields.capacity).toEqual({ seen: 14, now: 16, yours: 20 });
  await act(() => result.current.settle(true));
  expect(send.mock.calls.at(-1)).toEqual([true, { capacity: 16 }]);
  expect(result.current.act.waiting?.what).toBe("Change the seats");
  expect(result.current.conflict).toBeNull();
});

test("when theirs stands, the form is dropped and nothing is sent", async () => {
  const { result } = hook(false);
  const send = vi.fn<Send>(() => Promise.reject(meanwhile));
  const dropped = vi.fn();
  await act(async () => void (await result.current.propose("Change the seats", send, dropped)));
  await act(() => result.current.settle(false));
  expect(send).toHaveBeenCalledTimes(1);
  await waitFor(() => expect(dropped).toHaveBeenCalled());
});

test("both versions stand side by side, in words", async () => {
  const settle = vi.fn();
  const conflict = {
    what: "x",
    fields: { auto_offer: { seen: 1, now: "2027-09-14", yours: null } },
    send: sends(),
  };
  const { person } = draw(<BothVersions proposing={{ conflict, settle } as never} />);
  const text = screen.getByRole("alertdialog").textContent;
  expect(text).toContain("way seats are offered, theirs");
  expect(text).toContain("Tue 14 Sep 2027");
  await person.click(screen.getByRole("button", { name: "Keep theirs" }));
  expect(settle).toHaveBeenCalledWith(false);
});

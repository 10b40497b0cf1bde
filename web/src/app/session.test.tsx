import { act, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";

import { draw, run } from "../testing/render";
import { answers, problem } from "../testing/server";
import { useKept, useKeptKey, useMe, useSession, useSettled, useTyped } from "./session";

test("what was set survives a reload; what nobody set follows what holds", () => {
  const useNote = ({ first }: { first: string }) => useKept("note", first);
  const once = run(() => useNote({ first: "a" }));
  expect(once.result.current[0]).toBe("a");
  expect(sessionStorage.getItem("note")).toBeNull();
  act(() => once.result.current[1]((old) => `${old}b`));
  once.unmount();
  const again = run(() => useNote({ first: "z" }));
  expect(again.result.current[0]).toBe("ab");
  act(() => again.result.current[2]());
  expect(again.result.current[0]).toBe("z");
});

test("what cannot be read any more is as if it were not kept", () => {
  sessionStorage.setItem("note", "{broken");
  expect(run(() => useKept("note", "a")).result.current[0]).toBe("a");
});

test("another key has its own value", () => {
  sessionStorage.setItem("note-2", '"two"');
  const { result } = run(() => {
    const [id, setId] = useState(1);
    return { kept: useKept(`note-${id}`, "one"), setId };
  });
  act(() => result.current.kept[1]("ones"));
  act(() => result.current.setId(2));
  expect(result.current.kept[0]).toBe("two");
  act(() => result.current.setId(1));
  expect(result.current.kept[0]).toBe("ones");
});

test("a form's key stays with its draft and is another after it", () => {
  const first = run(() => useKeptKey("key"));
  const [key] = first.result.current;
  first.unmount();
  const second = run(() => useKeptKey("key"));
  expect(second.result.current[0]).toBe(key);
  act(() => second.result.current[1]());
  expect(second.result.current[0]).not.toBe(key);
});

test("a value settles after a pause, whole", async () => {
  vi.useFakeTimers();
  const { result } = run(() => {
    const [text, setText] = useState("");
    return { settled: useSettled(text, 100), setText };
  });
  for (const text of ["p", "pi", "pio"]) act(() => result.current.setText(text));
  act(() => vi.advanceTimersByTime(99));
  expect(result.current.settled).toBe("");
  act(() => vi.advanceTimersByTime(1));
  expect(result.current.settled).toBe("pio");
  vi.useRealTimers();
});

test("fast letters are all seen, told once, and replaced by what a link brings", async () => {
  const told = vi.fn();
  function Search() {
    const [q, setQ] = useState("");
    const [typed, setTyped] = useTyped(q, (text) => (told(text), setQ(text)));
    return (
      <>
        <input aria-label="Search" value={typed} onChange={(e) => setTyped(e.target.value)} />
        <button onClick={() => setQ("")}>show all</button>
      </>
    );
  }
  const { person } = draw(<Search />);
  const field = screen.getByLabelText<HTMLInputElement>("Search");
  await person.type(field, "family14999");
  expect(field.value).toBe("family14999");
  await waitFor(() => expect(told).toHaveBeenLastCalledWith("family14999"));
  expect(told.mock.calls.length).toBeLessThan(4);
  await person.click(screen.getByRole("button", { name: "show all" }));
  expect(field.value).toBe("");
});

test("who is signed in: nobody is an answer, a broken server is not", async () => {
  answers("get", "/api/v1/session", () => problem(401, "signed-out", "Sign in."));
  const { result } = run(() => useSession());
  expect(result.current.me).toBeUndefined();
  await waitFor(() => expect(result.current.me).toBeNull());
  answers("get", "/api/v1/session", () => problem(500, "broken", "Something went wrong."));
  const broken = run(() => useSession());
  await waitFor(() => expect(broken.result.current.error).toBeTruthy());
  expect(broken.result.current.me).toBeUndefined();
});

test("pages below the sign-in gate know who they are for", () => {
  expect(run(() => useMe()).result.current.name).toBe("Ruth Okonjo");
});

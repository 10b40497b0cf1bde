import { act, screen, waitFor } from "@testing-library/react";
import { HttpResponse } from "msw";
import { useState } from "react";
import { expect, test, vi } from "vitest";

import { api, ask } from "../app/server";
import { draw, run } from "../testing/render";
import { answers, problem } from "../testing/server";
import { Field } from "./Field";
import { Ends, Form } from "./Form";
import { hasDraft } from "./drafts";
import { useServerForm } from "./useServerForm";

function Notes({ said = vi.fn(), start = { text: "" } }) {
  const form = useServerForm({
    draft: "note-7",
    start,
    send: (body, key) =>
      ask(
        api.POST("/api/v1/people/{person_id}/notes", {
          params: { path: { person_id: 7 }, header: { "Idempotency-Key": key } },
          body,
        }),
      ),
    done: () => said("kept"),
  });
  return (
    <Form of={form} label="Note">
      <Field label="First" value="" onChange={() => undefined} />
      <Field label="A note" {...form.field("text")} />
      <Ends of={form} act="Keep it" onLeave={form.forget} />
      <output>{form.dirty.join()}</output>
    </Form>
  );
}
const NOTES = "/api/v1/people/7/notes";

test("what is typed is sent once, under one key, and the next form starts empty", async () => {
  const sent = answers("post", NOTES, {});
  const said = vi.fn();
  const { person } = draw(<Notes said={said} />);
  await person.type(screen.getByLabelText("A note"), "Came by");
  expect(screen.getByText("text")).toBeTruthy();
  await person.dblClick(screen.getByRole("button", { name: "Keep it" }));
  await waitFor(() => expect(said).toHaveBeenCalledWith("kept"));
  expect(sent.map((s) => s.body)).toEqual([{ text: "Came by" }]);
  expect(sent[0]!.key).toMatch(/^[0-9a-f-]{36}$/);
  expect(screen.getByLabelText<HTMLInputElement>("A note").value).toBe("");
  expect(hasDraft("note-7")).toBe(false);
});

test("another wish is sent under another key; the same one again under the same", async () => {
  const sent = answers("post", NOTES, () => problem(500, "broken", "Something went wrong."));
  const { person } = draw(<Notes />);
  await person.type(screen.getByLabelText("A note"), "One");
  const keep = screen.getByRole("button", { name: "Keep it" });
  await person.click(keep);
  await screen.findByText("Something went wrong.");
  await person.click(keep);
  await waitFor(() => expect(sent).toHaveLength(2));
  await waitFor(() => expect(keep).toHaveProperty("disabled", false));
  await person.type(screen.getByLabelText("A note"), " more");
  await person.click(keep);
  await waitFor(() => expect(sent).toHaveLength(3));
  expect(sent[0]!.key).toBe(sent[1]!.key);
  expect(sent[2]!.key).not.toBe(sent[1]!.key);
});

test("a refusal stands at its field, takes the focus, and nothing typed is lost", async () => {
  answers("post", NOTES, () =>
    problem(422, "invalid", "Not saved.", [{ at: "/text", message: "A note has at most 4 letters." }]),
  );
  const { person } = draw(<Notes />);
  const field = screen.getByLabelText<HTMLInputElement>("A note");
  await person.type(field, "Too long{Enter}");
  await screen.findByText("A note has at most 4 letters.");
  expect(document.activeElement).toBe(field);
  expect(field.value).toBe("Too long");
  expect(field.getAttribute("aria-invalid")).toBe("true");
  expect(document.getElementById(field.getAttribute("aria-describedby")!)?.textContent).toContain(
    "at most 4",
  );
});

test("a server that does not answer is said at the form's end", async () => {
  answers("post", NOTES, () => HttpResponse.error());
  const { person } = draw(<Notes />);
  await person.type(screen.getByLabelText("A note"), "Hello{Enter}");
  expect((await screen.findByRole("alert")).textContent).toContain("The server does not answer.");
});

test("a draft survives until it is sent or dropped", async () => {
  const { person, unmount } = draw(<Notes />);
  await person.type(screen.getByLabelText("A note"), "Half a");
  unmount();
  expect(hasDraft("note-7")).toBe(true);
  draw(<Notes />);
  expect(screen.getByLabelText<HTMLInputElement>("A note").value).toBe("Half a");
  await person.click(screen.getByRole("button", { name: "Leave it" }));
  expect(screen.getByLabelText<HTMLInputElement>("A note").value).toBe("");
  expect(hasDraft("note-7")).toBe(false);
});

test("typing back what holds is no draft any more", async () => {
  const { person } = draw(<Notes start={{ text: "as it was" }} />);
  const field = screen.getByLabelText("A note");
  await person.type(field, "!");
  expect(hasDraft("note-7")).toBe(true);
  await person.type(field, "{Backspace}");
  expect(hasDraft("note-7")).toBe(false);
});

test("closing the tab is asked about only while something waits", async () => {
  const { person } = draw(<Notes />);
  const leaves = () => !window.dispatchEvent(new Event("beforeunload", { cancelable: true }));
  expect(leaves()).toBe(false);
  await person.type(screen.getByLabelText("A note"), "x");
  expect(leaves()).toBe(true);
});

test("fields nobody touched follow what holds; touched ones stay", async () => {
  const { result } = run(() => {
    const [start, hold] = useState({ place: "Quarry yard", seats: "14" });
    const send = (v: typeof start) => Promise.resolve(v);
    return { hold, form: useServerForm({ draft: null, start, send, done: () => undefined }) };
  });
  act(() => result.current.form.set({ seats: "20" }));
  act(() => result.current.hold({ place: "Hall 2", seats: "16" }));
  expect(result.current.form.values).toEqual({ place: "Hall 2", seats: "20" });
  expect(result.current.form.dirty).toEqual(["seats"]);
  act(() => result.current.form.forget());
  await waitFor(() => expect(result.current.form.values).toEqual({ place: "Hall 2", seats: "16" }));
});

test("a refusal that has a kind is handed on, and `anyway` reaches the server", async () => {
  const sent = answers("post", NOTES, () => problem(409, "same-check", "The same check."));
  const { result } = run(() =>
    useServerForm({
      draft: null,
      start: { text: "Check 7" },
      send: (body, key, { anyway }) =>
        ask(
          api.POST("/api/v1/people/{person_id}/notes", {
            params: { path: { person_id: 7 }, header: { "Idempotency-Key": key } },
            body: { ...body, ...(anyway && { anyway }) } as { text: string },
          }),
        ),
      done: () => undefined,
    }),
  );
  await act(() => result.current.submit());
  expect(result.current.problem?.kind).toBe("same-check");
  act(() => result.current.dismiss());
  expect(result.current.problem).toBeNull();
  await act(() => result.current.submit({ anyway: true }));
  expect(sent.map((s) => s.body)).toEqual([{ text: "Check 7" }, { text: "Check 7", anyway: true }]);
});

import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";

import { api, ask, keyHeader, messageOf } from "../app/server";
import { draw } from "../testing/render";
import { answers, problem, type Sent } from "../testing/server";
import { useAct } from "./useAct";
import { useForeseen } from "./useForeseen";

const NOTES = "/api/v1/people/7/notes";

/** Asks what a note would do as it is typed, and keeps it at what was shown. */
function Foreseen({ done = vi.fn() }) {
  const [text, setText] = useState("");
  const note = (body: { text: string }, key?: string) =>
    ask(
      api.POST("/api/v1/people/{person_id}/notes", {
        params: { path: { person_id: 7 }, header: key ? keyHeader(key) : {} },
        body,
      }),
    );
  const act = useForeseen({
    name: ["note"],
    wish: text ? { text } : null,
    see: (wish) => note(wish),
    send: (wish, key) => note({ text: `${wish.text}, done` }, key),
    done,
  });
  return (
    <>
      <input aria-label="Text" value={text} onChange={(e) => setText(e.target.value)} />
      <button disabled={!act.ready} onClick={() => void act.act()}>
        Do it
      </button>
      {act.trouble != null && <p role="alert">{messageOf(act.trouble)}</p>}
      <output>{act.preview ? "seen" : "not yet"}</output>
    </>
  );
}

test("an act is ready when its outcome is that of what is typed now, and is done once", async () => {
  const sent = answers("post", NOTES, {});
  const done = vi.fn();
  const { person } = draw(<Foreseen done={done} />);
  const button = screen.getByRole<HTMLButtonElement>("button");
  expect(screen.getByRole("status").textContent).toBe("not yet");
  expect(sent).toHaveLength(0);
  await person.type(screen.getByLabelText("Text"), "Came by");
  await waitFor(() => expect(button.disabled).toBe(false));
  await person.type(screen.getByLabelText("Text"), "!");
  expect(button.disabled).toBe(true); // what is shown is of the text before
  await waitFor(() => expect(button.disabled).toBe(false));
  await person.dblClick(button);
  await waitFor(() => expect(done).toHaveBeenCalledTimes(1));
  const kept = sent.filter((s) => s.key !== null);
  expect(kept.map((s) => s.body)).toEqual([{ text: "Came by!, done" }]);
});

test("what was wrong with one wish is not said of the next, and that has another key", async () => {
  const sent: Sent[] = answers("post", NOTES, () => {
    const last = sent[sent.length - 1]!.body as { text: string };
    return last.text === "No, done" ? problem(409, "full", "No seat is free.") : {};
  });
  const { person } = draw(<Foreseen />);
  const button = screen.getByRole<HTMLButtonElement>("button");
  await person.type(screen.getByLabelText("Text"), "No");
  await waitFor(() => expect(button.disabled).toBe(false));
  await person.click(button);
  expect((await screen.findByRole("alert")).textContent).toBe("No seat is free.");
  await person.type(screen.getByLabelText("Text"), "w");
  expect(screen.queryByRole("alert")).toBeNull();
  await waitFor(() => expect(button.disabled).toBe(false));
  await person.click(button);
  await waitFor(() => expect(sent.filter((s) => s.key !== null)).toHaveLength(2));
  const [first, second] = sent.filter((s) => s.key !== null);
  expect(first!.key).not.toBe(second!.key);
});

function Press({ failed = vi.fn(), done = vi.fn() }) {
  const act = useAct({
    send: (text: string, key) =>
      ask(
        api.POST("/api/v1/people/{person_id}/notes", {
          params: { path: { person_id: 7 }, header: keyHeader(key) },
          body: { text },
        }),
      ),
    done,
    failed,
  });
  return <button onClick={() => void act.act("Rang")}>Press</button>;
}

test("an act of one press is done once, each time under its own key", async () => {
  const sent = answers("post", NOTES, {});
  const done = vi.fn();
  const { person } = draw(<Press done={done} />);
  await person.dblClick(screen.getByRole("button"));
  await waitFor(() => expect(done).toHaveBeenCalledTimes(1));
  await new Promise((later) => setTimeout(later, 450)); // no double click any more
  await person.click(screen.getByRole("button"));
  await waitFor(() => expect(done).toHaveBeenCalledTimes(2));
  expect(new Set(sent.map((s) => s.key)).size).toBe(2);
});

test("what an act is refused for is told in words", async () => {
  answers("post", NOTES, () => problem(409, "merged", "This person has another record now."));
  const failed = vi.fn();
  const { person } = draw(<Press failed={failed} />);
  await person.click(screen.getByRole("button"));
  await waitFor(() => expect(failed).toHaveBeenCalledWith("This person has another record now."));
});

import { screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";

import { Form } from "../form/Form";
import { draw } from "../testing/render";
import { ActNotes } from "./Page";
import { useDone } from "./useUndo";

function Page() {
  const acts = useDone();
  const [open, setOpen] = useState(false);
  return (
    <main>
      <ActNotes acts={acts} />
      {open ? (
        <Form
          onLeave={() => setOpen(false)}
          onSend={() => {
            setOpen(false);
            acts.say({ text: "Held for Quay house owners.", change: "c1" });
          }}
        >
          <input aria-label="For whom" autoFocus />
          <button type="submit">Hold them</button>
          <button type="button" onClick={() => setOpen(false)}>
            Leave it
          </button>
        </Form>
      ) : (
        <button onClick={() => setOpen(true)}>Hold places</button>
      )}
    </main>
  );
}
const focused = () => document.activeElement?.textContent;

test("a form that is left gives the focus back to the button that opened it", async () => {
  const { person } = draw(<Page />);
  await person.click(screen.getByRole("button", { name: "Hold places" }));
  await person.click(screen.getByRole("button", { name: "Leave it" }));
  await waitFor(() => expect(focused()).toBe("Hold places"));
  await person.click(screen.getByRole("button", { name: "Hold places" }));
  expect(document.activeElement?.getAttribute("aria-label")).toBe("For whom");
  await person.keyboard("{Escape}");
  await waitFor(() => expect(focused()).toBe("Hold places"));
});

test("after an act the focus is at what came of it, its undo next", async () => {
  const { person } = draw(<Page />);
  await person.click(screen.getByRole("button", { name: "Hold places" }));
  await person.keyboard("{Enter}");
  await waitFor(() => expect(focused()).toContain("Held for Quay house owners."));
  await new Promise((done) => setTimeout(done, 60));
  expect(focused()).toContain("Held for Quay house owners.");
  await person.tab();
  expect(focused()).toBe("Undo");
});

import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";

import { api, ask, faultsOf, messageOf } from "../../app/server";
import type { useDone } from "../../parts/useUndo";
import { Busy } from "./Busy";
import { FeedAddress } from "./FeedAddress";

export type Acts = ReturnType<typeof useDone>;
type Held = { id: number; name: string };

/** A list of places or instructors: one is opened for change, with its absences and its calendar; one is added. */
export function KeptList<T extends Held>({
  kind,
  items,
  form,
  line,
  acts,
}: {
  kind: "place" | "instructor";
  items: T[];
  form: (held: T | undefined, close: () => void, saved: (name: string) => void) => ReactNode;
  line: (held: T) => ReactNode;
  acts: Acts;
}) {
  const queries = useQueryClient();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const close = () => setOpen(null);
  const saved = (name: string) => {
    acts.say({ text: `${name} is saved.` });
    close();
  };
  const remove = async (held: T) => {
    try {
      const done = await ask(
        kind === "place"
          ? api.DELETE("/api/v1/places/{place_id}", { params: { path: { place_id: held.id } } })
          : api.DELETE("/api/v1/instructors/{instructor_id}", {
              params: { path: { instructor_id: held.id } },
            }),
      );
      acts.say({ text: `${held.name} is taken out.`, change: done.change });
    } catch (error) {
      acts.fail(messageOf(error));
    }
    void queries.invalidateQueries();
  };
  return (
    <>
      {open === "new" ? (
        form(undefined, close, saved)
      ) : (
        <Button onClick={() => setOpen("new")}>Add {kind === "place" ? "a place" : "an instructor"}</Button>
      )}
      <ul className="ruled" style={{ marginTop: 12 }}>
        {items.map((held) => (
          <li key={held.id} className="place">
            {open === held.id ? (
              <>
                {form(held, close, saved)}
                <Busy kind={kind} owner={held} acts={acts} />
                <p>
                  <FeedAddress kind={kind} id={held.id} />
                </p>
              </>
            ) : (
              <div className="row mid">
                {line(held)}
                <button
                  className="plainly"
                  aria-label={`Change ${held.name}`}
                  onClick={() => setOpen(held.id)}
                >
                  change
                </button>
                <button
                  className="plainly quiet"
                  aria-label={`Take out ${held.name}`}
                  onClick={() => void remove(held)}
                >
                  take out
                </button>
              </div>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** A form of a kept thing; Esc leaves it as it was. */
export function KeptForm({
  onSend,
  onClose,
  children,
  error,
}: {
  onSend: () => void;
  onClose: () => void;
  children: ReactNode;
  error: unknown;
}) {
  return (
    <form
      className="inset"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        onSend();
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      {children}
      {error !== null && Object.keys(faultsOf(error)).length === 0 && (
        <p className="fault">{messageOf(error)}</p>
      )}
      <div className="row" style={{ marginTop: 12 }}>
        <Button type="submit" variant="contained">
          Save
        </Button>
        <Button onClick={onClose}>Leave as it was</Button>
      </div>
    </form>
  );
}

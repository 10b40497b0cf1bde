import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { api, ask } from "../../app/server";
import { Ends, Form } from "../../form/Form";
import type { ServerForm } from "../../form/useServerForm";
import { Row, Ruled } from "../../parts/layout";
import { useArrived } from "../../parts/useArrived";
import type { useDone } from "../../parts/useUndo";
import { ink } from "../../theme/palette";
import { Busy } from "./Busy";
import { FeedAddress } from "./FeedAddress";
import { useAct } from "../../form/useAct";

const PlaceLine = styled("li")({ padding: "9px 0", "&[data-at]": { background: ink.verdigrisPale } });

export type Acts = ReturnType<typeof useDone>;
type Held = { id: number; name: string };

/** A list of places: one is opened for change, with its absences and its calendar; one is added. */
export function KeptList<T extends Held>({
  items,
  form,
  line,
  acts,
}: {
  items: T[];
  form: (held: T | undefined, close: () => void, saved: (name: string) => void) => ReactNode;
  line: (held: T) => ReactNode;
  acts: Acts;
}) {
  const queries = useQueryClient();
  const arrived = useArrived();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const close = () => setOpen(null);
  const saved = (name: string) => {
    acts.say({ text: `${name} is saved.` });
    close();
  };
  const removing = useAct({
    send: async ({ id, name }: T) => {
      const done = await ask(api.DELETE("/api/v1/places/{place_id}", { params: { path: { place_id: id } } }));
      return { text: `${name} is taken out.`, change: done.change };
    },
    done: acts.say,
    failed: (message) => {
      acts.fail(message);
      void queries.invalidateQueries();
    },
  });
  return (
    <>
      {open === "new" ? (
        form(undefined, close, saved)
      ) : (
        <Button onClick={() => setOpen("new")}>Add a place</Button>
      )}
      <Ruled sx={{ marginTop: 12 }}>
        {items.map((held) => (
          <PlaceLine key={held.id} {...arrived(held.id)}>
            {open === held.id ? (
              <>
                {form(held, close, saved)}
                <Busy kind="place" owner={held} acts={acts} />
                <p>
                  <FeedAddress kind="place" id={held.id} />
                </p>
              </>
            ) : (
              <Row mid>
                {line(held)}
                <Button variant="text" aria-label={`Change ${held.name}`} onClick={() => setOpen(held.id)}>
                  change
                </Button>
                <Button
                  variant="text"
                  color="secondary"
                  aria-label={`Take out ${held.name}`}
                  onClick={() => void removing.act(held)}
                >
                  take out
                </Button>
              </Row>
            )}
          </PlaceLine>
        ))}
      </Ruled>
    </>
  );
}

/** A form of a kept thing; Esc leaves it as it was. */
export function KeptForm({
  of,
  onClose,
  children,
}: {
  of: ServerForm;
  onClose: () => void;
  children: ReactNode;
}) {
  return (
    <Form look="inset" of={of} onLeave={onClose}>
      {children}
      <Ends of={of} act="Save" leave="Keep as it was" onLeave={onClose} />
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { Tick } from "../../form/Tick";
import { Inset, Row } from "../../parts/layout";
import { count } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { MoveAll } from "./Chosen";
import { useRoster } from "./Roster";

/** Before a run is given up: move its people to other runs, seat by seat or all, with their money. */
export function MovePeople({
  run,
  acts,
  onClose,
}: {
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const roster = useRoster(run.id);
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [moving, setMoving] = useState(false);
  const people = (roster.data?.people ?? []).filter((p) => p.role === "learner");
  const ids = people.filter((p) => !left.has(p.id)).map((p) => p.id);
  if (!roster.data) return null;
  if (people.length === 0)
    return (
      <Inset>
        <P>Nobody holds a seat on this run any more.</P>
        <Button onClick={onClose}>Close</Button>
      </Inset>
    );
  if (moving && ids.length > 0)
    return (
      <MoveAll
        run={run}
        ids={ids}
        acts={acts}
        onClose={() => setMoving(false)}
        onDone={() => setMoving(false)}
      />
    );
  return (
    <Inset>
      <P strong>Who moves to another run</P>
      {people.map((p) => (
        <div key={p.id}>
          <Tick
            checked={!left.has(p.id)}
            onChange={(on) =>
              setLeft((old) => {
                const next = new Set(old);
                if (on) next.delete(p.id);
                else next.add(p.id);
                return next;
              })
            }
          >
            {p.name}
            {p.heads > 1 && `, ${p.heads} seats`}
          </Tick>
        </div>
      ))}
      <Row sx={{ marginTop: 8 }}>
        <Button variant="contained" disabled={ids.length === 0} onClick={() => setMoving(true)}>
          Move {count(ids.length, "sign-up")}
        </Button>
        <Button onClick={onClose}>Close</Button>
      </Row>
    </Inset>
  );
}

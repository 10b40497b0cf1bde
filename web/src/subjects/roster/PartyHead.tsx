import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask } from "../../app/server";
import { useAct } from "../../form/useAct";
import type { useDone } from "../../parts/useUndo";
import { T } from "../../parts/words";
import { PersonPick } from "../people/PersonPick";
import { RowMenu } from "../../parts/RowMenu";
import type { RosterRow } from "./rosterRows";

/** A head of a party beside the one who signed up: its name, or the way to name it. */
export function PartyHead({
  row,
  place,
  acts,
}: {
  row: RosterRow;
  place: RosterRow["places"][number];
  acts: ReturnType<typeof useDone>;
}) {
  const [open, setOpen] = useState(false);
  const [, setParams] = useSearchParams();
  /** What becomes of the money and the seat is asked in the margin, where there is room for it. */
  const leave = () =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      next.set("at", String(row.id));
      next.set("act", `leaves-${place.n}`);
      return next;
    });
  const naming = useAct({
    send: (person_id: number) =>
      ask(
        api.PUT("/api/v1/enrollments/{enrollment_id}/places/{n}", {
          params: { path: { enrollment_id: row.id, n: place.n } },
          body: { person_id },
        }),
      ),
    done: (result) => {
      setOpen(false);
      acts.say({ text: `${result.name} sits with ${row.name}.`, change: result.change });
    },
    failed: acts.fail,
  });
  const who = place.name ?? `head ${place.n}`;
  const menu = (
    <RowMenu
      of={`${who} of ${row.name}`}
      acts={[
        ...(place.person_id === null
          ? []
          : [{ text: "Somebody else takes the seat", do: () => setOpen(true) }]),
        { text: "Withdraw this head", do: leave },
      ]}
    />
  );
  if (place.person_id !== null && !open)
    return (
      <div>
        and <Link to={`/people/${place.person_id}`}>{place.name}</Link> {menu}
      </div>
    );
  if (!open)
    return (
      <T tone="slate" as="div">
        and one to be named{" "}
        <Button
          variant="text"
          aria-label={`Name head ${place.n} of ${row.name}`}
          onClick={() => setOpen(true)}
        >
          name
        </Button>{" "}
        {menu}
      </T>
    );
  return (
    <Box sx={{ maxWidth: 300, margin: "6px 0" }}>
      <PersonPick
        label={`Name of head ${place.n}`}
        adds={`head-${row.id}-${place.n}`}
        onPick={(id) => void naming.act(id)}
        onLeave={() => setOpen(false)}
        leave="later"
      />
    </Box>
  );
}

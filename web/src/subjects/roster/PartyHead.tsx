import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, messageOf } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { PickList } from "../../form/PickList";
import type { useDone } from "../../parts/useUndo";
import { T } from "../../parts/words";
import { NewPerson } from "../people/NewPerson";
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
  const [typed, setTyped] = useKept(`head-${row.id}-${place.n}`, "");
  const [adding, setAdding] = useState(false);
  const q = useSettled(typed.trim(), 150);
  const found = $api.useQuery(
    "get",
    "/api/v1/people",
    { params: { query: { q, limit: 4 } } },
    { enabled: open && q.length > 0 },
  );
  const name = async (person_id: number) => {
    try {
      const result = await ask(
        api.PUT("/api/v1/enrollments/{enrollment_id}/places/{n}", {
          params: { path: { enrollment_id: row.id, n: place.n } },
          body: { person_id },
        }),
      );
      setTyped("");
      setOpen(false);
      setAdding(false);
      acts.say({ text: `${result.name} sits with ${row.name}.`, change: result.change });
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  if (place.person_id !== null)
    return (
      <div>
        and <Link to={`/people/${place.person_id}`}>{place.name}</Link>
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
        </Button>
      </T>
    );
  if (adding)
    return (
      <NewPerson
        typed={typed}
        where={`head-${row.id}-${place.n}`}
        onCancel={() => setAdding(false)}
        onAdded={(p) => void name(p.id)}
      />
    );
  return (
    <Box sx={{ maxWidth: 300, margin: "6px 0" }}>
      <PickList
        label={`Name of head ${place.n}`}
        placeholder="name, email or phone"
        typed={typed}
        onType={setTyped}
        autoFocus
        fresh={q === typed.trim() && (found.data !== undefined || !q)}
        onPick={(key) => (key === "new" ? setAdding(true) : void name(Number(key)))}
        options={[
          ...(q ? (found.data ?? []) : []).map((p) => ({
            key: String(p.id),
            content: (
              <>
                {p.name} <T tone="slate">{p.email ?? p.phone}</T>
              </>
            ),
          })),
          ...(typed.trim()
            ? [
                {
                  key: "new",
                  content: <>New person “{typed.trim()}”</>,
                },
              ]
            : []),
        ]}
      />
      <Button variant="text" color="secondary" onClick={() => setOpen(false)}>
        later
      </Button>
    </Box>
  );
}

import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";

import { $api, messageOf, type Schemas } from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { PickList } from "../../form/PickList";
import { Row } from "../../parts/layout";
import { count, money } from "../../parts/text";
import { P, T } from "../../parts/words";
import { NewPerson } from "./NewPerson";

/** Somebody as found: how to reach them, and what they owe. */
export function PersonLine({ person }: { person: Schemas["PersonFound"] }) {
  const { currency } = useMe();
  return (
    <>
      <Row sx={{ justifyContent: "space-between" }}>
        <strong>{person.name}</strong>
        <T tone="slate" nowrap>
          {person.runs ? count(person.runs, "run") : ""}
        </T>
      </Row>
      <T tone="slate" as="div">
        {person.email ?? "no email"}
      </T>
      <T tone="slate" as="div">
        {person.phone}
        {person.credit && <span> has {money(person.credit, currency)} credit</span>}
        {person.owed && <T tone="ochre"> owes {money(person.owed, currency)}</T>}
      </T>
    </>
  );
}

/**
 * Somebody is found and picked; with `adds`, the name under which the form of a new person is kept, also added on the spot.
 * `first` is looked up before anything is typed, `not` is left out.
 */
export function PersonPick({
  label,
  adds,
  first = "",
  not,
  onPick,
  onLeave,
  leave = "leave it",
  autoFocus = true,
}: {
  label: string;
  adds?: string;
  first?: string;
  not?: number;
  onPick: (personId: number) => void;
  onLeave?: () => void;
  leave?: ReactNode;
  autoFocus?: boolean;
}) {
  const [typed, setTyped] = useState(first);
  const [adding, setAdding] = useState(false);
  const q = useSettled(typed.trim(), 120);
  const found = $api.useQuery(
    "get",
    "/api/v1/people",
    { params: { query: { q, limit: 6 } } },
    { enabled: q.length > 0 },
  );
  if (adding && adds)
    return (
      <NewPerson
        typed={typed}
        where={adds}
        onCancel={() => setAdding(false)}
        onAdded={(p) => {
          setAdding(false);
          onPick(p.id);
        }}
      />
    );
  const here = q ? (found.data ?? []).filter((p) => p.id !== not) : [];
  return (
    <>
      <PickList
        label={label}
        placeholder="name, email or phone"
        typed={typed}
        onType={setTyped}
        autoFocus={autoFocus}
        busy={found.isFetching}
        trouble={found.error ? messageOf(found.error) : undefined}
        fresh={q === typed.trim() && (found.data !== undefined || !q)}
        onPick={(key) => (key === "new" ? setAdding(true) : onPick(Number(key)))}
        options={[
          ...here.map((p) => ({ key: String(p.id), content: <PersonLine person={p} /> })),
          ...(q && adds ? [{ key: "new", content: <>New person named “{typed.trim()}”</> }] : []),
        ]}
        empty={q && found.data ? <P tone="slate">Nobody fits.</P> : undefined}
      />
      {onLeave && (
        <Button variant="text" color="secondary" onClick={onLeave}>
          {leave}
        </Button>
      )}
    </>
  );
}

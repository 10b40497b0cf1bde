import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import { $api } from "../../app/server";
import { useMe, useTyped } from "../../app/session";
import { Field } from "../../form/Field";
import { Grow, Part, Row, Ruled } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
import { Empty, Name, T } from "../../parts/words";
import { NewPerson } from "./NewPerson";

/** Everybody the center knows, found by any part of name, email or phone. */
export default function PeoplePage() {
  const me = useMe();
  const go = useNavigate();
  const [params, setParams] = useSearchParams();
  const q = (params.get("q") ?? "").trim();
  const [typed, setTyped] = useTyped(params.get("q") ?? "", (text) =>
    setParams(text ? { q: text } : {}, { replace: true }),
  );
  const [adding, setAdding] = useState(false);
  const found = $api.useQuery(
    "get",
    "/api/v1/people",
    { params: { query: { q, limit: 50 } } },
    { placeholderData: keepPreviousData },
  );
  return (
    <Page
      title="People"
      margin={null}
      help="The beginning of any name will do, without accents; so do the last digits of a phone number. People may share an email or a phone; neither tells who they are."
    >
      <Box component="h1" sx={{ marginBottom: 14 }}>
        People
      </Box>
      <Row mid sx={{ marginBottom: 12, alignItems: "flex-end" }}>
        <Field label="Name, email or phone" value={typed} autoFocus onChange={setTyped} />
        <Button variant="text" onClick={() => setAdding(!adding)}>
          {adding ? "close the form" : "Add a person"}
        </Button>
      </Row>
      {adding && (
        <Part as="div" sx={{ display: "block", maxWidth: 560 }}>
          <NewPerson
            typed={typed}
            where="people"
            onCancel={() => setAdding(false)}
            onAdded={(p) => void go(`/people/${p.id}`)}
          />
        </Part>
      )}
      {found.error && !found.data ? (
        <Trouble error={found.error} retry={() => void found.refetch()} />
      ) : found.data?.length === 0 ? (
        <Empty as="p">Nobody fits. A shorter beginning of the name may.</Empty>
      ) : (
        <Ruled aria-busy={found.isFetching}>
          {found.data?.map((p) => (
            <Row as="li" key={p.id} sx={{ padding: "8px 0" }}>
              <Grow as="span">
                <Name strong to={`/people/${p.id}`}>
                  {p.name}
                </Name>{" "}
                <T tone="slate">{[p.email, p.phone].filter(Boolean).join(", ")}</T>
              </Grow>
              <T tone="slate">{p.runs ? count(p.runs, "run") : "no run now"}</T>
              <T right sx={{ width: 260 }}>
                {p.owed && (
                  <>
                    owes{" "}
                    <T tone="copper" as="strong">
                      {money(p.owed, me.currency)}
                    </T>
                    {p.next_due && <Due due={p.next_due.due} today={me.today} />}
                  </>
                )}
              </T>
            </Row>
          ))}
        </Ruled>
      )}
    </Page>
  );
}

function Due({ due, today }: { due: string; today: string }) {
  if (due >= today) return <T tone="slate">, next by {day(due, false)}</T>;
  return <T tone="ochre">, due since {day(due, false)}</T>;
}

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { api, ask } from "../../app/server";
import { useMe, useTyped } from "../../app/session";
import { Field } from "../../parts/Field";
import { Page, Trouble } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
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
  const found = useQuery({
    queryKey: ["people", q, 50],
    queryFn: () => ask(api.GET("/api/v1/people", { params: { query: { q, limit: 50 } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <Page
      title="People"
      margin={
        <section>
          <h2>Finding somebody</h2>
          <p className="slate">
            Any part of a name will do, without accents; digits find a phone number. People may share an email
            or a phone; neither tells who they are.
          </p>
        </section>
      }
    >
      <h1 style={{ marginBottom: 14 }}>People</h1>
      <div className="row mid" style={{ marginBottom: 12, alignItems: "flex-end" }}>
        <Field label="Name, email or phone" value={typed} autoFocus onChange={setTyped} />
        <button className="plainly nowrap" onClick={() => setAdding(!adding)}>
          {adding ? "close the form" : "Add a person"}
        </button>
      </div>
      {adding && (
        <div className="part" style={{ display: "block", maxWidth: 560 }}>
          <NewPerson
            typed={typed}
            where="people"
            onCancel={() => setAdding(false)}
            onAdded={(p) => void go(`/people/${p.id}`)}
          />
        </div>
      )}
      {found.error && !found.data ? (
        <Trouble error={found.error} retry={() => void found.refetch()} />
      ) : found.data?.length === 0 ? (
        <p className="empty">Nobody fits. A shorter part of the name may.</p>
      ) : (
        <ul className="ruled" aria-busy={found.isFetching}>
          {found.data?.map((p) => (
            <li key={p.id} className="row" style={{ padding: "8px 0" }}>
              <span className="grow">
                <Link className="name strong" to={`/people/${p.id}`}>
                  {p.name}
                </Link>{" "}
                <span className="slate">{[p.email, p.phone].filter(Boolean).join(", ")}</span>
              </span>
              <span className="slate">{p.runs ? count(p.runs, "run") : "no run now"}</span>
              <span className="right" style={{ width: 260 }}>
                {p.owed && (
                  <>
                    owes <strong className="copper">{money(p.owed, me.currency)}</strong>
                    {p.next_due && <Due due={p.next_due.due} today={me.today} />}
                  </>
                )}
              </span>
            </li>
          ))}
        </ul>
      )}
    </Page>
  );
}

function Due({ due, today }: { due: string; today: string }) {
  if (due >= today) return <span className="slate">, next by {day(due, false)}</span>;
  return <span className="ochre">, due since {day(due, false)}</span>;
}

import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Words } from "../schedule/TimeLine";
import { MoneyTabs } from "./MoneyTabs";

/** Quotes that were kept for somebody: until when they stand, and the way to sign up on one. */
export default function QuotesPage() {
  const [params, setParams] = useSearchParams();
  const every = params.get("show") === "every";
  const acts = useDone();
  const query = useQuery({
    queryKey: ["kept-quotes", every],
    queryFn: () => ask(api.GET("/api/v1/quotes", { params: { query: { every } } })),
  });
  if (!query.data)
    return <NotYet title="Kept quotes" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Kept quotes"
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>What a kept quote does</h2>
            <p className="slate">
              Its price stands through its last day, whatever becomes of the fees meanwhile. It holds no seat.
              Whoever kept it is reminded before it ends. Keep one at the desk, under the quote.
            </p>
          </section>
        </>
      }
    >
      <MoneyTabs />
      <h1 style={{ margin: "12px 0 6px" }}>Kept quotes</h1>
      <Words
        label="Show"
        value={every ? "every" : "open"}
        words={[
          ["open", "those that stand"],
          ["every", "every one"],
        ]}
        onPick={(v) => setParams(v === "every" ? { show: v } : {}, { replace: true })}
      />
      {query.data.length === 0 ? (
        <p className="empty">
          No quote {every ? "was ever kept" : "stands"}. <Link to="/desk">At the desk</Link>, the quote in the
          margin can be kept for whoever is on the phone, and sent.
        </p>
      ) : (
        <KeptList quotes={query.data} acts={acts} />
      )}
    </Page>
  );
}

/** Kept quotes as lines; also on a person's page. */
export function KeptList({
  quotes,
  acts,
}: {
  quotes: Schemas["KeptOut"][];
  acts: ReturnType<typeof useDone>;
}) {
  const me = useMe();
  const drop = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/v1/quotes/{quote_id}/drop", { params: { path: { quote_id: id } } })),
    onSuccess: (done) => acts.say({ text: `Dropped the quote for ${done.name}.`, change: done.change }),
    onError: (error) => acts.fail(messageOf(error)),
  });
  return (
    <ul className="ruled" style={{ marginTop: 12 }}>
      {quotes.map((q) => (
        <li key={q.id} className="row mid" style={{ padding: "8px 0" }}>
          <span className="grow">
            <Link className="name strong" to={`/people/${q.person_id}`}>
              {q.name}
            </Link>{" "}
            on{" "}
            <Link className="name" to={`/runs/${q.run_id}`}>
              {q.title}, {q.run}
            </Link>
            {q.note && <div className="slate">{q.note}</div>}
          </span>
          <strong className="copper">{money(q.total, q.currency)}</strong>
          <span className={q.status === "open" && q.last <= me.today ? "ochre strong" : "slate"}>
            {q.status === "open" ? `stands through ${day(q.last)}` : `${q.status}, ${day(q.last)}`}
          </span>
          {q.status === "open" ? (
            <span className="row" style={{ gap: 12 }}>
              <Link to={`/desk?quote=${q.id}`}>
                Sign up on it<span className="sr"> for {q.name}</span>
              </Link>
              <button className="plainly quiet" onClick={() => drop.mutate(q.id)}>
                drop<span className="sr"> the quote for {q.name}</span>
              </button>
            </span>
          ) : (
            <span />
          )}
        </li>
      ))}
    </ul>
  );
}

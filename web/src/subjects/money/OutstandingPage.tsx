import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { NotYet, Page } from "../../parts/Page";
import { day, isZero, money } from "../../parts/text";
import { MoneyTabs } from "../fees/MoneyTabs";

type Found = Schemas["Outstanding"];
const AGES: Record<string, string> = {
  current: "not due yet",
  "1-30": "1 to 30 days late",
  "31-60": "31 to 60",
  "61-90": "61 to 90",
  "over 90": "over 90",
};

/** Who owes what and since when; what is to come by week, and what is not earned before its run ends. */
export default function OutstandingPage() {
  const me = useMe();
  const [params] = useSearchParams();
  const runId = Number(params.get("run")) || null;
  const query = useQuery({
    queryKey: ["outstanding", runId],
    queryFn: () => ask(api.GET("/api/v1/outstanding", { params: { query: { run_id: runId } } })),
  });
  const run = useQuery({
    queryKey: ["run", runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId! } } })),
    enabled: runId !== null,
  });
  const found = query.data;
  if (!found) return <NotYet title="Outstanding" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Outstanding"
      margin={
        <>
          <section>
            <h2>To come, by week</h2>
            <Sums
              rows={found.expected.slice(0, 12).map((w) => [`from ${day(w.week, false)}`, w.amount])}
              currency={found.currency}
              empty="Nothing is open."
            />
            <p className="slate">What is late stands in this week.</p>
          </section>
          <section>
            <h2>Not earned yet</h2>
            <Sums
              rows={found.deferred.map((m) => [
                `ends in ${day(m.month, false).slice(6)} ${m.month.slice(0, 4)}`,
                m.amount,
              ])}
              currency={found.currency}
              empty="No run with sign-ups is still to end."
            />
            <p className="slate">Fees of runs count as earned when the run has ended.</p>
          </section>
        </>
      }
    >
      <MoneyTabs />
      <div className="title">
        <h1 style={{ margin: "12px 0 6px" }}>Outstanding{run.data ? ` of ${run.data.title}` : ""}</h1>
        <span className="row nowrap" style={{ gap: 18, flex: "none" }}>
          <a href="/api/v1/outstanding.csv" download>
            as CSV
          </a>
          <a href="/api/v1/ledger.txt" download>
            the whole ledger as text
          </a>
        </span>
      </div>
      {runId !== null && (
        <p>
          Only what is open of <Link to={`/runs/${runId}/roster`}>{run.data?.code ?? "this run"}</Link>.{" "}
          <Link to="/money">The whole center</Link>
        </p>
      )}
      <Ages found={found} />
      {found.payers.length === 0 ? (
        <p className="empty">Nobody owes anything, and nobody has a credit.</p>
      ) : (
        <div className="tablewrap">
          <table className="plain" style={{ marginTop: 16 }}>
            <thead>
              <tr>
                <th>Payer</th>
                <th className="right">Open</th>
                <th>First due</th>
                <th className="right">Late 1 to 30</th>
                <th className="right">31 to 60</th>
                <th className="right">61 to 90</th>
                <th className="right">over 90</th>
                <th className="right">Credit</th>
              </tr>
            </thead>
            <tbody>
              {found.payers.map((p) => (
                <tr key={p.account_id}>
                  <td>
                    <Link className="name strong" to={`/accounts/${p.account_id}`}>
                      {p.name}
                    </Link>
                  </td>
                  <td className="right copper strong">{sum(p.open, found)}</td>
                  <td className={p.first_due && p.first_due < me.today ? "ochre nowrap" : "nowrap"}>
                    {day(p.first_due)}
                  </td>
                  {found.buckets.slice(1).map((b) => (
                    <td key={b} className="right">
                      {sum(p.ages[b]!, found)}
                    </td>
                  ))}
                  <td className="right">{sum(p.credit, found)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}

/** A sum, or nothing where there is none. */
function sum(amount: string, found: Found): string {
  return isZero(amount) ? "" : money(amount, found.currency);
}

/** The ages of what is open as one bar of stones, widths by their sums, with the sums as words below. */
function Ages({ found }: { found: Found }) {
  const whole = found.buckets.reduce((n, b) => n + Number(found.totals[b]), 0);
  return (
    <div className="ages">
      <div className="row" style={{ gap: 32 }}>
        <div>
          <div className="big copper">{money(found.open, found.currency)}</div>
          <div className="slate">open in all</div>
        </div>
        <div>
          <div className="big">{money(found.overdue, found.currency)}</div>
          <div className={isZero(found.overdue) ? "slate" : "ochre strong"}>of it late</div>
        </div>
        <div>
          <div className="big">{money(found.credit, found.currency)}</div>
          <div className="slate">credit of payers</div>
        </div>
      </div>
      {whole > 0 && (
        <ul className="agebar" aria-label="What is open, by age">
          {found.buckets.map((b, i) =>
            isZero(found.totals[b]!) ? null : (
              <li key={b} className={`age${i}`} style={{ flexGrow: Number(found.totals[b]) / whole }}>
                <strong>{money(found.totals[b], found.currency)}</strong> {AGES[b]}
              </li>
            ),
          )}
        </ul>
      )}
    </div>
  );
}

function Sums({ rows, currency, empty }: { rows: [string, string][]; currency: string; empty: string }) {
  if (rows.length === 0) return <p className="slate">{empty}</p>;
  return (
    <dl className="facts">
      {rows.map(([label, amount]) => [
        <dt key={`${label}t`}>{label}</dt>,
        <dd key={`${label}d`}>{money(amount, currency)}</dd>,
      ])}
    </dl>
  );
}

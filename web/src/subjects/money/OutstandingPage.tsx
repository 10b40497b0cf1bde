import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { NotYet, Page } from "../../parts/Page";
import { count, day, isZero, money } from "../../parts/text";
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
  const [age, setAge] = useState<string | null>(null);
  const [limit, setLimit] = useState(200);
  const query = useQuery({
    queryKey: ["outstanding", runId, limit],
    queryFn: () => ask(api.GET("/api/v1/outstanding", { params: { query: { run_id: runId, limit } } })),
    placeholderData: keepPreviousData,
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
            {found.expected.length === 0 && <p className="slate">Nothing is open.</p>}
            {found.expected.slice(0, 12).map((w) => (
              <Opened
                key={w.week}
                label={`from ${day(w.week, false)}`}
                amount={money(w.amount, found.currency)}
                file={`/api/v1/outstanding/open.csv?week=${w.week}${runId ? `&run_id=${runId}` : ""}`}
              >
                <OpenRows which={{ week: w.week, run_id: runId }} currency={found.currency} />
              </Opened>
            ))}
            <p className="slate">What is late stands in this week.</p>
          </section>
          <section>
            <h2>Not earned yet</h2>
            {found.deferred.length === 0 && <p className="slate">No run with sign-ups is still to end.</p>}
            {found.deferred.map((m) => (
              <Opened
                key={m.month}
                label={`ends in ${day(m.month, false).slice(6)} ${m.month.slice(0, 4)}`}
                amount={money(m.amount, found.currency)}
                file={`/api/v1/outstanding/unearned.csv?month=${m.month}${runId ? `&run_id=${runId}` : ""}`}
              >
                <UnearnedRows which={{ month: m.month, run_id: runId }} currency={found.currency} />
              </Opened>
            ))}
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
      <Ages found={found} age={age} onPick={setAge} />
      {age && (
        <div className="part" style={{ borderTop: 0 }}>
          <h2>
            {AGES[age]}: {money(found.totals[age], found.currency)}
          </h2>
          <OpenRows which={{ age, run_id: runId }} currency={found.currency} />
          <a
            href={`/api/v1/outstanding/open.csv?age=${encodeURIComponent(age)}${runId ? `&run_id=${runId}` : ""}`}
            download
          >
            these as CSV
          </a>
        </div>
      )}
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
          {found.payers.length < found.payers_total && (
            <p className="row mid" style={{ marginTop: 12 }}>
              <Button onClick={() => setLimit(limit + 400)} disabled={query.isFetching}>
                Show more
              </Button>
              <span className="slate">
                {found.payers.length} of {count(found.payers_total, "payer")}, longest overdue first; the sums
                above are of all of them.
              </span>
            </p>
          )}
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
function Ages({
  found,
  age,
  onPick,
}: {
  found: Found;
  age: string | null;
  onPick: (age: string | null) => void;
}) {
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
                <button
                  className="plainly"
                  aria-pressed={age === b}
                  onClick={() => onPick(age === b ? null : b)}
                >
                  <strong>{money(found.totals[b], found.currency)}</strong> {AGES[b]}
                </button>
              </li>
            ),
          )}
        </ul>
      )}
    </div>
  );
}

/** A figure that opens to the entries behind it. */
function Opened({
  label,
  amount,
  file,
  children,
}: {
  label: string;
  amount: string;
  file: string;
  children: React.ReactNode;
}) {
  const [open, setOpen] = useState(false);
  return (
    <div className="opened">
      <button className="plainly" aria-expanded={open} onClick={() => setOpen(!open)}>
        <span>{label}</span> <strong>{amount}</strong>
      </button>
      {open && (
        <div className="inner">
          {children}
          <a href={file} download>
            these as CSV<span className="sr">, {label}</span>
          </a>
        </div>
      )}
    </div>
  );
}

type Which = { week?: string; age?: string; run_id: number | null };

function OpenRows({ which, currency }: { which: Which; currency: string }) {
  const query = useQuery({
    queryKey: ["open-rows", which],
    queryFn: () => ask(api.GET("/api/v1/outstanding/open", { params: { query: which } })),
  });
  return (
    <ul className="ruled">
      {query.data?.map((r, n) => (
        <li key={n} className="duo">
          <Link to={`/accounts/${r.account_id}`}>{r.payer}</Link>{" "}
          <strong className="copper">{money(r.left, currency)}</strong>
          <div className="slate">
            {r.who !== r.payer && `${r.who}, `}
            {r.run}, due {day(r.due, false)}
          </div>
        </li>
      ))}
    </ul>
  );
}

function UnearnedRows({
  which,
  currency,
}: {
  which: { month: string; run_id: number | null };
  currency: string;
}) {
  const query = useQuery({
    queryKey: ["unearned-rows", which],
    queryFn: () => ask(api.GET("/api/v1/outstanding/unearned", { params: { query: which } })),
  });
  return (
    <ul className="ruled">
      {query.data?.map((r) => (
        <li key={r.run_id} className="duo">
          <Link to={`/runs/${r.run_id}/roster`}>{r.title}</Link>{" "}
          <strong className="copper">{money(r.amount, currency)}</strong>
          <div className="slate">
            {count(r.sign_ups, "sign-up")}, ends {day(r.ends, false)}
          </div>
        </li>
      ))}
    </ul>
  );
}

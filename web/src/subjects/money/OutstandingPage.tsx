import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Loading, Part, Row, Ruled, Title } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { NotYet, Page, Trouble } from "../../parts/Page";
import { count, day, isZero, money } from "../../parts/text";
import { Empty, Heard, Name, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { MoneyTabs } from "../fees/MoneyTabs";

const AgeBar = styled("ul")({
  display: "flex",
  gap: 2,
  listStyle: "none",
  margin: "14px 0 0",
  padding: 0,
  "& li": {
    minWidth: 96,
    flexBasis: 0,
    borderTop: `8px solid ${ink.verdigris}`,
    paddingTop: 4,
    fontSize: 13,
    color: ink.slate,
  },
  "& li strong": { display: "block", color: ink.ink },
  '& [data-age="1"]': { borderTopColor: ink.ochre },
  '& [data-age="2"]': { borderTopColor: ink.ochre },
  '& [data-age="3"]': { borderTopColor: ink.brick },
  '& [data-age="4"]': { borderTopColor: ink.brick },
  "& .MuiButton-text": {
    color: "inherit",
    flexDirection: "column",
    alignItems: "flex-start",
    margin: 0,
    padding: 0,
  },
});
const OpenedBox = styled("div")({
  "& > .MuiButton-text": {
    display: "flex",
    width: "100%",
    justifyContent: "space-between",
    padding: "3px 0",
    margin: 0,
  },
  "& .inner": { borderLeft: `3px solid ${ink.line}`, padding: "0 0 6px 10px", marginBottom: 6 },
  "& .inner li": { padding: "5px 0" },
});
const Duo = styled("li")({
  display: "grid",
  gridTemplateColumns: "1fr auto",
  padding: "5px 0",
  "& > :nth-of-type(n + 3)": { gridColumn: "1 / -1" },
});

type Found = Schemas["Outstanding"];
type Payer = Schemas["PayerLine"];
const AGES: Record<string, string> = {
  current: "not due yet",
  "1-30": "1 to 30 days late",
  "31-60": "31 to 60",
  "61-90": "61 to 90",
  "over 90": "over 90",
};

/** Who owes what and since when; what is to come by week, and what is not earned before its run ends. */
export default function OutstandingPage() {
  const [params] = useSearchParams();
  const runId = Number(params.get("run")) || null;
  const [age, setAge] = useState<string | null>(null);
  const query = $api.useQuery(
    "get",
    "/api/v1/outstanding",
    { params: { query: { run_id: runId } } },
    { placeholderData: keepPreviousData },
  );
  const run = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId! } } },
    { enabled: runId !== null },
  );
  const found = query.data;
  if (!found) return <NotYet title="Outstanding" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Outstanding"
      margin={
        <>
          <section>
            <h2>To come, by week</h2>
            {found.expected.length === 0 && <P tone="slate">Nothing is open.</P>}
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
            <P tone="slate">What is late stands in this week.</P>
          </section>
          <section>
            <h2>Not earned yet</h2>
            {found.deferred.length === 0 && <P tone="slate">No run with sign-ups is still to end.</P>}
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
            <P tone="slate">Fees of runs count as earned when the run has ended.</P>
          </section>
        </>
      }
    >
      <MoneyTabs />
      <Title sx={{ alignItems: "center", margin: "12px 0" }}>
        <h1>Outstanding{run.data ? ` of ${run.data.title}` : ""}</h1>
        <Row as="span" sx={{ gap: 18, flex: "none", whiteSpace: "nowrap" }}>
          <a href="/api/v1/outstanding.csv" download>
            as CSV
          </a>
          <a href="/api/v1/ledger.txt" download>
            the whole ledger as text
          </a>
        </Row>
      </Title>
      {runId !== null && (
        <p>
          Only what is open of <Link to={`/runs/${runId}/roster`}>{run.data?.code ?? "this run"}</Link>.{" "}
          <Link to="/money">The whole center</Link>
        </p>
      )}
      <Ages found={found} age={age} onPick={setAge} />
      {age && (
        <Part as="div" sx={{ borderTop: 0 }}>
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
        </Part>
      )}
      <Payers runId={runId} found={found} />
    </Page>
  );
}

/** Those who owe something or have a credit, longest overdue first, page by page. */
function Payers({ runId, found }: { runId: number | null; found: Found }) {
  const me = useMe();
  const query = $api.useInfiniteQuery(
    "get",
    "/api/v1/outstanding/payers",
    { params: { query: { run_id: runId } } },
    {
      pageParamName: "after",
      initialPageParam: "",
      getNextPageParam: (last) => last.next ?? undefined,
      placeholderData: keepPreviousData,
    },
  );
  const columns = useMemo<Column<Payer>[]>(
    () => [
      {
        key: "payer",
        label: "Payer",
        cell: (p) => (
          <Name strong to={`/accounts/${p.account_id}`}>
            {p.name}
          </Name>
        ),
      },
      {
        key: "open",
        label: "Open",
        right: true,
        cell: (p) => (
          <T tone="copper" strong>
            {sum(p.open, found)}
          </T>
        ),
      },
      {
        key: "due",
        label: "First due",
        cell: (p) => (
          <T nowrap tone={p.first_due && p.first_due < me.today ? "ochre" : undefined}>
            {day(p.first_due)}
          </T>
        ),
      },
      ...found.buckets.slice(1).map((b, i) => ({
        key: b,
        label: i ? (AGES[b] ?? b) : "Late 1 to 30",
        right: true,
        cell: (p: Payer) => sum(p.ages[b]!, found),
      })),
      { key: "credit", label: "Credit", right: true, cell: (p) => sum(p.credit, found) },
    ],
    [found, me.today],
  );
  const rows = useMemo(() => query.data?.pages.flatMap((p) => p.items) ?? [], [query.data]);
  if (query.error && !query.data) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={8} />;
  if (rows.length === 0) return <Empty as="p">Nobody owes anything, and nobody has a credit.</Empty>;
  return (
    <LongTable
      label="Payers"
      rows={rows}
      columns={columns}
      rowKey={(p) => String(p.account_id)}
      pages={{
        total: query.data.pages[0]?.total ?? rows.length,
        more: query.hasNextPage,
        busy: query.isFetching,
        next: () => void query.fetchNextPage(),
      }}
    />
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
    <div>
      <Row sx={{ gap: 32 }}>
        <div>
          <T big tone="copper" as="div">
            {money(found.open, found.currency)}
          </T>
          <T tone="slate" as="div">
            open in all
          </T>
        </div>
        <div>
          <T big as="div">
            {money(found.overdue, found.currency)}
          </T>
          <T as="div" tone={isZero(found.overdue) ? "slate" : "ochre"} strong={!isZero(found.overdue)}>
            of it late
          </T>
        </div>
        <div>
          <T big as="div">
            {money(found.credit, found.currency)}
          </T>
          <T tone="slate" as="div">
            credit of payers
          </T>
        </div>
      </Row>
      {whole > 0 && (
        <AgeBar aria-label="What is open, by age">
          {found.buckets.map((b, i) =>
            isZero(found.totals[b]!) ? null : (
              <li key={b} data-age={i} style={{ flexGrow: Number(found.totals[b]) / whole }}>
                <Button variant="text" aria-pressed={age === b} onClick={() => onPick(age === b ? null : b)}>
                  <strong>{money(found.totals[b], found.currency)}</strong> {AGES[b]}
                </Button>
              </li>
            ),
          )}
        </AgeBar>
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
    <OpenedBox>
      <Button variant="text" aria-expanded={open} onClick={() => setOpen(!open)}>
        <span>{label}</span> <strong>{amount}</strong>
      </Button>
      {open && (
        <div className="inner">
          {children}
          <a href={file} download>
            these as CSV<Heard>, {label}</Heard>
          </a>
        </div>
      )}
    </OpenedBox>
  );
}

type Which = { week?: string; age?: string; run_id: number | null };

function OpenRows({ which, currency }: { which: Which; currency: string }) {
  const query = $api.useInfiniteQuery(
    "get",
    "/api/v1/outstanding/open",
    { params: { query: which } },
    {
      pageParamName: "after",
      initialPageParam: "",
      getNextPageParam: (last) => last.next ?? undefined,
    },
  );
  if (query.error && !query.data) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={3} />;
  const rows = query.data.pages.flatMap((p) => p.items);
  const total = query.data.pages[0]?.total ?? rows.length;
  return (
    <Ruled>
      {rows.map((r, n) => (
        <Duo key={n}>
          <Link to={`/accounts/${r.account_id}`}>{r.payer}</Link>{" "}
          <T tone="copper" as="strong">
            {money(r.left, currency)}
          </T>
          <T tone="slate" as="div">
            {r.who !== r.payer && `${r.who}, `}
            {r.run}, due {day(r.due, false)}
          </T>
        </Duo>
      ))}
      {query.hasNextPage && (
        <li>
          <T tone="slate">
            {rows.length} of {total}.
          </T>{" "}
          <Button variant="text" disabled={query.isFetching} onClick={() => void query.fetchNextPage()}>
            show more
          </Button>
        </li>
      )}
    </Ruled>
  );
}

function UnearnedRows({
  which,
  currency,
}: {
  which: { month: string; run_id: number | null };
  currency: string;
}) {
  const query = $api.useQuery("get", "/api/v1/outstanding/unearned", { params: { query: which } });
  return (
    <Ruled>
      {query.data?.map((r) => (
        <Duo key={r.run_id}>
          <Link to={`/runs/${r.run_id}/roster`}>{r.title}</Link>{" "}
          <T tone="copper" as="strong">
            {money(r.amount, currency)}
          </T>
          <T tone="slate" as="div">
            {count(r.sign_ups, "sign-up")}, ends {day(r.ends, false)}
          </T>
        </Duo>
      ))}
    </Ruled>
  );
}

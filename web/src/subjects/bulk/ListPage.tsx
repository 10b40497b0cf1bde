import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";

import { usePulse } from "../../app/pulse";
import { $api, api, ask, messageOf, newKey, type Schemas, ServerProblem } from "../../app/server";
import { useKept } from "../../app/session";
import { Views } from "../../form/Views";
import { Loading } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { NotYet, Page } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Fault, Name, NoteLine, P, T, type Tone } from "../../parts/words";
import { ChooseList, ListCrumbs } from "./ChooseList";
import { Columns, Fix } from "./ListLine";
import { ListTotals } from "./ListTotals";

type Batch = Schemas["BatchOut"];
const TONE: Record<string, { tone?: Tone; strong?: boolean }> = {
  "will enroll": { strong: true },
  enrolled: { strong: true },
  "will wait": { tone: "ochre", strong: true },
  waiting: { tone: "ochre", strong: true },
  "already in": { tone: "slate" },
  "left out": { tone: "slate" },
  "needs fixing": { tone: "brick", strong: true },
};

/** A list goes onto a run: read, judged line by line, confirmed with seats and money. */
export default function ListPage() {
  const { id, batch } = useParams();
  return batch ? (
    <Judged key={batch} runId={Number(id)} batchId={Number(batch)} />
  ) : (
    <ChooseList runId={Number(id)} />
  );
}

const batchKey = (id: number) =>
  $api.queryOptions("get", "/api/v1/batches/{batch_id}", { params: { path: { batch_id: id } } }).queryKey;

function Judged({ runId, batchId }: { runId: number; batchId: number }) {
  const queries = useQueryClient();
  const acts = useDone();
  const [key, setKey] = useState(newKey);
  const [busy, setBusy] = useState(false);
  const pulse = usePulse(runId, 3);
  const [only, setOnly] = useKept(`list-only-${batchId}`, "");
  const [open, setOpen] = useKept<number | null>(`list-open-${batchId}`, null);
  const query = $api.useQuery("get", "/api/v1/batches/{batch_id}", {
    params: { path: { batch_id: batchId } },
  });
  const batch = query.data;
  if (!batch) return <NotYet title="List" error={query.error} retry={() => void query.refetch()} />;
  const change = async (body: Schemas["BatchChangeCommand"]) => {
    setBusy(true);
    try {
      const result = await ask(
        api.PATCH("/api/v1/batches/{batch_id}", { params: { path: { batch_id: batchId } }, body }),
      );
      acts.say(null);
      queries.setQueryData(batchKey(batchId), result);
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/batches/{batch_id}/rows"] });
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setBusy(false);
    }
  };
  const enroll = async () => {
    setBusy(true);
    try {
      const result = await ask(
        api.POST("/api/v1/batches/{batch_id}/enroll", {
          params: { path: { batch_id: batchId }, header: { "Idempotency-Key": key } },
          body: { people: batch.people, total: batch.total },
        }),
      );
      acts.say({
        text: `${count(result.people, "sign-up")} enrolled${result.counts.waiting ? `, ${result.counts.waiting} waiting` : ""}; ${result.taken} of ${result.capacity} seats are taken now.`,
        change: result.change,
        link: <Link to={`/runs/${runId}/roster`}>See the roster</Link>,
      });
    } catch (error) {
      acts.fail(messageOf(error));
      if (error instanceof ServerProblem && error.status === 409) void query.refetch();
    } finally {
      setKey(newKey());
      setBusy(false);
    }
  };
  const fix = async (line: number, body: Schemas["RowFixForm"]) => {
    const result = await ask(
      api.PATCH("/api/v1/batches/{batch_id}/rows/{line}", {
        params: { path: { batch_id: batchId, line } },
        body,
      }),
    );
    acts.say(null);
    queries.setQueryData(batchKey(batchId), result);
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/batches/{batch_id}/rows"] });
    setOpen(null);
  };
  return (
    <Page
      title={`${batch.file_name} for ${batch.run_code}`}
      margin={
        <ListTotals
          batch={batch}
          acts={acts}
          busy={busy}
          pulse={pulse}
          onPayer={(organization_id) => void change({ organization_id })}
          onEnroll={() => void enroll()}
        />
      }
    >
      <ListCrumbs runId={runId} code={batch.run_code} />
      <Box component="h1" sx={{ marginBottom: 4 }}>
        {batch.file_name} <T tone="slate">for {batch.run_title}</T>
      </Box>
      <P tone="slate">
        Read as {batch.reading}.
        {batch.earlier && ` This very file was enrolled here on ${day(batch.earlier)}.`}
      </P>
      {batch.status === "judged" && (
        <Columns batch={batch} busy={busy} onChange={(columns) => void change({ columns })} />
      )}
      {batch.column_faults.map((f) => (
        <Fault key={f} role="alert">
          {f}
        </Fault>
      ))}
      <Views
        label="Which lines"
        sx={{ margin: "12px 0 6px" }}
        value={only}
        options={[
          { value: "", text: `all lines (${batch.lines})` },
          ...Object.entries(batch.counts)
            .filter(([, n]) => n > 0)
            .map(([verdict, n]) => ({ value: verdict, text: `${verdict} (${n})` })),
          ...(batch.odd > 0 ? [{ value: "odd", text: `odd, but fine (${batch.odd})` }] : []),
        ]}
        onChange={setOnly}
      />
      <Lines batch={batch} only={only} open={open} onOpen={setOpen} onFix={fix} />
    </Page>
  );
}

type Item = Schemas["BatchItem"];

/** The lines of a list, page by page; the first page comes with the list itself. */
function Lines({
  batch,
  only,
  open,
  onOpen,
  onFix,
}: {
  batch: Batch;
  only: string;
  open: number | null;
  onOpen: (line: number | null) => void;
  onFix: (line: number, body: Schemas["RowFixForm"]) => Promise<void>;
}) {
  const judged = batch.status === "judged";
  const [further, setFurther] = useState(false);
  const begun = only !== "" || further;
  const later = $api.useInfiniteQuery(
    "get",
    "/api/v1/batches/{batch_id}/rows",
    { params: { path: { batch_id: batch.id }, query: { only } } },
    {
      pageParamName: "after",
      initialPageParam: only ? 0 : (batch.next ?? 0),
      getNextPageParam: (last) => last.next ?? undefined,
      enabled: begun,
    },
  );
  const rows = useMemo(
    () => [...(only ? [] : batch.items), ...(later.data?.pages.flatMap((p) => p.items) ?? [])],
    [only, batch.items, later.data],
  );
  const columns = useMemo<Column<Item>[]>(
    () => [
      { key: "line", label: "Line", right: true, cell: (i) => <T tone="slate">{i.line}</T> },
      { key: "name", label: "Name", cell: (i) => <Whose item={i} /> },
      { key: "email", label: "Email", cell: (i) => i.email ?? <T tone="slate">{i.phone}</T> },
      ...(batch.numbered ? [{ key: "number", label: "Number", cell: (i: Item) => i.number }] : []),
      { key: "rate", label: "Rate", cell: (i) => i.rate },
      { key: "party", label: "Party", right: true, cell: (i) => i.party || "" },
      {
        key: "fee",
        label: "Fee",
        right: true,
        cell: (i) => Number(i.total) > 0 && money(i.total, batch.currency),
      },
      {
        key: "verdict",
        label: "Verdict",
        cell: (i) => (
          <>
            <T {...TONE[i.verdict]}>{i.verdict}</T> <T tone="slate">{i.why}</T>
            {i.odd.map((o) => (
              <T tone="ochre" as="div" key={o}>
                {o}
              </T>
            ))}{" "}
            {judged && open !== i.line && (
              <Button variant="text" aria-label={`Correct line ${i.line}`} onClick={() => onOpen(i.line)}>
                correct
              </Button>
            )}
          </>
        ),
      },
    ],
    [batch.numbered, batch.currency, judged, open, onOpen],
  );
  if (only && !later.data) return <Loading rows={6} />;
  return (
    <LongTable
      label="Every line of the list with its verdict"
      rows={rows}
      columns={columns}
      rowKey={(i) => String(i.line)}
      below={(i) =>
        judged &&
        open === i.line && (
          <Fix batch={batch} item={i} onSave={(body) => onFix(i.line, body)} onClose={() => onOpen(null)} />
        )
      }
      pages={{
        total: only === "odd" ? batch.odd : only ? (batch.counts[only] ?? rows.length) : batch.lines,
        more: begun ? later.data === undefined || later.hasNextPage : batch.next !== null,
        busy: later.isFetching,
        next: () => (begun ? void later.fetchNextPage() : setFurther(true)),
      }}
    />
  );
}

function Whose({ item }: { item: Item }) {
  return (
    <>
      {item.person_id ? (
        <Name strong to={`/people/${item.person_id}`}>
          {item.name}
        </Name>
      ) : (
        <T strong>{item.name || <T tone="slate">no name</T>}</T>
      )}
      {item.remarks && <NoteLine tone="slate">{item.remarks}</NoteLine>}
    </>
  );
}

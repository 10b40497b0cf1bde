import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { Link, useParams } from "react-router";

import { usePulse } from "../../app/pulse";
import { $api, api, ask, messageOf, newKey, type Schemas, ServerProblem } from "../../app/server";
import { useKept } from "../../app/session";
import { Views } from "../../form/Views";
import { NotYet, Page } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, Fault, Name, NoteLine, P, T } from "../../parts/words";
import { ChooseList, ListCrumbs } from "./ChooseList";
import { Columns, Fix } from "./ListLine";
import { ListTotals } from "./ListTotals";

type Batch = Schemas["BatchOut"];
const TONE: Record<string, string> = {
  "will enroll": "strong",
  enrolled: "strong",
  "will wait": "ochre strong",
  waiting: "ochre strong",
  "already in": "slate",
  "left out": "slate",
  "needs fixing": "brick strong",
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
    try {
      const result = await ask(
        api.PATCH("/api/v1/batches/{batch_id}/rows/{line}", {
          params: { path: { batch_id: batchId, line } },
          body,
        }),
      );
      acts.say(null);
      queries.setQueryData(batchKey(batchId), result);
      return true;
    } catch (error) {
      acts.fail(messageOf(error));
      return false;
    }
  };
  const items = batch.items.filter((i) => !only || (only === "odd" ? i.odd.length > 0 : i.verdict === only));
  const odd = batch.items.filter((i) => i.odd.length > 0).length;
  const has = (fact: keyof Batch["items"][number]) => batch.items.some((i) => i[fact]);
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
          { value: "", text: `all lines (${batch.items.length})` },
          ...Object.entries(batch.counts)
            .filter(([, n]) => n > 0)
            .map(([verdict, n]) => ({ value: verdict, text: `${verdict} (${n})` })),
          ...(odd > 0 ? [{ value: "odd", text: `odd, but fine (${odd})` }] : []),
        ]}
        onChange={setOnly}
      />
      <TableContainer>
        <Table size="small" aria-label="Every line of the list with its verdict">
          <TableHead>
            <TableRow>
              <Cell right>Line</Cell>
              <Cell>Name</Cell>
              <Cell>Email</Cell>
              {has("number") && <Cell>Number</Cell>}
              <Cell>Rate</Cell>
              <Cell right>Party</Cell>
              <Cell right>Fee</Cell>
              <Cell>Verdict</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {items.map((i) => (
              <Fragment key={i.line}>
                <TableRow>
                  <Cell right tone="slate">
                    {i.line}
                  </Cell>
                  <Cell>
                    {i.person_id ? (
                      <Name strong to={`/people/${i.person_id}`}>
                        {i.name}
                      </Name>
                    ) : (
                      <T strong>{i.name || <T tone="slate">no name</T>}</T>
                    )}
                    {i.remarks && <NoteLine tone="slate">{i.remarks}</NoteLine>}
                  </Cell>
                  <Cell>{i.email ?? <T tone="slate">{i.phone}</T>}</Cell>
                  {has("number") && <Cell>{i.number}</Cell>}
                  <Cell>{i.rate}</Cell>
                  <Cell right>{i.party || ""}</Cell>
                  <Cell right>{Number(i.total) > 0 && money(i.total, batch.currency)}</Cell>
                  <Cell>
                    <span className={TONE[i.verdict]}>{i.verdict}</span> <T tone="slate">{i.why}</T>
                    {i.odd.map((o) => (
                      <T tone="ochre" as="div" key={o}>
                        {o}
                      </T>
                    ))}{" "}
                    {batch.status === "judged" && open !== i.line && (
                      <Button
                        variant="text"
                        aria-label={`Correct line ${i.line}`}
                        onClick={() => setOpen(i.line)}
                      >
                        correct
                      </Button>
                    )}
                  </Cell>
                </TableRow>
                {open === i.line && batch.status === "judged" && (
                  <TableRow>
                    <Cell colSpan={has("number") ? 8 : 7}>
                      <Fix
                        batch={batch}
                        item={i}
                        onSave={async (body) => {
                          if (await fix(i.line, body)) setOpen(null);
                        }}
                        onClose={() => setOpen(null)}
                      />
                    </Cell>
                  </TableRow>
                )}
              </Fragment>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
    </Page>
  );
}

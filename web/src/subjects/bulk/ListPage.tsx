import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { Link, useParams } from "react-router";

import { usePulse } from "../../app/pulse";
import { api, ask, messageOf, newKey, ServerProblem, type Schemas } from "../../app/server";
import { useKept } from "../../app/session";
import { NotYet, Page } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { ChooseList, Crumbs } from "./ChooseList";
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

function Judged({ runId, batchId }: { runId: number; batchId: number }) {
  const queries = useQueryClient();
  const acts = useDone();
  const [key, setKey] = useState(newKey);
  const [busy, setBusy] = useState(false);
  const pulse = usePulse(runId, 3);
  const [only, setOnly] = useKept(`list-only-${batchId}`, "");
  const [open, setOpen] = useKept<number | null>(`list-open-${batchId}`, null);
  const query = useQuery({
    queryKey: ["batch", batchId],
    queryFn: () => ask(api.GET("/api/v1/batches/{batch_id}", { params: { path: { batch_id: batchId } } })),
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
      queries.setQueryData(["batch", batchId], result);
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
      queries.setQueryData(["batch", batchId], result);
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
      <Crumbs runId={runId} code={batch.run_code} />
      <h1 style={{ marginBottom: 4 }}>
        {batch.file_name} <span className="slate">for {batch.run_title}</span>
      </h1>
      <p className="slate">
        Read as {batch.reading}.
        {batch.earlier && ` This very file was enrolled here on ${day(batch.earlier)}.`}
      </p>
      {batch.status === "judged" && (
        <Columns batch={batch} busy={busy} onChange={(columns) => void change({ columns })} />
      )}
      {batch.column_faults.map((f) => (
        <div className="fault" key={f} role="alert">
          {f}
        </div>
      ))}
      <div
        className="row mid wrap"
        style={{ gap: 20, margin: "12px 0 6px" }}
        role="group"
        aria-label="Which lines"
      >
        <button className={only ? "word" : "word at"} aria-pressed={!only} onClick={() => setOnly("")}>
          all lines ({batch.items.length})
        </button>
        {Object.entries(batch.counts)
          .filter(([, n]) => n > 0)
          .map(([verdict, n]) => (
            <button
              key={verdict}
              className={only === verdict ? "word at" : "word"}
              aria-pressed={only === verdict}
              onClick={() => setOnly(verdict)}
            >
              {verdict} ({n})
            </button>
          ))}
        {odd > 0 && (
          <button
            className={only === "odd" ? "word at" : "word"}
            aria-pressed={only === "odd"}
            onClick={() => setOnly("odd")}
          >
            odd, but fine ({odd})
          </button>
        )}
      </div>
      <div className="tablewrap">
        <Table size="small" aria-label="Every line of the list with its verdict">
          <TableHead>
            <TableRow>
              <TableCell className="right">Line</TableCell>
              <TableCell>Name</TableCell>
              <TableCell>Email</TableCell>
              {has("number") && <TableCell>Number</TableCell>}
              <TableCell>Rate</TableCell>
              <TableCell className="right">Party</TableCell>
              <TableCell className="right">Fee</TableCell>
              <TableCell>Verdict</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {items.map((i) => (
              <Fragment key={i.line}>
                <TableRow>
                  <TableCell className="right slate">{i.line}</TableCell>
                  <TableCell>
                    {i.person_id ? (
                      <Link className="name strong" to={`/people/${i.person_id}`}>
                        {i.name}
                      </Link>
                    ) : (
                      <span className="strong">{i.name || <span className="slate">no name</span>}</span>
                    )}
                    {i.remarks && <div className="slate note-line">{i.remarks}</div>}
                  </TableCell>
                  <TableCell>{i.email ?? <span className="slate">{i.phone}</span>}</TableCell>
                  {has("number") && <TableCell>{i.number}</TableCell>}
                  <TableCell>{i.rate}</TableCell>
                  <TableCell className="right">{i.party || ""}</TableCell>
                  <TableCell className="right">
                    {Number(i.total) > 0 && money(i.total, batch.currency)}
                  </TableCell>
                  <TableCell>
                    <span className={TONE[i.verdict]}>{i.verdict}</span>{" "}
                    <span className="slate">{i.why}</span>
                    {i.odd.map((o) => (
                      <div key={o} className="ochre">
                        {o}
                      </div>
                    ))}{" "}
                    {batch.status === "judged" && open !== i.line && (
                      <button
                        className="plainly"
                        aria-label={`Correct line ${i.line}`}
                        onClick={() => setOpen(i.line)}
                      >
                        correct
                      </button>
                    )}
                  </TableCell>
                </TableRow>
                {open === i.line && batch.status === "judged" && (
                  <TableRow>
                    <TableCell colSpan={has("number") ? 8 : 7}>
                      <Fix
                        batch={batch}
                        item={i}
                        onSave={async (body) => {
                          if (await fix(i.line, body)) setOpen(null);
                        }}
                        onClose={() => setOpen(null)}
                      />
                    </TableCell>
                  </TableRow>
                )}
              </Fragment>
            ))}
          </TableBody>
        </Table>
      </div>
    </Page>
  );
}

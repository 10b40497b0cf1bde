import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { api, ask, faultsOf, messageOf, newKey, ServerProblem, type Schemas } from "../../app/server";
import { useKept } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { Choice, Field } from "../../parts/Field";
import { ActNotes, NotYet, Page, Trouble } from "../../parts/Page";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";

type Batch = Schemas["BatchOut"];
const FACTS: [string, string][] = [
  ["name", "Name"],
  ["given", "Given name"],
  ["family", "Family name"],
  ["email", "Email"],
  ["phone", "Phone"],
  ["number", "Staff number"],
  ["department", "Department"],
  ["rate", "Rate"],
  ["party", "Party"],
  ["remarks", "Remarks"],
];
const TONE: Record<string, string> = {
  "will enroll": "strong",
  enrolled: "strong",
  "will wait": "ochre strong",
  waiting: "ochre strong",
  "already in": "slate",
  "left out": "slate",
  "needs fixing": "brick strong",
};
const LARGEST = 10 * 1024 * 1024;

/** A list goes onto a run: read, judged line by line, confirmed with seats and money. */
export default function ListPage() {
  const { id, batch } = useParams();
  return batch ? (
    <Judged key={batch} runId={Number(id)} batchId={Number(batch)} />
  ) : (
    <Choose runId={Number(id)} />
  );
}

function useRun(runId: number) {
  return useQuery({
    queryKey: ["run", runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } })),
  });
}

function Crumbs({ runId, code }: { runId: number; code?: string }) {
  return (
    <div className="crumbs">
      <Link to="/planner">Runs</Link> / <Link to={`/runs/${runId}`}>{code ?? "run"}</Link> / a list
    </div>
  );
}

function Choose({ runId }: { runId: number }) {
  const go = useNavigate();
  const run = useRun(runId);
  const input = useRef<HTMLInputElement>(null);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [over, setOver] = useState(false);
  const send = async (file: File | undefined) => {
    if (!file) return;
    if (file.size > LARGEST) {
      setError(
        new Error(`${file.name} has ${Math.round(file.size / 1024 / 1024)} MB; a list has at most 10 MB.`),
      );
      return;
    }
    setBusy(true);
    setError(null);
    try {
      const result = await ask(
        api.POST("/api/v1/runs/{run_id}/batches", {
          params: { path: { run_id: runId } },
          body: { file: file as unknown as string },
          bodySerializer: () => {
            const form = new FormData();
            form.append("file", file);
            return form;
          },
        }),
      );
      await go(`/runs/${runId}/list/${result.id}`);
    } catch (problem) {
      setError(problem);
      if (input.current) input.current.value = "";
    } finally {
      setBusy(false);
    }
  };
  if (run.error)
    return (
      <Page title="List" margin={null}>
        <Trouble error={run.error} />
      </Page>
    );
  return (
    <Page
      title="Put a list on a run"
      margin={
        <section>
          <h2>What happens</h2>
          <p>Every line is judged first: who gets a seat, who is in already, what needs fixing and why.</p>
          <p>
            Nothing is written until you confirm with the number of people, the seats and the money in sight.
            The same list again changes nothing.
          </p>
        </section>
      }
    >
      <Crumbs runId={runId} code={run.data?.code} />
      <h1 style={{ marginBottom: 4 }}>Put a list on {run.data?.title ?? "this run"}</h1>
      <p className="slate">
        {run.data && `${run.data.taken} of ${run.data.capacity} seats are taken.`} A CSV or XLSX file with a
        line of headings and one sign-up a line; the columns are found by their headings.
      </p>
      <div
        className={over ? "drop over" : "drop"}
        style={{ marginTop: 18 }}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          void send(e.dataTransfer.files[0]);
        }}
      >
        <p>Drop the file here, or</p>
        <input
          ref={input}
          id="list-file"
          type="file"
          accept=".csv,.txt,.tsv,.xlsx,.xls,.ods,text/csv"
          className="sr"
          tabIndex={-1}
          aria-label="The list"
          onChange={(e) => void send(e.target.files?.[0])}
        />
        <Button variant="contained" disabled={busy} onClick={() => input.current?.click()}>
          {busy ? "Reading …" : "Choose a file"}
        </Button>
      </div>
      {error !== null && (
        <div className="note wrong" role="alert" style={{ marginTop: 16 }}>
          <p>{Object.values(faultsOf(error)).join(" ") || messageOf(error)}</p>
        </div>
      )}
    </Page>
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
  const change = async (body: Schemas["BatchChange"]) => {
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
  const fix = async (line: number, body: Schemas["RowFix"]) => {
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
        <Totals
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

/** Correct a line in place; what stands in the file stays beside it. */
function Fix({
  batch,
  item,
  onSave,
  onClose,
}: {
  batch: Batch;
  item: Batch["items"][number];
  onSave: (body: Schemas["RowFix"]) => Promise<void>;
  onClose: () => void;
}) {
  const first = {
    given: item.given,
    family: item.family,
    email: item.email ?? "",
    phone: item.phone ?? "",
    rate: batch.rates.find((r) => r.label === item.rate || r.code === item.rate)?.code ?? item.rate,
    party: String(item.party || ""),
    no_email: item.no_email ? "yes" : "",
  };
  const [form, setForm, forget] = useKept(`list-fix-${batch.id}-${item.line}`, first);
  const field = (name: "given" | "family" | "email" | "phone" | "party", label: string, width: number) => (
    <Field
      label={label}
      width={width}
      value={form[name]}
      autoFocus={name === "given"}
      onChange={(v) => setForm({ ...form, [name]: v })}
    />
  );
  const save = async () => {
    const changed = Object.fromEntries(
      Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]),
    ) as Schemas["RowFix"];
    forget();
    await onSave(changed);
  };
  return (
    <form
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <div className="row wrap" style={{ alignItems: "flex-end" }}>
        {field("given", "Given name", 122)}
        {field("family", "Family name", 122)}
        {field("email", "Email", 214)}
        {field("phone", "Phone", 100)}
        <Choice
          label="Rate"
          width={128}
          value={form.rate}
          onChange={(rate) => setForm({ ...form, rate })}
          options={[
            ...(batch.rates.some((r) => r.code === form.rate)
              ? []
              : [{ value: form.rate, text: form.rate || "usual" }]),
            ...batch.rates.map((r) => ({ value: r.code, text: r.label })),
          ]}
        />
        {field("party", "Party", 60)}
        <label className="tick">
          <input
            type="checkbox"
            checked={form.no_email === "yes"}
            onChange={(e) => setForm({ ...form, no_email: e.target.checked ? "yes" : "" })}
          />
          has no email
        </label>
      </div>
      <div className="row" style={{ marginTop: 10 }}>
        <Button type="submit" variant="contained" size="small">
          Judge it again
        </Button>
        <Button size="small" onClick={() => (forget(), onClose())}>
          Leave as it was
        </Button>
        <Button size="small" onClick={() => (forget(), void onSave({}))}>
          As in the file
        </Button>
      </div>
    </form>
  );
}

/** Which column is which fact; found by the headings, changeable here. */
function Columns({
  batch,
  busy,
  onChange,
}: {
  batch: Batch;
  busy: boolean;
  onChange: (columns: Record<string, number | null>) => void;
}) {
  const [open, setOpen] = useState(false);
  const used = new Set(Object.values(batch.columns));
  const found = FACTS.filter(([fact]) => fact in batch.columns);
  const unused = batch.headings.filter((_, i) => !used.has(i));
  if (!open && batch.column_faults.length === 0)
    return (
      <p>
        {found.map(([fact, label]) => `${label} from “${batch.headings[batch.columns[fact]!]}”`).join(", ")}
        {unused.length > 0 && <span className="slate">; not used: {unused.join(", ")}</span>}.{" "}
        <button className="plainly" onClick={() => setOpen(true)}>
          Change the columns
        </button>
      </p>
    );
  return (
    <div className="row wrap" aria-busy={busy} style={{ margin: "10px 0" }}>
      {FACTS.map(([fact, label]) => (
        <Choice
          key={fact}
          label={label}
          width={170}
          value={batch.columns[fact] === undefined ? "" : String(batch.columns[fact])}
          onChange={(v) => onChange({ ...batch.columns, [fact]: v === "" ? null : Number(v) })}
          options={[
            { value: "", text: "not in the list" },
            ...batch.headings.map((h, i) => ({ value: String(i), text: h || `column ${i + 1}` })),
          ]}
        />
      ))}
    </div>
  );
}

function Totals({
  batch,
  acts,
  busy,
  pulse,
  onPayer,
  onEnroll,
}: {
  batch: Batch;
  acts: ReturnType<typeof useDone>;
  busy: boolean;
  pulse: ReturnType<typeof usePulse>;
  onPayer: (id: number | null) => void;
  onEnroll: () => void;
}) {
  const queries = useQueryClient();
  const organizations = useQuery({
    queryKey: ["organizations"],
    queryFn: () => ask(api.GET("/api/v1/organizations")),
  });
  const [adding, setAdding] = useState(false);
  const [name, setName] = useKept(`list-payer-${batch.id}`, "");
  const [fault, setFault] = useState("");
  const judged = batch.status === "judged";
  const after = judged ? batch.taken + batch.seats : batch.taken;
  const add = async () => {
    try {
      const made = await ask(api.POST("/api/v1/organizations", { body: { name } }));
      await queries.invalidateQueries({ queryKey: ["organizations"] });
      setAdding(false);
      setFault("");
      onPayer(made.id);
    } catch (error) {
      setFault(messageOf(error));
    }
  };
  return (
    <>
      <News pulse={pulse} />
      <ActNotes acts={acts} />
      <section>
        <h2>{judged ? "Who pays" : "Paid by"}</h2>
        {!judged ? (
          <p>{batch.organization?.name ?? "each learner"}</p>
        ) : adding ? (
          <form
            onSubmit={(e) => {
              e.preventDefault();
              void add();
            }}
          >
            <Field label="Name of the organization" value={name} onChange={setName} fault={fault} autoFocus />
            <div className="row" style={{ marginTop: 8 }}>
              <Button type="submit" variant="contained">
                Add
              </Button>
              <Button onClick={() => setAdding(false)}>Back</Button>
            </div>
          </form>
        ) : (
          <>
            <Choice
              label="For everybody on this list"
              value={batch.organization ? String(batch.organization.id) : ""}
              onChange={(v) => onPayer(v ? Number(v) : null)}
              options={[
                { value: "", text: "each learner" },
                ...(organizations.data ?? []).map((o) => ({ value: String(o.id), text: o.name })),
              ]}
            />
            <button className="plainly" onClick={() => setAdding(true)} style={{ marginTop: 6 }}>
              Another organization
            </button>
          </>
        )}
      </section>
      <section>
        <h2>{judged ? "When you confirm" : "What was done"}</h2>
        <dl className="facts">
          <dt>Sign-ups</dt>
          <dd>{batch.people}</dd>
          <dt>Seats they take</dt>
          <dd>{batch.seats}</dd>
          <dt>Seats taken {judged ? "then" : "now"}</dt>
          <dd>
            {after} of {batch.capacity}
          </dd>
          {(judged ? batch.waits : (batch.counts.waiting ?? 0)) > 0 && (
            <>
              <dt>Waiting in line</dt>
              <dd>{judged ? batch.waits : batch.counts.waiting}</dd>
            </>
          )}
          {batch.sums.map((sum) => [
            <dt key={`${sum.rate}t`}>
              {sum.rate}, {count(sum.heads, "head")}
            </dt>,
            <dd key={`${sum.rate}d`}>{money(sum.total, batch.currency)}</dd>,
          ])}
          <dt className="sum">Together</dt>
          <dd className="sum copper">{money(batch.total, batch.currency)}</dd>
        </dl>
        <div style={{ marginTop: 10 }}>
          <Arch taken={after} capacity={batch.capacity} size="heading" />
        </div>
      </section>
      {judged && (
        <section>
          {!batch.can_enroll && (
            <p className="slate">
              {batch.people + batch.waits === 0
                ? "Nobody on this list would be enrolled; nothing changes."
                : batch.why}
            </p>
          )}
          <Button variant="contained" fullWidth disabled={!batch.can_enroll || busy} onClick={onEnroll}>
            Enroll {count(batch.people, "sign-up")}, {count(batch.seats, "seat")},{" "}
            {money(batch.total, batch.currency)}
          </Button>
        </section>
      )}
    </>
  );
}

import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../parts/Field";
import { Trouble } from "../../parts/Page";
import { count, day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Line } from "./Line";
import { PartyHead } from "./PartyHead";

export type RosterRow = {
  id: number;
  person_id: number;
  name: string;
  email: string | null;
  phone: string | null;
  way_in: string;
  batch: number | null;
  rate: string;
  payer: string | null;
  total: string;
  owed: string;
  next_due: string | null;
  next_amount: string | null;
  signed_up: string;
  entered_by: string;
  heads: number;
  places: { n: number; person_id: number | null; name: string | null }[];
  note: string;
};

export function useRoster(runId: number) {
  return useQuery({
    queryKey: ["roster", runId],
    queryFn: async () => {
      const roster = await ask(
        api.GET("/api/v1/runs/{run_id}/roster", { params: { path: { run_id: runId } } }),
      );
      const rows = roster.rows.map(
        (row) => Object.fromEntries(roster.columns.map((c, i) => [c, row[i]])) as unknown as RosterRow,
      );
      return { ...roster, people: rows };
    },
  });
}

const plain = (text: string) => text.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();

/** Who holds which seat, in order, with the cut where the seats end. */
export function Roster({ run, acts }: { run: Schemas["RunOut"]; acts: ReturnType<typeof useDone> }) {
  const me = useMe();
  const roster = useRoster(run.id);
  const [params, setParams] = useSearchParams();
  const q = params.get("q") ?? "";
  const at = Number(params.get("at")) || null;
  const put = (name: string, value: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  if (roster.error && !roster.data)
    return <Trouble error={roster.error} retry={() => void roster.refetch()} />;
  if (!roster.data) return <div className="quiet-block" aria-busy="true" />;
  const { people, capacity, taken, waiting, withdrawn } = roster.data;
  const firstSeat = new Map<number, number>();
  people.reduce((seat, p) => (firstSeat.set(p.id, seat), seat + p.heads), 1);
  const shown = people.filter((p) =>
    plain(`${p.name} ${p.email ?? ""} ${p.payer ?? ""}`).includes(plain(q.trim())),
  );

  if (people.length === 0 && waiting.length === 0)
    return (
      <div className="empty">
        <p>
          Nobody is on this roster yet.{" "}
          {run.status === "draft" ? (
            "Publish the run first; then people can be enrolled."
          ) : (
            <>
              <Link to={`/desk?run=${run.id}`}>Enroll somebody at the desk</Link>, or{" "}
              <Link to={`/runs/${run.id}/list`}>put a list on it</Link>.
            </>
          )}
        </p>
        <Gone withdrawn={withdrawn} />
      </div>
    );
  return (
    <>
      <div className="row mid" style={{ justifyContent: "space-between", margin: "12px 0 4px" }}>
        <span className="slate" aria-live="polite">
          {q.trim()
            ? `${shown.length} of ${count(people.length, "person", "people")}`
            : count(people.length, "person", "people")}
        </span>
        <Field label="Name, email or payer" value={q} onChange={(text) => put("q", text)} width={230} />
      </div>
      <div className="tablewrap live">
        <Table size="small" aria-label={`Roster of ${run.code}`}>
          <TableHead>
            <TableRow>
              <TableCell className="right">Seat</TableCell>
              <TableCell>Learner</TableCell>
              <TableCell>Came in</TableCell>
              <TableCell>Rate</TableCell>
              <TableCell className="right">Fee</TableCell>
              <TableCell className="right">Still owed</TableCell>
              <TableCell>Next installment</TableCell>
              <TableCell className="noprint">
                <span className="sr">What can be done</span>
              </TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((row) => (
              <TableRow key={row.id} className={at === row.id ? "at" : ""}>
                <TableCell className="right slate nowrap">
                  {seatNumbers(firstSeat.get(row.id)!, row.heads)}
                </TableCell>
                <TableCell>
                  <Link className="name strong" to={`/people/${row.person_id}`}>
                    {row.name}
                  </Link>
                  <div className="slate">{row.email ?? row.phone ?? "no email"}</div>
                  {row.places.map((place) => (
                    <PartyHead key={place.n} row={row} place={place} acts={acts} />
                  ))}
                  {row.note && <div className="slate note-line">{row.note}</div>}
                </TableCell>
                <TableCell className="nowrap">
                  {row.way_in === "list" ? "list" : `${row.way_in}, ${initials(row.entered_by)}`}
                  <div className="slate">{day(row.signed_up, false)}</div>
                </TableCell>
                <TableCell>
                  {row.rate.split("; ").map((part, n) => (
                    <div key={n} className={n ? "slate" : ""}>
                      {part}
                    </div>
                  ))}
                  {row.payer && <div className="slate">pays: {row.payer}</div>}
                </TableCell>
                <TableCell className="right">{money(row.total, run.currency)}</TableCell>
                <TableCell className="right">
                  {isZero(row.owed) ? "none" : money(row.owed, run.currency)}
                </TableCell>
                <TableCell>
                  {row.next_due && (
                    <span className={row.next_due < me.today ? "ochre" : ""}>
                      {money(row.next_amount, run.currency)}
                      <div className="nowrap">{dueWord(row.next_due, me.today)}</div>
                    </span>
                  )}
                </TableCell>
                <TableCell className="noprint right">
                  <button
                    className="plainly quiet"
                    aria-label={`Open the sign-up of ${row.name}`}
                    aria-pressed={at === row.id}
                    onClick={() => put("at", at === row.id ? "" : String(row.id))}
                  >
                    open
                  </button>
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </div>
      <div className="cut">
        {taken >= capacity ? (
          <strong>Here the {capacity} seats end.</strong>
        ) : (
          <>
            <strong>{count(capacity - taken, "seat")} free</strong> of {capacity}.
          </>
        )}{" "}
        {waiting.length > 0 &&
          `Below: ${count(waiting.length, "party", "parties")} waiting, in order of joining${
            taken < capacity && !waiting.some((w) => w.fits) ? "; none of them fits the free seats" : ""
          }.`}
      </div>
      {waiting.length > 0 && <Line waiting={waiting} run={run} acts={acts} />}
      <Gone withdrawn={withdrawn} />
    </>
  );
}

/** "3" or "3 to 5". */
function seatNumbers(first: number, heads: number): string {
  return heads > 1 ? `${first} to ${first + heads - 1}` : String(first);
}

/** "Ruth Okonjo" as "R. Okonjo". */
function initials(name: string): string {
  const [first, ...rest] = name.split(" ");
  return rest.length && first ? `${first[0]}. ${rest.join(" ")}` : name;
}

function dueWord(due: string, today: string): string {
  if (due === today) return "due today";
  return due < today ? `due since ${day(due, false)}` : `on ${day(due, false)}`;
}

function Gone({ withdrawn }: { withdrawn: { name: string; at: string }[] }) {
  if (withdrawn.length === 0) return null;
  return (
    <p className="slate" style={{ marginTop: 14 }}>
      Withdrew: {withdrawn.map((g) => `${g.name} (${day(g.at, false)})`).join(", ")}.
    </p>
  );
}

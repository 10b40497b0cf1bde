import Button from "@mui/material/Button";
import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";

import { api, ask, messageOf, type Schemas } from "../../app/server";
import { useKept, useMe } from "../../app/session";
import { Field } from "../../parts/Field";
import { count, money } from "../../parts/text";
import type { Call } from "./DeskParts";

/** A sign-up made in this call. */
export type SoFar = {
  text: string;
  change: string;
  runId: number;
  enrollmentId: number | null;
  person: Schemas["PersonFound"];
  run: string;
  payer: string;
  payerName: string;
};
export type ParkedCall = { call: Call; soFar: SoFar[]; about: string; at: string };

/** Parked calls of this window; the frame counts them. */
export function useParked() {
  const held = useKept<ParkedCall[]>("parked-calls", []);
  const many = held[0].length;
  useEffect(() => {
    window.dispatchEvent(new Event("parked-calls"));
  }, [many]);
  return held;
}

/** How many calls are parked, for the frame. */
export function useParkedCount(): number {
  const read = () => {
    try {
      return (JSON.parse(sessionStorage.getItem("parked-calls") ?? "[]") as unknown[]).length;
    } catch {
      return 0;
    }
  };
  const [many, setMany] = useState(read);
  useEffect(() => {
    const beat = () => setMany(read());
    window.addEventListener("parked-calls", beat);
    return () => window.removeEventListener("parked-calls", beat);
  }, []);
  return many;
}

export function Parked({ parked, onTake }: { parked: ParkedCall[]; onTake: (n: number) => void }) {
  if (parked.length === 0) return null;
  return (
    <section aria-label="Parked calls">
      <h2>{count(parked.length, "parked call")}</h2>
      <ul className="actlist">
        {parked.map((p, n) => (
          <li key={p.at}>
            <button className="plainly" onClick={() => onTake(n)}>
              {p.about}
              <span className="slate"> since {p.at.slice(11, 16)} UTC</span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What staff must know of a run while enrolling; each version is read once, and only then can somebody be enrolled. */
export function Notice({ run }: { run: Schemas["RunOut"] }) {
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const { text, version, seen } = run.notice;
  if (!text) return null;
  const read = async () => {
    try {
      await ask(
        api.POST("/api/v1/runs/{run_id}/notice/read", {
          params: { path: { run_id: run.id } },
          body: { version },
        }),
      );
      setTrouble("");
    } catch (error) {
      setTrouble(messageOf(error));
    }
    void queries.invalidateQueries({ queryKey: ["run", run.id] });
  };
  return (
    <div className={seen ? "note due" : "note wrong"} role="note" aria-label="Desk notice">
      <p className="note-line">
        <strong>Notice:</strong> {text}
      </p>
      {!seen && <Button onClick={() => void read()}>I have read it</Button>}
      {trouble && <p className="fault">{trouble}</p>}
    </div>
  );
}

/** What was done in this call so far, what is due for it, and how it goes on: the same person, or the same run. */
export function CallSoFar({
  lines,
  currency,
  onAgain,
  onOther,
  onEnd,
}: {
  lines: SoFar[];
  currency: string;
  onAgain: (line: SoFar) => void;
  onOther: (line: SoFar) => void;
  onEnd: () => void;
}) {
  const me = useMe();
  const last = lines[lines.length - 1];
  const held = useQueries({
    queries: lines.map((l) => ({
      queryKey: ["sign-up", l.enrollmentId],
      queryFn: () =>
        ask(
          api.GET("/api/v1/enrollments/{enrollment_id}", {
            params: { path: { enrollment_id: l.enrollmentId! } },
          }),
        ),
      enabled: l.enrollmentId !== null,
    })),
  });
  if (!last) return null;
  // What is due as it stands now: a payment taken since is counted.
  const known = held.every((h, n) => lines[n]!.enrollmentId === null || h.data !== undefined);
  const open = held.flatMap((h) => h.data?.plan ?? []).filter((p) => p.due <= me.today);
  const due = open.reduce((sum, p) => sum + Number(p.left), 0);
  const digits = open[0]?.left.split(".")[1]?.length ?? 2;
  return (
    <section aria-label="This call so far">
      <h2>This call so far</h2>
      <ul className="ruled">
        {lines.map((l) => (
          <li key={l.change} style={{ padding: "5px 0" }}>
            <Link to={`/people/${l.person.id}`}>{l.person.name}</Link>,{" "}
            <Link to={`/runs/${l.runId}/roster`}>{l.run}</Link>
          </li>
        ))}
      </ul>
      <p>
        {known ? (
          <>
            <strong className="copper">{money(due.toFixed(digits), currency)}</strong> due now.
          </>
        ) : (
          "Working out what is due …"
        )}
      </p>
      <ul className="actlist">
        <li>
          <button className="plainly" onClick={() => onAgain(last)}>
            another run for {last.person.name}
          </button>
        </li>
        <li>
          <button className="plainly" onClick={() => onOther(last)}>
            somebody else on {last.run}, {last.payerName} pays
          </button>
        </li>
        <li>
          <button className="plainly quiet" onClick={onEnd}>
            the call is over
          </button>
        </li>
      </ul>
    </section>
  );
}

const TOLD: [Schemas["Told"], string][] = [
  ["learner", "the learner"],
  ["payer", "the organization that pays"],
  ["instructors", "the instructors"],
  ["office", "the office"],
];

/** What is out of the ordinary: an earlier day of receipt, a sign-up after the close, a seat for nothing, who is told. */
export function DeskExceptions({
  call,
  set,
  run,
  quote,
  faults,
}: {
  call: Call;
  set: (change: Partial<Call>) => void;
  run: Schemas["RunOut"];
  quote?: Schemas["RunQuoteView"];
  faults: Record<string, string>;
}) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const used =
    call.received !== "" ||
    call.exception !== "" ||
    call.waive !== null ||
    call.hold !== null ||
    call.told !== null;
  const asks = quote?.can_wait ? run.questions : [];
  const late = quote?.late || faults["/exception"] !== undefined;
  return (
    <div style={{ marginTop: 10 }}>
      {asks.map((q) => (
        <Field
          key={q}
          label={q}
          value={call.answers[q] ?? ""}
          onChange={(text) => set({ answers: { ...call.answers, [q]: text } })}
        />
      ))}
      {late && (
        <Field
          label={quote?.late ? "Why somebody comes in all the same" : "Why the earlier day counts"}
          value={call.exception}
          onChange={(exception) => set({ exception })}
          fault={faults["/exception"]}
        />
      )}
      {open || used ? (
        <fieldset className="picks" style={{ marginTop: 8 }}>
          <legend className="label">Out of the ordinary</legend>
          <div className="row wrap">
            <Field
              label="Form came in on"
              type="date"
              width={150}
              value={call.received}
              onChange={(received) => set({ received })}
              fault={faults["/received_on"]}
            />
            {!late && (
              <Field
                label="Reason"
                value={call.exception}
                onChange={(exception) => set({ exception })}
                fault={faults["/exception"]}
              />
            )}
          </div>
          <label className="tick">
            <input
              type="checkbox"
              checked={call.waive !== null}
              onChange={(e) => set({ waive: e.target.checked ? "" : null })}
            />
            the seat costs nothing
          </label>
          {call.waive !== null && (
            <Field
              label="Why it costs nothing"
              value={call.waive}
              onChange={(waive) => set({ waive })}
              fault={faults["/waive"]}
              autoFocus
            />
          )}
          <label className="tick">
            <input
              type="checkbox"
              checked={call.hold ?? run.hold_hours !== null}
              onChange={(e) => set({ hold: e.target.checked })}
            />
            only held until the first payment
            {(call.hold ?? run.hold_hours !== null) && `, ${run.hold_hours ?? 48} hours`}
          </label>
          <div className="label" style={{ marginTop: 8 }}>
            Who is told
          </div>
          {TOLD.map(([who, text]) => {
            const told = call.told ?? run.told ?? me.told;
            return (
              <label key={who} className="tick">
                <input
                  type="checkbox"
                  checked={told.includes(who)}
                  onChange={(e) =>
                    set({ told: e.target.checked ? [...told, who] : told.filter((w) => w !== who) })
                  }
                />
                {text}
              </label>
            );
          })}
        </fieldset>
      ) : (
        <button type="button" className="plainly" onClick={() => setOpen(true)}>
          Out of the ordinary
        </button>
      )}
    </div>
  );
}

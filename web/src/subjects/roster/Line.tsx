import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, messageOf, newKey, type Schemas } from "../../app/server";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";

type Waits = Schemas["WaitingOut"];

/** Those who wait, in order. The next whom the free seats fit can be seated. */
export function Line({
  waiting,
  run,
  acts,
}: {
  waiting: Waits[];
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
}) {
  const [asking, setAsking] = useState<{ row: Waits; quote: Schemas["SeatQuote"] } | null>(null);
  const [leaving, setLeaving] = useState<Waits | null>(null);
  const [key, setKey] = useState(newKey);
  const [busy, setBusy] = useState(false);
  const work = async (deed: () => Promise<void>) => {
    setBusy(true);
    try {
      await deed();
      setAsking(null);
      setLeaving(null);
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
      setBusy(false);
    }
  };
  const quoteFor = (row: Waits) =>
    work(async () => {
      const path = { waiting_id: row.id };
      const quote = await ask(api.GET("/api/v1/waiting/{waiting_id}/quote", { params: { path } }));
      setTimeout(() => setAsking({ row, quote }), 0);
    });
  const seat = (row: Waits, total: string) =>
    work(async () => {
      const held = await ask(
        api.POST("/api/v1/waiting/{waiting_id}/seat", {
          params: { path: { waiting_id: row.id }, header: { "Idempotency-Key": key } },
          body: { total },
        }),
      );
      acts.say({
        text: `${held.name} has ${held.heads > 1 ? `${held.heads} seats` : `seat ${held.seat}`}; ${money(held.quote.due_now, held.quote.currency)} is due now.`,
        change: held.change,
      });
    });
  const leave = (row: Waits) =>
    work(async () => {
      const left = await ask(
        api.POST("/api/v1/waiting/{waiting_id}/leave", {
          params: { path: { waiting_id: row.id }, header: { "Idempotency-Key": key } },
        }),
      );
      acts.say({ text: `${left.name} left the line.`, change: left.change });
    });
  return (
    <ol className="line" aria-label="Waiting, in order of joining">
      {waiting.map((w) => (
        <li key={w.id}>
          <span className="slate n">{w.place}</span>
          <span className="grow">
            <Link className="name strong" to={`/people/${w.person_id}`}>
              {w.name}
            </Link>
            {w.heads > 1 && <strong>, {w.heads} seats</strong>}{" "}
            <span className="slate">
              {w.email ?? w.phone} · joined {day(w.joined, false)} · {w.rate}
              {w.payer && ` · pays: ${w.payer}`}
              {w.note && ` · ${w.note}`}
            </span>
          </span>
          {asking?.row.id === w.id ? (
            <span className="row mid nowrap">
              <span>
                today {money(asking.quote.total, asking.quote.currency)}, now{" "}
                {money(asking.quote.due_now, asking.quote.currency)}
              </span>
              <Button
                size="small"
                variant="contained"
                autoFocus
                disabled={busy}
                onClick={() => void seat(w, asking.quote.total)}
              >
                Give {w.heads > 1 ? `${w.heads} seats` : "the seat"}
              </Button>
              <button className="plainly" onClick={() => setAsking(null)}>
                not yet
              </button>
            </span>
          ) : leaving?.id === w.id ? (
            <span className="row mid nowrap">
              <Button size="small" color="error" autoFocus disabled={busy} onClick={() => void leave(w)}>
                Take out of the line
              </Button>
              <button className="plainly" onClick={() => setLeaving(null)}>
                keep
              </button>
            </span>
          ) : (
            <span className="row mid nowrap noprint">
              {w.next && run.status === "published" && (
                <Button
                  size="small"
                  disabled={busy}
                  aria-label={`Seat ${w.name}`}
                  onClick={() => void quoteFor(w)}
                >
                  Seat {w.name}
                </Button>
              )}
              <button
                className="plainly quiet"
                aria-label={`Leave the line, ${w.name}`}
                onClick={() => setLeaving(w)}
              >
                leave the line
              </button>
            </span>
          )}
        </li>
      ))}
    </ol>
  );
}

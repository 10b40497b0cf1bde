import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey, type Schemas, ServerProblem } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Grow, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Name, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";

const LineList = styled("ol")({
  listStyle: "none",
  margin: 0,
  padding: 0,
  "& > li": {
    display: "flex",
    alignItems: "center",
    gap: 14,
    padding: "8px 0",
    borderBottom: `1px solid ${ink.line}`,
  },
  "& .n": { width: 34, textAlign: "right" },
});

type Waits = Schemas["WaitingOut"];
type Act = "seat" | "offer" | "leave" | "time";

/** Those who wait, in order, with their offers and their chance. The next whom the free seats fit is seated or offered;
 * out of turn with a reason. */
export function Line({
  waiting,
  run,
  acts,
  why,
}: {
  waiting: Waits[];
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  why: string;
}) {
  const [open, setOpen] = useState<{ row: Waits; act: Act } | null>(null);
  return (
    <>
      <LineList aria-label="Waiting, in order">
        {waiting.map((w) => (
          <li key={w.id}>
            <T tone="slate" className="n">
              {w.place}
            </T>
            <Grow as="span">
              <Name strong to={`/people/${w.person_id}`}>
                {w.name}
              </Name>
              {w.heads > 1 && <strong>, {w.heads} seats</strong>}{" "}
              <T tone="slate">
                {w.email ?? w.phone} · joined {day(w.joined, false)} · {w.rate}
                {w.payer && ` · pays: ${w.payer}`}
                {w.head_start !== 0 && ` · head start ${w.head_start}`}
                {w.note && ` · ${w.note}`}
              </T>
              {w.status === "offered" && w.until && (
                <T tone="ochre" strong as="div">
                  has an offer until {day(w.until, false)}, {w.until.slice(11, 16)}
                  {w.asked_time && "; asks for more time"}
                </T>
              )}
              {w.chance && (
                <T tone="slate" as="div">
                  chance of a seat {chanceText(w.chance, w.chance_range)}
                </T>
              )}
            </Grow>
            {open?.row.id === w.id ? (
              <OpenAct key={open.act} row={w} act={open.act} acts={acts} onClose={() => setOpen(null)} />
            ) : (
              <Row as="span" mid className="noprint" sx={{ gap: 18 }}>
                {run.status === "published" && (w.next || w.status === "offered") && (
                  <Button
                    size="small"
                    aria-label={`Seat ${w.name}`}
                    onClick={() => setOpen({ row: w, act: "seat" })}
                  >
                    Seat {w.name}
                  </Button>
                )}
                {run.status === "published" && w.status === "waiting" && w.fits && (
                  <Button
                    variant="text"
                    color="secondary"
                    aria-label={`Offer a seat to ${w.name}`}
                    onClick={() => setOpen({ row: w, act: "offer" })}
                  >
                    offer{w.next ? "" : " out of turn"}
                  </Button>
                )}
                {w.status === "offered" && (
                  <Button
                    variant="text"
                    color="secondary"
                    aria-label={`More time for ${w.name}`}
                    onClick={() => setOpen({ row: w, act: "time" })}
                  >
                    more time
                  </Button>
                )}
                <Button
                  variant="text"
                  color="secondary"
                  aria-label={`Leave the line, ${w.name}`}
                  onClick={() => setOpen({ row: w, act: "leave" })}
                >
                  leave the line
                </Button>
              </Row>
            )}
          </li>
        ))}
      </LineList>
      <P tone="slate">The chance is worked out from what happened before. {why}</P>
    </>
  );
}

/** "about 12 in 100, between 5 and 30", as it is said on the phone. */
function chanceText(chance: string, range: readonly string[] | null): string {
  const percent = Number(chance) * 100;
  const [low, high] = (range ?? []).map((r) => Math.round(Number(r) * 100));
  const between =
    low !== undefined && high !== undefined && high - low > 4 ? `, between ${low} and ${high}` : "";
  if (percent < 1) return `less than 1 in 100${between}`;
  return percent > 99 ? `almost certain${between}` : `about ${Math.round(percent)} in 100${between}`;
}

/** One act on somebody in line, asked where it is done. */
function OpenAct({
  row,
  act,
  acts,
  onClose,
}: {
  row: Waits;
  act: Act;
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const [quote, setQuote] = useState<Schemas["SeatQuoteView"] | null>(null);
  const [why, setWhy] = useState("");
  const [asking, setAsking] = useState(act === "offer" && !row.next);
  const [hours, setHours] = useState("24");
  const [fault, setFault] = useState("");
  const [key, setKey] = useState(newKey);
  const [busy, setBusy] = useState(false);
  const path = { waiting_id: row.id };
  const params = { path, header: { "Idempotency-Key": key } };
  if (act === "seat" && quote === null && !busy && !fault) {
    setBusy(true);
    ask(api.GET("/api/v1/waiting/{waiting_id}/quote", { params: { path } }))
      .then(setQuote)
      .catch((error: unknown) => {
        acts.fail(messageOf(error));
        onClose();
      })
      .finally(() => setBusy(false));
  }
  const work = async (deed: () => Promise<void>) => {
    setBusy(true);
    try {
      await deed();
      onClose();
    } catch (error) {
      setKey(newKey());
      if (error instanceof ServerProblem && error.kind === "not-next") {
        setAsking(true);
        setFault(messageOf(error));
      } else if (Object.keys(faultsOf(error)).length) setFault(Object.values(faultsOf(error))[0]!);
      else {
        acts.fail(messageOf(error));
        onClose();
      }
    } finally {
      setBusy(false);
    }
  };
  const seat = () =>
    work(async () => {
      const held = await ask(
        api.POST("/api/v1/waiting/{waiting_id}/seat", { params, body: { total: quote!.total, why } }),
      );
      acts.say({
        text: `${held.name} has ${held.heads > 1 ? `${held.heads} seats` : `seat ${held.seat}`}; ${money(held.quote.due_now, held.quote.currency)} is due now.`,
        change: held.change,
      });
    });
  const offer = () =>
    work(async () => {
      const done = await ask(api.POST("/api/v1/waiting/{waiting_id}/offer", { params, body: { why } }));
      acts.say({ text: `${done.name} has an offer, and hears of it in a minute.`, change: done.change });
    });
  const leave = () =>
    work(async () => {
      const left = await ask(api.POST("/api/v1/waiting/{waiting_id}/leave", { params }));
      acts.say({ text: `${left.name} left the line.`, change: left.change });
    });
  const time = () =>
    work(async () => {
      const done = await ask(
        api.POST("/api/v1/waiting/{waiting_id}/more-time", {
          params: { path },
          body: { hours: Number(hours) || 0 },
        }),
      );
      acts.say({ text: `${done.name} has longer to answer.` });
    });
  const what: Record<Act, { label: string; go: () => Promise<void>; lost?: boolean; ready: boolean }> = {
    seat: {
      label: row.heads > 1 ? `Give ${row.heads} seats` : "Give the seat",
      go: seat,
      ready: quote !== null,
    },
    offer: { label: "Offer it", go: offer, ready: true },
    leave: { label: "Take out of the line", go: leave, lost: true, ready: true },
    time: { label: "Give more time", go: time, ready: true },
  };
  const now = what[act];
  return (
    <Form
      look="row"
      mid
      onSend={() => {
        if (now.ready && !busy) void now.go();
      }}
      onLeave={onClose}
    >
      {act === "seat" && quote && (
        <span>
          today {money(quote.total, quote.currency)}, now {money(quote.due_now, quote.currency)}
        </span>
      )}
      {act === "time" && (
        <Field label="Hours more" width={100} value={hours} onChange={setHours} fault={fault} autoFocus />
      )}
      {asking && (
        <Field label="Why out of turn" width={200} value={why} onChange={setWhy} fault={fault} autoFocus />
      )}
      {now.ready && (
        <Button
          type="submit"
          size="small"
          variant={now.lost ? "outlined" : "contained"}
          color={now.lost ? "error" : "primary"}
          autoFocus={!asking && act !== "time"}
          disabled={busy}
        >
          {now.label}
        </Button>
      )}
      <Button variant="text" onClick={onClose}>
        {act === "leave" ? "keep" : "not yet"}
      </Button>
    </Form>
  );
}

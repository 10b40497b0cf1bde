import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type ReactNode, useState } from "react";

import {
  $api,
  api,
  ask,
  asTyped,
  keyHeader,
  messageOf,
  type Schemas,
  type ServerProblem,
} from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Grow, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault, Name, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { type ServerForm, useServerForm } from "../../form/useServerForm";
import { whole } from "../courses/form";
import { useNotice } from "./DeskCalls";
import { WholeLine } from "./WholeLine";

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
type Act = "seat" | "offer" | "leave" | "time" | "back";

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
            <Waiting row={w} />
            {open?.row.id === w.id ? (
              <OpenAct key={open.act} row={w} act={open.act} acts={acts} onClose={() => setOpen(null)} />
            ) : (
              <RowActs row={w} run={run} onOpen={(act) => setOpen({ row: w, act })} />
            )}
          </li>
        ))}
      </LineList>
      <P tone="slate">The chance is worked out from what happened before. {why}</P>
      <WholeLine run={run} number={waiting.filter((w) => w.status === "waiting").length} acts={acts} />
    </>
  );
}

/** Somebody in line: how many seats, since when, an offer and its end, the chance. */
function Waiting({ row: w }: { row: Waits }) {
  return (
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
      {w.by_hand && w.status === "waiting" && (
        <T tone="ochre" as="div">
          an offer was taken back; the next one is made by hand
        </T>
      )}
      {w.chance && (
        <T tone="slate" as="div">
          chance of a seat {chanceText(w.chance, w.chance_range)}
        </T>
      )}
    </Grow>
  );
}

/** What can be done with somebody in line. */
function RowActs({
  row: w,
  run,
  onOpen,
}: {
  row: Waits;
  run: Schemas["RunOut"];
  onOpen: (act: Act) => void;
}) {
  return (
    <Row as="span" mid className="noprint" sx={{ gap: 18 }}>
      {(run.status === "off sale" || (run.status === "published" && (w.next || w.status === "offered"))) && (
        <Button size="small" aria-label={`Seat ${w.name}`} onClick={() => onOpen("seat")}>
          Seat {w.name}
        </Button>
      )}
      {run.status === "published" && w.status === "waiting" && w.fits && (
        <Button
          variant="text"
          color="secondary"
          aria-label={`Offer a seat to ${w.name}`}
          onClick={() => onOpen("offer")}
        >
          offer{w.next ? "" : " out of turn"}
        </Button>
      )}
      {w.status === "offered" && (
        <Button
          variant="text"
          color="secondary"
          aria-label={`More time for ${w.name}`}
          onClick={() => onOpen("time")}
        >
          more time
        </Button>
      )}
      {w.status === "offered" && (
        <Button
          variant="text"
          color="secondary"
          aria-label={`take it back, the offer of ${w.name}`}
          onClick={() => onOpen("back")}
        >
          take it back
        </Button>
      )}
      <Button
        variant="text"
        color="secondary"
        aria-label={`Leave the line, ${w.name}`}
        onClick={() => onOpen("leave")}
      >
        leave the line
      </Button>
    </Row>
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

type Acting = { row: Waits; acts: ReturnType<typeof useDone>; onClose: () => void };

/** One act on somebody in line, asked where it is done. */
function OpenAct({ act, ...acting }: Acting & { act: Act }) {
  if (act === "seat") return <Seat {...acting} />;
  if (act === "offer") return <Offer {...acting} />;
  if (act === "time") return <MoreTime {...acting} />;
  if (act === "back") return <TakeBack {...acting} />;
  return <LeaveLine {...acting} />;
}

/** The act of a line's row, and the way back. */
function RowAct({
  of,
  label,
  lost,
  leave = "not yet",
  takes = true,
  onClose,
  children,
}: {
  of: ServerForm;
  label: string;
  lost?: boolean;
  leave?: string;
  /** The focus goes to the act, where nothing is asked before it. */
  takes?: boolean;
  onClose: () => void;
  children?: ReactNode;
}) {
  return (
    <Form look="row" mid of={of} onLeave={onClose}>
      {children}
      <Button
        type="submit"
        size="small"
        variant={lost ? "outlined" : "contained"}
        color={lost ? "error" : "primary"}
        autoFocus={takes}
        disabled={of.busy}
      >
        {label}
      </Button>
      <Button variant="text" onClick={onClose}>
        {leave}
      </Button>
    </Form>
  );
}

const notNext = (problem: ServerProblem | null) => problem?.kind === "not-next";

/** At what a seat costs today; whoever is not next asks for a reason. */
function Seat({ row, acts, onClose }: Acting) {
  const path = { waiting_id: row.id };
  const { data: quote, error } = $api.useQuery("get", "/api/v1/waiting/{waiting_id}/quote", {
    params: { path },
  });
  const of = useServerForm({
    draft: null,
    start: { why: "" },
    send: ({ why }, key) =>
      ask(
        api.POST("/api/v1/waiting/{waiting_id}/seat", {
          params: { path, header: keyHeader(key) },
          body: { total: quote!.total, why },
        }),
      ),
    done: (held) => {
      const seats = held.heads > 1 ? `${held.heads} seats` : `seat ${held.seat}`;
      const now = money(held.quote.due_now, held.quote.currency);
      acts.say({ text: `${held.name} has ${seats}; ${now} is due now.`, change: held.change });
      onClose();
    },
  });
  const notice = useNotice(quote?.run_id ?? null);
  if (error) return <Fault role="alert">{messageOf(error)}</Fault>;
  if (!quote) return <T tone="slate">Working it out …</T>;
  const shut = of.problem?.kind === "sign-up-shut";
  const asking = notNext(of.problem) || shut || of.values.why !== "";
  return (
    <RowAct
      of={notice.unread ? { ...of, busy: true } : of}
      label={row.heads > 1 ? `Give ${row.heads} seats` : "Give the seat"}
      takes={!asking && !notice.unread}
      onClose={onClose}
    >
      {notice.shown}
      <span>
        today {money(quote.total, quote.currency)}, now {money(quote.due_now, quote.currency)}
      </span>
      {asking && (
        <Field
          label={shut ? "Why all the same" : "Why out of turn"}
          width={200}
          {...of.field("why")}
          autoFocus
        />
      )}
    </RowAct>
  );
}

function Offer({ row, acts, onClose }: Acting) {
  const of = useServerForm({
    draft: null,
    start: { why: "" },
    send: (body, key) =>
      ask(
        api.POST("/api/v1/waiting/{waiting_id}/offer", {
          params: { path: { waiting_id: row.id }, header: keyHeader(key) },
          body,
        }),
      ),
    done: (done) => {
      acts.say({ text: `${done.name} has an offer, and hears of it in a minute.`, change: done.change });
      onClose();
    },
  });
  const asking = !row.next || notNext(of.problem) || of.values.why !== "";
  return (
    <RowAct of={of} label="Offer it" takes={!asking} onClose={onClose}>
      {asking && <Field label="Why out of turn" width={200} {...of.field("why")} autoFocus />}
    </RowAct>
  );
}

/** An offer that no longer stands; whoever had it keeps their place and is told. */
function TakeBack({ row, acts, onClose }: Acting) {
  const of = useServerForm({
    draft: null,
    start: { why: "" },
    send: (body) =>
      ask(
        api.POST("/api/v1/waiting/{waiting_id}/take-back", {
          params: { path: { waiting_id: row.id } },
          body,
        }),
      ),
    done: (done) => {
      acts.say({
        text: `The offer of ${done.name} is taken back; they keep their place, and hear of it in a minute.`,
      });
      onClose();
    },
  });
  return (
    <RowAct of={of} label="Take the offer back" leave="leave it" takes={false} lost onClose={onClose}>
      <Field label="Why" width={220} {...of.field("why")} autoFocus />
    </RowAct>
  );
}

function MoreTime({ row, acts, onClose }: Acting) {
  const of = useServerForm({
    draft: null,
    start: { hours: "24" },
    send: ({ hours }) =>
      ask(
        api.POST("/api/v1/waiting/{waiting_id}/more-time", {
          params: { path: { waiting_id: row.id } },
          body: asTyped<"MoreTimeCommand">({ hours: whole(hours) }),
        }),
      ),
    done: (done) => {
      acts.say({ text: `${done.name} has longer to answer.` });
      onClose();
    },
  });
  return (
    <RowAct of={of} label="Give more time" takes={false} onClose={onClose}>
      <Field label="Hours more" width={100} {...of.field("hours")} autoFocus />
    </RowAct>
  );
}

function LeaveLine({ row, acts, onClose }: Acting) {
  const of = useServerForm({
    draft: null,
    start: {},
    send: (_, key) =>
      ask(
        api.POST("/api/v1/waiting/{waiting_id}/leave", {
          params: { path: { waiting_id: row.id }, header: keyHeader(key) },
        }),
      ),
    done: (left) => {
      acts.say({ text: `${left.name} left the line.`, change: left.change });
      onClose();
    },
  });
  return <RowAct of={of} label="Take out of the line" leave="keep" lost onClose={onClose} />;
}

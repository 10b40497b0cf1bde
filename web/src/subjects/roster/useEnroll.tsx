import { useState } from "react";
import { Link } from "react-router";

import { api, ask, faultsOf, messageOf, type Schemas, ServerProblem } from "../../app/server";
import { ofText } from "../../parts/RunFacts";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { digitsOf } from "../courses/form";
import { askOf, type Call, type DeskEvent, headsOf, namesOf, paidNow, payerOf, seatsOf } from "./deskCall";

type Asked = { call: Call; quote: Schemas["RunQuoteView"]; run: Schemas["RunOut"]; payerName: string };
type Written = { text: string; change: string; runId: number; enrollmentId: number | null };

/** What both ways send: who, on what, on which terms. */
function common({ call, quote, run }: Asked) {
  return {
    ...askOf(call, digitsOf(run.currency)),
    run_id: quote.run_id,
    person_id: call.person!.id,
    plan_id: quote.plan_id,
    ...payerOf(call),
    note: call.note,
    received_on: call.received || null,
    exception: call.exception.trim(),
    group: call.group.trim(),
    ...(call.mixed || call.agreed ? {} : { rate_id: quote.rate_id }),
  };
}

async function wait(asked: Asked): Promise<Written> {
  const { call, run } = asked;
  const lined = await ask(
    api.POST("/api/v1/waiting", {
      params: { header: { "Idempotency-Key": call.key } },
      body: { ...common(asked), head_start: 0, answers: call.answers },
    }),
  );
  const text = `${lined.name} waits for ${run.title} as number ${lined.place} in line.`;
  return { text, change: lined.change, runId: lined.run_id, enrollmentId: null };
}

/** A sign-up as the server takes it. */
function signUpOf(asked: Asked, total: string): Schemas["EnrollCommand"] {
  const { call, quote, run } = asked;
  return {
    ...common(asked),
    total,
    names: headsOf(call) > 1 ? namesOf(call) : [],
    kept_quote_id: call.keptId,
    hold: call.hold,
    told: call.told,
    held_place_id: call.heldId,
    word: call.word.trim(),
    paid: paidNow(call, quote.due_now, digitsOf(run.currency)),
  };
}

/** The letters that would go out of a sign-up; nothing is written. */
export async function lettersOf(asked: Asked): Promise<Schemas["LetterOut"][]> {
  const seen = await ask(
    api.POST("/api/v1/enrollments", {
      params: { query: { preview: true } },
      body: signUpOf(asked, asked.quote.total),
    }),
  );
  return seen.letters ?? [];
}

async function seat(asked: Asked, total: string): Promise<Written> {
  const { call, run } = asked;
  const held = await ask(
    api.POST("/api/v1/enrollments", {
      params: { header: { "Idempotency-Key": call.key } },
      body: signUpOf(asked, total),
    }),
  );
  const now = money(held.quote.due_now, held.quote.currency);
  const seats = `${seatsOf(held.seat, held.heads)}${ofText(held.capacity)}`;
  const until = held.held_until
    ? `; held until ${day(held.held_until, false)}, ${held.held_until.slice(11, 16)}, for the payment`
    : "";
  const paid = held.payment;
  const receipt = !paid?.receipt
    ? ""
    : paid.sent_to
      ? `; receipt ${paid.receipt} goes to ${paid.sent_to}`
      : `; receipt ${paid.receipt}, to print: there is no email`;
  const due = paid
    ? `${money(paid.amount, held.quote.currency)} paid by ${paid.method}${receipt}`
    : `${now} is due now${until}`;
  const text = `${held.name} has ${seats} on ${run.title}; ${due}.`;
  return { text, change: held.change, runId: held.run_id, enrollmentId: held.enrollment_id };
}

/** The one act of the desk: a seat, or a place in line; a total that differs from the one shown is asked about. */
export function useEnroll(
  tell: (event: DeskEvent) => void,
  acts: ReturnType<typeof useDone>,
  afterwards: { done: () => void; failed: () => void },
) {
  const [busy, setBusy] = useState(false);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [changed, setChanged] = useState<{ shown: string; now: string } | null>(null);
  const [sameCheck, setSameCheck] = useState("");
  const enroll = async (asked: Asked) => {
    if (busy) return;
    const { call, quote, run, payerName } = asked;
    setBusy(true);
    acts.say(null);
    try {
      const told = changed?.now ?? quote.total;
      const written = quote.can_wait ? await wait(asked) : await seat(asked, told);
      const payer = call.payer || `p${call.person!.id}`;
      tell({ type: "done", line: { ...written, person: call.person!, run: run.title, payer, payerName } });
      setChanged(null);
      setSameCheck("");
      setFaults({});
      acts.say({
        text: written.text,
        change: written.change,
        link: <Link to={`/runs/${written.runId}/roster`}>See the roster</Link>,
      });
      afterwards.done();
    } catch (error) {
      if (error instanceof ServerProblem && error.kind === "total-changed") {
        setChanged({ shown: String(error.extra.shown), now: String(error.extra.now) });
        tell({ type: "said", change: {} });
      } else if (error instanceof ServerProblem && error.kind === "same-check") {
        setSameCheck(error.message);
      } else {
        const found = faultsOf(error);
        setFaults(found);
        acts.fail(Object.values(found).join(" ") || messageOf(error));
      }
      afterwards.failed();
    } finally {
      setBusy(false);
    }
  };
  return {
    busy,
    changed,
    /** The check's number was taken from this payer before, in words; empty while it was not. */
    sameCheck,
    faults,
    forget: () => {
      setChanged(null);
      setSameCheck("");
      setFaults({});
    },
    enroll,
  };
}

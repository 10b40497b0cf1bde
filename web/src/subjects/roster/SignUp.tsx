import Button from "@mui/material/Button";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, faultsOf, keyHeader, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice } from "../../form/Field";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useForeseen } from "../../form/useForeseen";
import { ActList, Facts, Note, Row } from "../../parts/layout";
import { count, day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault, P, T } from "../../parts/words";
import { PersonPick } from "../people/PersonPick";
import { ActOrLeave } from "./ActOrLeave";
import { ChangeTerms } from "./ChangeTerms";
import { AddHead, HeadLeaves } from "./Heads";
import { Leaving } from "./Leaving";
import { freedSeat, FreedSeatPick, IN_TURN } from "./FreedSeat";
import { AllTheSame, Moving } from "./Moving";
import { useRoster } from "./Roster";
import { type Act, ACTS } from "./signUpActs";

/** One sign-up in the margin: what was agreed, what is paid, and everything that can be done with it. */
export function SignUp({
  id,
  run,
  acts,
  onClose,
}: {
  id: number;
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const [params, setParams] = useSearchParams();
  const act = ACTS.find(([name]) => name === params.get("act"))?.[0] ?? null;
  const setAct = (next: Act | null) =>
    setParams(
      (old) => {
        const now = new URLSearchParams(old);
        if (next) now.set("act", next);
        else now.delete("act");
        return now;
      },
      { replace: true },
    );
  const leaving = /^leaves-(\d+)$/.exec(params.get("act") ?? "");
  const leaves = leaving ? Number(leaving[1]) : null;
  const roster = useRoster(run.id);
  const place = roster.data?.people.find((p) => p.id === id)?.places.find((p) => p.n === leaves);
  const me = useMe();
  const heading = useRef<HTMLHeadingElement>(null);
  const query = $api.useQuery("get", "/api/v1/enrollments/{enrollment_id}", {
    params: { path: { enrollment_id: id } },
  });
  const held = query.data;
  useEffect(() => {
    if (held?.id === id) heading.current?.focus({ preventScroll: true });
  }, [held?.id, id]);
  if (query.error) return <Fault as="p">{messageOf(query.error)}</Fault>;
  if (!held) return null;
  if (!["seated", "held"].includes(held.status))
    return (
      <section aria-label={`Sign-up of ${held.name}`}>
        <h2>{held.name}</h2>
        <p>No longer on this roster: {held.status}.</p>
        <Button variant="text" onClick={onClose}>
          back to the run
        </Button>
      </section>
    );
  const done = { ...acts, say: (what: Parameters<typeof acts.say>[0]) => acts.say(what) };
  const close = () => setAct(null);
  const away = () => {
    setAct(null);
    onClose();
  };
  return (
    <section aria-label={`Sign-up of ${held.name}`}>
      <Row sx={{ justifyContent: "space-between" }}>
        <h2 ref={heading} tabIndex={-1}>
          {held.name}
        </h2>
        <Button
          variant="text"
          color="secondary"
          aria-label={`Close the sign-up of ${held.name}`}
          onClick={onClose}
        >
          close
        </Button>
      </Row>
      <P tone="slate">
        {held.batch_id ? <Link to={`/lists/${held.batch_id}`}>{held.way_in}</Link> : held.way_in}
        {held.came_from && ` from ${held.came_from}`}, {day(held.signed_up)}
        {held.heads > 1 && `; ${count(held.heads, "seat")}`}
        {held.order_number && `; purchase order ${held.order_number}`}
        {held.contact && `; contact ${held.contact}`}
      </P>
      {held.access_until && <P tone="slate">Access through {day(held.access_until)}.</P>}
      {held.next_due && held.next_due.due > me.today && (
        <P tone="slate">
          The next {money(held.next_due.amount, held.quote.currency)} is due on {day(held.next_due.due)}.
        </P>
      )}
      {held.sentence && (
        <P tone="slate">
          Came by a sentence: {held.sentence} <Link to="/sentences">All sentences</Link>
        </P>
      )}
      {held.role !== "learner" && <Role held={held} run={run} acts={acts} onDone={away} />}
      {held.held_until && (
        <P tone="ochre" strong>
          Held until {day(held.held_until)}, {held.held_until.slice(11, 16)}, for{" "}
          {held.waits_for_card ? "a card to be given" : "the first payment"}.
        </P>
      )}
      {act === null && leaves === null && held.role === "learner" && <Agreed held={held} />}
      {act === null && leaves === null && held.role === "learner" && (
        <ActList>
          {ACTS.filter(([name]) => name !== "absent" || run.teaching !== "before").map(([name, text]) => (
            <li key={name}>
              <Button variant="text" onClick={() => setAct(name)}>
                {text}
              </Button>
            </li>
          ))}
        </ActList>
      )}
      {act === "withdraw" && <Leaving enrollmentId={id} acts={done} onClose={close} onDone={away} />}
      {act === "absent" && <Leaving enrollmentId={id} noShow acts={done} onClose={close} onDone={away} />}
      {act === "move" && <Moving held={held} acts={done} onClose={close} onDone={away} />}
      {act === "change" && <ChangeTerms held={held} run={run} acts={done} onClose={close} />}
      {act === "head" && <AddHead held={held} run={run} acts={done} onClose={close} />}
      {leaves !== null && (
        <HeadLeaves
          row={{ id, name: held.name }}
          n={leaves}
          who={place?.name ?? `head ${leaves}`}
          acts={done}
          onClose={close}
        />
      )}
      {act === "role" && <OtherRole held={held} acts={done} onClose={close} onDone={away} />}
      {act === "swap" && <Swap held={held} acts={done} onClose={close} onDone={away} />}
    </section>
  );
}

/** What was agreed and when it is due, with what is paid of it. */
function Agreed({ held }: { held: Schemas["EnrollmentOut"] }) {
  const me = useMe();
  const currency = held.quote.currency;
  return (
    <>
      <Facts>
        {held.quote.lines.map((line, i) => [
          <dt key={`${i}t`}>
            {line.label}
            {line.quantity > 1 ? ` × ${line.quantity}` : ""}
          </dt>,
          <dd key={`${i}d`}>{money(line.amount, currency)}</dd>,
          <dd key={`${i}w`} className="why">
            {line.why}
          </dd>,
        ])}
        <dt className="sum">Total</dt>
        <dd className="sum">{money(held.quote.total, currency)}</dd>
      </Facts>
      <Facts sx={{ marginTop: 8 }}>
        {held.plan.map((p, i) => {
          const late = !isZero(p.left) && p.due < me.today;
          return [
            <T as="dt" tone={late ? "ochre" : undefined} strong={late} key={`${i}t`}>
              {day(p.due)}
            </T>,
            <dd key={`${i}d`}>{money(p.amount, currency)}</dd>,
            <dd key={`${i}w`} className="why">
              {isZero(p.left) ? "paid" : p.left === p.amount ? "open" : `${money(p.left, currency)} open`}
            </dd>,
          ];
        })}
      </Facts>
      <p>
        <Link to={`/accounts/${held.account_id}`}>Account of {held.payer}</Link>
      </p>
    </>
  );
}

/** Somebody on the roster who holds no seat: another role, or off it. */
function Role({
  held,
  run,
  acts,
  onDone,
}: {
  held: Schemas["EnrollmentOut"];
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  onDone: () => void;
}) {
  const me = useMe();
  const [learner, setLearner] = useState(false);
  const path = { enrollment_id: held.id };
  const set = useAct({
    send: (role: Schemas["Role"]) =>
      ask(api.PUT("/api/v1/enrollments/{enrollment_id}/role", { params: { path }, body: { role } })),
    done: (done) => acts.say({ text: `${done.name} is ${done.role} now.`, change: done.change }),
    failed: acts.fail,
  });
  const off = useAct({
    send: () => ask(api.POST("/api/v1/enrollments/{enrollment_id}/take-off", { params: { path } })),
    done: (done) => {
      acts.say({ text: `${done.name} is off the roster.`, change: done.change });
      onDone();
    },
    failed: acts.fail,
  });
  if (learner)
    return (
      <RoleForeseen
        held={held}
        next="learner"
        currency={run.currency}
        acts={acts}
        onClose={() => setLearner(false)}
        onDone={onDone}
      />
    );
  const others = (["assistant", "observer", "instructor"] as const).filter(
    (r) => r !== held.role && (r !== "instructor" || me.rights.includes("add instructors")),
  );
  return (
    <>
      <p>
        <strong>{held.role}</strong>; takes no seat and pays nothing.
      </p>
      <ActList>
        {others.map((r) => (
          <li key={r}>
            <Button variant="text" onClick={() => void set.act(r)}>
              make {held.name} {r}
            </Button>
          </li>
        ))}
        <li>
          <Button variant="text" onClick={() => setLearner(true)}>
            make {held.name} a learner, with a seat
          </Button>
        </li>
        <li>
          <Button variant="text" onClick={() => void off.act(undefined)}>
            take off the roster
          </Button>
        </li>
      </ActList>
    </>
  );
}

type Panel = {
  held: Schemas["EnrollmentOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
  onDone: () => void;
};

/** A learner becomes something else on the same roster: which role, what becomes of seat and money. */
function OtherRole({ held, acts, onClose, onDone }: Panel) {
  const me = useMe();
  const [role, setRole] = useState<Schemas["Role"]>("assistant");
  const roles = ["assistant", "observer", ...(me.rights.includes("add instructors") ? ["instructor"] : [])];
  return (
    <RoleForeseen
      held={held}
      next={role}
      currency={held.quote.currency}
      acts={acts}
      onClose={onClose}
      onDone={onDone}
    >
      <Choice
        label="As"
        value={role}
        onChange={(r) => setRole(r as Schemas["Role"])}
        options={roles.map((r) => ({ value: r, text: r }))}
      />
    </RoleForeseen>
  );
}

/** Another role with a seat or without one: what it does to seat and money, before it is done. */
function RoleForeseen({
  held,
  next,
  currency,
  acts,
  onClose,
  onDone,
  children,
}: Panel & { next: Schemas["Role"]; currency: string; children?: ReactNode }) {
  const path = { enrollment_id: held.id };
  const [why, setWhy] = useState("");
  const [seat, setSeat] = useState(IN_TURN);
  const line = $api.useQuery(
    "get",
    "/api/v1/enrollments/{enrollment_id}/withdrawal",
    { params: { path } },
    { enabled: held.role === "learner" },
  );
  const could = line.data?.could ?? [];
  const changing = useForeseen({
    name: ["role", held.id],
    wish: { role: next, exception: why.trim() || null, seat: freedSeat(seat, could) },
    see: (body) =>
      ask(
        api.PUT("/api/v1/enrollments/{enrollment_id}/role", {
          params: { path, query: { preview: true } },
          body,
        }),
      ),
    send: (body, key, preview) =>
      ask(
        api.PUT("/api/v1/enrollments/{enrollment_id}/role", {
          params: { path, header: keyHeader(key) },
          body: { ...body, total: preview.total },
        }),
      ),
    done: (done) => {
      acts.say({ text: `${done.name} is ${done.role} now. ${done.said ?? ""}`.trim(), change: done.change });
      onDone();
    },
    stays: () => false,
  });
  const { preview, trouble } = changing;
  return (
    <Form look="due" onSend={() => void changing.act()} onLeave={onClose}>
      <P strong>
        {held.name}, {held.role} now, becomes
      </P>
      {children ?? <p>{next}</p>}
      {trouble != null && <Fault as="p">{Object.values(faultsOf(trouble))[0] ?? messageOf(trouble)}</Fault>}
      {preview && (
        <p>
          {next === "learner"
            ? preview.said
            : `The seat is given back, and the charge of ${money(held.quote.total, currency)} with it. ${preview.said ?? ""}`}
        </p>
      )}
      <AllTheSame trouble={trouble} why={why} set={setWhy} />
      <FreedSeatPick could={could} value={seat} set={setSeat} faults={faultsOf(trouble)} />
      <ActOrLeave act="Change the role" onClose={onClose} ready={changing.ready} />
    </Form>
  );
}

/** The same seat for another person; the payer stays. */
function Swap({ held, acts, onClose, onDone }: Panel) {
  const swap = useAct({
    send: (person_id: number, key) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/swap", {
          params: { path: { enrollment_id: held.id }, header: keyHeader(key) },
          body: { person_id },
        }),
      ),
    done: (done) => {
      const text = `${done.name} has the seat of ${done.before}; ${done.payer} still pays.`;
      acts.say({ text, change: done.change });
      onDone();
    },
    failed: acts.fail,
  });
  return (
    <Note kind="due">
      <p>
        <strong>Who takes the seat of {held.name}?</strong> Terms and money stay: {held.payer} pays.
      </p>
      <PersonPick
        label="Who takes the seat"
        adds={`swap-${held.id}`}
        onPick={(id) => void swap.act(id)}
        onLeave={onClose}
      />
    </Note>
  );
}

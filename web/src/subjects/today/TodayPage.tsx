import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, type Schemas } from "../../app/server";
import { Arch } from "../../parts/Arch";
import { Grow, Note, Row, Ruled, TodayPart } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P, T, When } from "../../parts/words";
import { RequestLines } from "../catalog/Requests";
import { WaitingMoney } from "../money/WaitingMoney";
import { Lines } from "../schedule/Sheets";
import { NewReminder, ReminderLine } from "./Reminders";

type Today = Schemas["TodayOut"];

/** What needs a decision now, in order of date; and what is held today. */
export default function TodayPage() {
  const acts = useDone();
  const pulse = usePulse(null, 20);
  const query = $api.useQuery("get", "/api/v1/today");
  const [remind, setRemind] = useState(false);
  if (!query.data) return <NotYet title="Today" error={query.error} retry={() => void query.refetch()} />;
  const t = query.data;
  const waiting =
    t.decisions.length +
    t.clashes.length +
    t.failed.length +
    t.drafts.length +
    t.lists.length +
    t.requests.length +
    t.money.length +
    t.prepared.length +
    t.cards.length +
    t.reminders.length +
    t.offers.length +
    t.holds.length;
  return (
    <Page
      title="Today"
      margin={
        <>
          <News pulse={pulse} />
          <ActNotes acts={acts} />
          <section>
            <h2>Reminders</h2>
            {t.reminders.length === 0 && <P tone="slate">Nothing to think of today.</P>}
            {t.reminders.map((r) => (
              <ReminderLine key={r.id} reminder={r} />
            ))}
            {remind ? (
              <NewReminder about={{}} onDone={() => setRemind(false)} />
            ) : (
              <Button variant="text" onClick={() => setRemind(true)}>
                A new reminder
              </Button>
            )}
          </section>
          <section>
            <h2>Held today</h2>
            <p>
              <Link to={`/days/${t.date}`}>The rooms as a sheet for the doors</Link>
            </p>
            <p>
              <Link to="/demand">Courses that people wait for</Link>
            </p>
          </section>
        </>
      }
    >
      <h1>{day(t.date)}</h1>
      <P tone="slate" aria-live="polite">
        {waiting
          ? `${count(waiting, "thing waits", "things wait")} for somebody, soonest first.`
          : "Nothing waits for a decision."}
        {t.closed && (
          <T tone="ochre" as="strong">
            {" "}
            The center is closed: {t.closed}.
          </T>
        )}
      </P>
      {t.troubles.map((said) => (
        <Note kind="wrong" key={said} role="status">
          {said}
        </Note>
      ))}
      {t.failed.map((f) => (
        <Note kind="wrong" key={f.kind}>
          {count(f.number, "piece", "pieces")} of work failed for good ({f.kind}).{" "}
          <Link to="/outbox">See what, and try again</Link>
        </Note>
      ))}
      <Money t={t} acts={acts} />
      {t.requests.length > 0 && (
        <TodayPart>
          <h2>Requests for a seat</h2>
          <RequestLines requests={t.requests} acts={acts} />
        </TodayPart>
      )}
      <HandedIn t={t} />
      <Refused t={t} />
      <Offers t={t} />
      <Decisions t={t} />
      <Clashes t={t} />
      <Lists t={t} />
      <Drafts t={t} />
      <TodayPart>
        <h2>Held today</h2>
        {t.meetings.length ? (
          <Lines meetings={t.meetings} place />
        ) : (
          <P tone="slate">Nothing is held today.</P>
        )}
      </TodayPart>
    </Page>
  );
}

/** Refunds and write-offs that two have to agree on. */
function Money({ t, acts }: { t: Today; acts: ReturnType<typeof useDone> }) {
  if (t.money.length === 0) return null;
  return (
    <TodayPart>
      <h2>Money that waits for a second person</h2>
      <Ruled>
        {t.money.map((item) => (
          <WaitingMoney key={item.id} item={item} acts={acts} />
        ))}
      </Ruled>
    </TodayPart>
  );
}

/** Courses that instructors handed in, to be looked at. */
function HandedIn({ t }: { t: Today }) {
  if (t.prepared.length === 0) return null;
  return (
    <TodayPart>
      <h2>Handed in by instructors</h2>
      <Ruled>
        {t.prepared.map((p) => (
          <li key={p.id}>
            <Link to={`/courses/${p.course_id}`}>{p.title}</Link> by {p.instructor}
            <T tone="slate">
              , {day(p.since, false)} {clock(p.since)}
              {p.changed.length > 0 && `; changed: ${p.changed.join(", ").toLowerCase()}`}
              {p.runs > 0 && `; ${count(p.runs, "run")}`}
            </T>
          </li>
        ))}
      </Ruled>
    </TodayPart>
  );
}

/** Cards that could not be charged, of those who still owe: whom to call, or when it is tried again. */
function Refused({ t }: { t: Today }) {
  if (t.cards.length === 0) return null;
  return (
    <TodayPart>
      <h2>
        Cards that were refused <Link to="/money/cards">all in one place</Link>
      </h2>
      <Ruled>
        {t.cards.slice(0, 6).map((c) => (
          <li key={c.id}>
            <Link to={`/accounts/${c.account_id}`}>{c.name}</Link>{" "}
            <T tone="copper">{money(c.amount, c.currency)}</T>{" "}
            <T tone="slate">
              {c.tried_again ? `tried again on ${day(c.tried_again, false)}` : "not tried again; call"}
              {c.phone && `, ${c.phone}`}
            </T>
          </li>
        ))}
      </Ruled>
    </TodayPart>
  );
}

/** Lists that were stopped in the middle, or stand since something changed. */
function Lists({ t }: { t: Today }) {
  if (t.lists.length === 0) return null;
  return (
    <TodayPart>
      <h2>Lists that stand</h2>
      <Ruled>
        {t.lists.map((b) => (
          <Row as="li" key={b.id} sx={{ padding: "4px 0" }}>
            <When nowrap>{count(b.left, "line")} left</When>
            <Grow as="span">
              <Link to={`/lists/${b.id}`}>{b.name}</Link> <T tone="slate">{b.why}</T>
            </Grow>
          </Row>
        ))}
      </Ruled>
    </TodayPart>
  );
}

/** Drafts that begin soon and lack something. */
function Drafts({ t }: { t: Today }) {
  if (t.drafts.length === 0) return null;
  return (
    <TodayPart>
      <h2>Drafts that are not ready</h2>
      <Ruled>
        {t.drafts.map((d) => (
          <Row as="li" key={d.run_id} sx={{ padding: "4px 0" }}>
            <When nowrap>{d.start ? `starts ${day(d.start, false)}` : "no date"}</When>
            <Grow as="span">
              <Link to={`/runs/${d.run_id}`}>{d.title}</Link> <T tone="slate">{d.code}</T>
              <T tone="slate" as="div">
                {d.wrong}
                {d.more > 0 && ` And ${d.more} more.`}
              </T>
            </Grow>
          </Row>
        ))}
      </Ruled>
    </TodayPart>
  );
}

/** Offers that wait for an answer and places held without names that lapse soon. */
function Offers({ t }: { t: Today }) {
  if (t.offers.length + t.holds.length === 0) return null;
  return (
    <TodayPart>
      <h2>Seats that wait for an answer</h2>
      <Ruled>
        {t.offers.map((o) => (
          <Row as="li" key={`${o.run_id}-${o.person_id}`} sx={{ padding: "4px 0" }}>
            <When tone={o.asked_time ? "ochre" : undefined} strong={o.asked_time}>
              {day(o.until, false)}, {clock(o.until)}
            </When>
            <Grow as="span">
              <Link to={`/people/${o.person_id}`}>{o.name}</Link> has an offer
              {o.heads > 1 && ` of ${o.heads} seats`} on{" "}
              <Link to={`/runs/${o.run_id}/roster`}>{o.title}</Link> <T tone="slate">{o.code}</T>
              {o.asked_time && (
                <T tone="ochre" as="strong">
                  {" "}
                  and asks for more time
                </T>
              )}
            </Grow>
            <T tone="slate" nowrap>
              {o.phone}
            </T>
          </Row>
        ))}
        {t.holds.map((h, n) => (
          <Row as="li" key={n} sx={{ padding: "4px 0" }}>
            <When>{day(h.last, false)}</When>
            <Grow as="span">
              {count(h.seats, "place")} held for {h.for_whom} on{" "}
              <Link to={`/runs/${h.run_id}/terms#kept-back`}>{h.title}</Link> <T tone="slate">{h.code}</T>
            </Grow>
          </Row>
        ))}
      </Ruled>
    </TodayPart>
  );
}

function Decisions({ t }: { t: Today }) {
  if (t.decisions.length === 0) return null;
  return (
    <TodayPart>
      <h2>To be decided</h2>
      <Ruled>
        {t.decisions.map((d) => {
          const due = d.day !== null && d.day <= t.date;
          return (
            <Row as="li" mid key={d.run_id} sx={{ padding: "2px 0" }}>
              <Arch taken={d.taken} capacity={d.capacity} smallest={d.smallest} waiting={d.waiting} />
              <T nowrap strong>
                {d.taken} of {d.capacity}
              </T>
              <T cut sx={{ flex: 1, minWidth: 0 }}>
                <Link to={`/runs/${d.run_id}`}>{d.title}</Link> <T tone="slate">{d.code}</T>{" "}
                <T tone={d.taken < d.smallest ? "ochre" : "slate"}>
                  {d.taken < d.smallest
                    ? `${d.smallest - d.taken} short of ${d.smallest}`
                    : `has its ${d.smallest}`}
                  , {d.firm} firm, {d.unpaid} unpaid{d.held + d.kept > 0 && `, ${d.held + d.kept} held`}
                  {d.unnamed > 0 && `, ${d.unnamed} without a name`}, {money(d.income, d.currency)} at stake
                </T>
              </T>
              <T
                nowrap
                tone={due ? "ochre" : "slate"}
                strong={Boolean(due)}
                title={`It starts ${day(d.start, false)}.`}
              >
                {d.day ? `${due ? "decide now, was" : "decide by"} ${day(d.day, false)}` : "no decision day"}
              </T>
            </Row>
          );
        })}
      </Ruled>
    </TodayPart>
  );
}

function Clashes({ t }: { t: Today }) {
  if (t.clashes.length === 0) return null;
  const texts = new Map<string, { first: (typeof t.clashes)[number]; n: number }>();
  for (const c of t.clashes) {
    const held = texts.get(c.text);
    if (held) held.n += 1;
    else texts.set(c.text, { first: c, n: 1 });
  }
  const grouped = [...texts.values()];
  return (
    <TodayPart>
      <h2>
        {count(t.clashes.length, "clash", "clashes")} <Link to="/clashes">all in one place</Link>
      </h2>
      <Ruled>
        {grouped.slice(0, 6).map(({ first: c, n }) => (
          <Row as="li" key={c.key} sx={{ padding: "4px 0" }}>
            <When nowrap>
              {day(c.date, false)}, {clock(c.start)}
            </When>
            <Grow as="span">
              {c.text} {n > 1 && <T tone="slate">On {n} dates from then on.</T>}
            </Grow>
            {c.run && <Link to={`/runs/${c.run.id}/dates#meeting-${c.meeting_id}`}>solve</Link>}
          </Row>
        ))}
      </Ruled>
    </TodayPart>
  );
}

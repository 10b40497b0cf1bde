import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { api, ask, type Schemas } from "../../app/server";
import { Arch } from "../../parts/Arch";
import { NotYet, Page } from "../../parts/Page";
import { clock, count, day, money } from "../../parts/text";
import { Lines } from "../schedule/Sheets";
import { NewReminder, ReminderLine } from "./Reminders";

type Today = Schemas["TodayOut"];

/** What needs a decision now, in order of date; and what is held today. */
export default function TodayPage() {
  const pulse = usePulse(null, 20);
  const query = useQuery({ queryKey: ["today"], queryFn: () => ask(api.GET("/api/v1/today")) });
  const [remind, setRemind] = useState(false);
  if (!query.data) return <NotYet title="Today" error={query.error} retry={() => void query.refetch()} />;
  const t = query.data;
  const waiting =
    t.decisions.length +
    t.clashes.length +
    t.failed.length +
    t.drafts.length +
    t.reminders.length +
    t.offers.length +
    t.holds.length;
  return (
    <Page
      title="Today"
      margin={
        <>
          <News pulse={pulse} />
          <section>
            <h2>Reminders</h2>
            {t.reminders.length === 0 && <p className="slate">Nothing to think of today.</p>}
            {t.reminders.map((r) => (
              <ReminderLine key={r.id} reminder={r} />
            ))}
            {remind ? (
              <NewReminder about={{}} onDone={() => setRemind(false)} />
            ) : (
              <button className="plainly" onClick={() => setRemind(true)}>
                A new reminder
              </button>
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
      <p className="slate" aria-live="polite">
        {waiting
          ? `${count(waiting, "thing waits", "things wait")} for somebody, soonest first.`
          : "Nothing waits for a decision."}
        {t.closed && <strong className="ochre"> The center is closed: {t.closed}.</strong>}
      </p>
      {t.troubles.map((said) => (
        <div key={said} className="note wrong" role="status">
          {said}
        </div>
      ))}
      {t.failed.map((f) => (
        <div key={f.kind} className="note wrong">
          {count(f.number, "piece", "pieces")} of work failed for good ({f.kind}).{" "}
          <Link to="/outbox">See what, and try again</Link>
        </div>
      ))}
      <Offers t={t} />
      <Decisions t={t} />
      <Clashes t={t} />
      {t.drafts.length > 0 && (
        <section className="todaypart">
          <h2>Drafts that are not ready</h2>
          <ul className="ruled">
            {t.drafts.map((d) => (
              <li key={d.run_id} className="row thing">
                <span className="nowrap when">{d.start ? `starts ${day(d.start, false)}` : "no date"}</span>
                <span className="grow">
                  <Link to={`/runs/${d.run_id}`}>{d.title}</Link> <span className="slate">{d.code}</span>
                  <div className="slate">
                    {d.wrong}
                    {d.more > 0 && ` And ${d.more} more.`}
                  </div>
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      <section className="todaypart">
        <h2>Held today</h2>
        {t.meetings.length ? (
          <Lines meetings={t.meetings} place />
        ) : (
          <p className="slate">Nothing is held today.</p>
        )}
      </section>
    </Page>
  );
}

/** Offers that wait for an answer and places held without names that lapse soon. */
function Offers({ t }: { t: Today }) {
  if (t.offers.length + t.holds.length === 0) return null;
  return (
    <section className="todaypart">
      <h2>Seats that wait for an answer</h2>
      <ul className="ruled">
        {t.offers.map((o) => (
          <li key={`${o.run_id}-${o.person_id}`} className="row thing">
            <span className={o.asked_time ? "when ochre strong" : "when"}>
              {day(o.until, false)}, {clock(o.until)}
            </span>
            <span className="grow">
              <Link to={`/people/${o.person_id}`}>{o.name}</Link> has an offer
              {o.heads > 1 && ` of ${o.heads} seats`} on{" "}
              <Link to={`/runs/${o.run_id}/roster`}>{o.title}</Link> <span className="slate">{o.code}</span>
              {o.asked_time && <strong className="ochre"> and asks for more time</strong>}
            </span>
            <span className="slate nowrap">{o.phone}</span>
          </li>
        ))}
        {t.holds.map((h, n) => (
          <li key={n} className="row thing">
            <span className="when">{day(h.last, false)}</span>
            <span className="grow">
              {count(h.seats, "place")} held for {h.for_whom} on{" "}
              <Link to={`/runs/${h.run_id}/terms#kept-back`}>{h.title}</Link>{" "}
              <span className="slate">{h.code}</span>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Decisions({ t }: { t: Today }) {
  if (t.decisions.length === 0) return null;
  return (
    <section className="todaypart">
      <h2>To be decided</h2>
      <ul className="ruled">
        {t.decisions.map((d) => {
          const due = d.day !== null && d.day <= t.date;
          return (
            <li key={d.run_id} className="row mid decided">
              <Arch taken={d.taken} capacity={d.capacity} smallest={d.smallest} waiting={d.waiting} />
              <span className="nowrap strong">
                {d.taken} of {d.capacity}
              </span>
              <span className="grow line-of">
                <Link to={`/runs/${d.run_id}`}>{d.title}</Link> <span className="slate">{d.code}</span>{" "}
                <span className={d.taken < d.smallest ? "ochre" : "slate"}>
                  {d.taken < d.smallest
                    ? `${d.smallest - d.taken} short of ${d.smallest}`
                    : `has its ${d.smallest}`}
                  , {d.firm} firm, {d.unpaid} unpaid{d.unnamed > 0 && `, ${d.unnamed} without a name`},{" "}
                  {money(d.income, d.currency)} at stake
                </span>
              </span>
              <span
                className={due ? "nowrap ochre strong" : "nowrap slate"}
                title={`It starts ${day(d.start, false)}.`}
              >
                {d.day ? `${due ? "decide now, was" : "decide by"} ${day(d.day, false)}` : "no decision day"}
              </span>
            </li>
          );
        })}
      </ul>
    </section>
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
    <section className="todaypart">
      <h2>
        {count(t.clashes.length, "clash", "clashes")} <Link to="/clashes">all in one place</Link>
      </h2>
      <ul className="ruled">
        {grouped.slice(0, 6).map(({ first: c, n }) => (
          <li key={c.key} className="row thing">
            <span className="nowrap when">
              {day(c.date, false)}, {clock(c.start)}
            </span>
            <span className="grow">
              {c.text} {n > 1 && <span className="slate">On {n} dates from then on.</span>}
            </span>
            {c.run && <Link to={`/runs/${c.run.id}/dates#meeting-${c.meeting_id}`}>solve</Link>}
          </li>
        ))}
      </ul>
    </section>
  );
}

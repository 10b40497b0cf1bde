import { ClashList } from "../../parts/ClashList";
import { count, day, money } from "../../parts/text";
import type { Schemas } from "../../app/server";

type Outcome = Schemas["Outcome"];

/** A value as people read it: a day in words, and with a currency a sum of money with its sign. */
export function shownValue(value: string | null, currency?: string): string {
  if (value === null) return "none";
  if (currency && /^\d+\.\d{2,3}$/.test(value)) return money(value, currency);
  return /^\d{4}-\d{2}-\d{2}$/.test(value) ? day(value) : value;
}

function when(held: Schemas["DateFacts"], other: Schemas["DateFacts"] | null): string {
  const more = [
    other && other.place !== held.place ? (held.place ?? "no room") : "",
    other && other.instructor !== held.instructor ? (held.instructor ?? "no instructor") : "",
    other && other.minutes !== held.minutes ? `${held.minutes} min` : "",
  ].filter(Boolean);
  return [`${day(held.date, false)} ${held.start}`, ...more].join(", ");
}

/** Everything that a change touches: dates before and after, gates, clashes, installments, who is told. */
export function Touched({ outcome, currency }: { outcome: Outcome; currency: string }) {
  const { touches, dates, made, healed, installments, told, enrolled, due_back } = outcome;
  const nothing = touches.length + dates.length + made.length + healed.length === 0;
  return (
    <>
      {nothing && <p>Nothing else moves.</p>}
      {dates.length > 0 && (
        <ul className="moved" aria-label="Dates before and after">
          {dates.slice(0, 8).map((d) => (
            <li key={d.meeting_id}>
              {d.before ? (
                <span className={d.after ? "slate" : "gone"}>{when(d.before, d.after)}</span>
              ) : (
                <span className="slate">new</span>
              )}
              <span aria-hidden="true">→</span>
              <span className="sr">becomes</span>
              <strong>{d.after ? when(d.after, d.before) : "not held"}</strong>
            </li>
          ))}
          {dates.length > 8 && <li className="slate">and {dates.length - 8} more dates</li>}
        </ul>
      )}
      {touches.map((t) => (
        <p key={t.label}>
          {t.label}: {t.before !== null && shownValue(t.before, currency)} <span aria-hidden="true">→</span>
          <span className="sr">becomes</span> <strong>{shownValue(t.after, currency)}</strong>
        </p>
      ))}
      <ClashList clashes={made} />
      <ClashList clashes={healed} healed />
      {installments && installments.number > 0 && (
        <div>
          <p className="strong">{count(installments.number, "installment")} moves along</p>
          {installments.examples.map((i, n) => (
            <p key={n} className="slate">
              {i.name}, {money(i.amount, currency)}: {day(i.before, false)} → {day(i.after, false)}
            </p>
          ))}
        </div>
      )}
      {due_back.length > 0 && (
        <div>
          <p className="strong">Money of {count(due_back.length, "sign-up")}</p>
          <dl className="facts scrolls">
            {due_back.map((d, n) => [
              <dt key={`${n}t`}>{d.name}</dt>,
              <dd key={`${n}d`}>{money(d.amount, currency)}</dd>,
              <dd key={`${n}w`} className="why">
                {d.why}
              </dd>,
            ])}
          </dl>
        </div>
      )}
      <p>
        {told > 0
          ? `${count(told, "person is", "people are")} told, a minute after you save.`
          : enrolled
            ? `${count(enrolled, "person is", "people are")} enrolled; what they agreed stands.`
            : "Nobody is enrolled yet."}
      </p>
    </>
  );
}

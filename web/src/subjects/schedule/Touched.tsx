import { styled } from "@mui/material/styles";

import type { Schemas } from "../../app/server";
import { ClashList } from "../../parts/ClashList";
import { Facts } from "../../parts/layout";
import { count, day, money } from "../../parts/text";
import { Heard, P, T } from "../../parts/words";

const Moved = styled("ul")({
  listStyle: "none",
  margin: "0 0 8px",
  padding: 0,
  fontSize: 13,
  "& li": { display: "flex", flexWrap: "wrap", gap: "0 6px", padding: "2px 0" },
});

type Outcome = Schemas["Outcome"];

/** A value as people read it: a day in words, and a sum of money, given its currency, with its sign. */
export function shownValue(value: string | null, currency?: string): string {
  if (value === null) return "none";
  if (currency && value !== "none") return money(value, currency);
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
        <Moved aria-label="Dates before and after">
          {dates.slice(0, 8).map((d) => (
            <li key={d.meeting_id}>
              {d.before ? (
                <T tone={d.after ? "slate" : undefined} gone={!d.after}>
                  {when(d.before, d.after)}
                </T>
              ) : (
                <T tone="slate">new</T>
              )}
              <span aria-hidden="true">→</span>
              <Heard>becomes</Heard>
              <strong>{d.after ? when(d.after, d.before) : "not held"}</strong>
            </li>
          ))}
          {dates.length > 8 && (
            <T tone="slate" as="li">
              and {dates.length - 8} more dates
            </T>
          )}
        </Moved>
      )}
      {touches.map((t) => (
        <p key={t.label}>
          {t.label}: {t.before !== null && shownValue(t.before, t.money ? currency : undefined)}{" "}
          <span aria-hidden="true">→</span>
          <Heard>becomes</Heard> <strong>{shownValue(t.after, t.money ? currency : undefined)}</strong>
        </p>
      ))}
      <ClashList clashes={made} />
      <ClashList clashes={healed} healed />
      {installments && installments.number > 0 && (
        <div>
          <P strong>{count(installments.number, "installment")} moves along</P>
          {installments.examples.map((i, n) => (
            <P tone="slate" key={n}>
              {i.name}, {money(i.amount, currency)}: {day(i.before, false)} → {day(i.after, false)}
            </P>
          ))}
        </div>
      )}
      {due_back.length > 0 && (
        <div>
          <P strong>Money of {count(due_back.length, "sign-up")}</P>
          <Facts scrolls>
            {due_back.map((d, n) => [
              <dt key={`${n}t`}>{d.name}</dt>,
              <dd key={`${n}d`}>{money(d.amount, currency)}</dd>,
              <dd key={`${n}w`} className="why">
                {d.why}
              </dd>,
            ])}
          </Facts>
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

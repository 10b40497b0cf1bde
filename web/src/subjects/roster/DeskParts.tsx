import type { ReactNode } from "react";

import type { Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { decisionText, Price, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { count, money } from "../../parts/text";

export type Person = Schemas["PersonFound"];
export type Run = Schemas["RunLine"];
export type Call = {
  who: string;
  person: Person | null;
  adding: boolean;
  what: string;
  runId: number | null;
  payer: string;
  rateId: number | null;
  planId: number | null;
  heads: string;
  note: string;
  key: string;
};

/** A few things of which one is chosen; arrows move within. */
export function Picks({
  legend,
  name,
  value,
  options,
  onPick,
}: {
  legend: string;
  name: string;
  value: number | null;
  options: { id: number; text: string; more: string }[];
  onPick: (id: number) => void;
}) {
  return (
    <fieldset className="picks">
      <legend className="label">{legend}</legend>
      {options.map((o) => (
        <label key={o.id} className={o.id === value ? "option picked" : "option"}>
          <input type="radio" name={name} checked={o.id === value} onChange={() => onPick(o.id)} />
          <span className="grow">{o.text}</span>
          <strong>{o.more}</strong>
        </label>
      ))}
    </fieldset>
  );
}

export function Picked({
  children,
  onChange,
  what,
}: {
  children: ReactNode;
  onChange: () => void;
  what: string;
}) {
  return (
    <div className="option picked" style={{ cursor: "default" }}>
      {children}
      <button className="plainly" aria-label={`Change ${what}`} onClick={onChange}>
        change
      </button>
    </div>
  );
}

export function PersonLine({ person }: { person: Person }) {
  const { currency } = useMe();
  return (
    <>
      <div className="row" style={{ justifyContent: "space-between" }}>
        <strong>{person.name}</strong>
        <span className="slate nowrap">{person.runs ? count(person.runs, "run") : ""}</span>
      </div>
      <div className="slate">{person.email ?? "no email"}</div>
      <div className="slate">
        {person.phone}
        {person.owed && <span className="ochre"> owes {money(person.owed, currency)}</span>}
      </div>
    </>
  );
}

export function RunLine({ run }: { run: Run }) {
  const me = useMe();
  return (
    <div className="row" style={{ justifyContent: "space-between" }}>
      <div className="grow">
        <strong>{run.title}</strong>
        <div className="slate">
          {spanText(run, me.today)}
          {run.next_meeting && `, ${run.next_meeting.start} to ${run.next_meeting.end}`}
          {run.place && `, ${run.place}`}
        </div>
        <div>
          <span className={run.sign_up === "open" ? "" : "ochre strong"}>{stateText(run)}</span>
          {decisionText(run) && <span className="slate">, {decisionText(run)}</span>}
          <span className="slate">{run.smallest ? `; ${smallestText(run)}` : ""}</span>
        </div>
        <Price run={run} />
      </div>
      <div style={{ textAlign: "center", flex: "none" }}>
        <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
        <div className="strong nowrap">{seatsText(run)}</div>
        {run.waiting > 0 && <div className="ochre">{run.waiting} wait</div>}
      </div>
    </div>
  );
}

/** What one person at a rate pays on a day, from the run's price line. */
export function priceOn(run: Schemas["RunOut"], rate: Schemas["RateOut"], today: string): string {
  const steps = run.price_line.find((l) => l.rate === rate.label)?.steps;
  return steps?.find((s) => s.from <= today && today <= s.to)?.total ?? rate.amount;
}

/** "seat 3" or "seats 3 to 5". */
export function seatsOf(first: number, heads: number): string {
  return heads > 1 ? `seats ${first} to ${first + heads - 1}` : `seat ${first}`;
}

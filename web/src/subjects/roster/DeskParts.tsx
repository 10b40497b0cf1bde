import Button from "@mui/material/Button";
import Radio from "@mui/material/Radio";
import { styled } from "@mui/material/styles";
import type { ReactNode } from "react";

import type { Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { Grow, Picks, Row } from "../../parts/layout";
import { decisionText, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { count, day, money } from "../../parts/text";
import { T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { amount } from "../courses/form";

const picked = { background: ink.verdigrisPale, borderLeftColor: ink.verdigris };
const line = {
  padding: "6px 10px 6px 4px",
  borderBottom: `1px solid ${ink.line}`,
  borderLeft: "3px solid transparent",
};
const PickLine = styled("label")({
  ...line,
  display: "flex",
  gap: 6,
  alignItems: "baseline",
  cursor: "pointer",
  "&[data-picked]": picked,
  "& .MuiRadio-root": { alignSelf: "flex-start" },
});
const PickedBox = styled("div")({ ...line, ...picked, padding: "8px 10px" });
const DeskRun = styled("div")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) auto",
  columnGap: 10,
  "& > .line-of": { gridColumn: 1 },
  "& .seats": {
    gridColumn: 2,
    gridRow: "1 / 4",
    display: "flex",
    flexDirection: "column",
    alignItems: "center",
  },
});

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
  /** Heads by rate, for a party at several rates; null while all are at one. */
  mixed: Record<string, string> | null;
  extras: Record<string, string>;
  code: string;
  names: string;
  agreed: { amount: string; reason: string } | null;
  /** The kept quote that is signed up on. */
  keptId: number | null;
  note: string;
  /** The day the form came in, where it is not today, and why it, or a sign-up after the close, counts. */
  received: string;
  exception: string;
  /** Why the seat costs nothing; null while it costs what it costs. */
  waive: string | null;
  /** Whether the seat is held until the first payment, and who is told; null as the run has it. */
  hold: boolean | null;
  told: Schemas["Told"][] | null;
  answers: Record<string, string>;
  /** The places held without names that are taken up. */
  heldId: number | null;
  /** Another sign-up of the same call, as somebody said; a person picked otherwise begins a new call. */
  goesOn: boolean;
  /** What this sign-up is called, from its beginning to its end. */
  id: string;
  key: string;
};

/** Whose money it is, as the server takes it: an organization, another person, or the learner. */
export function payerOf(call: Call) {
  const other = call.payer.startsWith("p");
  return {
    organization_id: call.payer && !other ? Number(call.payer) : null,
    payer_person_id: other ? Number(call.payer.slice(1)) : null,
  };
}

/** A number typed for heads or extras; 0 for what is none. */
export function counted(text: string): number {
  return /^\d{1,5}$/.test(text.trim()) ? Number(text) : 0;
}

/** How many heads a call is for. */
export function headsOf(call: Call): number {
  return call.mixed ? Object.values(call.mixed).reduce((n, t) => n + counted(t), 0) : counted(call.heads);
}

export function namesOf(call: Call): string[] {
  return call.names
    .split("\n")
    .map((n) => n.trim())
    .filter(Boolean);
}

/** What a call asks of a run, as the server reads it. */
export function askOf(call: Call, digits: number): Schemas["Ask"] {
  const agreed = call.agreed
    ? { amount: amount(call.agreed.amount, digits) ?? "", reason: call.agreed.reason.trim() }
    : undefined;
  const people = call.mixed
    ? Object.entries(call.mixed)
        .filter(([, text]) => counted(text) > 0)
        .map(([id, text]) => ({ rate_id: Number(id), count: counted(text) }))
    : call.agreed
      ? [{ rate_id: call.rateId, count: counted(call.heads), agreed }]
      : undefined;
  return {
    ...(people ? { people } : { rate_id: call.rateId, heads: counted(call.heads) }),
    extras: Object.entries(call.extras)
      .filter(([, text]) => text.trim() !== "" && text.trim() !== "0")
      .map(([id, text]) => ({ extra_id: Number(id), count: counted(text) })),
    code: call.code.trim() || null,
    plan_id: call.planId,
    ...(call.waive === null ? {} : { waive: call.waive }),
  };
}

/** A few things of which one is chosen; arrows move within. */
export function PickOne({
  legend,
  name,
  value,
  options,
  onPick,
}: {
  legend: string;
  name: string;
  value: number | null;
  options: { id: number; text: string; more: string; why?: string | null }[];
  onPick: (id: number) => void;
}) {
  return (
    <Picks>
      <T label as="legend">
        {legend}
      </T>
      {options.map((o) => (
        <PickLine key={o.id} data-picked={o.id === value || undefined}>
          <Radio name={name} checked={o.id === value} onChange={() => onPick(o.id)} />
          <Grow as="span">
            {o.text}
            {o.why && <T tone="ochre"> {o.why}</T>}
          </Grow>
          <strong>{o.more}</strong>
        </PickLine>
      ))}
    </Picks>
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
    <PickedBox>
      {children}
      <Button variant="text" aria-label={`Change ${what}`} onClick={onChange}>
        change
      </Button>
    </PickedBox>
  );
}

export function PersonLine({ person }: { person: Person }) {
  const { currency } = useMe();
  return (
    <>
      <Row sx={{ justifyContent: "space-between" }}>
        <strong>{person.name}</strong>
        <T tone="slate" nowrap>
          {person.runs ? count(person.runs, "run") : ""}
        </T>
      </Row>
      <T tone="slate" as="div">
        {person.email ?? "no email"}
      </T>
      <T tone="slate" as="div">
        {person.phone}
        {person.credit && <span> has {money(person.credit, currency)} credit</span>}
        {person.owed && <T tone="ochre"> owes {money(person.owed, currency)}</T>}
      </T>
    </>
  );
}

export function RunLine({ run }: { run: Run }) {
  const me = useMe();
  const short = run.smallest > run.taken && run.teaching === "before" ? smallestText(run) : "";
  const decided = run.decision === "undecided" ? "" : decisionText(run);
  return (
    <DeskRun data-tight title={`${run.title}, ${spanText(run, me.today)}`}>
      <T cut as="strong">
        {run.title}
      </T>
      <T cut>
        <T nowrap>
          {run.next_meeting
            ? `${day(run.next_meeting.date, false)}, ${run.next_meeting.start}`
            : spanText(run, me.today)}
        </T>{" "}
        <T tone="slate">{run.next_meeting?.place || run.place}</T>
      </T>
      <T cut>
        {run.price && (
          <T tone="copper" strong nowrap>
            {money(run.price.amount, run.currency)}{" "}
          </T>
        )}
        <T tone={run.sign_up === "open" ? undefined : "ochre"} strong={!(run.sign_up === "open")}>
          {stateText(run)}
        </T>
        {run.waiting > 0 && <T tone="ochre">, {run.waiting} wait</T>}
        {run.kept > 0 && <T tone="slate">, {run.kept} kept back</T>}
        {decided && <T tone="slate">, {decided}</T>}
        {short && <T tone="slate">, {short}</T>}
      </T>
      <span className="seats">
        <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
        <T nowrap as="strong">
          {seatsText({ ...run, kept: 0 })}
        </T>
      </span>
    </DeskRun>
  );
}

/** "seat 3" or "seats 3 to 5". */
export function seatsOf(first: number, heads: number): string {
  return heads > 1 ? `seats ${first} to ${first + heads - 1}` : `seat ${first}`;
}

import { newKey, type Schemas } from "../../app/server";
import { amount } from "../courses/form";

/** What is said in a call, and what becomes of it: pure, so that the desk draws and the keys only tell. */

export type Person = Schemas["PersonFound"];
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
  /** The group inside the run, made when first named. */
  group: string;
  /** The day the form came in, where it is not today, and why it, or a sign-up after the close, counts. */
  received: string;
  exception: string;
  /** Why the seat costs nothing; null while it costs what it costs. */
  waive: string | null;
  /** Whether the seat is held until the first payment, and who is told; null as the run has it. */
  hold: boolean | null;
  told: Schemas["Told"][] | null;
  /** A line of one's own in the learner's letter. */
  word: string;
  answers: Record<string, string>;
  /** The places held without names that are taken up. */
  heldId: number | null;
  /** What is paid while they are on the phone or at the desk; null for nothing now. An empty amount: what is due now. */
  paid: Paid | null;
  /** Another sign-up of the same call, as somebody said; a person picked otherwise begins a new call. */
  goesOn: boolean;
  /** What this sign-up is called, from its beginning to its end. */
  id: string;
  key: string;
};

export type Paid = {
  method: "cash" | "check" | "transfer";
  amount: string;
  reference: string;
  receipt: boolean;
  /** A check whose number was taken before, all the same. */
  anyway?: boolean;
};

/** What is paid now, as the server takes it. */
export function paidNow(call: Call, dueNow: string, digits: number): Schemas["PaidNow"] | null {
  if (!call.paid) return null;
  const { method, reference, receipt } = call.paid;
  const typed = call.paid.amount.trim();
  return {
    method,
    amount: typed ? (amount(typed, digits) ?? typed) : dueNow,
    reference: reference.trim(),
    receipt,
    ...(call.paid.anyway ? { anyway: true } : {}),
  };
}

/** A call that was put aside, as it is read back; null for a text that is none. */
export function parkedRead(text: string): DeskState | null {
  try {
    const held = JSON.parse(text) as Partial<DeskState>;
    return held.call && Array.isArray(held.soFar) ? { call: held.call, soFar: held.soFar } : null;
  } catch {
    return null;
  }
}

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

/** Who may hear of an enrollment, and what each is called. */
export const TOLD: [Schemas["Told"], string][] = [
  ["learner", "the learner"],
  ["payer", "the organization that pays"],
  ["instructors", "the instructors"],
  ["office", "the office"],
];

/** "seat 3" or "seats 3 to 5". */
export function seatsOf(first: number, heads: number): string {
  return heads > 1 ? `seats ${first} to ${first + heads - 1}` : `seat ${first}`;
}

/** The terms of a call before anything is said. */
export const FRESH = {
  rateId: null,
  planId: null,
  heads: "1",
  mixed: null,
  extras: {},
  code: "",
  names: "",
  agreed: null,
  keptId: null,
  received: "",
  exception: "",
  waive: null,
  hold: null,
  told: null,
  word: "",
  answers: {},
  heldId: null,
  paid: null,
};

export const blank = (): Call => ({
  who: "",
  person: null,
  adding: false,
  what: "",
  runId: null,
  payer: "",
  ...FRESH,
  note: "",
  group: "",
  goesOn: false,
  id: newKey(),
  key: newKey(),
});

/** An enrollment or a place in line made in this call. */
export type SoFar = {
  text: string;
  change: string;
  runId: number;
  enrollmentId: number | null;
  person: Person;
  run: string;
  payer: string;
  payerName: string;
};
export type DeskState = { call: Call; soFar: SoFar[] };

export type DeskEvent =
  | { type: "said"; change: Partial<Call> }
  | { type: "came with a run"; run: number; held: number | null }
  | { type: "came with a person"; person: Person }
  | { type: "came with a quote"; quote: Schemas["KeptOut"]; person: Person }
  | { type: "picked a person"; person: Person }
  | { type: "picked a run"; run: number }
  | { type: "left the run" }
  | { type: "done"; line: SoFar }
  | { type: "the same person again"; line: SoFar }
  | { type: "the same run for another"; line: SoFar }
  | { type: "parked" }
  | { type: "taken up"; state: DeskState }
  | { type: "summed up" }
  | { type: "ended" };

export const quiet = (): DeskState => ({ call: blank(), soFar: [] });

/** Whether there is anything in a call that would be lost. */
export function begun({ call, soFar }: DeskState): boolean {
  return call.person !== null || call.runId !== null || call.who.trim() !== "" || soFar.length > 0;
}

/**
 * The desk after something happened at it. Whatever is said changes the key under which the call is sent: the same key
 * never stands for two wishes. A person picked without anybody saying that the call goes on begins another call.
 */
export function deskAfter(state: DeskState, event: DeskEvent): DeskState {
  const { call } = state;
  const said = (change: Partial<Call>): Call => ({ ...call, ...change, key: newKey() });
  switch (event.type) {
    case "said":
      return { ...state, call: said(event.change) };
    case "came with a run":
      return { ...state, call: said({ ...FRESH, runId: event.run, heldId: event.held, what: "" }) };
    case "came with a person":
      return { ...state, call: said({ person: event.person, adding: false }) };
    case "came with a quote": {
      const { quote, person } = event;
      const payer = quote.organization_id ? String(quote.organization_id) : "";
      return {
        ...state,
        call: { ...blank(), person, payer, runId: quote.run_id, keptId: quote.id, note: quote.note },
      };
    }
    case "picked a person":
      return {
        ...state,
        soFar: call.goesOn ? state.soFar : [],
        call: said({ person: event.person, adding: false }),
      };
    case "picked a run":
      return { ...state, call: said({ ...FRESH, runId: event.run }) };
    case "left the run":
      return { ...state, call: said({ ...FRESH, runId: null }) };
    case "done":
      return { ...state, soFar: [...state.soFar, event.line], call: blank() };
    case "the same person again": {
      const { person, payer } = event.line;
      const other = payer === `p${person.id}` ? "" : payer;
      return { ...state, call: { ...blank(), person, payer: other, goesOn: true } };
    }
    case "the same run for another": {
      const { runId, payer } = event.line;
      return { ...state, call: { ...blank(), runId, payer, goesOn: true } };
    }
    case "parked":
      return quiet();
    case "taken up":
      return { call: { ...blank(), ...event.state.call, key: newKey() }, soFar: event.state.soFar };
    case "summed up":
      return { ...state, soFar: [] };
    case "ended":
      return { ...state, call: blank(), soFar: [] };
  }
}

import type { Schemas } from "../../app/server";

/** What people call the facts of a run. */
const WORDS: Record<string, string> = {
  capacity: "seats",
  smallest: "smallest number",
  sign_up_opens: "day sign-up opens",
  receipt_note: "note on invoices and receipts",
  note: "note for staff",
  overbook: "seats beyond the capacity",
  line_rule: "rule of the line",
  auto_offer: "way seats are offered",
  offer_hours: "hours an offer stands",
  hold_hours: "hours a seat is held",
  decision_rule: "decision day",
  windows: "sign-up windows",
  access_days: "days of access",
};
export const factWords = (name: string) => WORDS[name] ?? name.replace(/_/g, " ");

export type Run = Schemas["RunOut"];
export type Outcome = Schemas["Outcome"];
export type Seen = Record<string, unknown>;
/** `seen` replaces what the person saw, when they insist on their value. */
export type Send = (preview: boolean, seen?: Seen) => Promise<Outcome>;
/** Saves a change of a draft at once; of a published run, shows first what it touches. Null: it went well. */
export type Propose = (
  what: string,
  send: Send,
  onSaved?: () => void,
  now?: boolean,
  ask?: boolean,
) => Promise<Record<string, string> | null>;

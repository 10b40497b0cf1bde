import type { Schemas } from "../../app/server";

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

import type { Schemas } from "../../app/server";
import type { useDone } from "../../parts/useUndo";

export type Account = Schemas["AccountPage"];
export type Acts = ReturnType<typeof useDone>;
/** How money comes in by hand; the first three are also how it goes back. */
export const METHODS = ["cash", "check", "transfer", "purchase order"];

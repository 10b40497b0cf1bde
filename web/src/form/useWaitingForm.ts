import { useState } from "react";

import { faultsOf, messageOf } from "../app/server";
import { dropDraft, keepDraft, readDraft } from "./drafts";

type Faults = Record<string, string>;
type Kept<V, S> = { form: V; seen: S };

/**
 * A form over what already holds, opened by hand: `begin` starts it from what holds, with the value that was seen then; it
 * is kept through a reload, and `send` answers with its faults, or null when it was saved or waits in the margin; what it
 * throws is said at its field, or as `trouble`.
 */
export function useWaitingForm<V, S>({
  draft,
  send,
}: {
  draft: string;
  send: (form: V, seen: S, close: () => void) => Promise<Faults | null>;
}) {
  const [kept, setHeld] = useState(() => readDraft<Kept<V, S>>(draft));
  const setKept = (next: Kept<V, S> | null) => {
    if (next) keepDraft(draft, next);
    else dropDraft(draft);
    setHeld(next);
  };
  const [faults, setFaults] = useState<Faults>({});
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const close = () => {
    setKept(null);
    setFaults({});
    setTrouble("");
  };
  return {
    kept,
    faults,
    busy,
    trouble,
    begin: (form: V, seen: S) => setKept({ form, seen }),
    set: (form: V) => kept && setKept({ ...kept, form }),
    close,
    submit: async () => {
      if (!kept || busy) return;
      setBusy(true);
      try {
        setTrouble("");
        setFaults((await send(kept.form, kept.seen, close)) ?? {});
      } catch (error) {
        const found = faultsOf(error);
        setFaults(found);
        setTrouble(Object.keys(found).length ? "" : messageOf(error));
      } finally {
        setBusy(false);
      }
    },
  };
}

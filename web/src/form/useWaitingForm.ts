import { useState } from "react";

import { useKept } from "../app/session";

type Faults = Record<string, string>;
type Kept<V, S> = { form: V; seen: S };

/**
 * A form over what already holds, opened by hand: `begin` starts it from what holds, with the value that was seen then; it
 * is kept through a reload, and `send` answers with its faults, or null when it was saved or waits in the margin.
 */
export function useWaitingForm<V, S>({
  draft,
  send,
}: {
  draft: string;
  send: (form: V, seen: S, close: () => void) => Promise<Faults | null>;
}) {
  const [kept, setKept] = useKept<Kept<V, S> | null>(draft, null);
  const [faults, setFaults] = useState<Faults>({});
  const [busy, setBusy] = useState(false);
  const close = () => {
    setKept(null);
    setFaults({});
  };
  return {
    kept,
    faults,
    busy,
    trouble: "",
    begin: (form: V, seen: S) => setKept({ form, seen }),
    set: (form: V) => kept && setKept({ ...kept, form }),
    close,
    submit: async () => {
      if (!kept || busy) return;
      setBusy(true);
      try {
        setFaults((await send(kept.form, kept.seen, close)) ?? {});
      } finally {
        setBusy(false);
      }
    },
  };
}

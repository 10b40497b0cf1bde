import { useRef, useState } from "react";

import { faultsOf, messageOf, newKey } from "../app/server";

/**
 * An act of one press: done once however often it is pressed while it runs, under a key of its own. What went wrong is told
 * to `failed` in words, or given as `faults` where it belongs to a field; the next press clears it.
 */
export function useAct<What, A>({
  send,
  done,
  failed,
}: {
  send: (what: What, key: string) => Promise<A>;
  done: (answer: A) => void;
  failed: (message: string) => void;
}) {
  const [busy, setBusy] = useState(false);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const running = useRef(false);
  const [key, setKey] = useState(newKey);
  const act = async (what: What) => {
    if (running.current) return;
    running.current = true;
    setBusy(true);
    setFaults({});
    try {
      done(await send(what, key));
    } catch (error) {
      const found = faultsOf(error);
      setFaults(found);
      failed(Object.values(found)[0] ?? messageOf(error));
    } finally {
      running.current = false;
      setBusy(false);
      setKey(newKey());
    }
  };
  return { act, busy, faults };
}

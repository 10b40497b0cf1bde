import { useRef, useState } from "react";

import { faultsOf, messageOf, newKey } from "../app/server";

/** The second press of a double click comes within this, also where the server was quicker. */
const DOUBLE = 400;

/**
 * An act of one press: done once however often it is pressed while it runs, or by a double click, under a key of its own.
 * What went wrong is told to `failed` in words.
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
  const running = useRef(false);
  const last = useRef<{ what?: string; done: number }>({ done: 0 });
  const [key, setKey] = useState(newKey);
  const act = async (what: What) => {
    const asked = JSON.stringify(what);
    const again = last.current.what === asked && Date.now() - last.current.done < DOUBLE;
    if (running.current || again) return;
    running.current = true;
    setBusy(true);
    try {
      const answer = await send(what, key);
      last.current = { what: asked, done: Date.now() };
      done(answer);
    } catch (error) {
      failed(Object.values(faultsOf(error))[0] ?? messageOf(error));
    } finally {
      running.current = false;
      setBusy(false);
      setKey(newKey());
    }
  };
  return { act, busy };
}

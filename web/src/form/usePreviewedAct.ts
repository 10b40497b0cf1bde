import { useRef, useState } from "react";

import type { Schemas } from "../app/server";
import type { useDone } from "../parts/useUndo";

type Outcome = Schemas["Outcome"];
type Send = (preview: boolean) => Promise<Outcome>;
export type Waiting = { what: string; outcome: Outcome; send: Send; onSaved?: () => void };

/**
 * An act that is seen before it is done: `see` asks the server what it touches and lets it wait in the margin, `confirm`
 * does it, `leave` drops it; `now` does it at once. The server's refusal is thrown by `see` and `now`, and said by `confirm`.
 */
export function usePreviewedAct(acts: Pick<ReturnType<typeof useDone>, "say" | "failed">) {
  const [waiting, setWaiting] = useState<Waiting | null>(null);
  const [busy, setBusy] = useState(false);
  const working = useRef(false);
  const during = async (work: () => Promise<void>): Promise<void> => {
    if (working.current) return; // a double click is one act
    working.current = true;
    setBusy(true);
    try {
      await work();
    } finally {
      working.current = false;
      setBusy(false);
    }
  };
  const now = (what: string, send: Send, onSaved?: () => void) =>
    during(async () => {
      const outcome = await send(false);
      acts.say({ text: `${what}: done.`, change: outcome.change });
      onSaved?.();
    });
  return {
    waiting,
    busy,
    now,
    see: (what: string, send: Send, onSaved?: () => void) =>
      during(async () => setWaiting({ what, outcome: await send(true), send, onSaved })),
    confirm: async () => {
      if (!waiting || working.current) return;
      try {
        await now(waiting.what, waiting.send, waiting.onSaved);
      } catch (error) {
        acts.failed(error);
      } finally {
        setWaiting(null);
      }
    },
    leave: () => setWaiting(null),
  };
}

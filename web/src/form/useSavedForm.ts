import { useCallback, useEffect, useRef, useState } from "react";

import { faultsOf, messageOf, ServerProblem } from "../app/server";
import { dropDraft, keepDraft, readDraft } from "./drafts";

type Kept<V> = { edits: Partial<V>; seen: Partial<V> };
const IDLE = 1200; // milliseconds without a key before what was typed is saved
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/**
 * A form that saves itself as it is typed into: when nothing was typed for a moment, and when a field is left. What is not saved
 * yet is kept under `draft` through a reload. `save` gets the fields that changed and what stood in them; its answer is told to
 * `saved`, which makes it what holds. What somebody else changed meanwhile is a `conflict`: mine or theirs.
 */
export function useSavedForm<V extends Record<string, unknown>, A>({
  draft,
  start,
  save,
  saved,
}: {
  draft: string;
  start: V;
  save: (set: Partial<V>, seen: Partial<V>) => Promise<A>;
  saved: (answer: A) => void;
}) {
  const [kept, setKept] = useState<Kept<V>>(() => readDraft<Kept<V>>(draft) ?? { edits: {}, seen: {} });
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const latest = useRef({ kept, start, save, saved });
  const running = useRef(false);
  useEffect(() => {
    latest.current = { ...latest.current, start, save, saved };
  });
  const put = useCallback(
    (next: Kept<V>) => {
      latest.current.kept = next;
      if (Object.keys(next.edits).length === 0) dropDraft(draft);
      else keepDraft(draft, next);
      setKept(next);
    },
    [draft],
  );
  const flush = useCallback(async () => {
    const { kept: now, save: send, saved: tell } = latest.current;
    if (running.current || Object.keys(now.edits).length === 0) return;
    running.current = true;
    setBusy(true);
    try {
      const answer = await send(now.edits, now.seen);
      const { edits, seen } = latest.current.kept;
      const left = Object.keys(edits).filter((name) => !same(edits[name], now.edits[name]));
      const pick = (from: Partial<V>) =>
        Object.fromEntries(left.map((name) => [name, from[name]])) as Partial<V>;
      put({ edits: pick(edits), seen: { ...pick(seen), ...pick(now.edits) } });
      setProblem(null);
      tell(answer);
    } catch (error) {
      setProblem(error);
    } finally {
      running.current = false;
      setBusy(false);
    }
  }, [put]);
  const typed = JSON.stringify(kept.edits);
  const stuck = problem !== null;
  useEffect(() => {
    if (typed === "{}" || stuck) return;
    const timer = window.setTimeout(() => void flush(), IDLE);
    return () => window.clearTimeout(timer);
  }, [typed, stuck, flush, busy]);
  const set = (change: Partial<V>) => {
    const edits = { ...latest.current.kept.edits, ...change };
    const seen = { ...latest.current.kept.seen };
    for (const name of Object.keys(change) as (keyof V)[]) if (!(name in seen)) seen[name] = start[name];
    setProblem(null);
    put({ edits, seen });
  };
  const conflict =
    problem instanceof ServerProblem && problem.kind === "changed-meanwhile"
      ? (problem.extra.fields as Record<string, { now: unknown }>)
      : null;
  const faults = problem === null ? {} : faultsOf(problem);
  return {
    values: { ...start, ...kept.edits } as V,
    set,
    /** Saves now: for when a field is left. What was refused waits until something else is typed, or it is decided on. */
    flush: () => {
      if (!stuck) void flush();
    },
    busy,
    waits: typed !== "{}",
    faults,
    trouble: problem !== null && Object.keys(faults).length === 0 ? messageOf(problem) : "",
    conflict,
    /** Save mine over what somebody else wrote. */
    keepMine: () => {
      const { edits, seen } = latest.current.kept;
      const now = Object.fromEntries(Object.entries(conflict ?? {}).map(([name, c]) => [name, c.now]));
      put({ edits, seen: { ...seen, ...(now as Partial<V>) } });
      setProblem(null);
      void flush();
    },
    /** Take what somebody else wrote. */
    takeTheirs: () => {
      put({ edits: {}, seen: {} });
      setProblem(null);
    },
  };
}

import { type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";

import type { Schemas } from "../../app/server";

export type Mark = Schemas["Mark"];
/** The keys that mark. */
export const KEYS: Record<string, Mark> = {
  p: "present",
  l: "late",
  e: "left early",
  x: "excused",
  a: "absent",
};

type Marked = { person_id: number; marks: Record<string, string> };

/** Marking people as fast as keys are pressed: each mark is shown at once and sent after the one before it, so that none is
 * dropped and an earlier answer never draws over a later mark. */
export function useMarking<Sheet extends { people: Marked[] }>({
  sheet,
  queryKey,
  send,
  failed,
}: {
  sheet: Sheet;
  queryKey: QueryKey;
  send: (meeting: number, marks: Record<number, Mark | null>) => Promise<Sheet>;
  failed: (error: unknown) => void;
}) {
  const queries = useQueryClient();
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const pending = useRef(0);
  return async (meeting: number, marks: Record<number, Mark | null>) => {
    queries.setQueryData<Sheet>(queryKey, (old = sheet) => ({
      ...old,
      people: old.people.map((p) => {
        const status = marks[p.person_id];
        if (status === undefined) return p;
        const others = Object.fromEntries(Object.entries(p.marks).filter(([at]) => at !== String(meeting)));
        return { ...p, marks: status === null ? others : { ...others, [meeting]: status } };
      }),
    }));
    pending.current += 1;
    const sent = line.current.then(() => send(meeting, marks));
    line.current = sent.catch(() => undefined);
    try {
      const now = await sent;
      pending.current -= 1;
      if (pending.current === 0) queries.setQueryData(queryKey, now);
      return true;
    } catch (error) {
      pending.current -= 1;
      failed(error);
      void queries.invalidateQueries({ queryKey });
      return false;
    }
  };
}

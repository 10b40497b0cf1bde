import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useCallback, useContext, useEffect, useRef, useState } from "react";

import { api, ask, newKey, type Schemas, ServerProblem } from "./server";

export type Me = Schemas["Me"];
export const MeContext = createContext<Me | null>(null);

/** The signed-in user; only used below the sign-in gate. */
export function useMe(): Me {
  const me = useContext(MeContext);
  if (me === null) throw new Error("There is no user here.");
  return me;
}

/** Who is signed in: undefined while unknown, null when nobody is. */
export function useSession(): { me: Me | null | undefined; error: unknown; refresh: () => void } {
  const queries = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      try {
        return await ask(api.GET("/api/v1/session"));
      } catch (problem) {
        if (problem instanceof ServerProblem && problem.status === 401) return null;
        throw problem;
      }
    },
    staleTime: 60_000,
  });
  useEffect(() => {
    const out = () => queries.setQueryData(["session"], null);
    window.addEventListener("signed-out", out);
    return () => window.removeEventListener("signed-out", out);
  }, [queries]);
  return { me: data, error, refresh: () => void queries.invalidateQueries() };
}

function readKept<T>(key: string, first: T): T {
  try {
    const held = sessionStorage.getItem(key);
    return held === null ? first : (JSON.parse(held) as T);
  } catch {
    return first;
  }
}

/**
 * State that survives a reload, a slip of navigation and an expired session, in this browser tab. It is written as it is
 * set, not after drawing, so that a form that is closed by its last change leaves nothing behind for the next one; and only
 * what was set is kept, so that a form nobody touched starts from what holds now.
 */
export function useKept<T>(key: string, first: T): [T, (next: T | ((old: T) => T)) => void, () => void] {
  const [held, setHeld] = useState<{ key: string; value: T }>(() => ({ key, value: readKept(key, first) }));
  const value = held.key === key ? held.value : readKept(key, first);
  if (held.key !== key) setHeld({ key, value });
  const latest = useRef({ value, first });
  useEffect(() => {
    latest.current = { value, first };
  });
  const set = useCallback(
    (next: T | ((old: T) => T)) => {
      const old = readKept(key, latest.current.value);
      const now = typeof next === "function" ? (next as (old: T) => T)(old) : next;
      sessionStorage.setItem(key, JSON.stringify(now));
      setHeld({ key, value: now });
    },
    [key],
  );
  const forget = useCallback(() => {
    sessionStorage.removeItem(key);
    setHeld({ key, value: latest.current.first });
  }, [key]);
  return [value, set, forget];
}

/** The idempotency key of a form, made when it opens and kept with its draft; forgotten, the next form has another. */
export function useKeptKey(name: string): [string, () => void] {
  const [key, setKey] = useState(() => {
    const held = readKept(name, "") || newKey();
    sessionStorage.setItem(name, JSON.stringify(held));
    return held;
  });
  const forget = () => {
    const next = newKey();
    sessionStorage.setItem(name, JSON.stringify(next));
    setKey(next);
  };
  return [key, forget];
}

/** A value that follows another after a pause in typing. */
export function useSettled<T>(value: T, pause = 250): T {
  const [settled, setSettled] = useState(value);
  const text = JSON.stringify(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(JSON.parse(text) as T), pause);
    return () => clearTimeout(timer);
  }, [text, pause]);
  return settled;
}

/**
 * Text that is seen at once as it is typed and told on after a pause, so that no letter waits for what follows from it.
 * When `value` changes by other means (a link, "show all") it replaces what was typed.
 */
export function useTyped(value: string, tell: (text: string) => void): [string, (text: string) => void] {
  const [text, setText] = useState(value);
  const known = useRef(value);
  const told = useRef(tell);
  const settled = useSettled(text, 200);
  useEffect(() => {
    told.current = tell;
  });
  useEffect(() => {
    if (value === known.current) return;
    known.current = value;
    setText(value);
  }, [value]);
  useEffect(() => {
    if (settled === known.current) return;
    known.current = settled;
    told.current(settled);
  }, [settled]);
  return [text, setText];
}

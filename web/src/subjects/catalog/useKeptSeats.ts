import { useEffect, useState } from "react";

import { api, ask, keyHeader, messageOf, newKey } from "../../app/server";

type Held = { key: string; until: number; heads: number; email: string };
export type KeptSeats = {
  /** The key of the seats that are kept, while they are. */
  key: string;
  /** Seconds that are left; 0 once they are over, null where none were ever kept. */
  left: number | null;
  /** Why none are kept, or what is kept. */
  said: string;
  keep: (email: string, heads: number, code: string, link: string) => void;
  forget: () => void;
};

function read(name: string): Held | null {
  try {
    return JSON.parse(localStorage.getItem(name) ?? "null") as Held | null;
  } catch {
    return null;
  }
}

/** Seats kept for some minutes while a form is filled in: asked for once, shared by the tabs of this browser, not renewed. */
export function useKeptSeats(run: number): KeptSeats {
  const name = `kept-seats-${run}`;
  const [held, setHeld] = useState<Held | null>(() => read(name));
  const [said, setSaid] = useState("");
  const [now, setNow] = useState(() => Date.now());
  const [asked, setAsked] = useState(false);
  const left = held ? Math.max(0, Math.round((held.until - now) / 1000)) : null;
  const ticking = left !== null && left > 0;
  useEffect(() => {
    if (!ticking) return;
    const timer = window.setInterval(() => setNow(Date.now()), 1000);
    return () => window.clearInterval(timer);
  }, [ticking]);
  const keep = (email: string, heads: number, access_code: string, link: string) => {
    if (held !== null || asked) return;
    setAsked(true);
    ask(
      api.POST("/api/v1/catalog/runs/{run_id}/kept-seats", {
        params: { path: { run_id: run }, header: keyHeader(newKey()) },
        body: { email, heads, access_code, key: link },
      }),
    )
      .then((answer) => {
        setSaid(answer.said);
        if (!answer.kept) return;
        const next = { key: answer.key, until: Date.now() + answer.seconds * 1000, heads, email };
        localStorage.setItem(name, JSON.stringify(next));
        setNow(Date.now());
        setHeld(next);
      })
      .catch((error: unknown) => {
        setSaid(messageOf(error));
        setAsked(false);
      });
  };
  const forget = () => {
    localStorage.removeItem(name);
    setHeld(null);
    setSaid("");
  };
  return { key: ticking ? (held?.key ?? "") : "", left, said, keep, forget };
}

import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { Note } from "../parts/layout";
import { P } from "../parts/words";
import { api, ask, type Schemas } from "./server";

const NewsLine = styled("div")({ "&:not(:empty)": { marginBottom: 12 } });

type Change = Schemas["ChangeOut"];

/** Whether a person is at work on the sheet: pointing at a list that lives, or typing. */
function busyHere(): boolean {
  const active = document.activeElement;
  const typing = active instanceof HTMLInputElement || active instanceof HTMLTextAreaElement;
  return (typing && active.closest(".live") !== null) || document.querySelector(".live:hover") !== null;
}

/**
 * What others changed since this screen was drawn. Asks every few seconds, never in a hidden window. Lists are drawn
 * anew by themselves, unless somebody points at them: then `waiting` says what is new, and `show` draws it.
 */
export function usePulse(runId: number | null, seconds: number) {
  const queries = useQueryClient();
  const known = useRef(new Set<string>());
  const seen = useRef<number | null>(null);
  const [waiting, setWaiting] = useState<Change[]>([]);
  const [news, setNews] = useState<Change | null>(null);
  useEffect(() => {
    let stopped = false;
    seen.current = null;
    known.current = new Set();
    const beat = async () => {
      if (document.hidden) return;
      try {
        const answer = await ask(
          api.POST("/api/v1/pulse", { body: { seen: seen.current ?? 0, run_id: runId } }),
        );
        if (stopped) return;
        const first = seen.current === null;
        seen.current = answer.revision;
        const fresh = answer.changes.filter((c) => !known.current.has(c.key));
        for (const c of fresh) known.current.add(c.key);
        const others = fresh.filter((c) => !c.own);
        if (first || others.length === 0) return;
        setNews(others[others.length - 1]!);
        if (busyHere()) setWaiting((old) => [...old, ...others]);
        else void queries.invalidateQueries();
      } catch {
        // A server that does not answer is asked again at the next beat; what is on the screen stays.
      }
    };
    void beat();
    const timer = setInterval(() => void beat(), seconds * 1000);
    const wake = () => void beat();
    document.addEventListener("visibilitychange", wake);
    return () => {
      stopped = true;
      clearInterval(timer);
      document.removeEventListener("visibilitychange", wake);
    };
  }, [runId, seconds, queries]);
  return {
    waiting,
    news,
    show: () => {
      setWaiting([]);
      void queries.invalidateQueries();
    },
  };
}

/** "3 new, show", and the last thing others did. */
export function News({ pulse }: { pulse: ReturnType<typeof usePulse> }) {
  const { waiting, news, show } = pulse;
  return (
    <NewsLine aria-live="polite">
      {waiting.length > 0 ? (
        <Note>
          <p>
            <strong>{waiting.length} new:</strong> {waiting[waiting.length - 1]!.summary}.
          </p>
          <Button variant="text" onClick={show}>
            Show
          </Button>
        </Note>
      ) : (
        news && (
          <P tone="slate">
            {news.by ?? "By itself"}: {news.summary}.
          </P>
        )
      )}
    </NewsLine>
  );
}

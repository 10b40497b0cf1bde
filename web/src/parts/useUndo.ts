import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf } from "../app/server";
import type { Done } from "./Page";

/** What was just done on this page, and taking it back. */
export function useDone() {
  const queries = useQueryClient();
  const [done, setDone] = useState<Done | null>(null);
  const [trouble, setTrouble] = useState("");
  const undo = useMutation({
    mutationFn: (change: string) =>
      ask(api.POST("/api/v1/changes/{change}/undo", { params: { path: { change } } })),
    onSuccess: (result) => {
      setTrouble("");
      setDone({ text: `${result.summary}.` });
      void queries.invalidateQueries();
    },
    onError: (error) => {
      setTrouble(messageOf(error));
      void queries.invalidateQueries();
    },
  });
  return {
    done,
    trouble,
    busy: undo.isPending,
    undo: (change: string) => undo.mutate(change),
    say: (next: Done | null) => {
      setTrouble("");
      setDone(next);
      if (next) void queries.invalidateQueries();
    },
    fail: (message: string) => setTrouble(message),
    failed: (error: unknown) => setTrouble(messageOf(error)),
  };
}

/** Sends a form: what is wrong with it by field, and anything else that went wrong beside what was done. */
export function useTried(acts: { fail: (message: string) => void }) {
  const [faults, setFaults] = useState<Record<string, string>>({});
  const tried = async (send: () => Promise<void>) => {
    try {
      await send();
      setFaults({});
    } catch (error) {
      const found = faultsOf(error);
      setFaults(found);
      if (Object.keys(found).length === 0) acts.fail(messageOf(error));
    }
  };
  return { faults, tried };
}

/** Takes the focus to the question in the margin without scrolling what is asked out of sight. */
export function focused(button: HTMLButtonElement | null) {
  if (button && document.activeElement !== button && button.dataset.focused === undefined) {
    button.dataset.focused = "";
    button.focus({ preventScroll: true });
  }
}

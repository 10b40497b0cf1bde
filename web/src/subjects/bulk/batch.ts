import { useQueryClient } from "@tanstack/react-query";

import { $api, api, ask, type Schemas, ServerProblem } from "../../app/server";
import type { useDone } from "../../parts/useUndo";
import { useAct } from "../../form/useAct";

export type Batch = Schemas["BatchOut"];
export type Item = Schemas["BatchItem"];

/** What a list is for those who read it. */
export const STATES: Record<Batch["status"], string> = {
  judging: "being judged",
  judged: "judged, not confirmed",
  running: "being enrolled",
  stopped: "stopped",
  enrolled: "enrolled",
  "taking back": "being taken back",
  "taken back": "taken back",
};

export const atWork = (status: Batch["status"]) =>
  status === "judging" || status === "running" || status === "taking back";

/** Outcomes and verdicts as lines show them. */
export const became = (i: Item) => i.outcome ?? i.verdict ?? "";

const keyOf = (id: number) =>
  $api.queryOptions("get", "/api/v1/batches/{batch_id}", { params: { path: { batch_id: id } } }).queryKey;

/** A list, read again every second while it is worked on. */
export function useBatch(id: number) {
  return $api.useQuery(
    "get",
    "/api/v1/batches/{batch_id}",
    { params: { path: { batch_id: id } } },
    { refetchInterval: ({ state }) => (state.data && atWork(state.data.status) ? 1000 : false) },
  );
}

/** Acts on a list: each answers with the list as it stands then. */
export function useBatchActs(id: number, acts: ReturnType<typeof useDone>) {
  const queries = useQueryClient();
  const path = { batch_id: id };
  const put = (batch: Batch) => {
    queries.setQueryData(keyOf(id), batch);
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/batches/{batch_id}/rows"] });
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/batches/running"] });
  };
  const quiet = (batch: Batch) => {
    acts.say(null);
    put(batch);
  };
  const failed = (message: string) => {
    acts.fail(message);
    void queries.invalidateQueries({ queryKey: keyOf(id) });
  };
  const change = useAct({
    send: (body: Schemas["BatchChangeCommand"]) =>
      ask(api.PATCH("/api/v1/batches/{batch_id}", { params: { path }, body })),
    done: quiet,
    failed,
  });
  const decide = useAct({
    send: (body: Schemas["DecideLinesCommand"]) =>
      ask(api.POST("/api/v1/batches/{batch_id}/decide", { params: { path }, body })),
    done: quiet,
    failed,
  });
  const judge = useAct({
    send: () => ask(api.POST("/api/v1/batches/{batch_id}/judge", { params: { path } })),
    done: quiet,
    failed,
  });
  const stop = useAct({
    send: () => ask(api.POST("/api/v1/batches/{batch_id}/stop", { params: { path } })),
    done: quiet,
    failed,
  });
  const fix = async (line: number, body: Schemas["RowFixForm"]) =>
    quiet(
      await ask(
        api.PATCH("/api/v1/batches/{batch_id}/rows/{line}", { params: { path: { ...path, line } }, body }),
      ),
    );
  return { put, change, decide, judge, stop, fix, failed };
}

/** Whether what was shown no longer holds: the list is read anew then. */
export const moved = (error: unknown) => error instanceof ServerProblem && error.status === 409;

/** What can be chosen for a list that is for one run: its rates, payment plans and extras. */
export function useChoices(runId: number | null) {
  const found = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}/choices",
    { params: { path: { run_id: runId ?? 0 } } },
    { enabled: runId !== null },
  );
  return {
    rates: (found.data?.rates ?? []).map((r) => ({ value: r.label, text: r.label })),
    plans: (found.data?.plans ?? []).map((p) => ({ value: p.name, text: p.name })),
    extras: (found.data?.extras ?? []).map((x) => x.label),
  };
}

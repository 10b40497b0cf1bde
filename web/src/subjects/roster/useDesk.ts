import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useKept, useMe, useSettled } from "../../app/session";
import { digitsOf } from "../courses/form";
import {
  askOf,
  begun,
  type Call,
  deskAfter,
  type DeskEvent,
  type DeskState,
  headsOf,
  namesOf,
  parkedRead,
  payerOf,
  type Person,
  quiet,
} from "./deskCall";

export const PARKED = ["get", "/api/v1/parked-calls"];

/** The desk of this window: kept over a reload. */
export function useDeskState(): [DeskState, (event: DeskEvent) => void] {
  const [state, setState] = useKept<DeskState>("desk", quiet());
  return [state, (event) => setState((old) => deskAfter(old, event))];
}

/** Calls put aside are kept by the server: on every screen of whoever put them aside, whichever takes one up. */
export function useParking(
  state: DeskState,
  tell: (event: DeskEvent) => void,
  acts: { say: (done: { text: string }) => void; fail: (message: string) => void },
) {
  const queries = useQueryClient();
  const put = (parked: Schemas["ParkedOut"][]) => queries.setQueryData(PARKED, parked);
  const busy = useRef(false);
  const once = async (act: () => Promise<void>) => {
    if (busy.current) return;
    busy.current = true;
    try {
      await act();
    } catch (error) {
      acts.fail(messageOf(error));
      void queries.invalidateQueries({ queryKey: PARKED });
    } finally {
      busy.current = false;
    }
  };
  const aside = async (about: string) => {
    const body = { about, state: JSON.stringify(state) };
    const header = { "Idempotency-Key": state.call.key };
    put(await ask(api.POST("/api/v1/parked-calls", { params: { header }, body })));
  };
  return {
    park: (about: string, then: () => void) =>
      once(async () => {
        await aside(about);
        tell({ type: "parked" });
        acts.say({ text: `Parked: ${about}.` });
        then();
      }),
    /** Takes a call up; the one that goes on just now is put aside for it. */
    takeUp: (id: number, about: string) =>
      once(async () => {
        if (begun(state)) await aside(about);
        const path = { call_id: id };
        const taken = await ask(api.POST("/api/v1/parked-calls/{call_id}/take-up", { params: { path } }));
        put(taken.parked);
        const held = parkedRead(taken.state);
        if (held) tell({ type: "taken up", state: held });
        else acts.fail("This call was parked by an older desk and cannot be read any more.");
      }),
  };
}

async function personById(id: number): Promise<Person> {
  const p = await ask(api.GET("/api/v1/people/{person_id}", { params: { path: { person_id: id } } }));
  return { ...p, runs: p.enrollments.filter((e) => e.status === "seated").length };
}

/** A link from a run, a person or a kept quote brings it along. */
export function useBrought(tell: (event: DeskEvent) => void, fail: (error: unknown) => void) {
  const [params, setParams] = useSearchParams();
  const run = Number(params.get("run"));
  const held = Number(params.get("held")) || null;
  const person = Number(params.get("person"));
  const quote = Number(params.get("quote"));
  useEffect(() => {
    if (!run && !person && !quote) return;
    setParams({}, { replace: true });
    if (run) tell({ type: "came with a run", run, held });
    if (person)
      personById(person)
        .then((p) => tell({ type: "came with a person", person: p }))
        .catch(fail);
    if (quote)
      ask(api.GET("/api/v1/quotes", { params: { query: { every: true } } }))
        .then(async (every) => {
          const kept = every.find((q) => q.id === quote);
          if (!kept) throw new Error("That quote is no longer kept.");
          tell({ type: "came with a quote", quote: kept, person: await personById(kept.person_id) });
        })
        .catch(fail);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [run, person, quote]);
}

/** People by what was typed of them. */
export function usePeople(call: Call) {
  const q = useSettled(call.who.trim(), 120);
  const found = $api.useQuery(
    "get",
    "/api/v1/people",
    { params: { query: { q, limit: 5 } } },
    { enabled: q.length > 0, placeholderData: keepPreviousData, retry: false },
  );
  const fresh = q === call.who.trim() && !found.isPlaceholderData && (found.data !== undefined || !q);
  const people = call.who.trim() && !call.person ? (found.data ?? []) : [];
  return { people, fresh, busy: found.isFetching, error: found.error };
}

/** Runs by what was typed of them; `late` are those that have begun. */
export function useRuns(call: Call, late: boolean) {
  const q = useSettled(call.what.trim(), 120);
  const found = $api.useQuery(
    "get",
    "/api/v1/runs",
    {
      params: { query: { q, teaching: late ? "" : "before", status: "published", limit: 10 } },
    },
    { placeholderData: keepPreviousData, retry: false },
  );
  const fresh = q === call.what.trim() && !found.isPlaceholderData && found.data !== undefined;
  return { runs: found.data?.items, fresh, busy: found.isFetching, error: found.error };
}

/** The run of the call, its quote for what is typed now, and whether the call can be done. */
export function useQuoted(call: Call) {
  const me = useMe();
  const run = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: call.runId! } } },
    { enabled: call.runId !== null },
  );
  const typed = JSON.stringify({
    ...askOf(call, digitsOf(run.data?.currency ?? me.currency)),
    person_id: call.person?.id ?? null,
    organization_id: payerOf(call).organization_id,
    names: headsOf(call) > 1 ? namesOf(call) : [],
    received_on: call.received || null,
    exception: call.exception.trim() || null,
    held_place_id: call.heldId,
  });
  const wished = useSettled(typed, 120);
  const quote = useQuery({
    queryKey: ["quote", call.runId, call.keptId, wished],
    queryFn: () =>
      call.keptId !== null
        ? ask(api.GET("/api/v1/quotes/{quote_id}", { params: { path: { quote_id: call.keptId } } }))
        : ask(
            api.POST("/api/v1/runs/{run_id}/quote", {
              params: { path: { run_id: call.runId! } },
              body: JSON.parse(wished) as Schemas["QuoteCommand"],
            }),
          ),
    enabled: call.runId !== null,
    placeholderData: (old) => (old?.run_id === call.runId ? old : undefined),
    retry: false,
  });
  const settled = typed === wished && quote.data !== undefined && !quote.isPlaceholderData && !quote.error;
  const ready = call.person !== null && settled && canBeDone(call, quote.data, run.data);
  return { run: run.data, quote, ready };
}

function canBeDone(call: Call, quote: Schemas["RunQuoteView"], run: Schemas["RunOut"] | undefined): boolean {
  return (
    (quote.can_enroll || (quote.can_wait && call.keptId === null)) &&
    !quote.names.some((n) => n.error) &&
    !(quote.details_needed && !quote.details && quote.can_enroll) &&
    (!run?.notice.text || run.notice.seen)
  );
}

/** Keys that also work inside a field: F4 back to the first open column, F7 to what is paid, F8 parks, Ctrl+Enter enrolls. */
export function useDeskKeys(keys: {
  back: () => void;
  pay: () => void;
  park: () => void;
  enroll: () => void;
}) {
  const latest = useRef(keys);
  useEffect(() => {
    latest.current = keys;
  });
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      const act =
        e.key === "F8"
          ? latest.current.park
          : e.key === "F4"
            ? latest.current.back
            : e.key === "F7"
              ? latest.current.pay
              : e.key === "Enter" && e.ctrlKey
                ? latest.current.enroll
                : null;
      if (!act) return;
      e.preventDefault();
      act();
    };
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);
}

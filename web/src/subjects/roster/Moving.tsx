import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Field } from "../../parts/Field";
import { PickList } from "../../parts/PickList";
import { Quote } from "../../parts/Quote";
import { isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { amount, digitsOf } from "../courses/form";
import { Picked, RunLine, type Run } from "./DeskParts";

/** To another run: pick it, see what moves along and what is kept, then move. */
export function Moving({
  held,
  acts,
  onClose,
  onDone,
}: {
  held: Schemas["EnrollmentOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
  onDone: () => void;
}) {
  const [typed, setTyped] = useState("");
  const [run, setRun] = useState<Run | null>(null);
  const [own, setOwn] = useState<{ keep: string; why: string } | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [key, setKey] = useState(newKey);
  const what = useSettled(typed.trim(), 120);
  const runs = useQuery({
    queryKey: ["move-runs", what],
    queryFn: () =>
      ask(
        api.GET("/api/v1/runs", {
          params: { query: { q: what, teaching: "before", status: "published", limit: 7 } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const path = { enrollment_id: held.id };
  const body: Schemas["TransferCommand"] = {
    run_id: run?.id ?? 0,
    ...(own ? { keep: amount(own.keep, digitsOf(held.quote.currency)) ?? "", why: own.why } : {}),
  };
  const settled = useSettled(JSON.stringify(body), 150);
  const query = useQuery({
    queryKey: ["transfer", held.id, settled],
    queryFn: () =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/transfer", {
          params: { path, query: { preview: true } },
          body: JSON.parse(settled) as Schemas["TransferCommand"],
        }),
      ),
    enabled: run !== null,
    retry: false,
    placeholderData: (old) => (old?.run_id === run?.id ? old : undefined),
  });
  const found = query.error ? undefined : query.data;
  const trouble = error ?? query.error;
  const faults = faultsOf(trouble);
  const move = async () => {
    if (!found || busy || JSON.stringify(body) !== settled) return;
    setBusy(true);
    try {
      const done = await ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/transfer", {
          params: { path, header: { "Idempotency-Key": key } },
          body: { ...body, total: found.quote.total },
        }),
      );
      acts.say({
        text: `${done.name} moved to ${run!.title} (${done.to}).`,
        change: done.change,
        link: <Link to={`/runs/${done.run_id}/roster`}>See the roster</Link>,
      });
      onDone();
    } catch (problem) {
      setError(problem);
      setKey(newKey());
      void query.refetch();
    } finally {
      setBusy(false);
    }
  };
  const others = (runs.data?.items ?? []).filter((r) => r.id !== held.run_id);
  if (!run)
    return (
      <div className="note due">
        <p className="strong">Where does {held.name} move to?</p>
        <PickList
          label="The other run"
          placeholder="course, run or instructor"
          typed={typed}
          onType={setTyped}
          autoFocus
          fresh={what === typed.trim() && !runs.isPlaceholderData}
          onPick={(id) => setRun(others.find((r) => String(r.id) === id) ?? null)}
          options={others.map((r) => ({ key: String(r.id), content: <RunLine run={r} /> }))}
          empty={<p className="slate">No published run that has not begun fits that.</p>}
        />
        <button className="plainly" onClick={onClose}>
          leave it
        </button>
      </div>
    );
  const currency = held.quote.currency;
  return (
    <form
      className="note due"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void move();
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      <p className="strong">{held.name} moves to</p>
      <Picked
        what="the run"
        onChange={() => {
          setRun(null);
          setError(null);
        }}
      >
        <RunLine run={run} />
      </Picked>
      {trouble != null && <p className="fault">{Object.values(faults)[0] ?? messageOf(trouble)}</p>}
      {found && (
        <div aria-live="polite" style={{ marginTop: 8 }}>
          <dl className="facts">
            <dt>Price here, taken back</dt>
            <dd>{money(found.total_before, currency)}</dd>
            <dt>Paid so far</dt>
            <dd>{money(found.paid, currency)}</dd>
            <dt>Kept</dt>
            <dd>{money(found.kept, currency)}</dd>
            <dd className="why">{found.why}</dd>
            <dt>Moves along</dt>
            <dd>{money(found.carried, currency)}</dd>
            <dt className="sum">Then open there</dt>
            <dd className="sum">{money(found.owed, currency)}</dd>
            {!isZero(found.credit) && [
              <dt key="t">Left as credit</dt>,
              <dd key="d">{money(found.credit, currency)}</dd>,
            ]}
          </dl>
          {own ? (
            <div className="row">
              <Field
                label="Keep instead"
                width={100}
                value={own.keep}
                onChange={(keep) => {
                  setOwn({ ...own, keep });
                  setError(null);
                }}
                autoFocus
                input={{ inputMode: "decimal" }}
              />
              <Field
                label="Reason"
                value={own.why}
                onChange={(why) => {
                  setOwn({ ...own, why });
                  setError(null);
                }}
              />
            </div>
          ) : (
            !isZero(found.total_before) && (
              <button
                type="button"
                className="plainly quiet"
                onClick={() => setOwn({ keep: found.kept, why: "" })}
              >
                keep another sum
              </button>
            )
          )}
        </div>
      )}
      <div className="row mid" style={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={busy || !found} ref={focused}>
          Move
        </Button>
        <button type="button" className="plainly" onClick={onClose}>
          leave it
        </button>
      </div>
      {found && (
        <div style={{ marginTop: 14 }}>
          <p className="strong">The price there</p>
          <Quote quote={found.quote} />
        </div>
      )}
    </form>
  );
}

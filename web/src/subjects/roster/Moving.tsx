import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { PickList } from "../../form/PickList";
import { Facts, Note, Row } from "../../parts/layout";
import { Quote } from "../../parts/Quote";
import { isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { Fault, P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { Picked, type Run, RunLine } from "./DeskParts";

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
  const runs = $api.useQuery(
    "get",
    "/api/v1/runs",
    {
      params: { query: { q: what, teaching: "before", status: "published", limit: 7 } },
    },
    { placeholderData: keepPreviousData },
  );
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
      <Note kind="due">
        <P strong>Where does {held.name} move to?</P>
        <PickList
          label="The other run"
          placeholder="course, run or instructor"
          typed={typed}
          onType={setTyped}
          autoFocus
          fresh={what === typed.trim() && !runs.isPlaceholderData}
          onPick={(id) => setRun(others.find((r) => String(r.id) === id) ?? null)}
          options={others.map((r) => ({ key: String(r.id), content: <RunLine run={r} /> }))}
          empty={<P tone="slate">No published run that has not begun fits that.</P>}
        />
        <Button variant="text" onClick={onClose}>
          leave it
        </Button>
      </Note>
    );
  const currency = held.quote.currency;
  return (
    <Form look="due" onSend={() => void move()} onLeave={onClose}>
      <P strong>{held.name} moves to</P>
      <Picked
        what="the run"
        onChange={() => {
          setRun(null);
          setError(null);
        }}
      >
        <RunLine run={run} />
      </Picked>
      {trouble != null && <Fault as="p">{Object.values(faults)[0] ?? messageOf(trouble)}</Fault>}
      {found && (
        <Box aria-live="polite" sx={{ marginTop: 8 }}>
          <Facts>
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
          </Facts>
          {own ? (
            <Row>
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
            </Row>
          ) : (
            !isZero(found.total_before) && (
              <Button variant="text" color="secondary" onClick={() => setOwn({ keep: found.kept, why: "" })}>
                keep another sum
              </Button>
            )
          )}
        </Box>
      )}
      <Row mid sx={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={busy || !found} ref={focused}>
          Move
        </Button>
        <Button variant="text" onClick={onClose}>
          leave it
        </Button>
      </Row>
      {found && (
        <Box sx={{ marginTop: 14 }}>
          <P strong>The price there</P>
          <Quote quote={found.quote} />
        </Box>
      )}
    </Form>
  );
}

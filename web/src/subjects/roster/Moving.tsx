import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import {
  $api,
  api,
  ask,
  faultsOf,
  keyHeader,
  messageOf,
  type Schemas,
  ServerProblem,
} from "../../app/server";
import { useSettled } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { PickList } from "../../form/PickList";
import { useForeseen } from "../../form/useForeseen";
import { Facts, Note, Row } from "../../parts/layout";
import { Quote } from "../../parts/Quote";
import { isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault, P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { ActOrLeave } from "./ActOrLeave";
import { useNotice } from "./DeskCalls";
import { Picked, type Run, RunLine } from "./DeskParts";
import { freedSeat, FreedSeatPick, IN_TURN } from "./FreedSeat";

type Held = Schemas["EnrollmentOut"];
type Own = { keep: string; why: string } | null;

/** What moving would do, as one types; then it is done at the total that is shown. */
function useTransfer(
  held: Held,
  run: Run | null,
  own: Own,
  why: string,
  seat: Schemas["FreedSeat"] | null,
  done: (what: Schemas["Transferred"]) => void,
) {
  const path = { enrollment_id: held.id };
  return useForeseen({
    name: ["transfer", held.id],
    wish: run && {
      run_id: run.id,
      ...(own ? { keep: amount(own.keep, digitsOf(held.quote.currency)) ?? "", why: own.why } : {}),
      exception: why || null,
      seat,
    },
    see: (body: Schemas["TransferCommand"]) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/transfer", {
          params: { path, query: { preview: true } },
          body,
        }),
      ),
    send: (body, key, preview) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/transfer", {
          params: { path, header: keyHeader(key) },
          body: { ...body, total: preview.quote.total },
        }),
      ),
    done,
    stays: (before) => before.run_id === run?.id,
  });
}

/** To another run: pick it, see what moves along and what is kept, then move. */
export function Moving({
  held,
  acts,
  onClose,
  onDone,
}: {
  held: Held;
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
  onDone: () => void;
}) {
  const [run, setRun] = useState<Run | null>(null);
  const [own, setOwn] = useState<Own>(null);
  const [why, setWhy] = useState("");
  const [seat, setSeat] = useState(IN_TURN);
  const leaving = $api.useQuery("get", "/api/v1/enrollments/{enrollment_id}/withdrawal", {
    params: { path: { enrollment_id: held.id } },
  });
  const could = leaving.data?.could ?? [];
  const transfer = useTransfer(held, run, own, why.trim(), freedSeat(seat, could), (done) => {
    acts.say({
      text: `${done.name} moved to ${run!.title} (${done.to}).`,
      change: done.change,
      link: <Link to={`/runs/${done.run_id}/roster`}>See the roster</Link>,
    });
    onDone();
  });
  const { preview, trouble } = transfer;
  const notice = useNotice(run?.id ?? null);
  if (!run)
    return (
      <OtherRun
        question={`Where does ${held.name} move to?`}
        notRun={held.run_id}
        onPick={setRun}
        onClose={onClose}
      />
    );
  return (
    <Form look="due" onSend={() => void transfer.act()} onLeave={onClose}>
      <P strong>{held.name} moves to</P>
      <Picked what="the run" onChange={() => setRun(null)}>
        <RunLine run={run} />
      </Picked>
      {trouble != null && <Fault as="p">{Object.values(faultsOf(trouble))[0] ?? messageOf(trouble)}</Fault>}
      {preview && (
        <Box aria-live="polite" sx={{ marginTop: 8 }}>
          <MovesAlong preview={preview} currency={held.quote.currency} />
          <KeepInstead own={own} set={setOwn} preview={preview} />
        </Box>
      )}
      <AllTheSame trouble={trouble} why={why} set={setWhy} />
      <FreedSeatPick could={could} value={seat} set={setSeat} faults={faultsOf(trouble)} />
      {notice.shown}
      <ActOrLeave act="Move" onClose={onClose} takes ready={transfer.ready && !notice.unread} />
      {preview && (
        <Box sx={{ marginTop: 14 }}>
          <P strong>The price there</P>
          <Quote quote={preview.quote} />
        </Box>
      )}
    </Form>
  );
}

/** Staff may keep something else than the rules say, with a reason. */
function KeepInstead({
  own,
  set,
  preview,
}: {
  own: Own;
  set: (own: Own) => void;
  preview: Schemas["Transferred"];
}) {
  if (own)
    return (
      <Row>
        <Field
          label="Keep instead"
          width={100}
          value={own.keep}
          onChange={(keep) => set({ ...own, keep })}
          autoFocus
          input={{ inputMode: "decimal" }}
        />
        <Field label="Reason" value={own.why} onChange={(why) => set({ ...own, why })} />
      </Row>
    );
  if (isZero(preview.total_before)) return null;
  return (
    <Button variant="text" color="secondary" onClick={() => set({ keep: preview.kept, why: "" })}>
      keep another sum
    </Button>
  );
}

/** After the close, or off sale: people move there with a reason. */
export function AllTheSame({
  trouble,
  why,
  set,
}: {
  trouble: unknown;
  why: string;
  set: (why: string) => void;
}) {
  const shut = trouble instanceof ServerProblem && trouble.kind === "sign-up-shut";
  if (!shut && !why) return null;
  return <Field label="Why all the same" value={why} onChange={set} />;
}

/** Another run that people know of and that is not over. */
export function OtherRun({
  question,
  notRun,
  onPick,
  onClose,
}: {
  question: string;
  notRun: number;
  onPick: (run: Run | null) => void;
  onClose: () => void;
}) {
  const [typed, setTyped] = useState("");
  const what = useSettled(typed.trim(), 120);
  const runs = $api.useQuery(
    "get",
    "/api/v1/runs",
    { params: { query: { q: what, teaching: "current", limit: 9 } } },
    { placeholderData: keepPreviousData },
  );
  const others = (runs.data?.items ?? []).filter(
    (r) => r.id !== notRun && (r.status === "published" || r.status === "off sale"),
  );
  return (
    <Note kind="due">
      <P strong>{question}</P>
      <PickList
        label="The other run"
        placeholder="course, run or instructor"
        typed={typed}
        onType={setTyped}
        autoFocus
        fresh={what === typed.trim() && !runs.isPlaceholderData}
        onPick={(id) => onPick(others.find((r) => String(r.id) === id) ?? null)}
        options={others.map((r) => ({ key: String(r.id), content: <RunLine run={r} /> }))}
        empty={<P tone="slate">No run that people can be moved to fits that.</P>}
      />
      <Button variant="text" onClick={onClose}>
        leave it
      </Button>
    </Note>
  );
}

function MovesAlong({ preview, currency }: { preview: Schemas["Transferred"]; currency: string }) {
  return (
    <Facts>
      <dt>Price here, taken back</dt>
      <dd>{money(preview.total_before, currency)}</dd>
      <dt>Paid so far</dt>
      <dd>{money(preview.paid, currency)}</dd>
      <dt>Kept</dt>
      <dd>{money(preview.kept, currency)}</dd>
      <dd className="why">{preview.why}</dd>
      <dt>Moves along</dt>
      <dd>{money(preview.carried, currency)}</dd>
      <dt className="sum">Then open there</dt>
      <dd className="sum">{money(preview.owed, currency)}</dd>
      {!isZero(preview.credit) && [
        <dt key="t">Left as credit</dt>,
        <dd key="d">{money(preview.credit, currency)}</dd>,
      ]}
    </Facts>
  );
}

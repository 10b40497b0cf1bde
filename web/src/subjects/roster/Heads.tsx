import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, faultsOf, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useForeseen } from "../../form/useForeseen";
import { Facts, Row } from "../../parts/layout";
import { isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault, P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { ActOrLeave } from "./ActOrLeave";
import { Comes } from "./ChangeTerms";
import { freedSeat, FreedSeatPick, IN_TURN } from "./FreedSeat";
import { AllTheSame } from "./Moving";

type Acts = ReturnType<typeof useDone>;

/** What was wrong, where no field of the form says it. */
function Wrong({ trouble }: { trouble: unknown }) {
  if (trouble == null || Object.keys(faultsOf(trouble)).length > 0) return null;
  return <Fault as="p">{messageOf(trouble)}</Fault>;
}

/** One head more of a party, to be named now or later: what it comes to, then the act. */
export function AddHead({
  held,
  run,
  acts,
  onClose,
}: {
  held: Schemas["EnrollmentOut"];
  run: Schemas["RunOut"];
  acts: Acts;
  onClose: () => void;
}) {
  const [rate, setRate] = useState(String(held.people[0]?.rate_id ?? ""));
  const [why, setWhy] = useState("");
  const path = { enrollment_id: held.id };
  const adding = useForeseen({
    name: ["add-head", held.id],
    wish: { rate_id: rate ? Number(rate) : null, exception: why.trim() || null },
    see: (body) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/heads", {
          params: { path, query: { preview: true } },
          body,
        }),
      ),
    send: (body, key, preview) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/heads", {
          params: { path, header: keyHeader(key) },
          body: { ...body, total: preview.total },
        }),
      ),
    done: (done) => {
      acts.say({
        text: `${done.name} has ${done.heads} seats; the sign-up comes to ${money(done.total, done.currency)}. Name the new head on the roster.`,
        change: done.change,
      });
      onClose();
    },
  });
  return (
    <Form look="due" onSend={() => void adding.act()} onLeave={onClose}>
      <P strong>One head more with {held.name}</P>
      <Choice
        label="Rate of the new head"
        value={rate}
        onChange={setRate}
        fault={faultsOf(adding.trouble)["/rate_id"]}
        options={run.rates.map((r) => ({
          value: String(r.id),
          text: `${r.label ?? "Standard"}, ${money(r.amount, run.currency)}`,
        }))}
      />
      <Wrong trouble={adding.trouble} />
      <AllTheSame trouble={adding.trouble} why={why} set={setWhy} />
      {adding.preview && <Comes to={adding.preview} />}
      <ActOrLeave act="Add the head" onClose={onClose} ready={adding.ready} />
    </Form>
  );
}

/** One head fewer: what of its share is kept, what becomes of the money and of the seat. */
export function HeadLeaves({
  row,
  n,
  who,
  acts,
  onClose,
}: {
  row: { id: number; name: string };
  n: number;
  who: string;
  acts: Acts;
  onClose: () => void;
}) {
  const [own, setOwn] = useState<{ keep: string; why: string } | null>(null);
  const [seat, setSeat] = useState(IN_TURN);
  const path = { enrollment_id: row.id, n };
  const line = $api.useQuery("get", "/api/v1/enrollments/{enrollment_id}/withdrawal", {
    params: { path: { enrollment_id: row.id }, query: { heads: 1 } },
  });
  const could = line.data?.could ?? [];
  const currency = line.data?.currency ?? "";
  const leaving = useForeseen({
    name: ["head-leaves", row.id, n],
    wish: line.data
      ? {
          ...(own ? { keep: amount(own.keep, digitsOf(currency)) ?? "", why: own.why } : {}),
          seat: freedSeat(seat, could),
        }
      : null,
    see: (body: Schemas["WithdrawHeadCommand"]) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/heads/{n}/withdraw", {
          params: { path, query: { preview: true } },
          body,
        }),
      ),
    send: (body, key) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/heads/{n}/withdraw", {
          params: { path, header: keyHeader(key) },
          body,
        }),
      ),
    done: (done) => {
      const kept = isZero(done.kept) ? "" : ` ${money(done.kept, done.currency)} of it is kept.`;
      acts.say({
        text: `${who} left the party of ${done.name}.${kept} ${done.seat}`.trim(),
        change: done.change,
      });
      onClose();
    },
  });
  const faults = faultsOf(leaving.trouble);
  const found = leaving.preview;
  return (
    <Form look="due" onSend={() => void leaving.act()} onLeave={onClose}>
      <P strong>
        {who} leaves the party of {row.name}
      </P>
      <Wrong trouble={leaving.trouble} />
      {found && (
        <>
          <Facts>
            <dt>Kept of the share</dt>
            <dd>{money(found.kept, found.currency)}</dd>
            {found.why && <dd className="why">{found.why}</dd>}
          </Facts>
          <Comes to={found} />
        </>
      )}
      {own ? (
        <Row>
          <Field
            label="Keep instead"
            width={110}
            value={own.keep}
            onChange={(keep) => setOwn({ ...own, keep })}
            fault={faults["/keep"]}
            input={{ inputMode: "decimal" }}
            autoFocus
          />
          <Field
            label="Reason"
            value={own.why}
            onChange={(why) => setOwn({ ...own, why })}
            fault={faults["/why"]}
          />
        </Row>
      ) : (
        found && (
          <Button variant="text" color="secondary" onClick={() => setOwn({ keep: found.kept, why: "" })}>
            keep another sum
          </Button>
        )
      )}
      <FreedSeatPick could={could} value={seat} set={setSeat} faults={faults} />
      <ActOrLeave act="Withdraw the head" onClose={onClose} lost ready={leaving.ready} />
    </Form>
  );
}

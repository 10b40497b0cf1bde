import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, faultsOf, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { type Freed, freedSeat, FreedSeatPick, IN_TURN } from "./FreedSeat";

type Going = { own: boolean; keep: string; why: string; seat: Freed };

/** What a withdrawal does with the money, before it is done; staff may keep something else, with a reason. */
export function Leaving({
  enrollmentId,
  noShow = false,
  acts,
  onClose,
  onDone,
}: {
  enrollmentId: number;
  noShow?: boolean;
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
  /** They are gone; without it the form is closed. */
  onDone?: () => void;
}) {
  const [received, setReceived] = useState("");
  const query = $api.useQuery(
    "get",
    "/api/v1/enrollments/{enrollment_id}/withdrawal",
    {
      params: {
        path: { enrollment_id: enrollmentId },
        query: { no_show: noShow, received_on: received || undefined },
      },
    },
    { retry: false, placeholderData: keepPreviousData },
  );
  const found = query.data;
  const currency = found?.currency ?? "";
  const of = useServerForm<Going, Schemas["Withdrawn"]>({
    draft: `leaving-${enrollmentId}`,
    start: { own: false, keep: "", why: "", seat: IN_TURN },
    send: ({ own, keep, why, seat }, key) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/withdraw", {
          params: { path: { enrollment_id: enrollmentId }, header: { "Idempotency-Key": key } },
          body: {
            ...(own ? { keep: amount(keep, digitsOf(currency)), why } : { why: "" }),
            received_on: received || null,
            no_show: noShow,
            seat: freedSeat(seat, found?.could ?? []),
          },
        }),
      ),
    done: (gone) => {
      const kept = isZero(gone.kept) ? "" : ` ${money(gone.kept, currency)} is kept.`;
      const back = isZero(gone.taken_back)
        ? ""
        : ` ${money(gone.taken_back, currency)} is taken off the account.`;
      const text = `${gone.name} ${noShow ? "did not come" : "withdrew"}.${kept}${back}${gone.seat && ` ${gone.seat}`}`;
      acts.say({ text, change: gone.change });
      (onDone ?? onClose)();
    },
  });
  const { own } = of.values;
  if (!found) return <P tone="slate">{query.error ? messageOf(query.error) : "Working it out …"}</P>;
  return (
    <Form look="due" of={of} onLeave={onClose}>
      <Worth found={found} noShow={noShow} />
      <FreedSeatPick
        could={found.could}
        value={of.values.seat}
        set={(seat) => of.set({ seat })}
        faults={of.faults}
      />
      {!noShow && (
        <Field
          label="Word came on, if not today"
          type="date"
          width={170}
          value={received}
          onChange={setReceived}
          fault={query.error ? faultsOf(query.error)["/received_on"] : of.faults["/received_on"]}
        />
      )}
      {own && (
        <Row wrap>
          <Field
            label="Keep instead"
            width={120}
            {...of.field("keep")}
            autoFocus
            input={{ inputMode: "decimal" }}
          />
          <Field label="Reason" {...of.field("why")} />
        </Row>
      )}
      <Row mid wrap sx={{ marginTop: 8 }}>
        <Button type="submit" color="error" disabled={of.busy} ref={focused}>
          {noShow ? "Did not come" : "Withdraw"}
        </Button>
        <Button variant="text" onClick={onClose}>
          keep the seat
        </Button>
        {!own && !isZero(found.total) && (
          <Button variant="text" color="secondary" onClick={() => of.set({ own: true, keep: found.kept })}>
            keep another sum
          </Button>
        )}
      </Row>
    </Form>
  );
}

/** What leaving comes to: what is kept, what becomes credit, what stays owed. */
function Worth({ found, noShow }: { found: Schemas["Withdrawal"]; noShow: boolean }) {
  return (
    <>
      <p>
        <strong>
          {found.name} {noShow ? "did not come; the seat is free" : "gives the seat back"}.
        </strong>{" "}
        {isZero(found.total)
          ? "Nothing was charged."
          : `Of ${money(found.total, found.currency)}, ${money(found.kept, found.currency)} is kept. ${found.why}`}
      </p>
      {!isZero(found.total) && (
        <P tone="slate">
          {money(found.paid, found.currency)} was paid
          {!isZero(found.credit) &&
            `; ${money(found.credit, found.currency)} of it becomes credit of the account`}
          {!isZero(found.owed) && `; ${money(found.owed, found.currency)} stays owed`}.
        </P>
      )}
      {found.line && found.could.length === 0 && <p>{found.line}</p>}
    </>
  );
}

import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, faultsOf, messageOf, newKey } from "../../app/server";
import { useKept } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Row } from "../../parts/layout";
import { isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";

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
  const [own, setOwn, forget] = useKept<{ keep: string; why: string } | null>(
    `leaving-${enrollmentId}`,
    null,
  );
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [received, setReceived] = useState("");
  const [key] = useState(newKey);
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
  if (!found) return <P tone="slate">{query.error ? messageOf(query.error) : "Working it out …"}</P>;
  const currency = found.currency;
  const faults = error ? faultsOf(error) : {};
  const withdraw = async () => {
    setBusy(true);
    try {
      const done = await ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/withdraw", {
          params: { path: { enrollment_id: enrollmentId }, header: { "Idempotency-Key": key } },
          body: {
            ...(own ? { keep: amount(own.keep, digitsOf(currency)), why: own.why } : { why: "" }),
            received_on: received || null,
            no_show: noShow,
          },
        }),
      );
      const kept = isZero(done.kept) ? "" : ` ${money(done.kept, currency)} is kept.`;
      const back = isZero(done.taken_back)
        ? ""
        : ` ${money(done.taken_back, currency)} is taken off the account.`;
      forget();
      acts.say({
        text: `${done.name} ${noShow ? "did not come" : "withdrew"}.${kept}${back}`,
        change: done.change,
      });
      (onDone ?? onClose)();
    } catch (problem) {
      if (Object.keys(faultsOf(problem)).length === 0) {
        acts.fail(messageOf(problem));
        onClose();
      } else setError(problem);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Form look="due" onSend={() => void withdraw()} onLeave={() => onClose()}>
      <p>
        <strong>
          {found.name} {noShow ? "did not come; the seat is free" : "gives the seat back"}.
        </strong>{" "}
        {isZero(found.total)
          ? "Nothing was charged."
          : `Of ${money(found.total, currency)}, ${money(found.kept, currency)} is kept. ${found.why}`}
      </p>
      {!isZero(found.total) && (
        <P tone="slate">
          {money(found.paid, currency)} was paid
          {!isZero(found.credit) && `; ${money(found.credit, currency)} of it becomes credit of the account`}
          {!isZero(found.owed) && `; ${money(found.owed, currency)} stays owed`}.
        </P>
      )}
      {found.line && <p>{found.line}</p>}
      {!noShow && (
        <Field
          label="Word came on, if not today"
          type="date"
          width={170}
          value={received}
          onChange={setReceived}
          fault={query.error ? faultsOf(query.error)["/received_on"] : undefined}
        />
      )}
      {own && (
        <Row wrap>
          <Field
            label="Keep instead"
            width={120}
            value={own.keep}
            onChange={(keep) => setOwn({ ...own, keep })}
            fault={faults["/keep"]}
            autoFocus
            input={{ inputMode: "decimal" }}
          />
          <Field
            label="Reason"
            value={own.why}
            onChange={(why) => setOwn({ ...own, why })}
            fault={faults["/why"]}
          />
        </Row>
      )}
      <Row mid sx={{ marginTop: 8 }}>
        <Button type="submit" color="error" disabled={busy} ref={focused}>
          {noShow ? "Did not come" : "Withdraw"}
        </Button>
        <Button variant="text" type="button" onClick={onClose}>
          keep the seat
        </Button>
        {!own && !isZero(found.total) && (
          <Button
            variant="text"
            color="secondary"
            type="button"
            onClick={() => setOwn({ keep: found.kept, why: "" })}
          >
            keep another sum
          </Button>
        )}
      </Row>
    </Form>
  );
}

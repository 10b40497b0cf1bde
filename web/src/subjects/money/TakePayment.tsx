import Button from "@mui/material/Button";

import { api, ask, asTyped } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Note, Picks, Row } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { type Account, type Acts, METHODS } from "./account";

type Payment = {
  amount: string;
  method: string;
  reference: string;
  received: string;
  fee: string;
  chosen: Record<string, string> | null;
};

function usePayment({ account, acts }: { account: Account; acts: Acts }) {
  const me = useMe();
  const empty: Payment = {
    amount: "",
    method: "cash",
    reference: "",
    received: me.today,
    fee: "",
    chosen: null,
  };
  const digits = digitsOf(account.currency);
  const of = useServerForm({
    draft: `payment-${account.id}`,
    start: empty,
    send: (form, key, how) =>
      ask(
        api.POST("/api/v1/accounts/{account_id}/payments", {
          params: { path: { account_id: account.id }, header: { "Idempotency-Key": key } },
          body: asTyped<"PaymentCommand">({
            amount: amount(form.amount, digits),
            method: form.method,
            reference: form.reference,
            received_on: form.received || null,
            fee: amount(form.fee, digits) || null,
            ...(how.anyway && { anyway: true }),
            ...(form.chosen
              ? {
                  installments: Object.entries(form.chosen)
                    .filter(([, text]) => text.trim() !== "")
                    .map(([n, text]) => ({ id: Number(n), amount: amount(text, digits) })),
                }
              : {}),
          }),
        }),
      ),
    done: (taken, form) =>
      acts.say({
        text: `${money(amount(form.amount, digits), account.currency)} by ${form.method} from ${account.name}${isZero(taken.credit) ? "" : `; ${money(taken.credit, account.currency)} stays as credit`}.`,
        change: taken.change,
      }),
  });
  return of;
}

/** Money that came in: the amount is enough, the oldest due is settled first unless parts are chosen. */
export function Take({ account, acts }: { account: Account; acts: Acts }) {
  const of = usePayment({ account, acts });
  const { values: form, busy } = of;
  return (
    <Form of={of.problem?.kind === "same-check" ? { ...of, trouble: "" } : of}>
      <Row wrap>
        <Field
          label={`Amount in ${account.currency}`}
          width={130}
          {...of.field("amount")}
          input={{ inputMode: "decimal" }}
        />
        <Choice
          label="By"
          width={150}
          {...of.field("method")}
          options={METHODS.map((m) => ({ value: m, text: m }))}
        />
        <Field label="Number or reference" width={190} {...of.field("reference")} />
        <Field label="Came in on" type="date" width={160} {...of.field("received", "/received_on")} />
        {form.method === "transfer" && (
          <Field
            label="The bank kept"
            width={120}
            placeholder="nothing"
            {...of.field("fee")}
            input={{ inputMode: "decimal" }}
          />
        )}
      </Row>
      <Settles account={account} of={of} />
      {of.problem?.kind === "same-check" && (
        <Note kind="due" role="alert" sx={{ marginTop: 10 }}>
          <p>{of.problem.message}</p>
          <Row>
            <Button onClick={() => void of.submit({ anyway: true })} disabled={busy}>
              Take it once more
            </Button>
            <Button onClick={of.dismiss}>Leave it</Button>
          </Row>
        </Note>
      )}
      <Button type="submit" variant="contained" disabled={busy} sx={{ marginTop: 10 }}>
        Take it
      </Button>
    </Form>
  );
}

/** What a payment settles: the oldest due, or the parts that are named. */
function Settles({ account, of }: { account: Account; of: ReturnType<typeof usePayment> }) {
  const {
    values: { chosen },
    set,
    faults,
  } = of;
  if (chosen === null)
    return (
      <P tone="slate">
        It settles what is oldest due; more than is open stays as credit.{" "}
        {account.open.length > 1 && (
          <Button variant="text" onClick={() => set({ chosen: {} })}>
            choose what it settles
          </Button>
        )}
      </P>
    );
  return (
    <Picks>
      <T label as="legend">
        What it settles; what is not named stays as credit
      </T>
      {account.open.map((o) => (
        <Row wrap key={o.id} sx={{ marginTop: 6 }}>
          <Field
            label={`${o.run}${o.who === account.name ? "" : `, ${o.who}`}, due ${day(o.due)}, ${money(o.left, account.currency)} left`}
            width={360}
            value={chosen[o.id] ?? ""}
            placeholder="0"
            onChange={(text) => set({ chosen: { ...chosen, [o.id]: text } })}
            fault={faults[`/installments/${o.id}`]}
            input={{ inputMode: "decimal" }}
          />
        </Row>
      ))}
      {faults["/installments"] && <Fault>{faults["/installments"]}</Fault>}
      <Button variant="text" color="secondary" onClick={() => set({ chosen: null })}>
        oldest due first
      </Button>
    </Picks>
  );
}

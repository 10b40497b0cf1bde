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

/** Money that came in: the amount is enough, the oldest due is settled first unless parts are chosen. */
export function Take({ account, acts }: { account: Account; acts: Acts }) {
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
            ...how,
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
  const { values: form, set, faults, busy } = of;
  return (
    <Form of={of.problem?.kind === "same-check" ? { ...of, trouble: "" } : of}>
      <Row wrap>
        <Field
          label={`Amount in ${account.currency}`}
          width={130}
          value={form.amount}
          onChange={(text) => set({ amount: text })}
          fault={faults["/amount"]}
          input={{ inputMode: "decimal" }}
        />
        <Choice
          label="By"
          width={150}
          value={form.method}
          onChange={(method) => set({ method })}
          fault={faults["/method"]}
          options={METHODS.map((m) => ({ value: m, text: m }))}
        />
        <Field
          label="Number or reference"
          width={190}
          value={form.reference}
          onChange={(reference) => set({ reference })}
          fault={faults["/reference"]}
        />
        <Field
          label="Came in on"
          type="date"
          width={160}
          value={form.received}
          onChange={(received) => set({ received })}
          fault={faults["/received_on"]}
        />
        {form.method === "transfer" && (
          <Field
            label="The bank kept"
            width={120}
            value={form.fee}
            placeholder="nothing"
            onChange={(fee) => set({ fee })}
            fault={faults["/fee"]}
            input={{ inputMode: "decimal" }}
          />
        )}
      </Row>
      {form.chosen === null ? (
        <P tone="slate">
          It settles what is oldest due; more than is open stays as credit.{" "}
          {account.open.length > 1 && (
            <Button variant="text" onClick={() => set({ chosen: {} })}>
              choose what it settles
            </Button>
          )}
        </P>
      ) : (
        <Picks>
          <T label as="legend">
            What it settles; what is not named stays as credit
          </T>
          {account.open.map((o) => (
            <Row wrap key={o.id} sx={{ marginTop: 6 }}>
              <Field
                label={`${o.run}${o.who === account.name ? "" : `, ${o.who}`}, due ${day(o.due)}, ${money(o.left, account.currency)} left`}
                width={360}
                value={form.chosen![o.id] ?? ""}
                placeholder="0"
                onChange={(text) => set({ chosen: { ...form.chosen, [o.id]: text } })}
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
      )}
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

import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, asTyped, messageOf } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import { Cell, Heard, P, T } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { Reason } from "./Reason";
import { type Account, type Acts, METHODS } from "./account";
import { useAct } from "../../form/useAct";

/** What is open, oldest due first; a rest that will never come is written off with a reason. */
export function Open({ account, acts }: { account: Account; acts: Acts }) {
  const me = useMe();
  const [lost, setLost] = useState<number | null>(null);
  if (account.open.length === 0) return <P tone="slate">Nothing is open on this account.</P>;
  const writeOff = async (id: number, why: string) => {
    const done = await ask(
      api.POST("/api/v1/accounts/{account_id}/write-offs", {
        params: { path: { account_id: account.id } },
        body: { installment_id: id, why },
      }),
    );
    setLost(null);
    acts.say({
      text: done.waits
        ? "It is above the center’s sum: somebody else has to confirm it. Nothing is posted yet."
        : `Written off; ${account.name} owes ${money(done.balance, account.currency)}.`,
    });
  };
  return (
    <Table>
      <TableHead>
        <TableRow>
          <Cell>Due</Cell>
          <Cell>Run</Cell>
          <Cell>Why</Cell>
          <Cell right>Left</Cell>
          <Cell>
            <Heard>Acts</Heard>
          </Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {account.open.map((o) => (
          <TableRow key={o.id}>
            <Cell tone={o.due < me.today ? "ochre" : undefined} strong={Boolean(o.due < me.today)} nowrap>
              {day(o.due)}
              {o.due < me.today && <div>{o.age} days late</div>}
            </Cell>
            <Cell>
              {o.run}
              {o.who !== account.name && (
                <T tone="slate" as="div">
                  {o.who}
                </T>
              )}
            </Cell>
            <Cell tone="slate">{o.why}</Cell>
            <Cell right tone="copper" strong>
              {money(o.left, account.currency)}
            </Cell>
            <Cell>
              {lost === o.id ? (
                <Reason
                  label="Why it is written off"
                  act="Write off"
                  onSend={(why) => writeOff(o.id, why)}
                  onClose={() => setLost(null)}
                />
              ) : (
                <Button variant="text" color="secondary" onClick={() => setLost(o.id)}>
                  write off<Heard> what is due on {day(o.due)}</Heard>
                </Button>
              )}
            </Cell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** Credit settles what is open, or goes back to the payer. */
export function Credit({ account, acts }: { account: Account; acts: Acts }) {
  const [back, setBack] = useState(false);
  const byCard = Boolean(account.cards && !isZero(account.cards.back));
  const digits = digitsOf(account.currency);
  const refund = useServerForm({
    draft: null,
    start: {
      amount: byCard ? account.cards!.back : account.credit,
      method: byCard ? "card" : "transfer",
      why: "",
    },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/accounts/{account_id}/refunds", {
          params: { path: { account_id: account.id }, header: { "Idempotency-Key": key } },
          body: asTyped<"RefundCommand">({ ...form, amount: amount(form.amount, digits) }),
        }),
      ),
    done: (paid) => {
      setBack(false);
      acts.say({
        text: paid.waits
          ? "It is above the center’s sum: somebody else has to confirm it before the money goes out."
          : `Paid back; ${money(paid.credit, account.currency)} of credit is left.`,
      });
    },
  });
  const use = async () => {
    try {
      const done = await ask(
        api.POST("/api/v1/accounts/{account_id}/use-credit", {
          params: { path: { account_id: account.id } },
        }),
      );
      acts.say({
        text: `Credit settled what was oldest due; ${money(done.credit, account.currency)} of it is left.`,
      });
    } catch (problem) {
      acts.fail(messageOf(problem));
    }
  };
  return (
    <section>
      <h2>Credit</h2>
      {account.open.length > 0 && <Button onClick={() => void use()}>Settle what is open</Button>}{" "}
      {back ? (
        <Form look="inset" of={refund} onLeave={() => setBack(false)}>
          <Field label="Pay back" {...refund.field("amount")} input={{ inputMode: "decimal" }} />
          <Choice
            label="By"
            {...refund.field("method")}
            options={[
              ...(byCard
                ? [{ value: "card", text: `card, up to ${money(account.cards!.back, account.currency)}` }]
                : []),
              ...METHODS.slice(0, 3).map((m) => ({ value: m, text: m })),
            ]}
          />
          <Field label="Reason" {...refund.field("why")} autoFocus />
          <Ends of={refund} act="Pay it back" onLeave={() => setBack(false)} />
        </Form>
      ) : (
        <Button onClick={() => setBack(true)}>Pay it back</Button>
      )}
    </section>
  );
}

/** Every entry with its cause, newest first; a payment can be taken back with a reason. */
export function Entries({ account, acts }: { account: Account; acts: Acts }) {
  const [asking, setAsking] = useState<number | null>(null);
  const receipt = useAct({
    send: (payment: number) =>
      ask(api.POST("/api/v1/payments/{payment_id}/receipt", { params: { path: { payment_id: payment } } })),
    done: (done) =>
      acts.say({
        text: `Receipt ${done.number}.`,
        link: (
          <a href={`/api/v1/invoices/${done.id}/paper.pdf`} target="_blank" rel="noreferrer">
            Open the receipt
          </a>
        ),
      }),
    failed: acts.fail,
  });
  if (account.entries.length === 0) return <P tone="slate">No entry yet.</P>;
  const reverse = async (payment: number, why: string) => {
    const done = await ask(
      api.POST("/api/v1/payments/{payment_id}/reverse", {
        params: { path: { payment_id: payment } },
        body: { why },
      }),
    );
    setAsking(null);
    acts.say({ text: `Taken back; ${account.name} owes ${money(done.balance, account.currency)}.` });
  };
  return (
    <div>
      <Table>
        <TableHead>
          <TableRow>
            <Cell>Day</Cell>
            <Cell>Cause</Cell>
            <Cell right>Amount</Cell>
            <Cell right>Balance</Cell>
            <Cell>
              <Heard>Acts</Heard>
            </Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {[...account.entries].reverse().map((e) => (
            <TableRow key={e.id}>
              <Cell nowrap>{day(e.day)}</Cell>
              <Cell>
                <T tone="slate">{e.kind}:</T> {e.cause}
                {e.run_id && (
                  <>
                    {" "}
                    <Link to={`/runs/${e.run_id}/roster`}>
                      roster<Heard> of {e.run}</Heard>
                    </Link>
                  </>
                )}
              </Cell>
              <Cell right tone={e.amount.startsWith("-") ? undefined : "copper"}>
                {money(e.amount, account.currency)}
              </Cell>
              <Cell right strong>
                {money(e.balance, account.currency)}
              </Cell>
              <Cell>
                {e.payment_id !== null &&
                  (asking === e.payment_id ? (
                    <Reason
                      label="Why it is taken back"
                      act="Take back"
                      onSend={(why) => reverse(e.payment_id!, why)}
                      onClose={() => setAsking(null)}
                    />
                  ) : (
                    <Row as="span" sx={{ gap: 12 }}>
                      <Button
                        variant="text"
                        color="secondary"
                        onClick={() => void receipt.act(e.payment_id!)}
                      >
                        receipt<Heard> for {money(e.amount, account.currency)}</Heard>
                      </Button>
                      {!e.by_card && (
                        <Button variant="text" color="secondary" onClick={() => setAsking(e.payment_id)}>
                          take back<Heard> {money(e.amount, account.currency)}</Heard>
                        </Button>
                      )}
                    </Row>
                  ))}
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      <Row wrap as="p" sx={{ marginTop: 8, gap: "8px 18px", lineHeight: "24px" }}>
        <a href={`/api/v1/accounts/${account.id}/entries.csv`} download>
          these entries as CSV
        </a>
        <a href={`/api/v1/accounts/${account.id}/statement.pdf`} target="_blank" rel="noreferrer">
          statement as PDF
        </a>
      </Row>
    </div>
  );
}

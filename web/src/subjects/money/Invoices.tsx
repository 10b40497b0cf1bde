import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";

import { $api, api, ask, faultsOf, messageOf, newKey } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Loading, Row } from "../../parts/layout";
import { count, day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Cell, Heard, P, T } from "../../parts/words";
import { Reason } from "./Reason";

/** The papers of an account: what is not invoiced yet, and every invoice, credit note and receipt as issued. */
export function Invoices({ accountId, acts }: { accountId: number; acts: ReturnType<typeof useDone> }) {
  const [asking, setAsking] = useState<number | null>(null);
  const [sending, setSending] = useState<{ id: number; email: string; fault?: string } | null>(null);
  const [key, setKey] = useState(newKey);
  const path = { account_id: accountId };
  const query = $api.useQuery("get", "/api/v1/accounts/{account_id}/invoices", { params: { path } });
  const found = query.data;
  if (!found) return <Loading />;
  const issue = async () => {
    try {
      const done = await ask(
        api.POST("/api/v1/accounts/{account_id}/invoices", {
          params: { path, header: { "Idempotency-Key": key } },
          body: { send: false },
        }),
      );
      acts.say({ text: `Issued ${done.number} of ${money(done.total, done.currency)}.` });
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
    }
  };
  const credit = async () => {
    try {
      const done = await ask(
        api.POST("/api/v1/accounts/{account_id}/credit-notes", {
          params: { path, header: { "Idempotency-Key": key } },
          body: { send: false },
        }),
      );
      acts.say({ text: `Issued the credit note ${done.number} of ${money(done.total, done.currency)}.` });
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
    }
  };
  const send = async (id: number, email: string | null) => {
    try {
      const done = await ask(
        api.POST("/api/v1/invoices/{invoice_id}/send", {
          params: { path: { invoice_id: id }, header: { "Idempotency-Key": key } },
          body: { email },
        }),
      );
      setSending(null);
      acts.say({ text: `${done.number} goes to ${done.email} in a minute.`, change: done.change });
    } catch (error) {
      if (faultsOf(error)["/email"]) setSending({ id, email: email ?? "", fault: faultsOf(error)["/email"] });
      else acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
    }
  };
  const takeBack = async (id: number, why: string) => {
    const done = await ask(
      api.POST("/api/v1/invoices/{invoice_id}/credit-note", {
        params: { path: { invoice_id: id } },
        body: { why },
      }),
    );
    setAsking(null);
    acts.say({ text: `Issued the credit note ${done.number}.` });
  };
  return (
    <div>
      {found.pending > 0 ? (
        <Row mid as="p" sx={{ gap: 14 }}>
          <span>
            {count(found.pending, "sign-up")} of {money(found.pending_total, found.currency)} not invoiced
            yet.
          </span>
          <Button onClick={() => void issue()}>Issue the invoice</Button>
          <a href={`/api/v1/accounts/${accountId}/pro-forma.pdf`} target="_blank" rel="noreferrer">
            pro-forma
          </a>
        </Row>
      ) : (
        <P tone="slate">Nothing waits for an invoice.</P>
      )}
      {found.to_credit > 0 && (
        <Row mid as="p" sx={{ gap: 14 }}>
          <span>
            {count(found.to_credit, "sign-up")} {found.to_credit === 1 ? "comes" : "come"} to{" "}
            {money(found.to_credit_total, found.currency)} less than was invoiced.
          </span>
          <Button onClick={() => void credit()}>Issue the credit note</Button>
        </Row>
      )}
      {found.items.length > 0 && (
        <Table>
          <TableHead>
            <TableRow>
              <Cell>Number</Cell>
              <Cell>Issued</Cell>
              <Cell right>Total</Cell>
              <Cell>
                <Heard>Acts</Heard>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {found.items.map((i) => (
              <TableRow key={i.id}>
                <Cell>
                  <a href={`/api/v1/invoices/${i.id}/paper.pdf`} target="_blank" rel="noreferrer">
                    {i.number}
                  </a>{" "}
                  <T tone="slate">
                    {i.kind}
                    {i.taken_back ? ", taken back" : ""}
                  </T>
                </Cell>
                <Cell nowrap>{day(i.issued_on)}</Cell>
                <Cell right tone="copper">
                  {money(i.total, i.currency)}
                </Cell>
                <Cell>
                  {sending?.id === i.id ? (
                    <Form
                      look="row"
                      onSend={() => void send(i.id, sending.email.trim() || null)}
                      onLeave={() => setSending(null)}
                    >
                      <Field
                        label="Send it to"
                        width={230}
                        value={sending.email}
                        onChange={(email) => setSending({ id: i.id, email })}
                        fault={sending.fault}
                        autoFocus
                      />
                      <Button type="submit" size="small" sx={{ alignSelf: "flex-end" }}>
                        Send
                      </Button>
                    </Form>
                  ) : (
                    <Button variant="text" color="secondary" onClick={() => void send(i.id, null)}>
                      send<Heard> {i.number}</Heard>
                    </Button>
                  )}{" "}
                  {i.kind === "invoice" &&
                    !i.taken_back &&
                    (asking === i.id ? (
                      <Reason
                        label="Why it is taken back"
                        act="Issue the credit note"
                        onSend={(why) => takeBack(i.id, why)}
                        onClose={() => setAsking(null)}
                      />
                    ) : (
                      <Button variant="text" color="secondary" onClick={() => setAsking(i.id)}>
                        credit note<Heard> for {i.number}</Heard>
                      </Button>
                    ))}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </div>
  );
}

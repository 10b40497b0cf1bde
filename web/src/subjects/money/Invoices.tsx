import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey } from "../../app/server";
import { Field } from "../../parts/Field";
import { count, day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Reason } from "./Reason";

/** The papers of an account: what is not invoiced yet, and every invoice, credit note and receipt as issued. */
export function Invoices({ accountId, acts }: { accountId: number; acts: ReturnType<typeof useDone> }) {
  const [asking, setAsking] = useState<number | null>(null);
  const [sending, setSending] = useState<{ id: number; email: string; fault?: string } | null>(null);
  const [key, setKey] = useState(newKey);
  const path = { account_id: accountId };
  const query = useQuery({
    queryKey: ["invoices", accountId],
    queryFn: () => ask(api.GET("/api/v1/accounts/{account_id}/invoices", { params: { path } })),
  });
  const found = query.data;
  if (!found) return <div className="quiet-block" aria-busy="true" />;
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
        <p className="row mid" style={{ gap: 14 }}>
          <span>
            {count(found.pending, "sign-up")} of {money(found.pending_total, found.currency)} not invoiced
            yet.
          </span>
          <Button onClick={() => void issue()}>Issue the invoice</Button>
          <a href={`/api/v1/accounts/${accountId}/pro-forma.pdf`} target="_blank" rel="noreferrer">
            pro-forma
          </a>
        </p>
      ) : (
        <p className="slate">Nothing waits for an invoice.</p>
      )}
      {found.to_credit > 0 && (
        <p className="row mid" style={{ gap: 14 }}>
          <span>
            {count(found.to_credit, "sign-up")} {found.to_credit === 1 ? "comes" : "come"} to{" "}
            {money(found.to_credit_total, found.currency)} less than was invoiced.
          </span>
          <Button onClick={() => void credit()}>Issue the credit note</Button>
        </p>
      )}
      {found.items.length > 0 && (
        <table className="plain">
          <thead>
            <tr>
              <th>Number</th>
              <th>Issued</th>
              <th className="right">Total</th>
              <th>
                <span className="sr">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.items.map((i) => (
              <tr key={i.id}>
                <td>
                  <a href={`/api/v1/invoices/${i.id}/paper.pdf`} target="_blank" rel="noreferrer">
                    {i.number}
                  </a>{" "}
                  <span className="slate">
                    {i.kind}
                    {i.taken_back ? ", taken back" : ""}
                  </span>
                </td>
                <td className="nowrap">{day(i.issued_on)}</td>
                <td className="right copper">{money(i.total, i.currency)}</td>
                <td>
                  {sending?.id === i.id ? (
                    <form
                      className="row"
                      noValidate
                      onSubmit={(e) => {
                        e.preventDefault();
                        void send(i.id, sending.email.trim() || null);
                      }}
                      onKeyDown={(e) => e.key === "Escape" && setSending(null)}
                    >
                      <Field
                        label="Send it to"
                        width={230}
                        value={sending.email}
                        onChange={(email) => setSending({ id: i.id, email })}
                        fault={sending.fault}
                        autoFocus
                      />
                      <Button type="submit" size="small" style={{ alignSelf: "flex-end" }}>
                        Send
                      </Button>
                    </form>
                  ) : (
                    <button className="plainly quiet" onClick={() => void send(i.id, null)}>
                      send<span className="sr"> {i.number}</span>
                    </button>
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
                      <button className="plainly quiet" onClick={() => setAsking(i.id)}>
                        credit note<span className="sr"> for {i.number}</span>
                      </button>
                    ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

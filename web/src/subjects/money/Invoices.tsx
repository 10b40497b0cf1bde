import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";

import { $api, api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Loading, Row } from "../../parts/layout";
import { count, day, money } from "../../parts/text";
import { Cell, Heard, P, T } from "../../parts/words";
import type { Acts } from "./account";
import { Reason } from "./Reason";

type Paper = Schemas["Invoices"]["items"][number];

/** The papers of an account: what is not invoiced yet, and every invoice, credit note and receipt as issued. */
export function Invoices({ accountId, acts }: { accountId: number; acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/accounts/{account_id}/invoices", {
    params: { path: { account_id: accountId } },
  });
  if (!query.data) return <Loading />;
  const { items } = query.data;
  return (
    <div>
      <ToIssue accountId={accountId} papers={query.data} acts={acts} />
      {items.length > 0 && (
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
            {items.map((paper) => (
              <PaperRow key={paper.id} paper={paper} acts={acts} />
            ))}
          </TableBody>
        </Table>
      )}
    </div>
  );
}

/** What is to be invoiced or credited, and the acts that do it. */
function ToIssue({
  accountId,
  papers,
  acts,
}: {
  accountId: number;
  papers: Schemas["Invoices"];
  acts: Acts;
}) {
  const [key, setKey] = useState(newKey);
  const issue = async (what: "invoices" | "credit-notes") => {
    const given = {
      params: { path: { account_id: accountId }, header: { "Idempotency-Key": key } },
      body: { send: false },
    };
    try {
      const done = await ask(
        what === "invoices"
          ? api.POST("/api/v1/accounts/{account_id}/invoices", given)
          : api.POST("/api/v1/accounts/{account_id}/credit-notes", given),
      );
      const note = what === "invoices" ? "" : "the credit note ";
      acts.say({ text: `Issued ${note}${done.number} of ${money(done.total, done.currency)}.` });
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
    }
  };
  return (
    <>
      {papers.pending > 0 ? (
        <Row mid as="p" sx={{ gap: 14 }}>
          <span>
            {count(papers.pending, "sign-up")} of {money(papers.pending_total, papers.currency)} not invoiced
            yet.
          </span>
          <Button onClick={() => void issue("invoices")}>Issue the invoice</Button>
          <a href={`/api/v1/accounts/${accountId}/pro-forma.pdf`} target="_blank" rel="noreferrer">
            pro-forma
          </a>
        </Row>
      ) : (
        <P tone="slate">Nothing waits for an invoice.</P>
      )}
      {papers.to_credit > 0 && (
        <Row mid as="p" sx={{ gap: 14 }}>
          <span>
            {count(papers.to_credit, "sign-up")} {papers.to_credit === 1 ? "comes" : "come"} to{" "}
            {money(papers.to_credit_total, papers.currency)} less than was invoiced.
          </span>
          <Button onClick={() => void issue("credit-notes")}>Issue the credit note</Button>
        </Row>
      )}
    </>
  );
}

function PaperRow({ paper, acts }: { paper: Paper; acts: Acts }) {
  return (
    <TableRow>
      <Cell>
        <a href={`/api/v1/invoices/${paper.id}/paper.pdf`} target="_blank" rel="noreferrer">
          {paper.number}
        </a>{" "}
        <T tone="slate">
          {paper.kind}
          {paper.taken_back ? ", taken back" : ""}
        </T>
      </Cell>
      <Cell nowrap>{day(paper.issued_on)}</Cell>
      <Cell right tone="copper">
        {money(paper.total, paper.currency)}
      </Cell>
      <Cell>
        <Send paper={paper} acts={acts} />{" "}
        {paper.kind === "invoice" && !paper.taken_back && <TakeBack paper={paper} acts={acts} />}
      </Cell>
    </TableRow>
  );
}

/** To the payer's own address; another is asked for only where there is none. */
function Send({ paper, acts }: { paper: Paper; acts: Acts }) {
  const [typed, setTyped] = useState<{ email: string; fault?: string } | null>(null);
  const [key, setKey] = useState(newKey);
  const send = async (email: string | null) => {
    try {
      const done = await ask(
        api.POST("/api/v1/invoices/{invoice_id}/send", {
          params: { path: { invoice_id: paper.id }, header: { "Idempotency-Key": key } },
          body: { email },
        }),
      );
      setTyped(null);
      acts.say({ text: `${done.number} goes to ${done.email} in a minute.`, change: done.change });
    } catch (error) {
      const fault = faultsOf(error)["/email"];
      if (fault) setTyped({ email: email ?? "", fault });
      else acts.fail(messageOf(error));
    } finally {
      setKey(newKey());
    }
  };
  if (!typed)
    return (
      <Button variant="text" color="secondary" onClick={() => void send(null)}>
        send<Heard> {paper.number}</Heard>
      </Button>
    );
  return (
    <Form look="row" onSend={() => void send(typed.email.trim() || null)} onLeave={() => setTyped(null)}>
      <Field
        label="Send it to"
        width={230}
        value={typed.email}
        onChange={(email) => setTyped({ email })}
        fault={typed.fault}
        autoFocus
      />
      <Button type="submit" size="small" sx={{ alignSelf: "flex-end" }}>
        Send
      </Button>
    </Form>
  );
}

function TakeBack({ paper, acts }: { paper: Paper; acts: Acts }) {
  const [asking, setAsking] = useState(false);
  const takeBack = async (why: string) => {
    const done = await ask(
      api.POST("/api/v1/invoices/{invoice_id}/credit-note", {
        params: { path: { invoice_id: paper.id } },
        body: { why },
      }),
    );
    setAsking(false);
    acts.say({ text: `Issued the credit note ${done.number}.` });
  };
  if (!asking)
    return (
      <Button variant="text" color="secondary" onClick={() => setAsking(true)}>
        credit note<Heard> for {paper.number}</Heard>
      </Button>
    );
  return (
    <Reason
      label="Why it is taken back"
      act="Issue the credit note"
      onSend={takeBack}
      onClose={() => setAsking(false)}
    />
  );
}

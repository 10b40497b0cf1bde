import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";

import { $api, api, ask, faultsOf, keyHeader, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Loading, Row } from "../../parts/layout";
import { count, day, money } from "../../parts/text";
import { Cell, Heard, P, T } from "../../parts/words";
import type { Acts } from "./account";
import { Reason } from "./Reason";
import { useServerForm } from "../../form/useServerForm";
import { useAct } from "../../form/useAct";

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
  const given = (key: string) => ({
    params: { path: { account_id: accountId }, header: keyHeader(key) },
    body: { send: false },
  });
  const issuing = useAct({
    send: async (note: boolean, key) => ({
      note,
      ...(await ask(
        note
          ? api.POST("/api/v1/accounts/{account_id}/credit-notes", given(key))
          : api.POST("/api/v1/accounts/{account_id}/invoices", given(key)),
      )),
    }),
    done: ({ note, number, total, currency }) =>
      acts.say({ text: `Issued ${note ? "the credit note " : ""}${number} of ${money(total, currency)}.` }),
    failed: acts.fail,
  });
  return (
    <>
      {papers.pending > 0 ? (
        <Row mid as="p" sx={{ gap: 14 }}>
          <span>
            {count(papers.pending, "sign-up")} of {money(papers.pending_total, papers.currency)} not invoiced
            yet.
          </span>
          <Button onClick={() => void issuing.act(false)}>Issue the invoice</Button>
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
          <Button onClick={() => void issuing.act(true)}>Issue the credit note</Button>
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
  const [open, setOpen] = useState(false);
  const send = (email: string | null, key: string) =>
    ask(
      api.POST("/api/v1/invoices/{invoice_id}/send", {
        params: { path: { invoice_id: paper.id }, header: keyHeader(key) },
        body: { email },
      }),
    );
  const done = (sent: Awaited<ReturnType<typeof send>>) => {
    setOpen(false);
    acts.say({ text: `${sent.number} goes to ${sent.email} in a minute.`, change: sent.change });
  };
  const of = useServerForm({
    draft: null,
    start: { email: "" },
    send: ({ email }, key) => send(email.trim() || null, key),
    done,
  });
  const sending = useAct({
    send: async (_: undefined, key) => {
      try {
        return await send(null, key);
      } catch (error) {
        if (!("/email" in faultsOf(error))) throw error;
        setOpen(true); // there is no address yet: it is asked for
        return null;
      }
    },
    done: (sent) => sent && done(sent),
    failed: acts.fail,
  });
  if (!open)
    return (
      <Button
        variant="text"
        color="secondary"
        disabled={sending.busy}
        onClick={() => void sending.act(undefined)}
      >
        send<Heard> {paper.number}</Heard>
      </Button>
    );
  return (
    <Form look="row" of={of} onLeave={() => setOpen(false)}>
      <Field label="No email is known: send it to" width={230} {...of.field("email")} autoFocus />
      <Button type="submit" size="small" disabled={of.busy} sx={{ alignSelf: "flex-end" }}>
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

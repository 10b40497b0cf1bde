import Button from "@mui/material/Button";

import { api, ask, asTyped, keyHeader, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { clock, day, money } from "../../parts/text";
import { P, T } from "../../parts/words";
import { useState } from "react";
import { amount, digitsOf } from "../courses/form";
import { CardDetails } from "./CardDetails";
import { type Account, type Acts } from "./account";

const STATUS: Record<Schemas["CardStatus"], string> = {
  begun: "asked for",
  open: "the payer has the page",
  capturing: "being charged",
  releasing: "being released",
  done: "charged",
  refused: "refused",
  released: "released",
  expired: "given up",
  unknown: "never reached the payment service",
};

/** Cards of an account: a link to pay, what is on file and charging it, and what was begun of late. */
export function AccountCards({
  account,
  cards,
  acts,
}: {
  account: Account;
  cards: Schemas["CardsOfAccount"];
  acts: Acts;
}) {
  const [charging, setCharging] = useState(false);
  const path = { account_id: account.id };
  const link = useAct({
    send: (_: undefined, key: string) =>
      ask(api.POST("/api/v1/accounts/{account_id}/pay-link", { params: { path, header: keyHeader(key) } })),
    done: (sent) => acts.say({ text: `A link to pay goes to ${sent.email}.`, change: sent.change }),
    failed: acts.fail,
  });
  const ending = useAct({
    send: () => ask(api.DELETE("/api/v1/accounts/{account_id}/card-details", { params: { path } })),
    done: () => acts.say({ text: "The card is no longer on file." }),
    failed: acts.fail,
  });
  return (
    <section>
      <h2>Cards</h2>
      {cards.on_file && <P>On file: {cards.on_file.words}.</P>}
      {cards.card_by && (
        <P tone="ochre">
          A seat is held until {day(cards.card_by)}, {clock(cards.card_by)}, for a card to be given.
        </P>
      )}
      {charging && cards.on_file ? (
        <Charge account={account} onLeave={() => setCharging(false)} acts={acts} />
      ) : (
        <Row wrap sx={{ gap: 8 }}>
          {cards.on_file && account.open.length > 0 && (
            <Button variant="contained" onClick={() => setCharging(true)}>
              Charge this card
            </Button>
          )}
          {account.open.length > 0 && (
            <Button disabled={link.busy} onClick={() => void link.act(undefined)}>
              Send a link to pay
            </Button>
          )}
          <CardDetails
            account={() => Promise.resolve(account.id)}
            label={cards.on_file ? "Take another card" : undefined}
            onKept={() => acts.say({ text: "The card is on file." })}
          />
          {cards.on_file && (
            <Button variant="text" disabled={ending.busy} onClick={() => void ending.act(undefined)}>
              no longer on file
            </Button>
          )}
        </Row>
      )}
      {cards.payments.map((p) => (
        <P key={p.id} sx={{ marginTop: 8 }}>
          <T tone="copper">{Number(p.amount) > 0 ? money(p.amount, p.currency) : "Details"}</T>,{" "}
          {day(p.made, false)} {clock(p.made)}:{" "}
          <T tone={p.status === "refused" ? "brick" : undefined}>{STATUS[p.status]}</T>
          {p.said && <T tone="slate">. {p.said}</T>}
          {p.tried_again && <T tone="slate"> Tried again {day(p.tried_again, false)}.</T>}
        </P>
      ))}
    </section>
  );
}

function Charge({ account, onLeave, acts }: { account: Account; onLeave: () => void; acts: Acts }) {
  const digits = digitsOf(account.currency);
  const first = account.open[0];
  const of = useServerForm({
    draft: null,
    start: { amount: first?.left ?? "" },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/accounts/{account_id}/card-charges", {
          params: { path: { account_id: account.id }, header: keyHeader(key) },
          body: asTyped<"ChargeCommand">({ amount: amount(form.amount, digits) }),
        }),
      ),
    done: (begun) => {
      onLeave();
      if (begun.status === "done") acts.say({ text: "The card is charged; the receipt goes out." });
      else if (begun.status === "refused") acts.fail(begun.said);
      else acts.say({ text: "The payment service has not answered yet; the charge is under way." });
    },
  });
  return (
    <Form look="inset" of={of} onLeave={onLeave}>
      <Field label="Charge" {...of.field("amount")} input={{ inputMode: "decimal" }} autoFocus />
      <Ends of={of} act="Charge the card" onLeave={onLeave} />
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { addDays } from "../../parts/dates";
import { Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault } from "../../parts/words";
import { digitsOf } from "../courses/form";
import { askOf, type Call } from "../roster/deskCall";

/** Keep the quote for whoever is on the phone: through which day, sent or not, and when to think of it again. */
export function KeepQuote({
  call,
  quote,
  acts,
}: {
  call: Call;
  quote: Schemas["RunQuoteView"];
  acts: ReturnType<typeof useDone>;
}) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const defaults = $api.useQuery("get", "/api/v1/defaults");
  const usual = Number(defaults.data?.values.quote_days ?? 14);
  const [typed, setLast] = useState<string | null>(null);
  const last = typed ?? addDays(me.today, usual);
  const [send, setSend] = useState(Boolean(call.person?.email));
  const [note, setNote] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [key] = useState(newKey);
  const faults = error ? faultsOf(error) : {};
  if (!open)
    return (
      <Button fullWidth sx={{ marginTop: 8 }} onClick={() => setOpen(true)}>
        Keep this quote
      </Button>
    );
  const keep = async () => {
    try {
      const done = await ask(
        api.POST("/api/v1/quotes", {
          params: { header: { "Idempotency-Key": key } },
          body: {
            ...askOf(call, digitsOf(quote.currency)),
            ...(call.mixed || call.agreed ? {} : { rate_id: quote.rate_id }),
            plan_id: quote.plan_id,
            run_id: quote.run_id,
            person_id: call.person!.id,
            organization_id: call.payer ? Number(call.payer) : null,
            total: quote.total,
            last: last || null,
            note,
            send,
          },
        }),
      );
      setOpen(false);
      acts.say({
        text: `The quote of ${money(done.total, done.currency)} for ${done.name} stands through ${day(done.last)}${done.sent ? " and is on its way" : ""}.`,
        change: done.change,
        link: <Link to="/money/quotes">Kept quotes</Link>,
      });
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Form
      look="inset"
      sx={{ marginTop: 10 }}
      ref={(form) => form?.scrollIntoView({ block: "nearest" })}
      onSend={() => void keep()}
      onLeave={() => setOpen(false)}
    >
      <Field
        label="It stands through"
        type="date"
        value={last}
        onChange={setLast}
        fault={faults["/last"]}
        autoFocus
        help="It holds the price, not a seat. You are reminded three days before."
      />
      <Field label="A word with it" value={note} onChange={setNote} fault={faults["/note"]} />
      <Tick checked={send} onChange={(on) => setSend(on)}>
        send it to {call.person?.email ?? "nobody: there is no email"}
      </Tick>
      {faults["/send"] && <Fault>{faults["/send"]}</Fault>}
      {error !== null && Object.keys(faults).length === 0 && <Fault as="p">{messageOf(error)}</Fault>}
      <Row>
        <Button type="submit" variant="contained">
          Keep it
        </Button>
        <Button onClick={() => setOpen(false)}>Not now</Button>
      </Row>
    </Form>
  );
}

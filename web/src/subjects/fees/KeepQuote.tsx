import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { addDays } from "../../parts/dates";
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
  const of = useServerForm({
    draft: null,
    start: { last: addDays(me.today, usual), send: Boolean(call.person?.email), note: "" },
    send: ({ last, note, send }, key) =>
      ask(
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
      ),
    done: (kept) => {
      setOpen(false);
      acts.say({
        text: `The quote of ${money(kept.total, kept.currency)} for ${kept.name} stands through ${day(kept.last)}${kept.sent ? " and is on its way" : ""}.`,
        change: kept.change,
        link: <Link to="/money/quotes">Kept quotes</Link>,
      });
    },
  });
  if (!open)
    return (
      <Button fullWidth sx={{ marginTop: 8 }} onClick={() => setOpen(true)}>
        Keep this quote
      </Button>
    );
  return (
    <Form
      look="inset"
      sx={{ marginTop: 10 }}
      ref={(form) => form?.scrollIntoView({ block: "nearest" })}
      of={of}
      onLeave={() => setOpen(false)}
    >
      <Field
        label="It stands through"
        type="date"
        {...of.field("last")}
        autoFocus
        help="It holds the price, not a seat. You are reminded three days before."
      />
      <Field label="A word with it" {...of.field("note")} />
      <Tick checked={of.values.send} onChange={(send) => of.set({ send })}>
        send it to {call.person?.email ?? "nobody: there is no email"}
      </Tick>
      {of.faults["/send"] && <Fault>{of.faults["/send"]}</Fault>}
      <Ends of={of} act="Keep it" leave="Not now" onLeave={() => setOpen(false)} />
    </Form>
  );
}

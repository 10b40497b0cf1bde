import Button from "@mui/material/Button";

import { messageOf, type Schemas } from "../../app/server";
import { Note } from "../../parts/layout";
import { ActNotes } from "../../parts/Page";
import { Quote } from "../../parts/Quote";
import { ofText } from "../../parts/RunFacts";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { KeepQuote } from "../fees/KeepQuote";
import { type Call, type DeskEvent, seatsOf } from "./deskCall";
import { PaidNow } from "./DeskPaid";

/** The quote of the call, why it costs that, and the one act. */
export function DeskMargin({
  call,
  run,
  quote,
  quoteError,
  changed,
  acts,
  ready,
  busy,
  faults,
  sameCheck,
  tell,
  onEnroll,
}: {
  call: Call;
  run?: Schemas["RunOut"];
  quote?: Schemas["RunQuoteView"];
  quoteError: unknown;
  changed: { shown: string; now: string } | null;
  acts: ReturnType<typeof useDone>;
  ready: boolean;
  busy: boolean;
  /** What was wrong with the sign-up when it was sent, by field. */
  faults: Record<string, string>;
  sameCheck: string;
  tell: (event: DeskEvent) => void;
  onEnroll: () => void;
}) {
  const name = call.person ? ` ${call.person.name}` : "";
  return (
    <>
      <ActNotes acts={acts} />
      {quoteError !== null && quoteError !== undefined && (
        <Note kind="wrong" role="status">
          {messageOf(quoteError)}
        </Note>
      )}
      {run && quote ? (
        <section>
          <h2>{call.person ? `Quote for ${call.person.name}` : "Quote"}</h2>
          {changed && (
            <Note kind="due" role="alert">
              <p>
                The total was {money(changed.shown, quote.currency)} when it was shown and is{" "}
                <strong>{money(changed.now, quote.currency)}</strong> now. Nothing was written.
              </p>
            </Note>
          )}
          <Quote quote={quote} />
          {quote.access_until && <P tone="slate">Access through {day(quote.access_until)}.</P>}
          {quote.early && <P tone="slate">From the interest list: may sign up before it opens to others.</P>}
          {!quote.can_enroll && (
            <P tone={quote.can_wait ? "ochre" : "brick"} strong={Boolean(quote.can_wait)}>
              {quote.why}
            </P>
          )}
          {quote.can_wait && call.keptId === null && (
            <P tone="slate">In line nothing is owed; the price is worked out when a seat is given.</P>
          )}
          {quote.can_enroll && (
            <PaidNow call={call} quote={quote} faults={faults} sameCheck={sameCheck} tell={tell} />
          )}
          <Button
            variant="contained"
            fullWidth
            disabled={!ready || busy}
            onClick={onEnroll}
            // However long the quote, the one act stays in sight.
            sx={{ marginTop: 8, position: "sticky", bottom: 0, zIndex: 1 }}
          >
            {changed
              ? `Enroll${name} at ${money(changed.now, quote.currency)}`
              : quote.can_wait
                ? `Put${name} in line, number ${quote.place}`
                : quote.seat
                  ? `Enroll${name}, ${seatsOf(quote.seat, quote.heads)}${ofText(quote.capacity)}`
                  : "Sign-up is shut"}
          </Button>
          {call.person && run && call.keptId === null && !busy && !quoteError && (
            <KeepQuote key={call.key} call={call} quote={quote} acts={acts} />
          )}
          {!call.person && (quote.can_enroll || quote.can_wait) && <P tone="slate">Pick who it is for.</P>}
        </section>
      ) : call.runId !== null ? null : (
        <section>
          <h2>Quote</h2>
          <P tone="slate">
            The price with every line’s reason, and what is due when, stand here as soon as a run is picked.
          </P>
        </section>
      )}
    </>
  );
}

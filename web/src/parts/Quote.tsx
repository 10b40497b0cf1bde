import type { Schemas } from "../app/server";
import { useMe } from "../app/session";
import { day, money } from "./text";

/** A quote: every line with its reason, what is due now, and what is due when. */
export function Quote({ quote }: { quote: Schemas["QuoteOut"] }) {
  const me = useMe();
  const currency = quote.currency;
  return (
    <>
      <dl className="facts">
        {quote.lines.map((line) => [
          <dt key={`${line.code}t`}>
            {line.label}
            {line.early ? ", early" : ""}
            {line.quantity > 1 ? ` × ${line.quantity}` : ""}
          </dt>,
          <dd key={`${line.code}d`}>{money(line.amount, currency)}</dd>,
          <dd className="why" key={`${line.code}w`}>
            {line.why}
          </dd>,
        ])}
        <dt className="sum">Total</dt>
        <dd className="sum">{money(quote.total, currency)}</dd>
      </dl>
      <dl className="facts" style={{ marginTop: 12 }}>
        {quote.installments.map((i) => {
          const now = i.due === me.today;
          return [
            <dt key={`${i.n}t`} className={now ? "strong" : ""}>
              {now ? "Now" : day(i.due)}
            </dt>,
            <dd key={`${i.n}d`} className={now ? "copper big" : ""}>
              {money(i.amount, currency)}
            </dd>,
            <dd className="why" key={`${i.n}w`}>
              {i.why}
            </dd>,
          ];
        })}
      </dl>
      {quote.next_change && (
        <p className="slate">
          From {day(quote.next_change.at)} the total is {money(quote.next_change.total, currency)}.
        </p>
      )}
    </>
  );
}

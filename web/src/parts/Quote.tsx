import type { Schemas } from "../app/server";
import { useMe } from "../app/session";
import { day, isZero, money } from "./text";

/** A quote: every line with its reason, what is due now, and what is due when. */
export function Quote({ quote }: { quote: Schemas["QuoteView"] }) {
  const me = useMe();
  const currency = quote.currency;
  return (
    <>
      <dl className="facts">
        {quote.lines.map((line, i) => [
          <dt key={`${i}t`}>
            {line.label}
            {line.early ? ", early" : ""}
            {line.quantity > 1 ? ` × ${line.quantity}` : ""}
          </dt>,
          <dd key={`${i}d`}>{money(line.amount, currency)}</dd>,
          <dd className="why" key={`${i}w`}>
            {line.why}
          </dd>,
        ])}
        {quote.taxes
          .filter((tax) => !isZero(tax.amount))
          .map((tax) => [
            <dt key={`${tax.name}t`}>
              {tax.name}
              {tax.included ? ", in the price" : ""}
            </dt>,
            <dd key={`${tax.name}d`} className={tax.included ? "slate" : ""}>
              {money(tax.amount, currency)}
            </dd>,
            <dd className="why" key={`${tax.name}w`}>
              {tax.included ? "Already part of the prices above." : "On top, worked out on the sum."}
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

import type { Schemas } from "../app/server";
import { useMe } from "../app/session";
import { Facts } from "./layout";
import { day, isZero, money } from "./text";
import { P, T } from "./words";

/** A quote: every line with its reason, what is due now, and what is due when. */
export function Quote({ quote }: { quote: Schemas["QuoteView"] }) {
  const me = useMe();
  const currency = quote.currency;
  return (
    <>
      <Facts>
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
            <T as="dd" tone={tax.included ? "slate" : undefined} key={`${tax.name}d`}>
              {money(tax.amount, currency)}
            </T>,
            <dd className="why" key={`${tax.name}w`}>
              {tax.included ? "Already part of the prices above." : "On top, worked out on the sum."}
            </dd>,
          ])}
        <dt className="sum">Total</dt>
        <dd className="sum">{money(quote.total, currency)}</dd>
      </Facts>
      <Facts sx={{ marginTop: 12 }}>
        {quote.installments.map((i) => {
          const now = i.due === me.today;
          return [
            <T as="dt" strong={Boolean(now)} key={`${i.n}t`}>
              {now ? "Now" : day(i.due)}
            </T>,
            <T as="dd" tone={now ? "copper" : undefined} big={Boolean(now)} key={`${i.n}d`}>
              {money(i.amount, currency)}
            </T>,
            <dd className="why" key={`${i.n}w`}>
              {i.why}
            </dd>,
          ];
        })}
      </Facts>
      {quote.next_change && (
        <P tone="slate">
          From {day(quote.next_change.at)} the total is {money(quote.next_change.total, currency)}.
        </P>
      )}
    </>
  );
}

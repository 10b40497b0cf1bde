import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useRef, useState } from "react";

import { api, ask, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { clock, day, isZero, money, thoseDays } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";

/** What came of a form that was sent, as far as the page may say it. */
export function Signed({
  done,
  heading,
  address,
}: {
  done: Schemas["SignedUp"];
  heading: string;
  address: string;
}) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => place.current?.focus(), []);
  return (
    <Box ref={place} tabIndex={-1} role="status" sx={{ outline: 0, maxWidth: 620 }}>
      <h2>{heading}</h2>
      <P strong>{done.title}</P>
      <p>{done.said}</p>
      {done.place !== null && done.place !== undefined && (
        <p>
          Your place in line is {done.place}. {done.chance}
        </p>
      )}
      {done.dues.length > 0 && (
        <>
          <p>
            In all <T tone="copper">{money(done.total, done.currency)}</T>:
          </p>
          <ul>
            {done.dues.map((due) => (
              <li key={due.day}>
                {day(due.day)}: {money(due.amount, done.currency)}
              </li>
            ))}
          </ul>
        </>
      )}
      {done.pay && done.pay_now && (
        <PayNow
          pay={done.pay}
          sum={isZero(done.pay_now) ? null : money(done.pay_now, done.currency)}
          days={done.dues.length}
        />
      )}
      {done.held_until && (
        <p>
          Your seat is held until {day(done.held_until)}, {clock(done.held_until)}, for{" "}
          {isZero(done.pay_now ?? "1") ? "the card" : "the first payment"}.
        </p>
      )}
      {done.calendar && (
        <p>
          <a href={done.calendar}>All dates as a calendar file</a>
        </p>
      )}
      <p>
        <a href={address}>Back to the course</a>
      </p>
    </Box>
  );
}

/**
 * What is due at once, paid by card on the payment service’s page; or later, by the link in the letter. Where nothing is due yet, a card
 * is given that is charged on the days above.
 */
function PayNow({ pay, sum, days }: { pay: string; sum: string | null; days: number }) {
  const [trouble, setTrouble] = useState("");
  const paying = useAct({
    send: () => ask(api.POST("/api/v1/card-payments/{token}/page", { params: { path: { token: pay } } })),
    done: (begun) => window.location.assign(begun.page || `/paid/${pay}`),
    failed: setTrouble,
  });
  return (
    <>
      <p>
        {sum
          ? `${sum} is due now. Pay it by card at once, or later by the link in the letter;`
          : `Nothing is due now; a card is charged by itself on ${thoseDays(days)}. Give it at once, or later by the link in the letter;`}{" "}
        the card is given on the page of our payment service, and we never see its number.
      </p>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <Button variant="contained" disabled={paying.busy} onClick={() => void paying.act(undefined)}>
        {sum ? `Pay ${sum} by card` : "Give the card"}
      </Button>
    </>
  );
}

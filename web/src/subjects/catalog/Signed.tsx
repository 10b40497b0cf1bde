import Box from "@mui/material/Box";
import { useEffect, useRef } from "react";

import type { Schemas } from "../../app/server";
import { day, money } from "../../parts/text";
import { P, T } from "../../parts/words";

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
      {done.held_until && <p>Your seat is held for the first payment; the letter says until when.</p>}
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

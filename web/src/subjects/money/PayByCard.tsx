import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Tick } from "../../form/Tick";
import { Note, Row } from "../../parts/layout";
import { clock, day, money, thoseDays } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";

type ToPay = Schemas["ToPay"];
type Asked = Schemas["PayByCardCommand"];

/** What is open and how to pay it by card: what is due first, or all; on the service’s page, or from the card on file. */
export function PayByCard({
  to,
  keeps,
  send,
  onPaid,
}: {
  to: ToPay;
  /** Whether a card may be kept on file: on one’s own page only. */
  keeps: boolean;
  send: (asked: Asked, key: string) => Promise<Schemas["CardBegun"]>;
  onPaid: (said: string) => void;
}) {
  const [keep, setKeep] = useState(false);
  const [trouble, setTrouble] = useState("");
  const paying = useAct({
    send: (asked: Asked, key: string) => send(asked, key),
    done: (begun) => {
      if (begun.page) window.location.assign(begun.page);
      else onPaid(begun.said);
    },
    failed: setTrouble,
  });
  const parts = (
    [
      ["next", to.next],
      ["whole", to.whole],
    ] as const
  ).filter(([what, sum]) => sum !== null && (what === "next" || sum !== to.next));
  return (
    <>
      <ul>
        {to.open.map((line, n) => (
          <li key={n}>
            {day(line.day)}: <T tone="copper">{money(line.amount, to.currency)}</T>
            <T tone="slate">, {line.what}</T>
          </li>
        ))}
      </ul>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      {to.card_by && (
        <Note kind="due">
          <p>
            A seat is held until {day(to.card_by)}, {clock(to.card_by)}; it is firm once a card is on file.
            The card is charged by itself on {thoseDays(to.open.length)}.
          </p>
          <Row wrap>
            {to.on_file && (
              <Button
                variant="contained"
                disabled={paying.busy}
                onClick={() => void paying.act({ what: "details", keep: false, on_file: true })}
              >
                Use the card on file
              </Button>
            )}
            <Button
              variant={to.on_file ? "outlined" : "contained"}
              disabled={paying.busy}
              onClick={() => void paying.act({ what: "details", keep: true, on_file: false })}
            >
              {to.on_file ? "Give another card" : "Give a card, pay nothing now"}
            </Button>
          </Row>
        </Note>
      )}
      {to.on_file && <P tone="slate">On file: {to.on_file}.</P>}
      {to.by_itself && !to.card_by && (
        <P>A card is on file and charged by itself on the days of your plan: there is nothing to do now.</P>
      )}
      {parts.map(([what, sum]) => (
        <Row wrap key={what}>
          {to.on_file && (
            <Button
              variant={what === "next" && !to.card_by ? "contained" : "outlined"}
              disabled={paying.busy}
              onClick={() => void paying.act({ what, keep: false, on_file: true })}
            >
              Charge {money(sum!, to.currency)} to this card
            </Button>
          )}
          <Button
            variant={
              what === "next" && !to.on_file && !to.card_by && !to.by_itself ? "contained" : "outlined"
            }
            disabled={paying.busy}
            onClick={() => void paying.act({ what, keep, on_file: false })}
          >
            Pay {money(sum!, to.currency)} {to.on_file ? "by another card" : "by card"}
          </Button>
        </Row>
      ))}
      {keeps && !to.card_by && (
        <Tick checked={keep} onChange={setKeep}>
          keep the card for later sums
        </Tick>
      )}
      <P tone="slate">The card is given on the page of our payment service; we never see its number.</P>
    </>
  );
}

/** What came of a charge, said where it was asked for. */
export function Charged({ said }: { said: string }) {
  return said ? (
    <Note role="status">
      <p>{said}</p>
    </Note>
  ) : null;
}

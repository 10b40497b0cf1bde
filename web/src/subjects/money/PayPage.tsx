import Button from "@mui/material/Button";
import { useEffect, useState } from "react";
import { useParams } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Gatelet } from "../../parts/Arch";
import { OnePage } from "../../parts/layout";
import { LinkNotYet } from "../../parts/Page";
import { isZero, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { Charged, PayByCard } from "./PayByCard";

const NOWHERE = "It may have been cut short on its way. Call us if you need a new one.";

/** Behind a link to pay: what is open, and how to pay it by card. */
export function PayLink() {
  const token = useParams().token ?? "";
  const [said, setSaid] = useState("");
  const query = $api.useQuery(
    "get",
    "/api/v1/pay-links/{token}",
    { params: { path: { token } } },
    { retry: false },
  );
  const to = query.data;
  useEffect(() => {
    document.title = to ? `To pay · ${to.center}` : "To pay";
  }, [to]);
  if (!to) return <LinkNotYet error={query.error} title="This link leads nowhere" text={NOWHERE} />;
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {to.center}
      </P>
      <h1>{to.name}, to pay</h1>
      <Charged said={said} />
      {to.open.length === 0 && !to.card_by ? (
        <p>Nothing is open: all is paid.</p>
      ) : (
        <PayByCard
          to={to}
          keeps={false}
          onPaid={setSaid}
          send={(body, key) =>
            ask(
              api.POST("/api/v1/pay-links/{token}", {
                params: { path: { token }, header: keyHeader(key) },
                body,
              }),
            )
          }
        />
      )}
    </OnePage>
  );
}

/** Where the payer comes back to from the payment service’s page: what came of it, asked until it is settled. */
export function PaidPage() {
  const token = useParams().token ?? "";
  const [trouble, setTrouble] = useState("");
  const query = $api.useQuery(
    "get",
    "/api/v1/card-payments/{token}",
    { params: { path: { token } } },
    { retry: false, refetchInterval: (q) => (q.state.data?.state === "open" ? 3000 : false) },
  );
  const seen = query.data;
  const again = useAct({
    send: () => ask(api.POST("/api/v1/card-payments/{token}/page", { params: { path: { token } } })),
    done: (begun) => (begun.page ? window.location.assign(begun.page) : void query.refetch()),
    failed: setTrouble,
  });
  useEffect(() => {
    document.title = seen ? `${headingOf(seen)} · ${seen.center}` : "Your payment";
  }, [seen]);
  if (!seen) return <LinkNotYet error={query.error} title="There is no such payment" text={NOWHERE} />;
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done={seen.state === "given"} width={20} /> {seen.center}
      </P>
      <div role="status">
        <h1>{headingOf(seen)}</h1>
        <p>{seen.said}</p>
      </div>
      <p>
        {seen.title}
        {!isZero(seen.amount) && (
          <>
            : <T tone="copper">{money(seen.amount, seen.currency)}</T>
          </>
        )}
      </p>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      {seen.state === "open" && (
        <Button variant="contained" disabled={again.busy} onClick={() => void again.act(undefined)}>
          Go to the payment page
        </Button>
      )}
      <p>
        <a href="/own">Your own page</a>
      </p>
    </OnePage>
  );
}

const HEADINGS = {
  open: "Not paid yet",
  given: "Thank you",
  refused: "The card was refused",
  over: "Nothing was charged",
};

const headingOf = (seen: Schemas["CardSeen"]) =>
  seen.state === "open" && isZero(seen.amount) ? "No card given yet" : HEADINGS[seen.state];

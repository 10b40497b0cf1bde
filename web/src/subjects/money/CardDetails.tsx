import Button from "@mui/material/Button";
import { useEffect, useState } from "react";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Fault, P } from "../../parts/words";

/** Taking a payer’s card details while they are on the phone: the payment service’s page opens in a window of its own, and this one waits
 * for what comes of it. The number goes to the service, never through here. */
export function CardDetails({
  account,
  disabled,
  label = "Take card details",
  onKept,
}: {
  account: () => Promise<number>;
  disabled?: boolean;
  label?: string;
  onKept: () => void;
}) {
  const [begun, setBegun] = useState<Schemas["CardBegun"] | null>(null);
  const [trouble, setTrouble] = useState("");
  const opening = useAct({
    send: async (_: undefined, key: string) =>
      ask(
        api.POST("/api/v1/accounts/{account_id}/card-details", {
          params: { path: { account_id: await account() }, header: keyHeader(key) },
        }),
      ),
    done: (answer) => {
      setTrouble("");
      setBegun(answer);
      window.open(answer.page, "_blank", "noopener");
    },
    failed: setTrouble,
  });
  const query = $api.useQuery(
    "get",
    "/api/v1/card-payments/{token}",
    { params: { path: { token: begun?.key ?? "" } } },
    { enabled: begun !== null, refetchInterval: (q) => (q.state.data?.state === "open" ? 2000 : false) },
  );
  const state = query.data?.state;
  useEffect(() => {
    if (state === "given") onKept();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- told once, when it has come
  }, [state]);
  if (begun && (!state || state === "open"))
    return (
      <P role="status">
        Waiting for the card.{" "}
        <a href={begun.page} target="_blank" rel="noreferrer">
          The page of the payment service
        </a>{" "}
        <Button variant="text" onClick={() => setBegun(null)}>
          Leave it
        </Button>
      </P>
    );
  return (
    <>
      {begun && state && state !== "given" && <P role="status">{query.data?.said}</P>}
      <Button disabled={disabled || opening.busy} onClick={() => void opening.act(undefined)}>
        {label}
      </Button>
      {trouble && <Fault role="alert">{trouble}</Fault>}
    </>
  );
}

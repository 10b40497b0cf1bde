import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Gatelet } from "../../parts/Arch";
import { Facts, Loading, Note, OnePage, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import { P } from "../../parts/words";

/** The page behind the link of an offer, for the phone: what it is, what it costs, until when; take it, decline, ask for time. */
export default function ReplyPage() {
  const token = useParams().token ?? "";
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const [sure, setSure] = useState(false);
  const path = { token };
  const query = $api.useQuery("get", "/api/v1/replies/{token}", { params: { path } }, { retry: false });
  const page = query.data;
  useEffect(() => {
    document.title = page ? `${page.title} · ${page.center}` : "Your offer";
  }, [page]);
  const answer = async (said: Schemas["Answer"]) => {
    setBusy(true);
    setSure(false);
    try {
      const now = await ask(
        api.POST("/api/v1/replies/{token}", {
          params: { path },
          body: { answer: said, total: page?.quote?.total ?? "" },
        }),
      );
      queries.setQueryData(
        $api.queryOptions("get", "/api/v1/replies/{token}", { params: { path } }).queryKey,
        now,
      );
      setTrouble("");
    } catch (error) {
      setTrouble(messageOf(error));
      void query.refetch();
    } finally {
      setBusy(false);
    }
  };
  if (!page)
    return (
      <OnePage>
        {query.error ? (
          <>
            <h1>This link leads nowhere</h1>
            <p>It may have been cut short on its way. Call us, and we look for your offer.</p>
          </>
        ) : (
          <Loading />
        )}
      </OnePage>
    );
  const many = page.heads === 1 ? "A seat" : `${page.heads} seats`;
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {page.center}
      </P>
      <h1>{page.title}</h1>
      <p>
        {page.first && `From ${page.first}`}
        {page.place && `, ${page.place}`}
      </p>
      <div role="status">
        {!page.stands && <P strong>{page.said}</P>}
        {page.stands && page.asked_time && (
          <Note kind="due">You asked for more time. We answer; until then the offer stands as it is.</Note>
        )}
      </div>
      {trouble && (
        <Note kind="wrong" role="alert">
          {trouble}
        </Note>
      )}
      {page.stands && page.quote && (
        <>
          {page.kind === "invitation" ? (
            <p>
              {page.name}, sign-up is open to you. {page.full ? "All seats are taken just now." : ""}
            </p>
          ) : (
            <p>
              {page.name}, <strong>{many.toLowerCase()}</strong> {page.heads === 1 ? "is" : "are"} yours until{" "}
              <strong>{page.until}</strong>.
            </p>
          )}
          <Facts>
            {page.quote.lines.map((l, n) => [
              <dt key={`${n}t`}>{l.label}</dt>,
              <dd key={`${n}d`}>{money(l.amount, page.currency)}</dd>,
            ])}
            {page.quote.taxes
              .filter((t) => Number(t.amount) > 0)
              .map((t) => [
                <dt key={`${t.name}t`}>{t.included ? `${t.name}, in the price` : t.name}</dt>,
                <dd key={`${t.name}d`}>{money(t.amount, page.currency)}</dd>,
              ])}
            <dt className="sum">Total</dt>
            <dd className="sum">{money(page.quote.total, page.currency)}</dd>
            {page.quote.installments.map((i) => [
              <dt key={`${i.n}t`}>due {day(i.due)}</dt>,
              <dd key={`${i.n}d`}>{money(i.amount, page.currency)}</dd>,
            ])}
          </Facts>
          <Button
            variant="contained"
            fullWidth
            disabled={busy}
            onClick={() => void answer(page.full ? "wait" : "take")}
          >
            {page.full
              ? "Put me in line; nothing is owed for that"
              : `Take ${page.heads === 1 ? "the seat" : "the seats"} for ${money(page.quote.total, page.currency)}`}
          </Button>
          {sure ? (
            <Note kind="due">
              <p>
                {page.kind === "invitation"
                  ? "You are taken off the list."
                  : "The seat goes to the next in line at once."}
              </p>
              <Row>
                <Button color="error" disabled={busy} onClick={() => void answer("decline")}>
                  Decline for good
                </Button>
                <Button onClick={() => setSure(false)}>Keep it</Button>
              </Row>
            </Note>
          ) : (
            <Button fullWidth disabled={busy} onClick={() => setSure(true)}>
              Decline
            </Button>
          )}
          {!page.asked_time && page.kind === "offer" && (
            <Button fullWidth disabled={busy} onClick={() => void answer("time")}>
              Ask for more time
            </Button>
          )}
        </>
      )}
    </OnePage>
  );
}

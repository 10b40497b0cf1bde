import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Gatelet } from "../../parts/Arch";
import { Facts, Note, OnePage, Row } from "../../parts/layout";
import { LinkNotYet } from "../../parts/Page";
import { day, money } from "../../parts/text";
import { P } from "../../parts/words";
import { useAct } from "../../form/useAct";

/** The page behind the link of an offer, for the phone: what it is, what it costs, until when; take it, decline, ask for time. */
export default function ReplyPage() {
  const token = useParams().token ?? "";
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const path = { token };
  const query = $api.useQuery("get", "/api/v1/replies/{token}", { params: { path } }, { retry: false });
  const page = query.data;
  useEffect(() => {
    document.title = page ? `${page.title} · ${page.center}` : "Your offer";
  }, [page]);
  const answering = useAct({
    send: (answer: Schemas["Answer"]) =>
      ask(
        api.POST("/api/v1/replies/{token}", {
          params: { path },
          body: { answer, total: page?.quote?.total ?? "" },
        }),
      ),
    done: (now) => {
      queries.setQueryData(
        $api.queryOptions("get", "/api/v1/replies/{token}", { params: { path } }).queryKey,
        now,
      );
      setTrouble("");
    },
    failed: (message) => {
      setTrouble(message);
      void query.refetch();
    },
  });
  if (!page)
    return (
      <LinkNotYet
        error={query.error}
        title="This link leads nowhere"
        text="It may have been cut short on its way. Call us, and we look for your offer."
      />
    );
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
          <Terms page={page} quote={page.quote} />
          <Answers
            page={page}
            quote={page.quote}
            busy={answering.busy}
            onAnswer={(a) => void answering.act(a)}
          />
        </>
      )}
    </OnePage>
  );
}

type Page = Schemas["ReplyPage"];
type Quote = NonNullable<Page["quote"]>;

/** Whose seat it is and until when, and what it costs. */
function Terms({ page, quote }: { page: Page; quote: Quote }) {
  return (
    <>
      {page.kind === "invitation" ? (
        <p>
          {page.name}, sign-up is open to you. {page.full ? "All seats are taken just now." : ""}
        </p>
      ) : (
        <p>
          {page.name}, <strong>{page.heads === 1 ? "a seat" : `${page.heads} seats`}</strong>{" "}
          {page.heads === 1 ? "is" : "are"} yours until <strong>{page.until}</strong>.
        </p>
      )}
      <Facts>
        {quote.lines.map((l, n) => [
          <dt key={`${n}t`}>{l.label}</dt>,
          <dd key={`${n}d`}>{money(l.amount, page.currency)}</dd>,
        ])}
        {quote.taxes
          .filter((t) => Number(t.amount) > 0)
          .map((t) => [
            <dt key={`${t.name}t`}>{t.included ? `${t.name}, in the price` : t.name}</dt>,
            <dd key={`${t.name}d`}>{money(t.amount, page.currency)}</dd>,
          ])}
        <dt className="sum">Total</dt>
        <dd className="sum">{money(quote.total, page.currency)}</dd>
        {quote.installments.map((i) => [
          <dt key={`${i.n}t`}>due {day(i.due)}</dt>,
          <dd key={`${i.n}d`}>{money(i.amount, page.currency)}</dd>,
        ])}
      </Facts>
    </>
  );
}

/** Take it, decline it after being asked once more, or ask for time. */
function Answers({
  page,
  quote,
  busy,
  onAnswer,
}: {
  page: Page;
  quote: Quote;
  busy: boolean;
  onAnswer: (answer: Schemas["Answer"]) => void;
}) {
  const [sure, setSure] = useState(false);
  return (
    <>
      <Button
        variant="contained"
        fullWidth
        disabled={busy}
        onClick={() => onAnswer(page.full ? "wait" : "take")}
      >
        {page.full
          ? "Put me in line; nothing is owed for that"
          : `Take ${page.heads === 1 ? "the seat" : "the seats"} for ${money(quote.total, page.currency)}`}
      </Button>
      {sure ? (
        <Note kind="due">
          <p>
            {page.kind === "invitation"
              ? "You are taken off the list."
              : "The seat goes to the next in line at once."}
          </p>
          <Row>
            <Button color="error" disabled={busy} onClick={() => onAnswer("decline")}>
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
        <Button fullWidth disabled={busy} onClick={() => onAnswer("time")}>
          Ask for more time
        </Button>
      )}
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Words } from "../../form/Views";
import { Grow, Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Heard, Name, T } from "../../parts/words";
import { MoneyTabs } from "./MoneyTabs";

/** Quotes that were kept for somebody: until when they stand, and the way to sign up on one. */
export default function QuotesPage() {
  const [params, setParams] = useSearchParams();
  const every = params.get("show") === "every";
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/quotes", { params: { query: { every } } });
  if (!query.data)
    return <NotYet title="Kept quotes" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Kept quotes"
      notes={<ActNotes acts={acts} />}
      help="Its price stands through its last day, whatever becomes of the fees meanwhile. It holds no seat. Whoever kept it is reminded before it ends. Keep one at the desk, under the quote."
      margin={null}
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Kept quotes
      </Box>
      <Words
        label="Show"
        value={every ? "every" : "open"}
        words={[
          ["open", "those that stand"],
          ["every", "every one"],
        ]}
        onPick={(v) => setParams(v === "every" ? { show: v } : {}, { replace: true })}
      />
      {query.data.length === 0 ? (
        <Empty as="p">
          No quote {every ? "was ever kept" : "stands"}. <Link to="/desk">At the desk</Link>, the quote in the
          margin can be kept for whoever is on the phone, and sent.
        </Empty>
      ) : (
        <KeptList quotes={query.data} acts={acts} />
      )}
    </Page>
  );
}

/** Kept quotes as lines; also on a person's page. */
export function KeptList({
  quotes,
  acts,
}: {
  quotes: Schemas["KeptOut"][];
  acts: ReturnType<typeof useDone>;
}) {
  const me = useMe();
  const drop = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/v1/quotes/{quote_id}/drop", { params: { path: { quote_id: id } } })),
    onSuccess: (done) => acts.say({ text: `Dropped the quote for ${done.name}.`, change: done.change }),
    onError: (error) => acts.fail(messageOf(error)),
  });
  return (
    <Ruled sx={{ marginTop: 12 }}>
      {quotes.map((q) => (
        <Row mid as="li" key={q.id} sx={{ padding: "8px 0" }}>
          <Grow as="span">
            <Name strong to={`/people/${q.person_id}`}>
              {q.name}
            </Name>{" "}
            on{" "}
            <Name to={`/runs/${q.run_id}`}>
              {q.title}, {q.run}
            </Name>
            {q.note && (
              <T tone="slate" as="div">
                {q.note}
              </T>
            )}
          </Grow>
          <T tone="copper" as="strong">
            {money(q.total, q.currency)}
          </T>
          <T
            tone={q.status === "open" && q.last <= me.today ? "ochre" : "slate"}
            strong={q.status === "open" && q.last <= me.today}
          >
            {q.status === "open" ? `stands through ${day(q.last)}` : `${q.status}, ${day(q.last)}`}
          </T>
          {q.status === "open" ? (
            <Row as="span" sx={{ gap: 12 }}>
              <Link to={`/desk?quote=${q.id}`}>
                Sign up on it<Heard> for {q.name}</Heard>
              </Link>
              <Button variant="text" color="secondary" onClick={() => drop.mutate(q.id)}>
                drop<Heard> the quote for {q.name}</Heard>
              </Button>
            </Row>
          ) : (
            <span />
          )}
        </Row>
      ))}
    </Ruled>
  );
}

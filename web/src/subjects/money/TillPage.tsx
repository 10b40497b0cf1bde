import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { keepPreviousData } from "@tanstack/react-query";
import { useSearchParams } from "react-router";

import { $api } from "../../app/server";
import { useMe } from "../../app/session";
import { DayJump } from "../../form/DayJump";
import { Facts } from "../../parts/layout";
import { NotYet, Page } from "../../parts/Page";
import { count, money } from "../../parts/text";
import { Cell, Empty, Name, P } from "../../parts/words";
import { MoneyTabs } from "../fees/MoneyTabs";

/** What came in on a day, by method, to count the till against. */
export default function TillPage() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const at = params.get("day") ?? me.today;
  const query = $api.useQuery(
    "get",
    "/api/v1/till",
    { params: { query: { day: at } } },
    { placeholderData: keepPreviousData },
  );
  if (!query.data) return <NotYet title="Till" error={query.error} retry={() => void query.refetch()} />;
  const { methods, payments, text } = query.data;
  return (
    <Page
      title="Till"
      margin={
        <section>
          <h2>To count against</h2>
          {methods.length === 0 && <P tone="slate">Nothing came in.</P>}
          <Facts>
            {methods.map((m) => [
              <dt key={`${m.method}${m.currency}t`}>{m.method}</dt>,
              <dd key={`${m.method}${m.currency}d`}>{money(m.amount, m.currency)}</dd>,
            ])}
          </Facts>
        </section>
      }
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Till of {text}
      </Box>
      <DayJump label="Day" value={at} onGo={(next) => setParams({ day: next }, { replace: true })} />
      {payments.length === 0 ? (
        <Empty as="p">No payment came in on this day. Payments are taken on the page of an account.</Empty>
      ) : (
        <Table sx={{ marginTop: 12 }} aria-label={count(payments.length, "payment")}>
          <TableHead>
            <TableRow>
              <Cell>By</Cell>
              <Cell>From</Cell>
              <Cell>Number or reference</Cell>
              <Cell right>Amount</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {payments.map((p) => (
              <TableRow key={p.id}>
                <Cell>{p.method}</Cell>
                <Cell>
                  <Name to={`/accounts/${p.account_id}`}>{p.name}</Name>
                </Cell>
                <Cell>{p.reference}</Cell>
                <Cell right tone={p.taken_back ? "slate" : "copper"} strong={!p.taken_back}>
                  {money(p.amount, p.currency)}
                  {p.taken_back && <div>taken back</div>}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Page>
  );
}

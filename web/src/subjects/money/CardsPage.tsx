import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link } from "react-router";

import { $api } from "../../app/server";
import { NotYet, Page } from "../../parts/Page";
import { day, money } from "../../parts/text";
import { Cell, Empty, P } from "../../parts/words";
import { MoneyTabs } from "../fees/MoneyTabs";

/** Whose card was refused while they still owe: why, when it is tried again by itself, and whom to call. */
export default function CardsPage() {
  const query = $api.useQuery("get", "/api/v1/card-payments");
  const found = query.data;
  if (!found) return <NotYet title="Refused cards" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page title="Refused cards" margin={null}>
      <MoneyTabs />
      <h1>Refused cards</h1>
      <P tone="slate">
        Cards on file that could not be charged, of those who still owe. A sum that is charged by itself is
        tried again after three and after four days; then it stands here until somebody sees to it.
      </P>
      {found.items.length === 0 ? (
        <Empty>No card is refused: nobody needs a call for that.</Empty>
      ) : (
        <Table>
          <TableHead>
            <TableRow>
              <Cell>Payer</Cell>
              <Cell>Phone</Cell>
              <Cell right>Sum</Cell>
              <Cell>Why</Cell>
              <Cell>Asked</Cell>
              <Cell>Tried again</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {found.items.map((p) => (
              <TableRow key={p.id}>
                <Cell strong>
                  <Link to={`/accounts/${p.account_id}`}>{p.name}</Link>
                </Cell>
                <Cell nowrap>{p.phone ? <a href={`tel:${p.phone}`}>{p.phone}</a> : "none"}</Cell>
                <Cell right tone="copper">
                  {money(p.amount, p.currency)}
                </Cell>
                <Cell>{p.said}</Cell>
                <Cell nowrap>{day(p.made, false)}</Cell>
                <Cell nowrap tone={p.tried_again ? undefined : "ochre"}>
                  {p.tried_again ? day(p.tried_again, false) : "no more; call"}
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Page>
  );
}

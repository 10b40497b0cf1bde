import { Link, useParams } from "react-router";

import { $api } from "../../app/server";
import { Crumbs, Part, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { isZero, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { T } from "../../parts/words";
import { Log } from "../log/Log";
import { Reminders } from "../today/Reminders";
import { AccountCards } from "./AccountCards";
import { Credit, Entries, Open } from "./AccountLists";
import { Invoices } from "./Invoices";
import { Take } from "./TakePayment";
import { WaitingMoney } from "./WaitingMoney";

/** One payer's account: what is open, taking a payment while on the phone, credit, and every entry with its cause. */
export default function AccountPage() {
  const id = Number(useParams().id);
  const acts = useDone();
  const query = $api.useQuery(
    "get",
    "/api/v1/accounts/{account_id}",
    { params: { path: { account_id: id } } },
    { enabled: Number.isInteger(id) },
  );
  const account = query.data;
  if (!account) return <NotYet title="Account" error={query.error} retry={() => void query.refetch()} />;
  const balance = Number(account.balance);
  return (
    <Page
      title={`Account of ${account.name}`}
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>{balance < 0 ? "The center owes" : "Owes"}</h2>
            <T big tone="copper" as="div">
              {money(account.balance.replace("-", ""), account.currency)}
            </T>
            {!isZero(account.credit) && (
              <p>
                <strong>{money(account.credit, account.currency)}</strong> came in and settles nothing yet.
              </p>
            )}
          </section>
          <section>
            <h2>Reminders</h2>
            <Reminders about={{ account_id: account.id }} />
          </section>
          {account.cards && <AccountCards account={account} cards={account.cards} acts={acts} />}
          {!isZero(account.credit) && <Credit account={account} acts={acts} />}
        </>
      }
    >
      <Crumbs>
        <Link to="/money">Money</Link> /{" "}
        {account.person_id ? (
          <Link to={`/people/${account.person_id}`}>{account.name}</Link>
        ) : (
          <Link to={`/organizations/${account.organization_id}`}>{account.name}</Link>
        )}
      </Crumbs>
      <h1>Account of {account.name}</h1>
      {account.waiting.length > 0 && (
        <Part as="div">
          <h2>Waits for a second person</h2>
          <Ruled>
            {account.waiting.map((item) => (
              <WaitingMoney key={item.id} item={item} acts={acts} />
            ))}
          </Ruled>
        </Part>
      )}
      <Part as="div">
        <h2>Take a payment</h2>
        <Take key={account.id} account={account} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Open</h2>
        <Open account={account} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Papers</h2>
        <Invoices accountId={account.id} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Entries</h2>
        <Entries account={account} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Log</h2>
        <Log of="account" id={account.id} acts={acts} />
      </Part>
    </Page>
  );
}

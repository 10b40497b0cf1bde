import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { api, ask } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../parts/Field";
import { NotYet, Page } from "../../parts/Page";
import { count, money } from "../../parts/text";
import { MoneyTabs } from "../fees/MoneyTabs";

/** What came in on a day, by method, to count the till against. */
export default function TillPage() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const at = params.get("day") ?? me.today;
  const query = useQuery({
    queryKey: ["till", at],
    queryFn: () => ask(api.GET("/api/v1/till", { params: { query: { day: at } } })),
    placeholderData: keepPreviousData,
  });
  if (!query.data) return <NotYet title="Till" error={query.error} retry={() => void query.refetch()} />;
  const { methods, payments, text } = query.data;
  return (
    <Page
      title="Till"
      margin={
        <section>
          <h2>To count against</h2>
          {methods.length === 0 && <p className="slate">Nothing came in.</p>}
          <dl className="facts">
            {methods.map((m) => [
              <dt key={`${m.method}${m.currency}t`}>{m.method}</dt>,
              <dd key={`${m.method}${m.currency}d`}>{money(m.amount, m.currency)}</dd>,
            ])}
          </dl>
        </section>
      }
    >
      <MoneyTabs />
      <h1 style={{ margin: "12px 0 6px" }}>Till of {text}</h1>
      <Field
        label="Day"
        type="date"
        width={160}
        value={at}
        onChange={(next) => next && setParams({ day: next }, { replace: true })}
      />
      {payments.length === 0 ? (
        <p className="empty">No payment came in on this day. Payments are taken on the page of an account.</p>
      ) : (
        <table className="plain" style={{ marginTop: 12 }} aria-label={count(payments.length, "payment")}>
          <thead>
            <tr>
              <th>By</th>
              <th>From</th>
              <th>Number or reference</th>
              <th className="right">Amount</th>
            </tr>
          </thead>
          <tbody>
            {payments.map((p) => (
              <tr key={p.id}>
                <td>{p.method}</td>
                <td>
                  <Link className="name" to={`/accounts/${p.account_id}`}>
                    {p.name}
                  </Link>
                </td>
                <td>{p.reference}</td>
                <td className={p.taken_back ? "right slate" : "right copper strong"}>
                  {money(p.amount, p.currency)}
                  {p.taken_back && <div>taken back</div>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Page>
  );
}

import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link, useParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form, SaveOrKeep } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Crumbs, Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, P, T } from "../../parts/words";
import { Log } from "../log/Log";
import { Invoices } from "../money/Invoices";
import { Reminders } from "../today/Reminders";

type Organization = Schemas["OrganizationPage"];
type Acts = ReturnType<typeof useDone>;
const FACTS = ["name", "email", "number", "address"] as const;

/** An organization: how it is reached, what it owes, whom it sends, its papers and contract runs. */
export default function OrganizationPage() {
  const id = Number(useParams().id);
  const acts = useDone();
  const query = $api.useQuery(
    "get",
    "/api/v1/organizations/{organization_id}",
    { params: { path: { organization_id: id } } },
    { enabled: Number.isInteger(id) },
  );
  const o = query.data;
  if (!o) return <NotYet title="Organization" error={query.error} retry={() => void query.refetch()} />;
  const first = o.accounts[0];
  return (
    <Page
      title={o.name}
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>Owes</h2>
            {o.accounts.length === 0 && <P tone="slate">Nothing was ever billed to it.</P>}
            {o.accounts.map((a) => (
              <p key={a.id}>
                <T tone="copper" big as="span">
                  {money(a.balance, a.currency)}
                </T>{" "}
                <Link to={`/accounts/${a.id}`}>its account</Link>
              </p>
            ))}
          </section>
          {first && (
            <section>
              <h2>Reminders</h2>
              <Reminders about={{ account_id: first.id }} />
            </section>
          )}
        </>
      }
    >
      <Crumbs>
        <Link to="/people">People</Link> / organizations
      </Crumbs>
      <h1>{o.name}</h1>
      <Facts organization={o} acts={acts} />
      <Part as="div">
        <h2>{count(o.people_total, "person", "people")}</h2>
        <People organization={o} />
      </Part>
      {o.runs.length > 0 && (
        <Part as="div">
          <h2>Contract runs</h2>
          <ul style={{ margin: 0, paddingLeft: 18 }}>
            {o.runs.map((r) => (
              <li key={r.id}>
                <Link to={`/runs/${r.id}`}>{r.code}</Link>,{" "}
                {r.first ? `from ${day(r.first)}` : "no dates yet"}, {r.taken} of {r.capacity} seats,{" "}
                {r.status}
              </li>
            ))}
          </ul>
        </Part>
      )}
      {first && (
        <Part as="div">
          <h2>Papers</h2>
          <Invoices accountId={first.id} acts={acts} />
        </Part>
      )}
      <Part as="div">
        <h2>Log</h2>
        <Log of="organization" id={o.id} acts={acts} />
      </Part>
    </Page>
  );
}

function Facts({ organization: o, acts }: { organization: Organization; acts: Acts }) {
  const now = { name: o.name, email: o.email ?? "", number: o.number, address: o.address };
  const of = useServerForm({
    draft: `organization-${o.id}`,
    start: now,
    send: (values, _key, { seen }) => {
      const names = FACTS.filter((n) => values[n] !== now[n]);
      const some = (all: typeof values) => Object.fromEntries(names.map((n) => [n, all[n]]));
      return ask(
        api.PATCH("/api/v1/organizations/{organization_id}", {
          params: { path: { organization_id: o.id } },
          body: { set: some(values), seen: some(seen) },
        }),
      );
    },
    done: ({ change }) =>
      acts.say({ text: "Saved; papers to come say it, those that were issued stay as they are.", change }),
  });
  const field = (name: (typeof FACTS)[number]) => of.field(name, `/set/${name}`);
  return (
    <Form of={of} label="The organization">
      <Row wrap sx={{ alignItems: "flex-start" }}>
        <Field label="Name" width={280} {...field("name")} />
        <Field label="Email for papers" type="email" width={250} {...field("email")} />
        <Field label="Its number on papers" width={170} {...field("number")} />
        <Field label="Address" width={300} multiline {...field("address")} />
      </Row>
      <SaveOrKeep of={of} />
    </Form>
  );
}

function People({ organization: o }: { organization: Organization }) {
  if (o.people.length === 0) return <P tone="slate">Nobody is known to come from it.</P>;
  return (
    <div>
      <Scroller>
        <Table aria-label="People">
          <TableHead>
            <TableRow>
              <Cell>Name</Cell>
              <Cell>Email</Cell>
              <Cell>Its number</Cell>
              <Cell>Department</Cell>
              <Cell right>Seats it pays for</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {o.people.map((p) => (
              <TableRow key={p.id}>
                <Cell>
                  <Link to={`/people/${p.id}`}>{p.name}</Link>
                </Cell>
                <Cell>{p.email}</Cell>
                <Cell>{p.number}</Cell>
                <Cell>{p.department}</Cell>
                <Cell right>{p.runs}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Scroller>
      {o.people.length < o.people_total && (
        <P tone="slate">
          The first {o.people.length} of {o.people_total}; the others are found by name.
        </P>
      )}
    </div>
  );
}

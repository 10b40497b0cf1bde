import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Suggest } from "../../form/Suggest";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, Empty, Heard, T } from "../../parts/words";
import { whole } from "../courses/form";
import { MoneyTabs } from "./MoneyTabs";

/** Books, tools and materials that are counted: how many there are, and every move. */
export default function StockPage() {
  const acts = useDone();
  const [seen, setSeen] = useState<number | null>(null);
  const query = $api.useQuery("get", "/api/v1/stock");
  if (!query.data) return <NotYet title="Stock" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Stock"
      notes={<ActNotes acts={acts} />}
      help="An extra that is sold from stock takes one out with every sign-up and puts it back with a withdrawal. There are never fewer than none. Moves are only added, never changed."
      margin={seen !== null ? <Moves id={seen} onClose={() => setSeen(null)} /> : null}
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Stock
      </Box>
      <Count names={query.data.map((s) => s.name)} acts={acts} />
      {query.data.length === 0 ? (
        <Empty as="p">Nothing is counted yet. Put the first item in above.</Empty>
      ) : (
        <Scroller>
          <Table sx={{ marginTop: 12, width: "auto", minWidth: 560 }}>
            <TableHead>
              <TableRow>
                <Cell>Item</Cell>
                <Cell right>In stock</Cell>
                <Cell>Sold with</Cell>
                <Cell>
                  <Heard>Acts</Heard>
                </Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {query.data.map((s) => (
                <TableRow key={s.id}>
                  <Cell>
                    <strong>{s.name}</strong>
                  </Cell>
                  <Cell right tone={s.on_hand === 0 ? "brick" : undefined} strong>
                    {s.on_hand === 0 ? "none" : s.on_hand}
                  </Cell>
                  <Cell>
                    {s.runs.map((r, i) => (
                      <span key={r.id}>
                        {i > 0 && ", "}
                        <Link to={`/runs/${r.id}/fees#extras`}>{r.code}</Link>
                      </span>
                    ))}
                    {s.runs.length === 0 && <T tone="slate">no run now</T>}
                  </Cell>
                  <Cell>
                    <Button variant="text" color="secondary" onClick={() => setSeen(s.id)}>
                      moves<Heard> of {s.name}</Heard>
                    </Button>
                  </Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Scroller>
      )}
    </Page>
  );
}

function Count({ names, acts }: { names: string[]; acts: ReturnType<typeof useDone> }) {
  const of = useServerForm({
    draft: "stock",
    start: { name: "", how: "add", number: "", cause: "" },
    send: (form, key) => {
      const number = whole(form.number);
      const signed = form.how === "out" && typeof number === "number" ? -number : number;
      return ask(
        api.POST("/api/v1/stock", {
          params: { header: { "Idempotency-Key": key } },
          body: asTyped<"StockCommand">({
            name: form.name.trim() || null,
            ...(form.how === "counted" ? { counted: number } : { add: signed }),
            cause: form.cause || null,
          }),
        }),
      );
    },
    done: (now) => acts.say({ text: `${now.on_hand} of ${now.name} are in stock.` }),
  });
  const { values: form, set, faults } = of;
  return (
    <Form look="inset" of={of}>
      <Row wrap>
        <Suggest label="Item" width={210} options={names} {...of.field("name")} />
        <Choice
          label="What happens"
          width={150}
          value={form.how}
          onChange={(how) => set({ how })}
          options={[
            { value: "add", text: "come in" },
            { value: "out", text: "go out" },
            { value: "counted", text: "were counted" },
          ]}
        />
        <Field
          label="How many"
          width={90}
          value={form.number}
          onChange={(number) => set({ number })}
          fault={faults["/add"] ?? faults["/counted"] ?? faults[""]}
          input={{ inputMode: "numeric" }}
        />
        <Field
          label="Cause"
          value={form.cause}
          placeholder="delivery, broken, count of the year"
          onChange={(cause) => set({ cause })}
          fault={faults["/cause"]}
        />
        <Button type="submit" variant="contained" sx={{ alignSelf: "flex-end" }}>
          Put it down
        </Button>
      </Row>
    </Form>
  );
}

function Moves({ id, onClose }: { id: number; onClose: () => void }) {
  const query = $api.useQuery("get", "/api/v1/stock/{item_id}", { params: { path: { item_id: id } } });
  if (!query.data) return null;
  return (
    <section>
      <h2>
        {query.data.name}: {query.data.on_hand}
      </h2>
      {query.data.moves.map((m) => (
        <p key={m.id}>
          <strong>{m.quantity > 0 ? `+${m.quantity}` : `−${-m.quantity}`}</strong> {m.cause}{" "}
          <T tone="slate">
            {day(m.at)}, {clock(m.at)}
          </T>
        </p>
      ))}
      <Button variant="text" color="secondary" onClick={onClose}>
        close
      </Button>
    </section>
  );
}

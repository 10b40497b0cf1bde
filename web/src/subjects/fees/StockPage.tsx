import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, asTyped, faultsOf, messageOf, newKey } from "../../app/server";
import { Choice, Field } from "../../parts/Field";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { whole } from "../courses/form";
import { MoneyTabs } from "./MoneyTabs";

/** Books, tools and materials that are counted: how many there are, and every move. */
export default function StockPage() {
  const acts = useDone();
  const [seen, setSeen] = useState<number | null>(null);
  const query = useQuery({ queryKey: ["stock"], queryFn: () => ask(api.GET("/api/v1/stock")) });
  if (!query.data) return <NotYet title="Stock" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title="Stock"
      margin={
        <>
          <ActNotes acts={acts} />
          {seen !== null && <Moves id={seen} onClose={() => setSeen(null)} />}
          <section>
            <h2>What is counted</h2>
            <p className="slate">
              An extra that is sold from stock takes one out with every sign-up and puts it back with a
              withdrawal. There are never fewer than none. Moves are only added, never changed.
            </p>
          </section>
        </>
      }
    >
      <MoneyTabs />
      <h1 style={{ margin: "12px 0 6px" }}>Stock</h1>
      <Count names={query.data.map((s) => s.name)} acts={acts} />
      {query.data.length === 0 ? (
        <p className="empty">Nothing is counted yet. Put the first item in above.</p>
      ) : (
        <div className="tablewrap">
          <table className="plain" style={{ marginTop: 12, width: "auto", minWidth: 560 }}>
            <thead>
              <tr>
                <th>Item</th>
                <th className="right">In stock</th>
                <th>Sold with</th>
                <th>
                  <span className="sr">Acts</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {query.data.map((s) => (
                <tr key={s.id}>
                  <td>
                    <strong>{s.name}</strong>
                  </td>
                  <td className={s.on_hand === 0 ? "right brick strong" : "right strong"}>
                    {s.on_hand === 0 ? "none" : s.on_hand}
                  </td>
                  <td>
                    {s.runs.map((r, i) => (
                      <span key={r.id}>
                        {i > 0 && ", "}
                        <Link to={`/runs/${r.id}/fees#extras`}>{r.code}</Link>
                      </span>
                    ))}
                    {s.runs.length === 0 && <span className="slate">no run now</span>}
                  </td>
                  <td>
                    <button className="plainly quiet" onClick={() => setSeen(s.id)}>
                      moves<span className="sr"> of {s.name}</span>
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}

function Count({ names, acts }: { names: string[]; acts: ReturnType<typeof useDone> }) {
  const empty = { name: "", how: "add", number: "", cause: "" };
  const [form, setForm] = useState(empty);
  const [error, setError] = useState<unknown>(null);
  const [key, setKey] = useState(newKey);
  const faults = error ? faultsOf(error) : {};
  const set = (change: Partial<typeof form>) => {
    setForm({ ...form, ...change });
    setKey(newKey());
  };
  const send = async () => {
    const number = whole(form.number);
    const signed = form.how === "out" && typeof number === "number" ? -number : number;
    try {
      const done = await ask(
        api.POST("/api/v1/stock", {
          params: { header: { "Idempotency-Key": key } },
          body: asTyped<"StockCommand">({
            name: form.name.trim() || null,
            ...(form.how === "counted" ? { counted: number } : { add: signed }),
            cause: form.cause || null,
          }),
        }),
      );
      acts.say({ text: `${done.on_hand} of ${done.name} are in stock.` });
      setForm(empty);
      setError(null);
      setKey(newKey());
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <form
      className="inset"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void send();
      }}
    >
      <div className="row wrap">
        <Field
          label="Item"
          width={210}
          value={form.name}
          onChange={(name) => set({ name })}
          fault={faults["/name"]}
          input={{ list: "stock-items" }}
        />
        <datalist id="stock-items">
          {names.map((n) => (
            <option key={n} value={n} />
          ))}
        </datalist>
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
        <Button type="submit" variant="contained" style={{ alignSelf: "flex-end" }}>
          Put it down
        </Button>
      </div>
      {error !== null && Object.keys(faults).length === 0 && <p className="fault">{messageOf(error)}</p>}
    </form>
  );
}

function Moves({ id, onClose }: { id: number; onClose: () => void }) {
  const query = useQuery({
    queryKey: ["stock", id],
    queryFn: () => ask(api.GET("/api/v1/stock/{item_id}", { params: { path: { item_id: id } } })),
  });
  if (!query.data) return null;
  return (
    <section>
      <h2>
        {query.data.name}: {query.data.on_hand}
      </h2>
      {query.data.moves.map((m) => (
        <p key={m.id}>
          <strong>{m.quantity > 0 ? `+${m.quantity}` : `−${-m.quantity}`}</strong> {m.cause}{" "}
          <span className="slate">
            {day(m.at)}, {clock(m.at)}
          </span>
        </p>
      ))}
      <button className="plainly quiet" onClick={onClose}>
        close
      </button>
    </section>
  );
}

import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Inset, Row } from "../../parts/layout";
import { Quote } from "../../parts/Quote";
import { money } from "../../parts/text";
import { Fault, P } from "../../parts/words";
import type { Run } from "../courses/runTypes";
import { counted } from "../roster/deskCall";

type Wish = {
  day: string;
  heads: Record<string, string>;
  extras: Record<string, string>;
  code: string;
  plan: string;
};

/** What somebody would pay on any day: how many at which rates, with which extras, under which code, by which plan. */
export function QuoteAsOf({ run }: { run: Run }) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const first = run.rates[0];
  const [wish, setWish] = useState<Wish>({
    day: me.today,
    heads: first ? { [first.id]: "1" } : {},
    extras: {},
    code: "",
    plan: "",
  });
  const set = (change: Partial<Wish>) => setWish({ ...wish, ...change });
  const people = Object.entries(wish.heads)
    .filter(([, n]) => counted(n) > 0)
    .map(([id, n]) => ({ rate_id: Number(id), count: counted(n) }));
  const body = {
    people,
    extras: Object.entries(wish.extras)
      .filter(([, n]) => counted(n) > 0)
      .map(([id, n]) => ({ extra_id: Number(id), count: counted(n) })),
    code: wish.code.trim() || null,
    plan_id: wish.plan ? Number(wish.plan) : null,
    day: wish.day || null,
  };
  const asked = useSettled(JSON.stringify(body), 200);
  const query = useQuery({
    queryKey: ["quote-as-of", run.id, asked],
    queryFn: () =>
      ask(
        api.POST("/api/v1/runs/{run_id}/quote", {
          params: { path: { run_id: run.id } },
          body: JSON.parse(asked) as Schemas["QuoteCommand"],
        }),
      ),
    enabled: open && people.length > 0,
    retry: false,
  });
  if (!open)
    return (
      <Button sx={{ marginTop: 8 }} onClick={() => setOpen(true)}>
        What would somebody pay on another day?
      </Button>
    );
  const faults = query.error ? faultsOf(query.error) : {};
  const near = (start: string) => Object.entries(faults).find(([at]) => at.startsWith(start))?.[1];
  return (
    <Inset>
      <Row wrap>
        <Field
          label="Signing up on"
          type="date"
          width={160}
          value={wish.day}
          onChange={(day) => set({ day })}
          autoFocus
          fault={near("/day")}
        />
        {run.rates.map((r, i) => (
          <Field
            key={r.id}
            label={`Heads: ${r.label}, ${money(r.amount, run.currency)}`}
            width={210}
            value={wish.heads[r.id] ?? ""}
            placeholder="0"
            onChange={(n) => set({ heads: { ...wish.heads, [r.id]: n } })}
            fault={i === 0 ? near("/people") : undefined}
            input={{ inputMode: "numeric" }}
          />
        ))}
        {run.extras.map((x, i) => (
          <Field
            key={x.id}
            label={`${x.label}, ${money(x.amount, run.currency)}`}
            width={180}
            value={wish.extras[x.id] ?? ""}
            placeholder={x.required ? "by every head" : "0"}
            onChange={(n) => set({ extras: { ...wish.extras, [x.id]: n } })}
            fault={i === 0 ? near("/extras") : undefined}
            input={{ inputMode: "numeric" }}
          />
        ))}
        <Field
          label="Discount code"
          width={150}
          value={wish.code}
          onChange={(code) => set({ code })}
          fault={near("/code")}
        />
        <Choice
          label="Payment plan"
          width={230}
          value={wish.plan}
          onChange={(plan) => set({ plan })}
          options={[
            { value: "", text: "the usual one" },
            ...run.plans.map((p) => ({ value: String(p.id), text: p.name })),
          ]}
        />
      </Row>
      {people.length === 0 && <P tone="slate">Say how many, at which rate.</P>}
      {query.error && Object.keys(faults).length === 0 && <Fault as="p">{messageOf(query.error)}</Fault>}
      {query.data && (
        <div aria-live="polite" style={{ maxWidth: 520, marginTop: 10 }}>
          <Quote quote={query.data} />
        </div>
      )}
      <P tone="slate">Prices change at midnight of the center’s time, so a day says it all.</P>
      <Button onClick={() => setOpen(false)}>Close</Button>
    </Inset>
  );
}

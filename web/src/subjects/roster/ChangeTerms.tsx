import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { Facts, Row } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { counted } from "./deskCall";

type SignUp = Schemas["EnrollmentOut"];
type Form = {
  rates: string[];
  agreed: { amount: string; reason: string } | null;
  extras: Record<string, string>;
  fresh: boolean;
};

/** Another rate, price or extra for somebody who is in already: total and installments before and after, then the act. */
export function ChangeTerms({
  held,
  run,
  acts,
  onClose,
}: {
  held: SignUp;
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const [form, setForm] = useState<Form>({
    rates: held.people.map((p) => String(p.rate_id)),
    agreed: null,
    extras: Object.fromEntries(
      run.extras.map((x) => [x.id, String(held.extras.find((e) => e.extra_id === x.id)?.count ?? 0)]),
    ),
    fresh: false,
  });
  const [error, setError] = useState<unknown>(null);
  const [key, setKey] = useState(newKey);
  const set = (change: Partial<Form>) => {
    setForm({ ...form, ...change });
    setError(null);
    setKey(newKey());
  };
  const digits = digitsOf(run.currency);
  const rest = held.extras.filter((e) => !run.extras.some((x) => x.id === e.extra_id));
  const change: Schemas["ChangeCommand"] = {
    people: held.people.map((p, i) => ({
      rate_id: Number(form.rates[i]),
      count: p.count,
      ...(form.agreed
        ? { agreed: { amount: amount(form.agreed.amount, digits) ?? "", reason: form.agreed.reason } }
        : {}),
    })),
    extras: [
      ...rest,
      ...Object.entries(form.extras)
        .filter(([, text]) => text.trim() !== "" && text.trim() !== "0")
        .map(([id, text]) => ({ extra_id: Number(id), count: counted(text) })),
    ],
    fresh: form.fresh,
  };
  const asked = JSON.stringify(change);
  const settled = useSettled(asked, 150);
  const path = { enrollment_id: held.id };
  const query = useQuery({
    queryKey: ["change-sign-up", held.id, settled],
    queryFn: () =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/change", {
          params: { path, query: { preview: true } },
          body: JSON.parse(settled) as Schemas["ChangeCommand"],
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const current = asked === settled && !query.isPlaceholderData;
  const found = query.error ? undefined : query.data;
  const trouble = error ?? query.error;
  const faults = faultsOf(trouble);
  const save = async () => {
    if (!found || !current) return;
    try {
      const done = await ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/change", {
          params: { path, header: { "Idempotency-Key": key } },
          body: { ...change, total: found.total },
        }),
      );
      acts.say({
        text: `Changed for ${done.name}; the sign-up comes to ${money(done.total, done.currency)}.`,
        change: done.change,
      });
      onClose();
    } catch (problem) {
      setError(problem);
      void query.refetch();
    }
  };
  const rates = run.rates.map((r) => ({
    value: String(r.id),
    text: `${r.label ?? "Standard"}, ${money(r.amount, run.currency)}`,
  }));
  return (
    <Form look="due" onSend={() => void save()} onLeave={onClose}>
      <P strong>What {held.name} is signed up for</P>
      {held.people.map((p, i) => (
        <Choice
          key={i}
          label={held.people.length > 1 ? `Rate of ${p.count}` : "Rate"}
          value={form.rates[i]!}
          onChange={(id) => set({ rates: form.rates.map((r, n) => (n === i ? id : r)) })}
          fault={faults[`/people/${i}/rate_id`] ?? faults[`/people/${i}/agreed`]}
          options={rates}
        />
      ))}
      {form.agreed ? (
        <Row>
          <Field
            label={held.heads > 1 ? "Price a head" : "Price"}
            width={100}
            value={form.agreed.amount}
            onChange={(text) => set({ agreed: { ...form.agreed!, amount: text } })}
            fault={faults["/people/0/agreed/amount"]}
            input={{ inputMode: "decimal" }}
            autoFocus
          />
          <Field
            label="Reason"
            value={form.agreed.reason}
            onChange={(reason) => set({ agreed: { ...form.agreed!, reason } })}
            fault={faults["/people/0/agreed/reason"]}
          />
        </Row>
      ) : (
        run.rates.some((r) => r.by_agreement && form.rates.includes(String(r.id))) && (
          <Button variant="text" onClick={() => set({ agreed: { amount: "", reason: "" } })}>
            agree another price
          </Button>
        )
      )}
      {run.extras.map((x) => (
        <Field
          key={x.id}
          label={`${x.label}, ${money(x.amount, run.currency)} each`}
          value={form.extras[x.id] ?? "0"}
          onChange={(text) => set({ extras: { ...form.extras, [x.id]: text } })}
          fault={Object.entries(faults).find(([at]) => at.startsWith("/extras") && at.endsWith("count"))?.[1]}
          input={{ inputMode: "numeric" }}
        />
      ))}
      <Tick checked={form.fresh} onChange={(on) => set({ fresh: on })}>
        price all of it as of today
      </Tick>
      {trouble != null && Object.keys(faults).length === 0 && (
        <P tone={messageOf(trouble) === "Nothing changes." ? "slate" : "brick"}>{messageOf(trouble)}</P>
      )}
      {found && (
        <div aria-live="polite">
          <Facts>
            <dt className="sum">Total</dt>
            <dd className="sum">{money(found.total, found.currency)}</dd>
            <dd className="why">It was {money(found.total_before, found.currency)}.</dd>
            {found.after.map((r, i) => {
              const old = found.before.find((b) => b.due === r.due);
              return [
                <dt key={`${i}t`}>{day(r.due)}</dt>,
                <dd key={`${i}d`}>{money(r.amount, found.currency)}</dd>,
                <dd key={`${i}w`} className="why">
                  {isZero(r.left) ? "paid" : `${money(r.left, found.currency)} of it open`}
                  {!old ? ", new" : old.amount !== r.amount && `, was ${money(old.amount, found.currency)}`}
                </dd>,
              ];
            })}
          </Facts>
          {!isZero(found.credit) && (
            <p>{money(found.credit, found.currency)} is then credit of the account.</p>
          )}
          <P tone="slate">What is paid or due stands; the difference goes to what is not due yet.</P>
        </div>
      )}
      <Row mid sx={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={!found || !current}>
          Change it
        </Button>
        <Button variant="text" onClick={onClose}>
          leave it
        </Button>
      </Row>
    </Form>
  );
}

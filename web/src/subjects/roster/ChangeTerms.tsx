import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, faultsOf, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useForeseen } from "../../form/useForeseen";
import { Facts, Row } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { amount, digitsOf } from "../courses/form";
import { ActOrLeave } from "./ActOrLeave";
import { counted } from "./deskCall";

type SignUp = Schemas["EnrollmentOut"];
type Run = Schemas["RunOut"];
type Changed = Schemas["EnrollmentChanged"];
type Form = {
  rates: string[];
  agreed: { amount: string; reason: string } | null;
  extras: Record<string, string>;
  fresh: boolean;
};

/** What the form asks for, as it is sent. */
function commandOf(held: SignUp, run: Run, form: Form): Schemas["ChangeCommand"] {
  const agreed = form.agreed && {
    amount: amount(form.agreed.amount, digitsOf(run.currency)) ?? "",
    reason: form.agreed.reason,
  };
  const rest = held.extras.filter((e) => !run.extras.some((x) => x.id === e.extra_id));
  return {
    people: held.people.map((p, i) => ({
      rate_id: Number(form.rates[i]),
      count: p.count,
      ...(agreed ? { agreed } : {}),
    })),
    extras: [
      ...rest,
      ...Object.entries(form.extras)
        .filter(([, text]) => text.trim() !== "" && text.trim() !== "0")
        .map(([id, text]) => ({ extra_id: Number(id), count: counted(text) })),
    ],
    fresh: form.fresh,
  };
}

/** What the change would come to, as one types; then it is done at the total that is shown. */
function useChange(held: SignUp, wish: Schemas["ChangeCommand"], done: (what: Changed) => void) {
  const path = { enrollment_id: held.id };
  return useForeseen({
    name: ["change-sign-up", held.id],
    wish,
    see: (body) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/change", {
          params: { path, query: { preview: true } },
          body,
        }),
      ),
    send: (body, key, preview) =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/change", {
          params: { path, header: keyHeader(key) },
          body: { ...body, total: preview.total },
        }),
      ),
    done,
  });
}

/** Another rate, price or extra for somebody who is in already: total and installments before and after, then the act. */
export function ChangeTerms({
  held,
  run,
  acts,
  onClose,
}: {
  held: SignUp;
  run: Run;
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
  const change = useChange(held, commandOf(held, run, form), (done) => {
    acts.say({
      text: `Changed for ${done.name}; the sign-up comes to ${money(done.total, done.currency)}.`,
      change: done.change,
    });
    onClose();
  });
  const { trouble } = change;
  const faults = faultsOf(trouble);
  return (
    <Form look="due" onSend={() => void change.act()} onLeave={onClose}>
      <P strong>What {held.name} is signed up for</P>
      <Asked
        held={held}
        run={run}
        form={form}
        faults={faults}
        set={(next) => setForm({ ...form, ...next })}
      />
      {trouble != null && Object.keys(faults).length === 0 && (
        <P tone={messageOf(trouble) === "Nothing changes." ? "slate" : "brick"}>{messageOf(trouble)}</P>
      )}
      {change.preview && <Comes to={change.preview} />}
      <ActOrLeave act="Change it" onClose={onClose} ready={change.ready} />
    </Form>
  );
}

function Asked({
  held,
  run,
  form,
  set,
  faults,
}: {
  held: SignUp;
  run: Run;
  form: Form;
  set: (change: Partial<Form>) => void;
  faults: Record<string, string>;
}) {
  const rates = run.rates.map((r) => ({
    value: String(r.id),
    text: `${r.label ?? "Standard"}, ${money(r.amount, run.currency)}`,
  }));
  const count = Object.entries(faults).find(([at]) => at.startsWith("/extras") && at.endsWith("count"));
  return (
    <>
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
          fault={count?.[1]}
          input={{ inputMode: "numeric" }}
        />
      ))}
      <Tick checked={form.fresh} onChange={(on) => set({ fresh: on })}>
        price all of it as of today
      </Tick>
    </>
  );
}

/** Total and installments as they would be, beside what they were. */
export function Comes({ to }: { to: Changed }) {
  return (
    <div aria-live="polite">
      <Facts>
        <dt className="sum">Total</dt>
        <dd className="sum">{money(to.total, to.currency)}</dd>
        <dd className="why">It was {money(to.total_before, to.currency)}.</dd>
        {to.after.map((r, i) => {
          const old = to.before.find((b) => b.due === r.due);
          return [
            <dt key={`${i}t`}>{day(r.due)}</dt>,
            <dd key={`${i}d`}>{money(r.amount, to.currency)}</dd>,
            <dd key={`${i}w`} className="why">
              {isZero(r.left) ? "paid" : `${money(r.left, to.currency)} of it open`}
              {!old ? ", new" : old.amount !== r.amount && `, was ${money(old.amount, to.currency)}`}
            </dd>,
          ];
        })}
      </Facts>
      {!isZero(to.credit) && <p>{money(to.credit, to.currency)} is then credit of the account.</p>}
      <P tone="slate">What is paid or due stands; the difference goes to what is not due yet.</P>
    </div>
  );
}

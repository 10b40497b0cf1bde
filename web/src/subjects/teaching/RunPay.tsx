import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Facts, Grow, Note, Part, Row, Ruled } from "../../parts/layout";
import { count, isZero, money } from "../../parts/text";
import { P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { digitsOf } from "../courses/form";
import type { Run } from "../courses/runTypes";
import { payBody, payTyped } from "./hours";
import { PayFields } from "./PayFields";
import { MakeRequest, RequestList } from "./Requests";
import type { Acts, Teaching } from "./RunTeaching";

/** What a run pays those who teach it, line by line, and what the center keeps. */
export function RunPay({ run, teaching: t, acts }: { run: Run; teaching: Teaching; acts: Acts }) {
  const [changing, setChanging] = useState<number | null>(null);
  const [adding, setAdding] = useState(false);
  return (
    <Part as="div">
      <h2>What it pays</h2>
      <div>
        {t.trouble && (
          <Note kind="wrong" role="alert">
            {t.trouble}
          </Note>
        )}
        {!t.agreed && <P tone="ochre">Somebody’s pay is still to be agreed; the sums leave them out.</P>}
        <Ruled>
          {t.teachers.map((who) => (
            <li key={who.instructor_id}>
              <Paid who={who} teaching={t} onChange={() => setChanging(who.instructor_id)} acts={acts} />
              {changing === who.instructor_id && (
                <Terms who={who} run={run} acts={acts} onClose={() => setChanging(null)} />
              )}
            </li>
          ))}
        </Ruled>
        {adding ? (
          <NewLine run={run} teaching={t} acts={acts} onClose={() => setAdding(false)} />
        ) : (
          <Button variant="text" onClick={() => setAdding(true)}>
            Add a line: preparation, mileage
          </Button>
        )}
        <Row wrap sx={{ gap: "14px 40px", marginTop: 12, alignItems: "flex-start" }}>
          <Sums run={run} teaching={t} acts={acts} />
          <EverySeat run={run} teaching={t} />
        </Row>
        {t.requests.length > 0 && (
          <>
            <P label sx={{ marginTop: 14 }}>
              Pay requests
            </P>
            <RequestList rows={t.requests} acts={acts} named />
          </>
        )}
      </div>
    </Part>
  );
}

type Teacher = Schemas["TeacherOut"];

/** One of those who teach: part, hours, terms, and the lines of their pay. */
function Paid({
  who,
  teaching: t,
  onChange,
  acts,
}: {
  who: Teacher;
  teaching: Teaching;
  onChange: () => void;
  acts: Acts;
}) {
  const paid = t.paid.find((p) => p.instructor_id === who.instructor_id);
  const extra = t.extra.filter((x) => x.instructor_id === who.instructor_id);
  const dropping = useAct({
    send: (id: number) =>
      ask(api.DELETE("/api/v1/pay-lines/{line_id}", { params: { path: { line_id: id } } })),
    done: (done) => acts.say({ text: "The line is taken out.", change: done.change }),
    failed: acts.fail,
  });
  return (
    <div style={{ padding: "7px 0" }}>
      <Row mid wrap>
        <Grow>
          <strong>{who.name}</strong>
          {who.part !== "lead" && `, ${who.part}`}
          <T tone="slate">
            {" "}
            {who.usual ? "" : "steps in, "}
            {count(who.meetings, "meeting")}, {who.hours} h
          </T>
        </Grow>
        <span>
          {who.pay ? <T tone="copper">{who.pay.text}</T> : <T tone="ochre">pay to be agreed</T>}
          {who.own_terms && <T tone="slate">, for this run</T>}
          {who.own_hours && <T tone="slate">, {who.own_hours} h agreed</T>}
        </span>
        <Button variant="text" onClick={onChange} aria-label={`Agree on the pay of ${who.name}`}>
          agree on
        </Button>
        {paid && (
          <T tone="copper" strong nowrap>
            {money(paid.total, t.currency)}
          </T>
        )}
      </Row>
      {paid?.lines.map((x, n) => (
        <Row key={n} sx={{ paddingLeft: 14 }}>
          <Grow as="span">
            {x.label} <T tone="slate">{x.why}</T>
          </Grow>
          {paid.lines.length > 1 && <T nowrap>{money(x.amount, t.currency)}</T>}
        </Row>
      ))}
      <Row mid wrap sx={{ paddingLeft: 14 }}>
        {extra.map((x) => (
          <Button
            key={x.id}
            variant="text"
            color="secondary"
            onClick={() => void dropping.act(x.id)}
            aria-label={`Take out ${x.label} of ${who.name}`}
          >
            take out {x.label}
          </Button>
        ))}
        {paid && !isZero(paid.due_now) && (
          <MakeRequest
            body={{ instructor_id: who.instructor_id, run_id: t.run_id }}
            text="Pay request for this run"
            acts={acts}
          />
        )}
        {paid && !isZero(paid.requested) && (
          <T tone="slate">{money(paid.requested, t.currency)} asked for so far</T>
        )}
      </Row>
    </div>
  );
}

/** The pay of somebody for this run; without terms of its own it is their usual one. */
function Terms({ who, run, acts, onClose }: { who: Teacher; run: Run; acts: Acts; onClose: () => void }) {
  const of = useServerForm({
    draft: `pay-${run.id}-${who.instructor_id}`,
    start: { pay: who.own_terms ? payTyped(who.pay) : { kind: "", figure: "" }, hours: who.own_hours ?? "" },
    send: (form) =>
      ask(
        api.PUT("/api/v1/runs/{run_id}/pay-terms/{instructor_id}", {
          params: { path: { run_id: run.id, instructor_id: who.instructor_id } },
          body: asTyped<"PayTermsCommand">({
            pay: payBody(form.pay, digitsOf(run.currency)),
            hours: form.hours.trim() || null,
          }),
        }),
      ),
    done: (done) => {
      acts.say({ text: `The pay of ${who.name} is agreed.`, change: done.change });
      onClose();
    },
  });
  const { values: form, set, faults } = of;
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <Form look="inset" of={of} onLeave={close}>
      <Row wrap>
        <PayFields
          label={`Pay of ${who.name}`}
          pay={form.pay}
          onChange={(pay) => set({ pay })}
          faults={faults}
          usual="as usual"
        />
        {form.pay.kind === "per_hour" && (
          <Field
            label="Hours agreed"
            width={130}
            placeholder={`${who.hours} as taught`}
            {...of.field("hours")}
          />
        )}
      </Row>
      <Ends of={of} act="Agree" leave="Keep as it was" onLeave={close} />
    </Form>
  );
}

function NewLine({
  run,
  teaching: t,
  acts,
  onClose,
}: {
  run: Run;
  teaching: Teaching;
  acts: Acts;
  onClose: () => void;
}) {
  const of = useServerForm({
    draft: `pay-line-${run.id}`,
    start: { who: String(t.teachers[0]?.instructor_id ?? ""), label: "", quantity: "1", unit: "" },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/pay-lines", {
          params: { path: { run_id: run.id }, header: { "Idempotency-Key": key } },
          body: asTyped<"PayLineCommand">({
            instructor_id: Number(form.who),
            label: form.label || null,
            quantity: form.quantity || null,
            unit: form.unit || null,
          }),
        }),
      ),
    done: (done) => {
      acts.say({ text: "The line is added.", change: done.change });
      onClose();
    },
  });
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <Form look="inset" of={of} onLeave={close}>
      <Row wrap>
        <Choice
          label="For"
          width={170}
          options={t.teachers.map((w) => ({ value: String(w.instructor_id), text: w.name }))}
          {...of.field("who", "/instructor_id")}
        />
        <Field label="What" width={190} placeholder="mileage" {...of.field("label")} autoFocus />
        <Field label="How many" width={90} {...of.field("quantity")} input={{ inputMode: "decimal" }} />
        <Field
          label={`Each, in ${run.currency}`}
          width={110}
          placeholder="0.655"
          {...of.field("unit")}
          input={{ inputMode: "decimal" }}
        />
      </Row>
      <Ends of={of} act="Add" onLeave={close} />
    </Form>
  );
}

/** What is taken off a sum. */
const less = (amount: string, currency: string) =>
  isZero(amount) ? money(amount, currency) : money(`-${amount}`, currency);

/** From the income to what the center keeps. */
function Sums({ run, teaching: t, acts }: { run: Run; teaching: Teaching; acts: Acts }) {
  const of = useServerForm({
    draft: null,
    start: { amount: t.deduct },
    send: ({ amount }) =>
      ask(
        api.PUT("/api/v1/runs/{run_id}/deduct", {
          params: { path: { run_id: run.id } },
          body: { amount: /^\d+$/.test(amount) && digitsOf(run.currency) ? `${amount}.00` : amount },
        }),
      ),
    done: (done) => acts.say({ text: "What is deducted is kept.", change: done.change }),
  });
  return (
    <div style={{ width: 300 }}>
      <Facts>
        <dt>Income of {count(t.heads, "head")}</dt>
        <dd>{money(t.income, t.currency)}</dd>
        <dt>Payment fees</dt>
        <dd>{less(t.payment_fees, t.currency)}</dd>
        <dt>Pay</dt>
        <dd>{less(t.pay, t.currency)}</dd>
        <dt className="sum">The center keeps</dt>
        <T as="dd" className="sum" tone={t.center.startsWith("-") ? "brick" : "copper"}>
          {money(t.center, t.currency)}
        </T>
        {t.center.startsWith("-") && <dd className="why">It pays more than comes in.</dd>}
        <dt>Saved if it is cancelled now</dt>
        <dd>{money(t.saved_if_cancelled, t.currency)}</dd>
      </Facts>
      <Form look="row" sx={{ alignItems: "flex-end", marginTop: 8 }} of={of}>
        <Field
          label="Deducted before shares are paid"
          width={210}
          {...of.field("amount")}
          input={{ inputMode: "decimal" }}
        />
        {of.dirty.length > 0 && (
          <Button type="submit" disabled={of.busy}>
            Keep
          </Button>
        )}
      </Form>
    </div>
  );
}

const Bars = styled("table")({
  borderCollapse: "collapse",
  fontSize: 13,
  "& th": { fontWeight: 400, color: ink.slate, textAlign: "right", padding: "1px 12px 3px 0" },
  "& td": { textAlign: "right", padding: "2px 12px 2px 0", borderTop: `1px solid ${ink.line}` },
  "& tr[data-now] td": { fontWeight: 600, background: ink.verdigrisPale },
  "& tr[data-even] td": { borderTop: `2px solid ${ink.copper}` },
});

/** What the run pays at each number of heads, and from where on it pays for itself. */
function EverySeat({ run, teaching: t }: { run: Run; teaching: Teaching }) {
  const [all, setAll] = useState(false);
  const worth = new Set([0, run.smallest, t.heads, t.break_even ?? 0, (t.break_even ?? 1) - 1, run.capacity]);
  const rows = all ? t.seats : t.seats.filter((r) => worth.has(r.heads));
  return (
    <div>
      <P strong>
        {t.break_even === null
          ? "It does not pay for itself at any number of heads."
          : t.break_even === 0
            ? "It pays for itself at any number of heads."
            : `It pays for itself from ${count(t.break_even, "head")} on.`}
      </P>
      <P tone="slate" small>
        One more head brings in {money(t.each, t.currency)}, {t.each_why}.
      </P>
      <Bars aria-label="What it pays at each number of heads">
        <thead>
          <tr>
            <th scope="col">Heads</th>
            <th scope="col">After fees</th>
            <th scope="col">Pay</th>
            <th scope="col">The center keeps</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr
              key={r.heads}
              data-now={r.heads === t.heads || undefined}
              data-even={r.heads === t.break_even || undefined}
            >
              <td>
                {r.heads}
                {r.heads === t.heads && <T tone="slate"> now</T>}
                {r.heads === run.smallest && <T tone="slate"> smallest</T>}
              </td>
              <td>{money(r.income, t.currency)}</td>
              <td>{money(r.pay, t.currency)}</td>
              <td>
                <T tone={r.center.startsWith("-") ? "brick" : undefined}>{money(r.center, t.currency)}</T>
              </td>
            </tr>
          ))}
        </tbody>
      </Bars>
      <Button variant="text" onClick={() => setAll(!all)} aria-expanded={all}>
        {all ? "Only the turning points" : "Every number of heads"}
      </Button>
    </div>
  );
}

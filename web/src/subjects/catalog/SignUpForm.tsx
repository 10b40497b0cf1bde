import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Note, Row } from "../../parts/layout";
import { day, isZero, money, thoseDays } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { type KeptSeats, useKeptSeats } from "./useKeptSeats";
import { Questions, Who, whoOf, type WhoValues } from "./Who";

type Page = Schemas["SignUpForm"];
type Act = "sign up" | "wait" | "request";
type Values = WhoValues & {
  rates: Record<string, string>;
  extras: Record<string, string>;
  code: string;
  plan: string;
  names: string;
  agreed: boolean;
  note: string;
};
const SENDS: Record<Act, string> = {
  "sign up": "Sign up",
  wait: "Wait for a seat",
  request: "Ask for a seat",
};

/** What is asked for, who it is for, what it costs and when: the form of a run, in the order in which people think of it. */
export function SignUpForm({
  page,
  act,
  code,
  link,
  onDone,
  onMoved,
}: {
  page: Page;
  act: Act;
  code: string;
  link: string;
  onDone: (answer: Schemas["SignedUp"]) => void;
  /** What can be done here has changed meanwhile. */
  onMoved: () => void;
}) {
  const kept = useKeptSeats(page.run_id);
  const usual = page.rates.find((r) => r.why_not === null) ?? page.rates[0];
  const of = useServerForm<Values, Schemas["SignedUp"]>({
    draft: `sign-up-${page.run_id}`,
    start: {
      ...whoOf(page),
      rates: usual ? { [usual.id]: "1" } : {},
      extras: {},
      code: "",
      plan: String(page.plans[0]?.id ?? ""),
      names: "",
      agreed: false,
      note: "",
    },
    send: (values, key) =>
      sendOf(page, act, { values, code, link, key, kept: kept.key, total: quote?.total ?? "0" }),
    done: (answer) => {
      kept.forget();
      onDone(answer);
    },
  });
  const { values } = of;
  const asked = askOf(values, code, link);
  const answer = useQuery({
    queryKey: ["public quote", page.run_id, asked],
    queryFn: () =>
      ask(
        api.POST("/api/v1/catalog/runs/{run_id}/quote", {
          params: { path: { run_id: page.run_id } },
          body: asked,
        }),
      ),
    placeholderData: (old) => old,
    retry: false,
  });
  const quote = answer.data;
  const heads = headsOf(values);
  const moved =
    of.problem?.kind === "full" || of.problem?.kind === "free" || of.problem?.kind === "total-changed";
  const refetch = answer.refetch;
  useEffect(() => {
    if (moved) void refetch();
  }, [moved, refetch, of.problem]);
  const keep = () => {
    if (act === "sign up" && page.seats && values.email.includes("@"))
      kept.keep(values.email, heads, code, link);
  };
  return (
    <Form of={of} label={SENDS[act]} sx={LAID_OUT}>
      <Fields>
        {act === "wait" && (
          <P>All seats are taken. Who waits is written to when a seat comes free, in turn.</P>
        )}
        {act === "request" && (
          <P>Somebody of {page.center} decides on each request. You have no seat by it yet.</P>
        )}
        <Heads page={page} of={of} />
        <Who of={of} known={page.person} onEmail={keep} />
        {heads > 1 && act === "sign up" && (
          <Field
            label="The others, a name a line, as far as you know them"
            width="100%"
            multiline
            value={values.names}
            onChange={(names) => of.set({ names })}
            fault={Object.entries(of.faults).find(([at]) => at.startsWith("/names"))?.[1]}
            help="Names can follow later."
          />
        )}
        <Extras page={page} of={of} />
        <Questions of={of} questions={page.questions} />
        {page.plans.length > 1 && (
          <Choice
            label="How it is paid"
            width={340}
            value={values.plan}
            onChange={(plan) => of.set({ plan })}
            options={page.plans.map((p) => ({ value: String(p.id), text: p.name }))}
            fault={of.faults["/plan_id"]}
          />
        )}
        <Field label="Discount code" width={220} {...of.field("code", "/code")} />
      </Fields>
      <Beside>
        <Kept kept={kept} />
        <Price quote={quote} trouble={answer.error} act={act} />
        {act === "sign up" && page.terms && <Terms page={page} of={of} />}
        {moved && act !== "request" && of.problem?.kind !== "total-changed" && (
          <div>
            <Button onClick={onMoved}>See what can be done now</Button>
          </div>
        )}
        <div>
          <Button type="submit" variant="contained" disabled={of.busy || !quote}>
            {SENDS[act]}
          </Button>
        </div>
      </Beside>
    </Form>
  );
}

// What is filled in at the left, what it comes to beside it, as in the office's margin; on the phone one below the other.
const LAID_OUT = {
  display: "grid",
  gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "minmax(0, 1fr) 340px" },
  gap: "24px 40px",
  alignItems: "start",
};
const Fields = styled("div")({ display: "grid", gap: 14 });
const Beside = styled("div")({
  background: ink.sheet,
  border: `1px solid ${ink.line}`,
  padding: "14px 18px",
  display: "grid",
  gap: 12,
  "& table": { width: "100%", borderCollapse: "collapse" },
  "& th": { textAlign: "left" },
  "& tr:last-child > *": { borderTop: `1px solid ${ink.ink}`, paddingTop: 4 },
  "& ul": { margin: "6px 0 0", paddingLeft: 18 },
  "@media (min-width: 900px)": { position: "sticky", top: 16 },
});

type Of = ReturnType<typeof useServerForm<Values, Schemas["SignedUp"]>>;

const headsOf = (values: Values) =>
  Object.values(values.rates).reduce((sum, n) => sum + (Number(n) || 0), 0) || 1;

function askOf(values: Values, access_code: string, link: string): Schemas["PublicAsk"] {
  const counted = (all: Record<string, string>) =>
    Object.entries(all).flatMap(([id, n]) =>
      Number(n) > 0 ? [{ id: Number(id), count: Math.floor(Number(n)) }] : [],
    );
  return {
    people: counted(values.rates).map(({ id, count }) => ({ rate_id: id, count })),
    extras: counted(values.extras).map(({ id, count }) => ({ extra_id: id, count })),
    code: values.code.trim(),
    plan_id: values.plan ? Number(values.plan) : null,
    access_code,
    key: link,
  };
}

function sendOf(
  page: Page,
  act: Act,
  of: { values: Values; code: string; link: string; key: string; kept: string; total: string },
): Promise<Schemas["SignedUp"]> {
  const { values } = of;
  const how = { params: { path: { run_id: page.run_id }, header: keyHeader(of.key) } };
  const answers = Object.fromEntries(
    Object.entries(values.answers).filter(([q]) => page.questions.includes(q)),
  );
  const { given, family, email, phone, note } = values;
  const body = { ...askOf(values, of.code, of.link), given, family, email, phone, note, answers };
  if (act === "wait") return ask(api.POST("/api/v1/catalog/runs/{run_id}/waiting", { ...how, body }));
  if (act === "request") return ask(api.POST("/api/v1/catalog/runs/{run_id}/requests", { ...how, body }));
  const names = values.names.split("\n").filter((n) => n.trim() !== "");
  const more = { total: of.total, names, terms: values.agreed ? page.terms_mark : "", kept: of.kept };
  return ask(api.POST("/api/v1/catalog/runs/{run_id}/sign-ups", { ...how, body: { ...body, ...more } }));
}

/** How many come, at which rate; one rate asks for the number alone. */
function Heads({ page, of }: { page: Page; of: Of }) {
  const numbers = Array.from({ length: page.most + 1 }, (_, n) => ({ value: String(n), text: String(n) }));
  const open = page.rates.filter((rate) => rate.why_not === null);
  // The server names a rate by its place among those that were asked for.
  const asked = Object.entries(of.values.rates).flatMap(([id, n]) => (Number(n) > 0 ? [Number(id)] : []));
  const faultAt = (id: number) => of.faults[`/people/${asked.indexOf(id)}/rate_id`];
  return (
    <fieldset style={{ border: 0, margin: 0, padding: 0 }}>
      <T as="legend" strong sx={{ padding: 0 }}>
        How many people?
      </T>
      {page.rates.map((rate) => (
        <div key={rate.id}>
          {rate.why_not === null ? (
            <Row mid sx={{ marginTop: "6px" }}>
              <Choice
                label={`${rate.label}, ${money(rate.amount, page.currency)} each`}
                width={320}
                value={of.values.rates[rate.id] ?? "0"}
                onChange={(n) => of.set({ rates: { ...of.values.rates, [rate.id]: n } })}
                options={open.length === 1 ? numbers.slice(1) : numbers}
                fault={faultAt(rate.id)}
              />
            </Row>
          ) : (
            <P small>
              {rate.label}, {money(rate.amount, page.currency)} each. {rate.why_not}
            </P>
          )}
          {rate.left !== null && <P small>{rate.left} left at this rate.</P>}
        </div>
      ))}
      {of.faults["/people"] && <Fault>{of.faults["/people"]}</Fault>}
    </fieldset>
  );
}

function Extras({ page, of }: { page: Page; of: Of }) {
  const free = page.extras.filter((x) => !x.required);
  const most = 12;
  return free.map((extra) => (
    <Choice
      key={extra.id}
      label={`${extra.label}, ${money(extra.amount, page.currency)} each`}
      width={320}
      value={of.values.extras[extra.id] ?? "0"}
      onChange={(n) => of.set({ extras: { ...of.values.extras, [extra.id]: n } })}
      options={Array.from({ length: Math.min(most, extra.most ?? most) + 1 }, (_, n) => ({
        value: String(n),
        text: String(n),
      }))}
    />
  ));
}

/** How long seats are kept yet; typing goes on when they are not kept any more. */
function Kept({ kept }: { kept: KeptSeats }) {
  if (kept.left === null && !kept.said) return null;
  const over = kept.left === 0;
  const minutes = Math.floor((kept.left ?? 0) / 60);
  const seconds = String((kept.left ?? 0) % 60).padStart(2, "0");
  return (
    <Note kind={kept.left !== null && !over ? "done" : "due"} role="status">
      {kept.left === null
        ? kept.said
        : over
          ? "The time is over and the seat is not kept any more. Nothing you typed is lost: sign up as long as there are seats."
          : `${kept.said || "Your seat is kept."} For ${minutes}:${seconds} minutes yet.`}
    </Note>
  );
}

function Terms({ page, of }: { page: Page; of: Of }) {
  const [open, setOpen] = useState(false);
  return (
    <div>
      <Tick checked={of.values.agreed} onChange={(agreed) => of.set({ agreed })}>
        I agree to the terms of {page.center}.
      </Tick>{" "}
      <Button variant="text" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "Fold the terms" : "Read the terms"}
      </Button>
      {/* Sanitized by the server, from Markdown. */}
      {open && <div className="text" dangerouslySetInnerHTML={{ __html: page.terms }} />}
      {of.faults["/terms"] && <Fault>{of.faults["/terms"]}</Fault>}
    </div>
  );
}

/** What it costs, line by line, and what is due when. */
function Price({
  quote,
  trouble,
  act,
}: {
  quote: Schemas["PublicQuote"] | undefined;
  trouble: unknown;
  act: Act;
}) {
  if (trouble) return <Fault role="alert">{messageOf(trouble)}</Fault>;
  if (!quote) return <P tone="slate">Working out the price…</P>;
  const { currency } = quote;
  return (
    <section aria-label="What it costs" aria-live="polite">
      <table>
        <tbody>
          {quote.lines.map((line, n) => (
            <tr key={n}>
              <td>{line.label}</td>
              <T as="td" right>
                {money(line.amount, currency)}
              </T>
            </tr>
          ))}
          {quote.taxes
            .filter((tax) => !isZero(tax.amount))
            .map((tax) => (
              <tr key={tax.label}>
                <td>{tax.label}</td>
                <T as="td" right>
                  {money(tax.amount, currency)}
                </T>
              </tr>
            ))}
          <tr>
            <th scope="row">Total</th>
            <T as="td" right tone="copper" strong>
              {money(quote.total, currency)}
            </T>
          </tr>
        </tbody>
      </table>
      {act === "sign up" && !isZero(quote.total) && (
        <p>{quote.dues.map((due) => `${day(due.day)}: ${money(due.amount, currency)}`).join(" · ")}</p>
      )}
      {act === "sign up" && quote.card && (
        <P small>
          You give a card after signing up; it is charged by itself on {thoseDays(quote.dues.length)}.
        </P>
      )}
      {!quote.can && act === "sign up" && quote.said && <Fault role="alert">{quote.said}</Fault>}
    </section>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Facts, Row } from "../../parts/layout";
import { clock, day, money } from "../../parts/text";
import { P, T } from "../../parts/words";
import type { Run } from "../courses/runTypes";

type Values = {
  account: boolean;
  tied: boolean;
  tag: string;
  organization: string;
  on: string;
  at: string;
  rate: string;
  plan: string;
  code: string;
  access_code: string;
  heads: string;
};

/** What a kind of person would find, could do and would pay at a moment, by the very answers that the public gets. */
export function Rehearse({ run }: { run: Run }) {
  const [answer, setAnswer] = useState<Schemas["Rehearsed"] | null>(null);
  const organizations = $api.useQuery("get", "/api/v1/organizations", { params: { query: { q: "" } } });
  const of = useServerForm<Values, Schemas["Rehearsed"]>({
    draft: null,
    start: {
      account: false,
      tied: false,
      tag: "",
      organization: "",
      on: "",
      at: "",
      rate: "",
      plan: "",
      code: "",
      access_code: "",
      heads: "1",
    },
    stays: true,
    send: (v) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/rehearsal", {
          params: { path: { run_id: run.id } },
          body: {
            at: v.on ? `${v.on}T${v.at || "12:00"}` : null,
            account: v.account,
            tied: v.tied,
            tags: v.tag.trim()
              ? v.tag
                  .split(",")
                  .map((t) => t.trim())
                  .filter(Boolean)
              : [],
            organization_id: v.organization ? Number(v.organization) : null,
            rate_id: v.rate ? Number(v.rate) : null,
            plan_id: v.plan ? Number(v.plan) : null,
            code: v.code,
            access_code: v.access_code,
            heads: Number(v.heads) || (v.heads as unknown as number),
          },
        }),
      ),
    done: setAnswer,
  });
  return (
    <div>
      <Form of={of} label="Rehearse" sx={{ display: "grid", gap: "12px", justifyItems: "start" }}>
        <Row wrap>
          <Field label="On" type="date" width={150} {...of.field("on", "/at")} />
          <Field label="at" tail=" what time" type="time" width={90} {...of.field("at", "")} />
          <Field label="People" width={66} {...of.field("heads")} />
          <Choice
            label="Rate"
            width={150}
            value={of.values.rate}
            onChange={(rate) => of.set({ rate })}
            options={[
              { value: "", text: "the usual" },
              ...run.rates.map((r) => ({ value: String(r.id), text: r.label })),
            ]}
          />
          <Field label="Discount code" width={120} {...of.field("code")} />
          <Field label="Access code" width={110} {...of.field("access_code")} />
        </Row>
        <Row wrap>
          <Tick checked={of.values.account} onChange={(account) => of.set({ account })}>
            with an account
          </Tick>
          <Tick checked={of.values.tied} onChange={(tied) => of.set({ tied })}>
            invited to it, or on it
          </Tick>
          <Field label="Tags, with commas" width={180} {...of.field("tag", "/tags")} />
          <Choice
            label="Of an organization"
            width={220}
            value={of.values.organization}
            onChange={(organization) => of.set({ organization })}
            options={[
              { value: "", text: "none" },
              ...(organizations.data ?? []).map((o) => ({ value: String(o.id), text: o.name })),
            ]}
          />
        </Row>
        <Button type="submit" disabled={of.busy}>
          Rehearse
        </Button>
      </Form>
      {answer && <Answer answer={answer} />}
    </div>
  );
}

function Answer({ answer: a }: { answer: Schemas["Rehearsed"] }) {
  const reasons = [...a.why_not_found, ...a.why_not];
  return (
    <section aria-label="What comes of it" role="status">
      <P strong>
        {day(a.at)}, {clock(a.at)}:{" "}
        {!a.finds
          ? "they do not find it."
          : a.signs_up
            ? "they find it and can sign up."
            : a.waits
              ? "they find it and can wait for a seat."
              : "they find it and cannot sign up."}
      </P>
      {reasons.map((r, n) => (
        <P key={n}>
          {r.staff} <T tone="slate">By {r.where}.</T>
        </P>
      ))}
      {a.trouble && <P tone="brick">{a.trouble}</P>}
      {a.quote && (
        <Facts sx={{ maxWidth: 460 }}>
          {a.quote.lines.map((line, n) => [
            <dt key={`${n}t`}>{line.label}</dt>,
            <dd key={`${n}d`}>{money(line.amount, a.quote!.currency)}</dd>,
            <dd className="why" key={`${n}w`}>
              {line.why}
            </dd>,
          ])}
          <dt className="sum">Total</dt>
          <dd className="sum">{money(a.quote.total, a.quote.currency)}</dd>
          {a.quote.dues.map((due) => [
            <dt key={`${due.day}t`}>{day(due.day)}</dt>,
            <dd key={`${due.day}d`}>{money(due.amount, a.quote!.currency)}</dd>,
          ])}
        </Facts>
      )}
      <P tone="slate">
        Access opens {a.access_opens}
        {a.access_ends ? ` and ends ${day(a.access_ends)}` : ", without an end"}. {a.seats} free.
      </P>
    </section>
  );
}

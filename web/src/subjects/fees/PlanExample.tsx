import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { addDays } from "../../parts/dates";
import { Facts, Inset, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import { Fault, T } from "../../parts/words";
import { digitsOf, type PlanForm, planLines } from "../courses/form";

/** What the plans being typed would ask of somebody who signs up on a run: today, late, or on any day. */
export function PlanExample({
  plans,
  runId,
  currency,
  start,
}: {
  plans: PlanForm[];
  runId: number | null;
  currency: string;
  start: string | null;
}) {
  const me = useMe();
  const [when, setWhen] = useState("today");
  const [on, setOn] = useState("");
  const first = plans.flatMap((p) => p.lines.map((l) => (l.due === "on" ? l.number : ""))).filter(Boolean);
  const signedUp =
    when === "today"
      ? me.today
      : when === "late"
        ? start && addDays(start, -1)
        : when === "after"
          ? (first.sort()[0] && addDays(first.sort()[0]!, 1)) || (start && addDays(start, 1))
          : on;
  return (
    <Inset as="section" aria-label="An example">
      <Row wrap>
        <Choice
          label="If somebody signs up"
          value={when}
          width={230}
          onChange={setWhen}
          options={[
            { value: "today", text: "today" },
            ...(start ? [{ value: "late", text: "the day before the start" }] : []),
            { value: "after", text: "after the first due date" },
            { value: "on", text: "on a day of your choice" },
          ]}
        />
        {when === "on" && <Field label="Day" type="date" value={on} width={160} onChange={setOn} />}
      </Row>
      {plans.map((plan, i) => (
        <One key={i} plan={plan} runId={runId} currency={currency} signedUp={signedUp || me.today} />
      ))}
    </Inset>
  );
}

function One({
  plan,
  runId,
  currency,
  signedUp,
}: {
  plan: PlanForm;
  runId: number | null;
  currency: string;
  signedUp: string;
}) {
  const body = useSettled(
    JSON.stringify({
      run_id: runId,
      ...(runId === null
        ? { total: `240${digitsOf(currency) ? `.${"0".repeat(digitsOf(currency))}` : ""}` }
        : {}),
      lines: planLines(plan.lines, digitsOf(currency)),
      signed_up: signedUp,
    }),
    200,
  );
  const query = useQuery({
    queryKey: ["plan-example", body],
    queryFn: () =>
      ask(api.POST("/api/v1/plan-example", { body: JSON.parse(body) as Schemas["PlanExampleCommand"] })),
    placeholderData: keepPreviousData,
  });
  const found = query.data;
  if (!found) return null;
  return (
    <Box sx={{ marginTop: 12 }} aria-live="polite">
      <T strong as="div">
        {plan.name || "This plan"}, {money(found.total, currency)} on {day(found.signed_up)}
      </T>
      {found.said.map((s) => (
        <Fault key={s}>{s}</Fault>
      ))}
      <Facts>
        {found.installments.map((i) => [
          <dt key={`${i.n}t`}>{i.due === found.signed_up ? "At sign-up" : day(i.due)}</dt>,
          <dd key={`${i.n}d`}>{money(i.amount, currency)}</dd>,
          <dd className="why" key={`${i.n}w`}>
            {i.why}
          </dd>,
        ])}
      </Facts>
    </Box>
  );
}

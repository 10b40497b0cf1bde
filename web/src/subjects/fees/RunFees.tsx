import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, faultsOf, messageOf } from "../../app/server";
import { Part, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import {
  digitsOf,
  extraForm,
  type ExtraForm,
  extrasOf,
  groupForm,
  type GroupForm,
  groupOf,
  planForm,
  type PlanForm,
  plansOf,
  rateForm,
  type RateForm,
  ratesOf,
  taxesOf,
  type TaxForm,
} from "../courses/form";
import { PlansEdit } from "../courses/PlansEdit";
import { RatesEdit } from "../courses/RatesEdit";
import type { Propose, Run } from "../courses/runTypes";
import { Log } from "../log/Log";
import { ExtrasEdit, GroupEdit, TaxesEdit } from "./LinesEdit";
import { PlanExample } from "./PlanExample";
import { PriceChart } from "./PriceChart";
import { QuoteAsOf } from "./QuoteAsOf";
import { type Policy, PolicyText, Refunds } from "./Refunds";
import { Terms, useHash } from "./Terms";

type Props = { run: Run; propose: Propose };

/** What goes back when somebody leaves: the center's policy, or one of the course's own for all its runs. */
function CourseRefunds({ run, acts }: { run: Run; acts: ReturnType<typeof useDone> }) {
  const center = $api.useQuery("get", "/api/v1/defaults");
  const own = run.course.defaults.refunds as Policy | undefined;
  const general = center.data?.values.refunds as Policy | undefined;
  const save = async (value: unknown) => {
    try {
      const { change } = await ask(
        api.PATCH("/api/v1/courses/{course_id}", {
          params: { path: { course_id: run.course.id } },
          body: { seen: { refunds: own ?? null }, set: { refunds: value as Policy | null } },
        }),
      );
      acts.say({
        text: `${run.course.code} has ${value === null ? "the center’s refunds again" : "its own refunds"}; whoever leaves from now on is settled by them.`,
        change,
      });
      return null;
    } catch (error) {
      const faults = faultsOf(error);
      if (Object.keys(faults).length === 0) acts.fail(messageOf(error));
      return faults;
    }
  };
  return (
    <Refunds
      stored={own}
      start={general}
      currency={run.currency}
      name={`refunds-${run.course.id}`}
      save={save}
      act={own ? "Change" : "Give this course its own"}
    >
      {own ? (
        <P tone="slate">
          Of all runs of {run.course.code}.{" "}
          <Button variant="text" color="secondary" onClick={() => void save(null)}>
            take the center’s
          </Button>
        </P>
      ) : general ? (
        <>
          <PolicyText policy={general} currency={run.currency} />
          <P tone="slate">The center’s, for every course without its own.</P>
        </>
      ) : (
        <P tone="slate">No policy: everything goes back, as credit of the account.</P>
      )}
    </Refunds>
  );
}

/** Everything that decides what a sign-up on a run costs, and what follows from it day by day. */
export function RunFees({ run, propose, acts }: Props & { acts: ReturnType<typeof useDone> }) {
  useHash();
  return (
    <>
      <DayByDay run={run} />
      <Rates run={run} propose={propose} />
      <Extras run={run} propose={propose} />
      <Groups run={run} propose={propose} />
      <Taxes run={run} propose={propose} />
      <Plans run={run} propose={propose} acts={acts} />
      <Part as="div" id="refunds">
        <h2>Refunds</h2>
        <CourseRefunds run={run} acts={acts} />
      </Part>
    </>
  );
}

const soldOn = (run: Run) => [...run.rates, ...run.extras].map(({ code, label }) => ({ code, label }));

function DayByDay({ run }: { run: Run }) {
  const warned = run.readiness.filter((f) => f.at === "/rates" || f.at === "/extras");
  return (
    <Part as="div" sx={{ borderTop: 0 }} id="prices">
      <h2>What one person pays, day by day</h2>
      <div>
        <PriceChart
          runs={[
            {
              id: run.id,
              code: run.code,
              title: run.title,
              currency: run.currency,
              start: run.first,
              lines: run.price_line,
              gates: run.gates,
              warnings: [],
            },
          ]}
          today={run.now.slice(0, 10)}
        />
        {warned.map((f) => (
          <P tone="ochre" key={f.message}>
            {f.message}
          </P>
        ))}
        <Row as="p" sx={{ gap: 18 }}>
          <Link to={`/money/prices?run=${run.id}`}>Compare with other runs</Link>
          <Link to={`/runs/${run.id}/early-bird`}>Early-bird planner</Link>
        </Row>
        <QuoteAsOf run={run} />
      </div>
    </Part>
  );
}

function Rates({ run, propose }: Props) {
  return (
    <Part as="div" id="rates">
      <h2>Rates</h2>
      <Terms
        run={run}
        propose={propose}
        name="rates"
        start={() => run.rates.map(rateForm)}
        sent={(form) => ratesOf(form, digitsOf(run.currency))}
        edit={(form: RateForm[], setForm, faults) => (
          <RatesEdit
            rates={form}
            onChange={setForm}
            faults={faults}
            at="/set/rates"
            currency={run.currency}
            firstDay={run.first}
          />
        )}
      >
        {run.rates.map((rate) => (
          <RateText key={rate.id} rate={rate} currency={run.currency} />
        ))}
      </Terms>
    </Part>
  );
}

function Extras({ run, propose }: Props) {
  return (
    <Part as="div" id="extras">
      <h2>Extras</h2>
      <Terms
        run={run}
        propose={propose}
        name="extras"
        start={() => run.extras.map(extraForm)}
        sent={(form) => extrasOf(form, digitsOf(run.currency))}
        edit={(form: ExtraForm[], setForm, faults) => (
          <ExtrasEdit
            value={form}
            onChange={setForm}
            faults={faults}
            at="/set/extras"
            currency={run.currency}
          />
        )}
      >
        {run.extras.length === 0 && <P tone="slate">Nothing beside the seat.</P>}
        {run.extras.map((x) => (
          <div key={x.id}>
            {x.label}:{" "}
            <T tone="copper" as="strong">
              {money(x.amount, run.currency)}
            </T>
            <T tone="slate">
              {x.required ? ", by every head" : ""}
              {x.most ? `, at most ${x.most} a sign-up` : ""}
              {x.item ? `, ${x.stock} of ${x.item} in stock` : ""}
            </T>
          </div>
        ))}
      </Terms>
    </Part>
  );
}

function Groups({ run, propose }: Props) {
  return (
    <Part as="div" id="group">
      <h2>Groups</h2>
      <Terms
        run={run}
        propose={propose}
        name="group"
        start={() => run.group.map(groupForm)}
        sent={groupOf}
        edit={(form: GroupForm[], setForm, faults) => (
          <GroupEdit value={form} onChange={setForm} faults={faults} at="/set/group" />
        )}
      >
        {run.group.length === 0 && <P tone="slate">A group pays what each person would.</P>}
        {run.group.map((g) => (
          <div key={g.from}>
            From {g.from} people:{" "}
            <T tone="copper" as="strong">
              {g.percent} percent
            </T>{" "}
            off each head
          </div>
        ))}
      </Terms>
    </Part>
  );
}

function Taxes({ run, propose }: Props) {
  const sold = soldOn(run);
  return (
    <Part as="div" id="taxes">
      <h2>Taxes</h2>
      <Terms
        run={run}
        propose={propose}
        name="taxes"
        start={() => run.taxes}
        sent={taxesOf}
        edit={(form: TaxForm[], setForm, faults) => (
          <TaxesEdit value={form} onChange={setForm} faults={faults} at="/set/taxes" sold={sold} />
        )}
      >
        {run.taxes.length === 0 && <P tone="slate">No tax.</P>}
        {run.taxes.map((t) => (
          <div key={t.name}>
            {t.name}:{" "}
            <T tone="copper" as="strong">
              {t.percent} percent
            </T>{" "}
            <T tone="slate">
              {t.included ? "in the price" : "on top"} of{" "}
              {t.on === null
                ? "everything"
                : t.on.map((c) => sold.find((s) => s.code === c)?.label ?? c).join(", ")}
            </T>
          </div>
        ))}
      </Terms>
    </Part>
  );
}

function Plans({ run, propose, acts }: Props & { acts: ReturnType<typeof useDone> }) {
  const [log, setLog] = useState(false);
  return (
    <Part as="div" id="plans">
      <h2>Payment plans</h2>
      <Terms
        run={run}
        propose={propose}
        name="plans"
        start={() => run.plans.map(planForm)}
        sent={(form) => plansOf(form, digitsOf(run.currency))}
        edit={(form: PlanForm[], setForm, faults) => (
          <>
            <PlansEdit plans={form} onChange={setForm} faults={faults} at="/set/plans" />
            <PlanExample plans={form} runId={run.id} currency={run.currency} start={run.first} />
          </>
        )}
      >
        {run.plans.map((plan) => (
          <Box key={plan.id} sx={{ marginBottom: 8 }}>
            <T strong as="div">
              {plan.name}
            </T>
            {plan.lines.map((l, i) => (
              <T tone="slate" as="div" key={i}>
                {l.text}
                {l.settle === "any" ? "" : l.settle === "desk" ? ", at the desk" : ", online"}.
              </T>
            ))}
            {plan.details && (
              <T tone="slate" as="div">
                Payment details are taken at sign-up.
              </T>
            )}
          </Box>
        ))}
        <P tone="slate">
          The <Link to="/money/plans">plans of the center</Link> that fit the course can be chosen too.{" "}
          <Button variant="text" color="secondary" aria-expanded={log} onClick={() => setLog(!log)}>
            log of the plans
          </Button>
        </P>
        {log && <Log of="run" id={run.id} acts={acts} first="plans" />}
      </Terms>
    </Part>
  );
}

/** A rate in words: its amount, what lowers it and until when, and who may have it. */
function RateText({ rate, currency }: { rate: Run["rates"][number]; currency: string }) {
  const who = [
    rate.tags.length ? `for ${rate.tags.join(", ")}` : "",
    rate.organization_id ? "for one organization" : "",
    rate.past_course_id ? "for people who took a course" : "",
    rate.offered_from ? `from ${day(rate.offered_from)}` : "",
    rate.offered_to ? `through ${day(rate.offered_to)}` : "",
    rate.most ? `${rate.most} seats` : "",
    rate.by_agreement ? "may be agreed case by case" : "",
  ].filter(Boolean);
  return (
    <Box sx={{ marginBottom: 8 }}>
      {rate.label}:{" "}
      <T tone="copper" as="strong">
        {money(rate.amount, currency)}
      </T>
      {who.length > 0 && <T tone="slate"> {who.join("; ")}</T>}
      {rate.early.map((s, i) => (
        <T tone="slate" as="div" key={i}>
          early{" "}
          <T tone="copper" as="strong">
            {s.amount
              ? money(s.amount, currency)
              : s.percent
                ? `${s.percent} percent off`
                : `${money(s.off, currency)} off`}
          </T>{" "}
          through {s.until ? day(s.until) : `${s.days_before} days before the start`}
        </T>
      ))}
      {rate.sale && (
        <T tone="slate" as="div">
          sale{" "}
          <T tone="copper" as="strong">
            {money(rate.sale.amount, currency)}
          </T>
          {rate.sale.from && ` from ${day(rate.sale.from)}`}
          {rate.sale.to && ` through ${day(rate.sale.to)}`}
        </T>
      )}
    </Box>
  );
}

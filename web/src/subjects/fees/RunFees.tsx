import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { api, ask, faultsOf, messageOf } from "../../app/server";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import {
  digitsOf,
  extraForm,
  extrasOf,
  groupForm,
  groupOf,
  planForm,
  plansOf,
  rateForm,
  ratesOf,
  taxesOf,
  type ExtraForm,
  type GroupForm,
  type PlanForm,
  type RateForm,
  type TaxForm,
} from "../courses/form";
import { PlansEdit } from "../courses/PlansEdit";
import { RatesEdit } from "../courses/RatesEdit";
import type { Propose, Run } from "../courses/runTypes";
import { ExtrasEdit, GroupEdit, TaxesEdit } from "./LinesEdit";
import { PlanExample } from "./PlanExample";
import { PriceChart } from "./PriceChart";
import { PolicyText, Refunds, type Policy } from "./Refunds";
import { Terms, useHash } from "./Terms";

type Props = { run: Run; propose: Propose };

/** What goes back when somebody leaves: the center's policy, or one of the course's own for all its runs. */
function CourseRefunds({ run, acts }: { run: Run; acts: ReturnType<typeof useDone> }) {
  const center = useQuery({ queryKey: ["defaults"], queryFn: () => ask(api.GET("/api/v1/defaults")) });
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
        <p className="slate">
          Of all runs of {run.course.code}.{" "}
          <button type="button" className="plainly quiet" onClick={() => void save(null)}>
            take the center’s
          </button>
        </p>
      ) : general ? (
        <>
          <PolicyText policy={general} currency={run.currency} />
          <p className="slate">The center’s, for every course without its own.</p>
        </>
      ) : (
        <p className="slate">No policy: everything goes back, as credit of the account.</p>
      )}
    </Refunds>
  );
}

/** Everything that decides what a sign-up on a run costs, and what follows from it day by day. */
export function RunFees({ run, propose, acts }: Props & { acts: ReturnType<typeof useDone> }) {
  useHash();
  const warned = run.readiness.filter((f) => f.at === "/rates" || f.at === "/extras");
  const sold = [...run.rates, ...run.extras].map(({ code, label }) => ({ code, label }));
  return (
    <>
      <div className="part" style={{ borderTop: 0 }} id="prices">
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
            <p key={f.message} className="ochre">
              {f.message}
            </p>
          ))}
          <p className="row" style={{ gap: 18 }}>
            <Link to={`/money/prices?run=${run.id}`}>Compare with other runs</Link>
            <Link to={`/runs/${run.id}/early-bird`}>Early-bird planner</Link>
          </p>
        </div>
      </div>
      <div className="part" id="rates">
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
      </div>
      <div className="part" id="extras">
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
          {run.extras.length === 0 && <p className="slate">Nothing beside the seat.</p>}
          {run.extras.map((x) => (
            <div key={x.id}>
              {x.label}: <strong className="copper">{money(x.amount, run.currency)}</strong>
              <span className="slate">
                {x.required ? ", by every head" : ""}
                {x.most ? `, at most ${x.most} a sign-up` : ""}
                {x.item ? `, ${x.stock} of ${x.item} in stock` : ""}
              </span>
            </div>
          ))}
        </Terms>
      </div>
      <div className="part" id="group">
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
          {run.group.length === 0 && <p className="slate">A group pays what each person would.</p>}
          {run.group.map((g) => (
            <div key={g.from}>
              From {g.from} people: <strong className="copper">{g.percent} percent</strong> off each head
            </div>
          ))}
        </Terms>
      </div>
      <div className="part" id="taxes">
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
          {run.taxes.length === 0 && <p className="slate">No tax.</p>}
          {run.taxes.map((t) => (
            <div key={t.name}>
              {t.name}: <strong className="copper">{t.percent} percent</strong>{" "}
              <span className="slate">
                {t.included ? "in the price" : "on top"} of{" "}
                {t.on === null
                  ? "everything"
                  : t.on.map((c) => sold.find((s) => s.code === c)?.label ?? c).join(", ")}
              </span>
            </div>
          ))}
        </Terms>
      </div>
      <div className="part" id="plans">
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
            <div key={plan.id} style={{ marginBottom: 8 }}>
              <div className="strong">{plan.name}</div>
              {plan.lines.map((l, i) => (
                <div key={i} className="slate">
                  {l.text}
                  {l.settle === "any" ? "" : l.settle === "desk" ? ", at the desk" : ", online"}.
                </div>
              ))}
              {plan.details && <div className="slate">Payment details are taken at sign-up.</div>}
            </div>
          ))}
          <p className="slate">
            The <Link to="/money/plans">plans of the center</Link> that fit the course can be chosen too.
          </p>
        </Terms>
      </div>
      <div className="part" id="refunds">
        <h2>Refunds</h2>
        <CourseRefunds run={run} acts={acts} />
      </div>
    </>
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
    <div style={{ marginBottom: 8 }}>
      {rate.label}: <strong className="copper">{money(rate.amount, currency)}</strong>
      {who.length > 0 && <span className="slate"> {who.join("; ")}</span>}
      {rate.early.map((s, i) => (
        <div key={i} className="slate">
          early{" "}
          <strong className="copper">
            {s.amount
              ? money(s.amount, currency)
              : s.percent
                ? `${s.percent} percent off`
                : `${money(s.off, currency)} off`}
          </strong>{" "}
          through {s.until ? day(s.until) : `${s.days_before} days before the start`}
        </div>
      ))}
      {rate.sale && (
        <div className="slate">
          sale <strong className="copper">{money(rate.sale.amount, currency)}</strong>
          {rate.sale.from && ` from ${day(rate.sale.from)}`}
          {rate.sale.to && ` through ${day(rate.sale.to)}`}
        </div>
      )}
    </div>
  );
}

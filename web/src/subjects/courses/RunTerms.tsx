import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { useLocation } from "react-router";

import { api, ask } from "../../app/server";
import { useKept } from "../../app/session";
import { Field } from "../../parts/Field";
import { day, money } from "../../parts/text";
import { digitsOf, planForm, plansOf, rateForm, ratesOf, whole, type PlanForm, type RateForm } from "./form";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";
import { Gates } from "../schedule/Gates";
import type { Propose, Run } from "./RunPage";

type Props = { run: Run; propose: Propose };

/** Seats, fees and plans of a run. On a draft a field saves when it is left; else changes wait in the margin. */
export function RunTerms({ run, propose }: Props) {
  const { hash } = useLocation();
  useEffect(() => {
    if (!hash) return;
    const name = hash.slice(1);
    const field = document.querySelector<HTMLInputElement>(`[data-name="${CSS.escape(name)}"] input`);
    if (field) field.focus();
    else document.getElementById(name)?.scrollIntoView({ block: "start" });
  }, [hash]);
  return (
    <>
      <div className="part" style={{ borderTop: 0 }} id="facts">
        <h2>Seats</h2>
        <Facts run={run} propose={propose} />
      </div>
      <div className="part" id="gates">
        <h2>Gates</h2>
        <Gates run={run} propose={propose} />
      </div>
      <div className="part" id="rates">
        <h2>Fee</h2>
        <Fees run={run} propose={propose} />
      </div>
      <div className="part" id="plans">
        <h2>Payment plan</h2>
        <Plans run={run} propose={propose} />
      </div>
    </>
  );
}

/** Where a value comes from, and the way back to the course's. */
function Source({ run, name, propose }: Props & { name: string }) {
  const queries = useQueryClient();
  const defaults = run.course.defaults as Record<string, unknown>;
  const own = !run.sources.includes(name);
  const keep = async () => {
    await propose(
      `Make the ${name} what new runs of ${run.course.code} start with`,
      () =>
        ask(
          api.POST("/api/v1/runs/{run_id}/defaults", {
            params: { path: { run_id: run.id } },
            body: { names: [name] },
          }),
        ),
      undefined,
      true,
    );
    void queries.invalidateQueries({ queryKey: ["courses"] });
  };
  const takeBack = () => {
    const value = defaults[name];
    const seen = (run as unknown as Record<string, unknown>)[name];
    return propose(`Take the ${name} of the course`, (preview, over) =>
      name === "rates" || name === "plans"
        ? ask(
            api.PATCH("/api/v1/runs/{run_id}/terms", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: { seen: { [name]: seen, ...over }, set: { [name]: value } },
            }),
          )
        : ask(
            api.PATCH("/api/v1/runs/{run_id}", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: { seen: { [name]: seen, ...over }, set: { [name]: value } },
            }),
          ),
    );
  };
  if (!own) return <span className="slate">from the course</span>;
  return (
    <span className="slate">
      this run’s own{" "}
      {name in defaults && (
        <button
          type="button"
          className="plainly quiet"
          aria-label={`Take the course’s ${name}`}
          onClick={() => void takeBack()}
        >
          take the course’s
        </button>
      )}{" "}
      <button
        type="button"
        className="plainly quiet"
        aria-label={`Make it the course’s default: ${name}`}
        onClick={() => void keep()}
      >
        make it the course’s default
      </button>
    </span>
  );
}

const FACTS = ["capacity", "smallest", "sign_up_opens", "place", "instructor", "own_title", "note"] as const;
type Fact = (typeof FACTS)[number];
const SENT: Record<Fact, string> = {
  capacity: "capacity",
  smallest: "smallest",
  sign_up_opens: "sign_up_opens",
  place: "place",
  instructor: "instructor",
  own_title: "title",
  note: "note",
};

function factsOf(run: Run): Record<Fact, string> {
  return {
    capacity: String(run.capacity),
    smallest: String(run.smallest),
    sign_up_opens: run.sign_up_opens ?? "",
    place: run.place,
    instructor: run.instructor,
    own_title: run.own_title,
    note: run.note,
  };
}

function valueOf(name: Fact, text: string): string | number | null {
  if (name === "capacity") return whole(text);
  if (name === "smallest") return whole(text) ?? 0;
  return name === "sign_up_opens" ? text || null : text;
}

/** An edit that is not saved yet, with the value that stood there when it was begun. */
type Edits = Partial<Record<Fact, { text: string; seen: string }>>;

function Facts({ run, propose }: Props) {
  const stored = factsOf(run);
  const [edits, setEdits] = useKept<Edits>(`run-facts-${run.id}`, {});
  const [faults, setFaults] = useState<Record<string, string>>({});
  const draft = run.status === "draft";
  const changed = FACTS.filter((name) => edits[name] && edits[name].text !== stored[name]);
  const without = (names: readonly Fact[]) => (old: Edits) =>
    Object.fromEntries(Object.entries(old).filter(([n]) => !names.includes(n as Fact))) as Edits;
  const send = async (names: Fact[]) => {
    const value = (kind: "text" | "seen") =>
      Object.fromEntries(names.map((n) => [SENT[n], valueOf(n, edits[n]![kind])]));
    const what = `Change the ${names.map((n) => SENT[n].replace(/_/g, " ")).join(", ")}`;
    const found = await propose(
      what,
      (preview, over) =>
        ask(
          api.PATCH("/api/v1/runs/{run_id}", {
            params: { path: { run_id: run.id }, query: { preview } },
            body: { seen: { ...value("seen"), ...over }, set: value("text") },
          }),
        ),
      () => setEdits(without(names)),
    );
    setFaults(found ?? {});
  };
  const field = (name: Fact, label: string, width?: number, type = "text") => (
    <Field
      name={name}
      label={label}
      type={type}
      width={width}
      value={edits[name]?.text ?? stored[name]}
      onChange={(text) =>
        setEdits((old) => ({ ...old, [name]: { text, seen: old[name]?.seen ?? stored[name] } }))
      }
      onBlur={() => draft && changed.includes(name) && void send([name])}
      fault={faults[`/set/${SENT[name]}`]}
      help={
        ["capacity", "smallest", "place", "instructor"].includes(name) ? (
          <Source run={run} name={name} propose={propose} />
        ) : undefined
      }
    />
  );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        if (changed.length) void send(changed);
      }}
      noValidate
    >
      <div className="row wrap">
        {field("capacity", "Seats", 270)}
        {field("smallest", "Smallest number", 270)}
        {field("sign_up_opens", "Sign-up opens", 160, "date")}
      </div>
      <div className="row">
        {field("place", "Place")}
        {field("instructor", "Instructor")}
      </div>
      <div className="row">
        {field("own_title", "Title of this run, if it differs")}
        {field("note", "Note for staff")}
      </div>
      <p className="slate" style={{ marginTop: 10 }}>
        {draft && "On a draft each field is saved when you leave it."}
      </p>
      {!draft && changed.length > 0 && (
        <div className="note due row mid">
          <span className="grow">
            Not saved yet: {changed.map((n) => SENT[n].replace(/_/g, " ")).join(", ")}.
          </span>
          <Button type="submit" variant="contained">
            See what it touches
          </Button>
          <Button
            onClick={() => {
              setEdits({});
              setFaults({});
            }}
          >
            Leave as it was
          </Button>
        </div>
      )}
    </form>
  );
}

function Fees({ run, propose }: Props) {
  return (
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
        <div key={rate.id} style={{ marginBottom: 8 }}>
          {rate.label}: <strong className="copper">{money(rate.amount, run.currency)}</strong>
          {rate.early.map((s, i) => (
            <div key={i} className="slate">
              early{" "}
              <strong className="copper">
                {s.amount
                  ? money(s.amount, run.currency)
                  : s.percent
                    ? `${s.percent} percent off`
                    : `${money(s.off, run.currency)} off`}
              </strong>{" "}
              through {s.until ? day(s.until) : `${s.days_before} days before the start`}
            </div>
          ))}
        </div>
      ))}
    </Terms>
  );
}

function Plans({ run, propose }: Props) {
  return (
    <Terms
      run={run}
      propose={propose}
      name="plans"
      start={() => run.plans.map(planForm)}
      sent={(form) => plansOf(form, digitsOf(run.currency))}
      edit={(form: PlanForm[], setForm, faults) => (
        <PlansEdit plans={form} onChange={setForm} faults={faults} at="/set/plans" />
      )}
    >
      {run.plans.map((plan) => (
        <div key={plan.id} style={{ marginBottom: 8 }}>
          <div className="strong">{plan.name}</div>
          {plan.lines.map((l, i) => (
            <div key={i} className="slate">
              {l.text}.
            </div>
          ))}
        </div>
      ))}
    </Terms>
  );
}

/** The rates or the plans of a run: read first; changed as a whole list, kept while it is not saved. */
function Terms<Form>({
  run,
  propose,
  name,
  start,
  sent,
  edit,
  children,
}: Props & {
  name: "rates" | "plans";
  start: () => Form;
  sent: (form: Form) => unknown;
  edit: (form: Form, setForm: (form: Form) => void, faults: Record<string, string>) => ReactNode;
  children: ReactNode;
}) {
  const [kept, setKept] = useKept<{ form: Form; seen: unknown } | null>(`run-${name}-${run.id}`, null);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const close = () => {
    setKept(null);
    setFaults({});
  };
  if (kept === null)
    return (
      <div>
        {children}
        <p>
          <Source run={run} name={name} propose={propose} />
        </p>
        <Button onClick={() => setKept({ form: start(), seen: run[name] })}>Change the {name}</Button>
      </div>
    );
  const submit = async () => {
    const found = await propose(
      `Change the ${name} for new sign-ups`,
      (preview, over) =>
        ask(
          api.PATCH("/api/v1/runs/{run_id}/terms", {
            params: { path: { run_id: run.id }, query: { preview } },
            body: { seen: { [name]: kept.seen, ...over }, set: { [name]: sent(kept.form) } },
          }),
        ),
      close,
    );
    setFaults(found ?? {});
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void submit();
      }}
      noValidate
    >
      {edit(kept.form, (form) => setKept({ ...kept, form }), faults)}
      <div className="row" style={{ marginTop: 14 }}>
        <Button type="submit" variant="contained">
          {run.status === "draft" ? "Save" : "See what it touches"}
        </Button>
        <Button onClick={close}>Leave as it was</Button>
      </div>
    </form>
  );
}

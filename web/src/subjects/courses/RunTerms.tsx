import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask } from "../../app/server";
import { Field } from "../../parts/Field";
import { day, money } from "../../parts/text";
import { digitsOf, planLineForm, planLines, rateOf, whole, type PlanLineForm } from "./form";
import { PlanLines } from "./PlanLines";
import type { Propose, Run } from "./RunPage";

type Part = "facts" | "fee" | "plan";

/** Seats, fee and plan of a run: read first, changed part by part. */
export function RunTerms({ run, propose }: { run: Run; propose: Propose }) {
  const [open, setOpen] = useState<Part | null>(null);
  const close = () => setOpen(null);
  const rate = run.rates[0];
  const plan = run.plans[0];
  return (
    <>
      <div className="part" style={{ borderTop: 0 }}>
        <h2>Seats</h2>
        {open === "facts" ? (
          <Facts run={run} propose={propose} onClose={close} />
        ) : (
          <Reading onChange={() => setOpen("facts")} what="seats and place">
            <p>
              <strong>{run.capacity}</strong> seats; goes ahead from <strong>{run.smallest || 1}</strong>.
            </p>
            <p>
              {run.place || "No place yet"}
              {run.instructor ? `, with ${run.instructor}` : ", no instructor yet"}.
            </p>
            <p>
              Sign-up opens {run.sign_up_opens ? `on ${day(run.sign_up_opens)}` : "when the run is published"}{" "}
              and closes at the end of the day before the first meeting.
            </p>
            {run.note && <p className="slate">{run.note}</p>}
          </Reading>
        )}
      </div>
      <div className="part">
        <h2>Fee</h2>
        {open === "fee" ? (
          <Fee run={run} propose={propose} onClose={close} />
        ) : (
          <Reading onChange={() => setOpen("fee")} what="fee">
            {rate && (
              <p>
                {rate.label}: <strong className="copper">{money(rate.amount, run.currency)}</strong>
              </p>
            )}
            {rate?.early.map((s, i) => (
              <p key={i}>
                Early:{" "}
                <strong className="copper">
                  {s.amount
                    ? money(s.amount, run.currency)
                    : s.percent
                      ? `${s.percent} percent off`
                      : `${money(s.off, run.currency)} off`}
                </strong>{" "}
                through {s.until ? day(s.until) : `${s.days_before} days before the start`}
                {!s.until &&
                  run.gates.find((g) => g.kind === "early step ends") &&
                  `, ${day(run.gates.find((g) => g.kind === "early step ends")!.day)}`}
                .
              </p>
            ))}
          </Reading>
        )}
      </div>
      <div className="part">
        <h2>Payment plan</h2>
        {open === "plan" ? (
          <PlanEdit run={run} propose={propose} onClose={close} />
        ) : (
          <Reading onChange={() => setOpen("plan")} what="payment plan">
            <p className="strong">{plan?.name}</p>
            {plan?.lines.map((l) => (
              <p key={l.text}>{l.text}.</p>
            ))}
          </Reading>
        )}
      </div>
    </>
  );
}

function Reading({
  children,
  onChange,
  what,
}: {
  children: React.ReactNode;
  onChange: () => void;
  what: string;
}) {
  return (
    <div className="row">
      <div className="grow">{children}</div>
      <button className="plainly" aria-label={`Change ${what}`} onClick={onChange}>
        change
      </button>
    </div>
  );
}

function Buttons({ run, onClose }: { run: Run; onClose: () => void }) {
  return (
    <div className="row">
      <Button type="submit" variant="contained">
        {run.status === "draft" ? "Save" : "See what it touches"}
      </Button>
      <Button onClick={onClose}>Leave as it was</Button>
    </div>
  );
}

type EditProps = { run: Run; propose: Propose; onClose: () => void };

function useEdit(propose: Propose, onClose: () => void) {
  const [faults, setFaults] = useState<Record<string, string>>({});
  const send = async (...given: Parameters<Propose>) => {
    const found = await propose(...given);
    if (found === null) onClose();
    else setFaults(found);
  };
  return { faults, send };
}

function Facts({ run, propose, onClose }: EditProps) {
  const seen = {
    capacity: run.capacity,
    smallest: run.smallest,
    place: run.place,
    instructor: run.instructor,
    sign_up_opens: run.sign_up_opens,
    title: run.own_title,
    note: run.note,
  };
  const [form, setForm] = useState({
    capacity: String(run.capacity),
    smallest: String(run.smallest),
    place: run.place,
    instructor: run.instructor,
    sign_up_opens: run.sign_up_opens ?? "",
    title: run.own_title,
    note: run.note,
  });
  const { faults, send } = useEdit(propose, onClose);
  const field = (name: keyof typeof form, label: string, width?: number, type = "text") => (
    <Field
      label={label}
      type={type}
      width={width}
      value={form[name]}
      onChange={(v) => setForm({ ...form, [name]: v })}
      fault={faults[`/set/${name}`]}
    />
  );
  const submit = () => {
    const all = {
      ...form,
      capacity: whole(form.capacity),
      smallest: whole(form.smallest) ?? 0,
      sign_up_opens: form.sign_up_opens || null,
    };
    const set = Object.fromEntries(
      Object.entries(all).filter(([k, v]) => v !== seen[k as keyof typeof seen]),
    );
    if (Object.keys(set).length === 0) return onClose();
    return void send("Change the seats and facts", (preview) =>
      ask(
        api.PATCH("/api/v1/runs/{run_id}", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { seen, set },
        }),
      ),
    );
  };
  return (
    <form onSubmit={(e) => (e.preventDefault(), submit())} noValidate>
      <div className="row wrap">
        {field("capacity", "Seats", 90)}
        {field("smallest", "Smallest number", 130)}
        {field("sign_up_opens", "Sign-up opens", 160, "date")}
      </div>
      <div className="row">
        {field("place", "Place")}
        {field("instructor", "Instructor")}
      </div>
      <div className="row">
        {field("title", "Title of this run, if it differs")}
        {field("note", "Note for staff")}
      </div>
      <Buttons run={run} onClose={onClose} />
    </form>
  );
}

function Fee({ run, propose, onClose }: EditProps) {
  const rate = run.rates[0]!;
  const step = rate.early[0];
  const digits = digitsOf(run.currency);
  const [form, setForm] = useState({
    fee: rate.amount,
    early: step?.amount ?? "",
    earlyDays: String(step?.days_before ?? 14),
  });
  const { faults, send } = useEdit(propose, onClose);
  const submit = () =>
    void send("Change the fee for new sign-ups", (preview) =>
      ask(
        api.PATCH("/api/v1/runs/{run_id}/terms", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { seen: { rate }, set: { rate: { ...rateOf(form, digits), label: rate.label } } },
        }),
      ),
    );
  return (
    <form onSubmit={(e) => (e.preventDefault(), submit())} noValidate>
      <div className="row wrap">
        <Field
          label={`Fee in ${run.currency}`}
          width={120}
          value={form.fee}
          onChange={(v) => setForm({ ...form, fee: v })}
          fault={faults["/set/rate/amount"]}
        />
        <Field
          label="Early price"
          width={120}
          value={form.early}
          placeholder="none"
          onChange={(v) => setForm({ ...form, early: v })}
          fault={faults["/set/rate/early/0/amount"]}
        />
        <Field
          label="Through … days before the start"
          width={210}
          value={form.earlyDays}
          onChange={(v) => setForm({ ...form, earlyDays: v })}
          fault={faults["/set/rate/early/0/days_before"] ?? faults["/set/rate/early/0"]}
        />
      </div>
      <Buttons run={run} onClose={onClose} />
    </form>
  );
}

function PlanEdit({ run, propose, onClose }: EditProps) {
  const plan = run.plans[0]!;
  const [name, setName] = useState(plan.name);
  const [lines, setLines] = useState<PlanLineForm[]>(plan.lines.map(planLineForm));
  const { faults, send } = useEdit(propose, onClose);
  const submit = () =>
    void send("Change the payment plan for new sign-ups", (preview) =>
      ask(
        api.PATCH("/api/v1/runs/{run_id}/terms", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { seen: { plan }, set: { plan: { name, lines: planLines(lines, digitsOf(run.currency)) } } },
        }),
      ),
    );
  return (
    <form onSubmit={(e) => (e.preventDefault(), submit())} noValidate>
      <PlanLines
        name={name}
        lines={lines}
        faults={faults}
        at="/set/plan"
        onChange={(n, l) => {
          setName(n);
          setLines(l);
        }}
      />
      <div className="row" />
      <Buttons run={run} onClose={onClose} />
    </form>
  );
}

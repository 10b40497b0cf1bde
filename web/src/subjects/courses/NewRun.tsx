import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type FormEvent } from "react";
import { Link, useNavigate } from "react-router";

import { api, ask, faultsOf, keyHeader, messageOf, newKey } from "../../app/server";
import { useKept, useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { Page } from "../../parts/Page";
import { clock, count, day, hours, length, money, weekdays } from "../../parts/text";
import {
  digitsOf,
  documentOf,
  EMPTY,
  fromDefaults,
  minutesOf,
  patternOf,
  planLines,
  ratesOf,
  type CourseDefaults,
  type DateChange,
  type RunForm,
} from "./form";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";
import {
  useCalculator,
  type Planned,
  type PlannedInstallments,
  type PlannedMeeting,
  type Quoted,
} from "./usePreview";

const DAYS = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
const LETTERS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** A new run from a flyer: dates, seats, fee, plan; every consequence in the margin before it is saved. */
export default function NewRun() {
  const me = useMe();
  const go = useNavigate();
  const queries = useQueryClient();
  const [form, setForm, forget] = useKept<RunForm>("new-run", EMPTY);
  const [key, , forgetKey] = useKept("new-run-key", newKey());
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const sheet = useRef<HTMLFormElement>(null);
  const [sent, setSent] = useState<RunForm | null>(null);
  const faults = standing(faultsOf(error), sent, form);
  const set = (change: Partial<RunForm>) => setForm((old) => ({ ...old, ...change }));
  /** A change of the pattern makes other dates, so single changes no longer fit. */
  const setPattern = (change: Partial<RunForm>) => set({ ...change, changes: [] });
  const digits = digitsOf(me.currency);

  const courses = useQuery({ queryKey: ["courses"], queryFn: () => ask(api.GET("/api/v1/courses")) });
  const settled = useSettled(form);
  const minutes = minutesOf(settled);
  const complete = settled.first && settled.start && typeof minutes === "number" && minutes > 0;
  const planned = useCalculator<Planned>(
    "schedule",
    complete ? { time_zone: me.time_zone, patterns: [patternOf(settled)] } : null,
  );
  const dates = complete && !planned.error ? withChanges(planned.data?.meetings ?? [], form.changes) : [];
  const kept = dates.filter((d) => !d.dropped);
  const firstDay = kept.map((d) => d.date).sort()[0] ?? null;

  /** A course brings its defaults along; they can all be changed here. */
  const choose = (courseId: string) => {
    const course = courses.data?.find((c) => String(c.id) === courseId);
    set({ courseId, ...(course ? fromDefaults(course.defaults as CourseDefaults) : {}) });
  };
  const chosen = courses.data?.find((c) => String(c.id) === form.courseId);
  const brought = Object.keys(chosen?.defaults ?? {});

  const save = async (event?: FormEvent) => {
    event?.preventDefault();
    setBusy(true);
    setError(null);
    setSent(form);
    try {
      const run = await ask(
        api.POST("/api/v1/runs", { body: documentOf(form, digits), params: { header: keyHeader(key) } }),
      );
      forget();
      forgetKey();
      void queries.invalidateQueries();
      await go(`/runs/${run.id}`);
    } catch (problem) {
      setError(problem);
      setTimeout(() => sheet.current?.querySelector<HTMLElement>("[aria-invalid=true]")?.focus(), 0);
    } finally {
      setBusy(false);
    }
  };

  return (
    <Page
      title="New run"
      margin={
        <Consequences
          form={settled}
          dates={kept}
          firstDay={firstDay}
          warnings={complete ? (planned.data?.warnings ?? []) : []}
          error={error}
          faults={faults}
          busy={busy}
          onSave={() => void save()}
          onForget={forget}
        />
      }
    >
      <div className="crumbs">
        <Link to="/planner">Runs</Link> / new
      </div>
      <h1 style={{ marginBottom: 14 }}>New run</h1>
      <form
        ref={sheet}
        onSubmit={(e) => void save(e)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && e.ctrlKey) void save(e);
          else if (e.key === "Enter" && e.target instanceof HTMLInputElement) e.preventDefault();
        }}
        noValidate
      >
        <div className="part">
          <h2>Course</h2>
          <div>
            <div className="row">
              <Choice
                label="Course"
                value={form.courseId}
                width={300}
                onChange={(v) => choose(v)}
                fault={faults["/course_id"]}
                options={[
                  { value: "", text: "a new course" },
                  ...(courses.data ?? []).map((c) => ({
                    value: String(c.id),
                    text: `${c.title} (${c.code})`,
                  })),
                ]}
              />
              {form.courseId === "" ? (
                <Field
                  label="Title of the new course"
                  value={form.courseTitle}
                  onChange={(v) => set({ courseTitle: v })}
                  fault={faults["/course/title"] ?? faults["/course"]}
                  autoFocus
                />
              ) : (
                <Field
                  label="Title of this run, if it differs"
                  value={form.title}
                  onChange={(v) => set({ title: v })}
                  fault={faults["/title"]}
                />
              )}
            </div>
            {brought.length > 0 && (
              <p className="help">
                From the course: {brought.join(", ")}. Whatever you change here holds for this run alone.
              </p>
            )}
            <div className="row">
              <Field
                label="Place"
                value={form.place}
                onChange={(v) => set({ place: v })}
                fault={faults["/place"]}
              />
              <Field
                label="Instructor"
                value={form.instructor}
                onChange={(v) => set({ instructor: v })}
                fault={faults["/instructor"]}
              />
              <Field
                label="Run code"
                value={form.code}
                width={140}
                placeholder="made for you"
                onChange={(v) => set({ code: v })}
                fault={faults["/code"]}
              />
            </div>
          </div>
        </div>

        <div className="part">
          <h2>Dates</h2>
          <div>
            <div className="row wrap">
              <Field
                label="First date"
                type="date"
                value={form.first}
                width={160}
                onChange={(v) => setPattern({ first: v })}
                fault={faults["/pattern/first"] ?? faults["/pattern"]}
                help={form.first ? day(form.first) : undefined}
              />
              <Field
                label="Starts at"
                type="time"
                value={form.start}
                width={120}
                onChange={(v) => setPattern({ start: v })}
                fault={faults["/pattern/start"]}
              />
              <Field
                label="Hours"
                value={form.hours}
                width={70}
                onChange={(v) => setPattern({ hours: v })}
                input={{ inputMode: "numeric" }}
                fault={faults["/pattern/minutes"]}
              />
              <Field
                label="Minutes"
                value={form.minutes}
                width={78}
                placeholder="0"
                onChange={(v) => setPattern({ minutes: v })}
                input={{ inputMode: "numeric" }}
              />
            </div>
            <div className="row wrap">
              <div className="field">
                <span className="label" id="weekdays">
                  On
                </span>
                <div className="days" role="group" aria-labelledby="weekdays">
                  {DAYS.map((code, i) => (
                    <button
                      type="button"
                      key={code}
                      aria-pressed={form.weekdays.includes(code)}
                      onClick={() =>
                        setPattern({
                          weekdays: DAYS.filter((d) => form.weekdays.includes(d) !== (d === code)),
                        })
                      }
                    >
                      {LETTERS[i]}
                    </button>
                  ))}
                </div>
                <div className="help">
                  {form.weekdays.length ? weekdays(form.weekdays) : "the weekday of the first date"}
                </div>
              </div>
              <Field
                label="Every … weeks"
                value={form.every}
                width={98}
                onChange={(v) => setPattern({ every: v })}
                fault={faults["/pattern/every_weeks"]}
                input={{ inputMode: "numeric" }}
              />
              <Choice
                label="Ends"
                value={form.ends}
                width={150}
                onChange={(v) => setPattern({ ends: v as RunForm["ends"] })}
                options={[
                  { value: "count", text: "after meetings:" },
                  { value: "until", text: "on or before:" },
                ]}
              />
              {form.ends === "count" ? (
                <Field
                  label="Meetings"
                  value={form.count}
                  width={86}
                  onChange={(v) => setPattern({ count: v })}
                  fault={faults["/pattern/count"]}
                  input={{ inputMode: "numeric" }}
                />
              ) : (
                <Field
                  label="Last day"
                  type="date"
                  value={form.until}
                  width={160}
                  onChange={(v) => setPattern({ until: v })}
                  fault={faults["/pattern/until"]}
                />
              )}
            </div>
            {faults["/pattern/weekdays"] && <div className="fault">{faults["/pattern/weekdays"]}</div>}
            {planned.error && complete ? (
              <div className="fault" role="alert">
                {Object.values(faultsOf(planned.error)).join(" ") || messageOf(planned.error)}
              </div>
            ) : (
              <Dates dates={dates} changes={form.changes} onChange={(changes) => set({ changes })} />
            )}
          </div>
        </div>

        <div className="part">
          <h2>Seats</h2>
          <div className="row wrap">
            <Field
              label="Seats"
              value={form.capacity}
              width={100}
              onChange={(v) => set({ capacity: v })}
              fault={faults["/capacity"]}
              input={{ inputMode: "numeric" }}
            />
            <Field
              label="Smallest number"
              value={form.smallest}
              width={140}
              placeholder="0"
              onChange={(v) => set({ smallest: v })}
              fault={faults["/smallest"]}
              help="to go ahead"
              input={{ inputMode: "numeric" }}
            />
            <Field
              label="Sign-up opens"
              type="date"
              value={form.opens}
              width={180}
              onChange={(v) => set({ opens: v })}
              fault={faults["/sign_up_opens"]}
              help={form.opens ? day(form.opens) : "empty: when published"}
            />
          </div>
        </div>

        <div className="part">
          <h2>Fee</h2>
          <div>
            <RatesEdit
              rates={form.rates}
              onChange={(rates) => set({ rates })}
              faults={faults}
              at="/rates"
              currency={me.currency}
              firstDay={firstDay}
            />
          </div>
        </div>

        <div className="part">
          <h2>Payment plan</h2>
          <div>
            <PlansEdit plans={form.plans} onChange={(plans) => set({ plans })} faults={faults} at="/plans" />
          </div>
        </div>
        <div className="part">
          <span />
          <div className="row mid">
            <Button type="submit" variant="contained" disabled={busy}>
              Save as a draft
            </Button>
            <span className="slate">
              <kbd>Ctrl Enter</kbd> saves; what you typed is kept in this window until then.
            </span>
          </div>
        </div>
      </form>
    </Page>
  );
}

/** Faults of the last try whose fields have not been touched since. */
function standing(
  faults: Record<string, string>,
  sent: RunForm | null,
  now: RunForm,
): Record<string, string> {
  if (sent === null) return faults;
  const moved = (...keys: (keyof RunForm)[]) =>
    keys.some((k) => JSON.stringify(sent[k]) !== JSON.stringify(now[k]));
  const of: [RegExp, (keyof RunForm)[]][] = [
    [/^\/course/, ["courseTitle", "courseId"]],
    [/^\/pattern\/first/, ["first"]],
    [/^\/pattern\/start/, ["start"]],
    [/^\/pattern\/minutes/, ["hours", "minutes"]],
    [/^\/pattern\/count/, ["count", "ends"]],
    [/^\/pattern\/until/, ["until", "ends"]],
    [/^\/pattern\/every/, ["every"]],
    [/^\/sign_up_opens/, ["opens", "first"]],
    [/^\/capacity/, ["capacity"]],
    [/^\/smallest/, ["smallest", "capacity"]],
    [/^\/(title|code|place|instructor)$/, ["title", "code", "place", "instructor"]],
    [/^\/rates/, ["rates"]],
    [/^\/plans/, ["plans", "rates"]],
  ];
  return Object.fromEntries(
    Object.entries(faults).filter(([at]) => !of.some(([shape, keys]) => shape.test(at) && moved(...keys))),
  );
}

type ShownDate = PlannedMeeting & { dropped: boolean; changed: boolean; from: number };

/** The calculated dates with the changes made by hand, so that they can be seen before saving. */
function withChanges(meetings: PlannedMeeting[], changes: DateChange[]): ShownDate[] {
  return meetings.map((m) => {
    const change = changes.find((c) => c.n === m.n);
    const start = change?.start ?? clock(m.start);
    const minutes = change?.minutes ?? m.minutes;
    return {
      ...m,
      from: m.n,
      date: change?.date ?? m.date,
      start,
      minutes,
      end: endOf(start, minutes),
      dropped: change?.dropped ?? false,
      changed: change !== undefined,
      warnings: change ? [] : m.warnings,
    };
  });
}

function endOf(start: string, minutes: number): string {
  const [h, m] = start.split(":").map(Number);
  const end = ((h ?? 0) * 60 + (m ?? 0) + minutes) % 1440;
  return `${String(Math.floor(end / 60)).padStart(2, "0")}:${String(end % 60).padStart(2, "0")}`;
}

function before(iso: string, days: number): string {
  const at = new Date(`${iso}T00:00:00Z`);
  at.setUTCDate(at.getUTCDate() - days);
  return Number.isNaN(at.getTime()) ? "" : at.toISOString().slice(0, 10);
}

function Dates({
  dates,
  changes,
  onChange,
}: {
  dates: ShownDate[];
  changes: DateChange[];
  onChange: (changes: DateChange[]) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  if (dates.length === 0)
    return (
      <p className="slate" style={{ marginTop: 12 }}>
        Give a first date, and all dates appear here before anything is saved.
      </p>
    );
  const change = (n: number, what: Partial<DateChange>) => {
    const old = changes.find((c) => c.n === n) ?? { n };
    onChange([...changes.filter((c) => c.n !== n), { ...old, ...what }]);
  };
  return (
    <ol className="datelist" aria-label="All dates of this run">
      {dates.map((d) => (
        <li key={d.from} className={d.dropped ? "out" : ""}>
          <span className="slate n">{d.from}</span>
          {open === d.from ? (
            <>
              <input
                type="date"
                className="choice"
                aria-label={`Date of meeting ${d.from}`}
                value={d.date}
                // The field opens where the person just pressed; typing goes on there.
                autoFocus
                onChange={(e) => e.target.value && change(d.from, { date: e.target.value })}
              />
              <input
                type="time"
                className="choice"
                aria-label={`Start of meeting ${d.from}`}
                value={d.start}
                onChange={(e) => e.target.value && change(d.from, { start: e.target.value })}
              />
              <button type="button" className="plainly" onClick={() => setOpen(null)}>
                done
              </button>
            </>
          ) : (
            <>
              <span className="date">{day(d.date, d.date.slice(0, 4) !== dates[0]?.date.slice(0, 4))}</span>
              <span className="nowrap">
                {d.start.slice(0, 5)} to {d.end.slice(0, 5)}
              </span>
              {d.dropped ? (
                <button type="button" className="plainly" onClick={() => change(d.from, { dropped: false })}>
                  take back in
                </button>
              ) : (
                <span className="nowrap acts">
                  <button
                    type="button"
                    className="plainly"
                    aria-label={`Change meeting ${d.from}`}
                    onClick={() => setOpen(d.from)}
                  >
                    change
                  </button>{" "}
                  <button
                    type="button"
                    className="plainly quiet"
                    aria-label={`Leave out meeting ${d.from}`}
                    onClick={() => change(d.from, { dropped: true })}
                  >
                    leave out
                  </button>
                </span>
              )}
            </>
          )}
          {d.changed && !d.dropped && <span className="ochre">changed by hand</span>}
          {d.warnings.map((w) => (
            <span key={w} className="ochre">
              {w}
            </span>
          ))}
        </li>
      ))}
    </ol>
  );
}

function Consequences({
  form,
  dates,
  firstDay,
  warnings,
  error,
  faults,
  busy,
  onSave,
  onForget,
}: {
  form: RunForm;
  dates: ShownDate[];
  firstDay: string | null;
  warnings: string[];
  error: unknown;
  faults: Record<string, string>;
  busy: boolean;
  onSave: () => void;
  onForget: () => void;
}) {
  const me = useMe();
  const digits = digitsOf(me.currency);
  const rates = ratesOf(form.rates, digits).map((r, i) => ({
    ...r,
    code: `rate${i}`,
    label: r.label ?? "Standard",
  }));
  const priced = rates.every((r) => r.amount !== null && /^\d+(\.\d+)?$/.test(r.amount)) && firstDay !== null;
  const quote = useCalculator<Quoted>(
    "quote",
    priced
      ? {
          currency: me.currency,
          time_zone: me.time_zone,
          start: firstDay,
          rates,
          ask: { people: [{ rate: "rate0", count: 1 }], at: me.now },
        }
      : null,
  );
  const total = priced && !quote.error ? quote.data?.total : undefined;
  const plan = useCalculator<PlannedInstallments>(
    "plan",
    total && firstDay
      ? {
          currency: me.currency,
          total,
          signed_up: me.today,
          start: firstDay,
          lines: planLines(form.plans[0]?.lines ?? [], digits),
        }
      : null,
  );
  const minutes = dates.reduce((sum, d) => sum + d.minutes, 0);
  const last = dates
    .map((d) => d.date)
    .sort()
    .at(-1);
  const judged = Object.keys(faultsOf(error)).length > 0;
  return (
    <>
      {error !== null && (!judged || Object.keys(faults).length > 0) && (
        <div className="note wrong" role="alert">
          {judged ? (
            <>
              <p className="strong">Not saved yet. To mend:</p>
              {Object.entries(faults).map(([at, message]) => (
                <p key={at}>{message}</p>
              ))}
            </>
          ) : (
            <p>{messageOf(error)}</p>
          )}
        </div>
      )}
      <section>
        <h2>What these dates make</h2>
        {dates.length ? (
          <dl className="facts">
            <dt>{count(dates.length, "meeting")}</dt>
            <dd>{hours((minutes / 60).toFixed(2))}</dd>
            <dt>First</dt>
            <dd>{day(firstDay)}</dd>
            <dt>Last</dt>
            <dd>{day(last)}</dd>
            <dt>Each</dt>
            <dd>{length(dates[0]!.minutes)}</dd>
            <dt>Sign-up closes</dt>
            <dd>{firstDay && day(before(firstDay, 1))}</dd>
            <dd className="why">at the end of the day before the first meeting</dd>
          </dl>
        ) : (
          <p className="slate">Meetings, hours and the day sign-up closes are worked out as you type.</p>
        )}
        {warnings.map((w) => (
          <p key={w} className="ochre">
            {w}
          </p>
        ))}
      </section>
      <section>
        <h2>
          Somebody who signs up today
          {form.rates.length > 1 ? ` as ${form.rates[0]?.label || "Standard"}` : ""} pays
        </h2>
        {total ? (
          <>
            <dl className="facts">
              <dt className="strong">Total</dt>
              <dd className="copper">{money(total, me.currency)}</dd>
              <dd className="why">{quote.data?.lines[0]?.why}</dd>
              {plan.data &&
                !plan.error &&
                plan.data.installments.map((i) => [
                  <dt key={`t${i.n}`}>{i.due === me.today ? "Now" : day(i.due)}</dt>,
                  <dd key={`d${i.n}`}>{money(i.amount, me.currency)}</dd>,
                  <dd className="why" key={`w${i.n}`}>
                    {i.why}
                  </dd>,
                ])}
            </dl>
            {quote.data?.next_change && (
              <p className="slate">
                From {day(quote.data.next_change.at)} the total is{" "}
                {money(quote.data.next_change.total, me.currency)}.
              </p>
            )}
            {plan.error && <p className="fault">{messageOf(plan.error)}</p>}
          </>
        ) : quote.error && priced ? (
          <p className="fault">{Object.values(faultsOf(quote.error)).join(" ")}</p>
        ) : (
          <p className="slate">With dates and a fee, the price and what is due when appear here.</p>
        )}
      </section>
      <section>
        <Button variant="contained" onClick={onSave} disabled={busy} fullWidth>
          Save as a draft
        </Button>
        <p className="slate" style={{ marginTop: 8 }}>
          A draft is seen by staff only; publish it from its page.{" "}
          <button className="plainly quiet" onClick={onForget}>
            Clear the form
          </button>
        </p>
      </section>
    </>
  );
}

import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type FormEvent } from "react";
import { Link, useNavigate } from "react-router";

import { api, ask, faultsOf, keyHeader, messageOf, newKey } from "../../app/server";
import { useKept, useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { Page } from "../../parts/Page";
import { day, weekdays } from "../../parts/text";
import {
  digitsOf,
  documentOf,
  EMPTY,
  fromDefaults,
  minutesOf,
  patternOf,
  type CourseDefaults,
  type RunForm,
} from "./form";
import { Consequences } from "./Consequences";
import { oneOffs, PlannedDates, withChanges } from "./PlannedDates";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";
import { useCalculator, type Planned } from "./usePreview";

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
  const meetings = planned.data?.meetings ?? [];
  const extra = oneOffs(meetings, form.changes);
  const moved = useCalculator<Planned>("schedule", extra.length ? { time_zone: me.time_zone, extra } : null);
  const dates =
    complete && !planned.error ? withChanges(meetings, form.changes, moved.data?.meetings ?? []) : [];
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
              <PlannedDates dates={dates} changes={form.changes} onChange={(changes) => set({ changes })} />
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

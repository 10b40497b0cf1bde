import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { $api, api, ask, asTyped, faultsOf, keyHeader, messageOf } from "../../app/server";
import { useKept, useKeptKey, useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { Crumbs, Part, Row } from "../../parts/layout";
import { Page } from "../../parts/Page";
import { day } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { KindFields, OneOffs, PatternFields } from "../schedule/PatternFields";
import { Consequences } from "./Consequences";
import {
  type CourseDefaults,
  digitsOf,
  documentOf,
  EMPTY,
  fromDefaults,
  isWhole,
  oneOffOf,
  patternOf,
  type RunForm,
} from "./form";
import { oneOffs, PlannedDates, withChanges } from "./PlannedDates";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";
import { type Planned, useCalculator, usePlanned } from "./usePreview";

/** A new run from a flyer: dates, seats, fee, plan; every consequence in the margin before it is saved. */
export default function NewRun() {
  const me = useMe();
  const go = useNavigate();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const [form, setForm, forget] = useKept<RunForm>("new-run-2", EMPTY);
  // Drawn on the planner: the date, and whose lane it was.
  useEffect(() => {
    const [date, place, instructor] = ["date", "place", "instructor"].map((n) => params.get(n));
    if (!date) return;
    setForm((old) => ({
      ...old,
      place: place ?? old.place,
      instructor: instructor ?? old.instructor,
      patterns: old.patterns.map((p, i) => (i ? p : { ...p, first: date })),
      changes: [],
    }));
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const [key, forgetKey] = useKeptKey("new-run-key");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const sheet = useRef<HTMLFormElement>(null);
  const [sent, setSent] = useState<RunForm | null>(null);
  const faults = standing(faultsOf(error), sent, form);
  const set = (change: Partial<RunForm>) => setForm((old) => ({ ...old, ...change }));
  /** A change of the patterns makes other dates, so single changes no longer fit. */
  const setDates = (change: Partial<RunForm>) => set({ ...change, changes: [] });
  const digits = digitsOf(me.currency);
  const names = useNames();

  const courses = $api.useQuery("get", "/api/v1/courses");
  const settled = useSettled(form);
  const whole = settled.patterns.filter(isWhole);
  const singles = settled.oneOffs.filter((o) => o.date && o.start && o.minutes);
  const complete = settled.kind !== "open" && whole.length + singles.length > 0;
  const asked = {
    patterns: whole.map(patternOf),
    extra: singles.map(oneOffOf),
    place: settled.place || null,
    instructor: settled.instructor || null,
    capacity: /^\d+$/.test(settled.capacity) ? Number(settled.capacity) : null,
  };
  const planned = usePlanned(complete ? asTyped<"DatesCommand">(asked) : null);
  const final = usePlanned(
    complete && settled.changes.length
      ? asTyped<"DatesCommand">({ ...asked, changes: settled.changes })
      : null,
  );
  const clashes = (settled.changes.length ? final.data?.clashes : planned.data?.clashes) ?? [];
  const meetings = planned.data?.meetings ?? [];
  const extra = oneOffs(meetings, form.changes);
  const moved = useCalculator<Planned>("schedule", extra.length ? { time_zone: me.time_zone, extra } : null);
  const dates =
    complete && !planned.error ? withChanges(meetings, form.changes, moved.data?.meetings ?? []) : [];
  const kept = dates.filter((d) => !d.dropped);
  const firstMeeting = kept.map((d) => d.date).sort()[0] ?? null;
  const firstDay =
    form.kind === "cohort" ? form.startsOn || null : form.kind === "open" ? null : firstMeeting;

  /** A course brings its defaults along; they can all be changed here. */
  const choose = (courseId: string) => {
    const course = courses.data?.find((c) => String(c.id) === courseId);
    set({ courseId, ...(course ? fromDefaults(course.defaults as CourseDefaults) : {}) });
  };
  // Asked for by demand: the course is chosen.
  const wanted = params.get("course");
  useEffect(() => {
    if (!wanted || !courses.data) return;
    choose(wanted);
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, courses.data]);
  const chosen = courses.data?.find((c) => String(c.id) === form.courseId);
  const brought = Object.keys(chosen?.defaults ?? {}).filter((name) => name !== "refunds");

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
          clashes={complete ? clashes : []}
        />
      }
    >
      <Crumbs>
        <Link to="/planner">Runs</Link> / new
      </Crumbs>
      <Box component="h1" sx={{ marginBottom: 14 }}>
        New run
      </Box>
      <form
        ref={sheet}
        onSubmit={(e) => void save(e)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && e.ctrlKey) void save(e);
          else if (e.key === "Enter" && e.target instanceof HTMLInputElement) e.preventDefault();
        }}
        noValidate
      >
        <Part as="div">
          <h2>Course</h2>
          <div>
            <Row wrap>
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
            </Row>
            {brought.length > 0 && (
              <P small>
                From the course: {brought.join(", ")}. Whatever you change here holds for this run alone.
              </P>
            )}
            <Row wrap>
              <Named
                label="Place"
                names={names.places}
                value={form.place}
                onChange={(v) => set({ place: v })}
                fault={faults["/place"]}
              />
              <Named
                label="Instructor"
                names={names.instructors}
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
            </Row>
          </div>
        </Part>

        <Part as="div">
          <h2>Dates</h2>
          <div>
            <KindFields form={form} set={set} faults={faults} />
            {form.kind !== "open" && (
              <>
                {form.patterns.map((pattern, i) => (
                  <PatternFields
                    key={i}
                    n={i}
                    many={form.patterns.length > 1}
                    pattern={pattern}
                    onChange={(change) =>
                      setDates({
                        patterns: form.patterns.map((p, n) => (n === i ? { ...p, ...change } : p)),
                      })
                    }
                    onRemove={() => setDates({ patterns: form.patterns.filter((_, n) => n !== i) })}
                    faults={faults}
                  />
                ))}
                <OneOffs form={form} set={setDates} faults={faults} />
                {planned.error && complete ? (
                  <Fault role="alert">
                    {Object.values(faultsOf(planned.error)).join(" ") || messageOf(planned.error)}
                  </Fault>
                ) : (
                  <PlannedDates
                    dates={dates}
                    changes={form.changes}
                    onChange={(changes) => set({ changes })}
                    clashes={complete ? clashes : []}
                    dropped={complete ? (planned.data?.dropped ?? []) : []}
                    optional={form.kind === "cohort"}
                    onDay={(date) =>
                      setDates({
                        oneOffs: [
                          ...form.oneOffs,
                          {
                            date,
                            start: form.patterns[0]?.start ?? "18:00",
                            minutes: "120",
                            room: "",
                            instructor: "",
                          },
                        ],
                      })
                    }
                  />
                )}
              </>
            )}
          </div>
        </Part>

        <Part as="div">
          <h2>Seats</h2>
          <Row wrap>
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
          </Row>
        </Part>

        <Part as="div">
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
        </Part>

        <Part as="div">
          <h2>Payment plan</h2>
          <div>
            <PlansEdit plans={form.plans} onChange={(plans) => set({ plans })} faults={faults} at="/plans" />
          </div>
        </Part>
        <Part as="div">
          <span />
          <Row mid>
            <Button type="submit" variant="contained" disabled={busy}>
              Save as a draft
            </Button>
            <T tone="slate">
              <kbd>Ctrl Enter</kbd> saves; what you typed is kept in this window until then.
            </T>
          </Row>
        </Part>
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
    [/^\/(pattern|extra|changes)/, ["patterns", "oneOffs"]],
    [
      /^\/(kind|starts_on|ends_on|access_days|week_names)/,
      ["kind", "startsOn", "endsOn", "accessDays", "weekNames", "patterns"],
    ],
    [/^\/sign_up_opens/, ["opens", "patterns", "startsOn"]],
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

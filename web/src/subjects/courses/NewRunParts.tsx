import Button from "@mui/material/Button";

import { asTyped, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { isDay, timeTyped } from "../../parts/dates";
import { Part, Row } from "../../parts/layout";
import { Fault, P } from "../../parts/words";
import { KindFields, OneOffs, PatternFields } from "../schedule/PatternFields";
import { isWhole, oneOffOf, patternOf, type RunForm } from "./form";
import { oneOffs, PlannedDates, withChanges } from "./PlannedDates";
import { type Planned, useCalculator, usePlanned } from "./usePreview";

type Props = { form: RunForm; set: (change: Partial<RunForm>) => void; faults: Record<string, string> };

/** The dates that a form gives as it is typed, with the center's closed days, single changes and clashes. */
export function useDates(form: RunForm) {
  const me = useMe();
  const settled = useSettled(form);
  const whole = settled.patterns.filter(isWhole);
  const singles = settled.oneOffs.filter((o) => isDay(o.date) && timeTyped(o.start) !== null && o.minutes);
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
  return {
    settled,
    complete,
    dates,
    kept,
    firstDay,
    error: complete ? planned.error : null,
    clashes: complete ? clashes : [],
    dropped: complete ? (planned.data?.dropped ?? []) : [],
    warnings: complete ? (planned.data?.warnings ?? []) : [],
  };
}

/** Which course it is a run of, where it is held and who teaches it. */
export function CoursePart({
  form,
  set,
  faults,
  courses,
  onChoose,
  from,
  onlyDefaults,
}: Props & {
  courses: Schemas["CourseOut"][];
  onChoose: (courseId: string) => void;
  /** The code of the last run of the course, from which this one starts. */
  from: string;
  onlyDefaults: () => void;
}) {
  const names = useNames();
  const chosen = courses.find((c) => String(c.id) === form.courseId);
  const brought = Object.keys(chosen?.defaults ?? {}).filter((name) => name !== "refunds");
  return (
    <Part as="div">
      <h2>Course</h2>
      <div>
        <Row wrap>
          <Choice
            label="Course"
            value={form.courseId}
            width={300}
            onChange={onChoose}
            fault={faults["/course_id"]}
            options={[
              { value: "", text: "a new course" },
              ...courses.map((c) => ({
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
        {from && (
          <P small>
            As the last run, {from}: {form.kind === "open" ? "access" : "rhythm, times, room"}, instructor,
            seats, fee and plan{form.kind === "open" ? "." : "; give a first date."}{" "}
            <Button variant="text" color="secondary" onClick={onlyDefaults}>
              start from the course’s defaults instead
            </Button>
          </P>
        )}
        {!from && brought.length > 0 && (
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
            several
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
  );
}

/** When it meets: patterns, single dates, and all of them as they come out. */
export function DatesPart({ form, set, faults, plan }: Props & { plan: ReturnType<typeof useDates> }) {
  /** A change of the patterns makes other dates, so single changes no longer fit. */
  const setDates = (change: Partial<RunForm>) => set({ ...change, changes: [] });
  return (
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
            {plan.error ? (
              <Fault role="alert">
                {Object.values(faultsOf(plan.error)).join(" ") || messageOf(plan.error)}
              </Fault>
            ) : (
              <PlannedDates
                dates={plan.dates}
                changes={form.changes}
                onChange={(changes) => set({ changes })}
                clashes={plan.clashes}
                dropped={plan.dropped}
                optional={form.kind === "cohort"}
                place={form.place}
                instructor={form.instructor}
                weeks={
                  form.kind === "cohort" ? { first: form.startsOn, names: form.weekNames.split("\n") } : null
                }
                onDay={(date) =>
                  setDates({
                    oneOffs: [...form.oneOffs, { date, start: "", minutes: "", room: "", instructor: "" }],
                  })
                }
              />
            )}
          </>
        )}
      </div>
    </Part>
  );
}

/** How many may come, how many must, and from when on. */
export function SeatsPart({ form, set, faults }: Props) {
  return (
    <Part as="div">
      <h2>Seats</h2>
      <Row wrap>
        <Field
          label="Seats"
          value={form.capacity}
          width={100}
          placeholder={form.kind === "open" ? "no limit" : undefined}
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
          help={form.opens ? undefined : "empty: when published"}
        />
      </Row>
    </Part>
  );
}

/** Faults of the last try whose fields have not been touched since. */
export function standing(
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

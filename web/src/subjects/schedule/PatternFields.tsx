import { Choice, Field } from "../../parts/Field";
import { Named, useNames } from "../../parts/Named";
import { day, weekdays } from "../../parts/text";
import { PATTERN, type OneOffForm, type PatternForm, type RunForm } from "../courses/form";

export const DAYS = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
export const DAY_NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

type Faults = Record<string, string>;

/** One meeting pattern: when it begins, how often, until when; its own room and instructor where it has them. */
export function PatternFields({
  n,
  many,
  pattern,
  onChange,
  onRemove,
  faults,
}: {
  n: number;
  many: boolean;
  pattern: PatternForm;
  onChange: (change: Partial<PatternForm>) => void;
  onRemove: () => void;
  faults: Faults;
}) {
  const names = useNames();
  const tail = n ? `, pattern ${n + 1}` : "";
  const at = `/patterns/${n}`;
  const own = many || pattern.room !== "" || pattern.instructor !== "";
  return (
    <div className={many ? "inset" : undefined} role="group" aria-label={`Pattern ${n + 1}`}>
      <div className="row wrap">
        <Field
          label="First date"
          tail={tail}
          type="date"
          value={pattern.first}
          width={160}
          onChange={(v) => onChange({ first: v })}
          fault={faults[`${at}/first`] ?? faults[at] ?? (n === 0 ? faults["/patterns"] : undefined)}
          help={pattern.first ? day(pattern.first) : undefined}
        />
        <Field
          label="Starts at"
          tail={tail}
          type="time"
          value={pattern.start}
          width={120}
          onChange={(v) => onChange({ start: v })}
          fault={faults[`${at}/start`]}
        />
        <Field
          label="Hours"
          tail={tail}
          value={pattern.hours}
          width={70}
          onChange={(v) => onChange({ hours: v })}
          input={{ inputMode: "numeric" }}
          fault={faults[`${at}/minutes`]}
        />
        <Field
          label="Minutes"
          tail={tail}
          value={pattern.minutes}
          width={78}
          placeholder="0"
          onChange={(v) => onChange({ minutes: v })}
          input={{ inputMode: "numeric" }}
        />
        <Choice
          label="On a closed day"
          tail={tail}
          value={pattern.ends === "until" ? "skip" : pattern.closure}
          width={190}
          onChange={(v) => onChange({ closure: v as PatternForm["closure"] })}
          options={[
            // With a last day there is no end to add one at.
            ...(pattern.ends === "until" ? [] : [{ value: "extend", text: "add one at the end" }]),
            { value: "skip", text: "leave it out" },
          ]}
        />
      </div>
      <div className="row wrap" style={{ marginTop: 12 }}>
        <div className="field">
          <span className="label" id={`weekdays-${n}`}>
            On
          </span>
          <div className="days" role="group" aria-labelledby={`weekdays-${n}`}>
            {DAYS.map((code, i) => (
              <button
                type="button"
                key={code}
                aria-pressed={pattern.weekdays.includes(code)}
                onClick={() =>
                  onChange({ weekdays: DAYS.filter((d) => pattern.weekdays.includes(d) !== (d === code)) })
                }
              >
                {DAY_NAMES[i]}
              </button>
            ))}
          </div>
          <div className="help">
            {pattern.weekdays.length ? weekdays(pattern.weekdays) : "the weekday of the first date"}
          </div>
        </div>
        <Field
          label="Every … weeks"
          tail={tail}
          value={pattern.every}
          width={98}
          onChange={(v) => onChange({ every: v })}
          fault={faults[`${at}/every_weeks`]}
          input={{ inputMode: "numeric" }}
        />
        <Choice
          label="Ends"
          tail={tail}
          value={pattern.ends}
          width={150}
          onChange={(v) => onChange({ ends: v as PatternForm["ends"] })}
          options={[
            { value: "count", text: "after meetings:" },
            { value: "until", text: "on or before:" },
          ]}
        />
        {pattern.ends === "count" ? (
          <Field
            label="Meetings"
            tail={tail}
            value={pattern.count}
            width={86}
            onChange={(v) => onChange({ count: v })}
            fault={faults[`${at}/count`]}
            input={{ inputMode: "numeric" }}
          />
        ) : (
          <Field
            label="Last day"
            tail={tail}
            type="date"
            value={pattern.until}
            width={160}
            onChange={(v) => onChange({ until: v })}
            fault={faults[`${at}/until`]}
          />
        )}
      </div>
      {own && (
        <div className="row wrap" style={{ marginTop: 12 }}>
          <Named
            label="Room of this pattern"
            tail={tail}
            names={names.places}
            width={220}
            value={pattern.room}
            placeholder="the run’s place"
            onChange={(v) => onChange({ room: v })}
            fault={faults[`${at}/room`]}
          />
          <Named
            label="Instructor of this pattern"
            tail={tail}
            names={names.instructors}
            width={220}
            value={pattern.instructor}
            placeholder="the run’s instructor"
            onChange={(v) => onChange({ instructor: v })}
            fault={faults[`${at}/instructor`]}
          />
          {many && (
            <button
              type="button"
              className="plainly quiet acts"
              aria-label={`Take out pattern ${n + 1}`}
              onClick={onRemove}
            >
              take out
            </button>
          )}
        </div>
      )}
      {faults[`${at}/weekdays`] && <div className="fault">{faults[`${at}/weekdays`]}</div>}
    </div>
  );
}

/** Further patterns and one-off meetings, on request. */
export function OneOffs({
  form,
  set,
  faults,
}: {
  form: RunForm;
  set: (change: Partial<RunForm>) => void;
  faults: Faults;
}) {
  const names = useNames();
  const change = (i: number, what: Partial<OneOffForm>) =>
    set({ oneOffs: form.oneOffs.map((o, n) => (n === i ? { ...o, ...what } : o)) });
  const last = form.patterns[form.patterns.length - 1] ?? PATTERN;
  return (
    <>
      {form.oneOffs.map((o, i) => (
        <div key={i} className="row wrap inset" role="group" aria-label={`One-off meeting ${i + 1}`}>
          <Field
            label="Date"
            tail={`, one-off meeting ${i + 1}`}
            type="date"
            width={160}
            value={o.date}
            onChange={(v) => change(i, { date: v })}
            fault={faults[`/extra/${i}/date`]}
            autoFocus
          />
          <Field
            label="Starts at"
            tail={`, one-off meeting ${i + 1}`}
            type="time"
            width={120}
            value={o.start}
            onChange={(v) => change(i, { start: v })}
            fault={faults[`/extra/${i}/start`]}
          />
          <Field
            label="Minutes"
            tail={`, one-off meeting ${i + 1}`}
            width={86}
            value={o.minutes}
            onChange={(v) => change(i, { minutes: v })}
            fault={faults[`/extra/${i}/minutes`]}
          />
          <Named
            label="Room"
            tail={`, one-off meeting ${i + 1}`}
            names={names.places}
            width={170}
            placeholder="the run’s place"
            value={o.room}
            onChange={(v) => change(i, { room: v })}
          />
          <Named
            label="Instructor"
            tail={`, one-off meeting ${i + 1}`}
            names={names.instructors}
            width={170}
            placeholder="the run’s"
            value={o.instructor}
            onChange={(v) => change(i, { instructor: v })}
          />
          <button
            type="button"
            className="plainly quiet acts"
            aria-label={`Take out one-off meeting ${i + 1}`}
            onClick={() => set({ oneOffs: form.oneOffs.filter((_, n) => n !== i) })}
          >
            take out
          </button>
        </div>
      ))}
      <p style={{ margin: "10px 0 0" }} className="row">
        <button
          type="button"
          className="plainly"
          onClick={() => set({ patterns: [...form.patterns, { ...last, weekdays: [], first: "" }] })}
        >
          Another pattern
        </button>
        <button
          type="button"
          className="plainly"
          onClick={() =>
            set({
              oneOffs: [
                ...form.oneOffs,
                { date: "", start: last.start, minutes: "120", room: "", instructor: "" },
              ],
            })
          }
        >
          A one-off meeting
        </button>
      </p>
    </>
  );
}

/** What kind of run it is, and the days that a cohort or an open run has of its own. */
export function KindFields({
  form,
  set,
  faults,
}: {
  form: RunForm;
  set: (change: Partial<RunForm>) => void;
  faults: Faults;
}) {
  return (
    <>
      <div className="row wrap" style={{ marginBottom: 12 }}>
        <Choice
          label="Kind of run"
          value={form.kind}
          width={290}
          onChange={(v) => set({ kind: v as RunForm["kind"] })}
          options={[
            { value: "dated", text: "dated: meets on dates" },
            { value: "cohort", text: "cohort: from a first to a last day" },
            { value: "open", text: "open: no dates, access from enrollment" },
          ]}
          fault={faults["/kind"]}
        />
        {form.kind === "cohort" && (
          <>
            <Field
              label="First day"
              type="date"
              width={160}
              value={form.startsOn}
              onChange={(v) => set({ startsOn: v })}
              fault={faults["/starts_on"]}
              help={form.startsOn ? day(form.startsOn) : undefined}
            />
            <Field
              label="Last day"
              type="date"
              width={160}
              value={form.endsOn}
              onChange={(v) => set({ endsOn: v })}
              fault={faults["/ends_on"]}
              help={form.endsOn ? day(form.endsOn) : undefined}
            />
          </>
        )}
        {form.kind !== "dated" && (
          <Field
            label={form.kind === "open" ? "Days of access" : "Days of access after the end"}
            width={form.kind === "open" ? 130 : 190}
            value={form.accessDays}
            onChange={(v) => set({ accessDays: v })}
            fault={faults["/access_days"]}
            input={{ inputMode: "numeric" }}
            help={form.kind === "open" ? "from enrollment" : undefined}
          />
        )}
      </div>
      {form.kind === "cohort" && (
        <div className="row" style={{ marginBottom: 12 }}>
          <Field
            label="Names of the weeks, one a line (numbered where none is given)"
            multiline
            value={form.weekNames}
            onChange={(v) => set({ weekNames: v })}
            fault={faults["/week_names"]}
          />
        </div>
      )}
    </>
  );
}

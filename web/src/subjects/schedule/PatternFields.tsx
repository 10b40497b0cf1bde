import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";

import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { Inset, Row } from "../../parts/layout";
import { weekdays } from "../../parts/text";
import { Fault, T } from "../../parts/words";
import { KINDS } from "../courses/KindEdit";
import {
  endOf,
  lengthUntil,
  type OneOffForm,
  PATTERN,
  type PatternForm,
  type RunForm,
} from "../courses/form";

export const DAYS = ["MO", "TU", "WE", "TH", "FR", "SA", "SU"];
export const DAY_NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

type Faults = Record<string, string>;

interface PatternPart {
  n: number;
  pattern: PatternForm;
  onChange: (change: Partial<PatternForm>) => void;
  faults: Faults;
  tail: string;
}

/** One meeting pattern: when it begins, how often, until when; its own room and instructor where it has them. */
export function PatternFields({
  n,
  many,
  own: always,
  onRemove,
  ...rest
}: Omit<PatternPart, "tail"> & { many: boolean; own?: boolean; onRemove: () => void }) {
  const { pattern, faults } = rest;
  const part = { n, ...rest, tail: n ? `, pattern ${n + 1}` : "" };
  const own = always || many || pattern.room !== "" || pattern.instructor !== "";
  const days = faults[`/patterns/${n}/weekdays`];
  return (
    <Box component={many ? Inset : "div"} role="group" aria-label={`Pattern ${n + 1}`}>
      <FirstAndLength {...part} />
      <Rhythm {...part} />
      {own && <OwnNames {...part} onRemove={many ? onRemove : undefined} />}
      {days && <Fault>{days}</Fault>}
    </Box>
  );
}

function FirstAndLength({ n, pattern, onChange, faults, tail }: PatternPart) {
  const at = `/patterns/${n}`;
  return (
    <Row wrap>
      <Field
        label="First date"
        tail={tail}
        type="date"
        value={pattern.first}
        width={160}
        onChange={(v) => onChange({ first: v })}
        fault={faults[`${at}/first`] ?? faults[at] ?? (n === 0 ? faults["/patterns"] : undefined)}
      />
      <Field
        label="Starts at"
        tail={tail}
        type="time"
        value={pattern.start}
        width={100}
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
      <Field
        label="or ends at"
        tail={tail}
        type="time"
        value={endOf(pattern)}
        width={100}
        placeholder="20:30"
        onChange={(v) => onChange(lengthUntil(pattern.start, v) ?? {})}
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
    </Row>
  );
}

function Rhythm({ n, pattern, onChange, faults, tail }: PatternPart) {
  const at = `/patterns/${n}`;
  return (
    <Row wrap sx={{ marginTop: 12 }}>
      <div>
        <T label as="div" id={`weekdays-${n}`}>
          On
        </T>
        <Weekdays
          labelledBy={`weekdays-${n}`}
          value={pattern.weekdays}
          onChange={(weekdays) => onChange({ weekdays })}
        />
        <T small as="div">
          {pattern.weekdays.length ? weekdays(pattern.weekdays) : "the weekday of the first date"}
        </T>
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
    </Row>
  );
}

/** The days of the week, each in or out. */
export function Weekdays({
  labelledBy,
  value,
  onChange,
}: {
  labelledBy: string;
  value: string[];
  onChange: (days: string[]) => void;
}) {
  return (
    <ToggleButtonGroup aria-labelledby={labelledBy} value={value}>
      {DAYS.map((code, i) => (
        <ToggleButton
          key={code}
          value={code}
          sx={{ width: 42, height: 38 }}
          onClick={() => onChange(DAYS.filter((d) => value.includes(d) !== (d === code)))}
        >
          {DAY_NAMES[i]}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  );
}

function OwnNames({
  n,
  pattern,
  onChange,
  faults,
  tail,
  onRemove,
}: PatternPart & { onRemove: (() => void) | undefined }) {
  const names = useNames();
  const at = `/patterns/${n}`;
  return (
    <Row wrap sx={{ marginTop: 12 }}>
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
        several
        names={names.instructors}
        width={220}
        value={pattern.instructor}
        placeholder="the run’s instructor"
        onChange={(v) => onChange({ instructor: v })}
        fault={faults[`${at}/instructor`]}
      />
      {onRemove && (
        <Button
          variant="text"
          color="secondary"
          sx={{ alignSelf: "flex-end", marginBottom: 7 }}
          aria-label={`Take out pattern ${n + 1}`}
          onClick={onRemove}
        >
          take out
        </Button>
      )}
    </Row>
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
        <Row wrap inset key={i} role="group" aria-label={`One-off meeting ${i + 1}`}>
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
            several
            names={names.instructors}
            width={170}
            placeholder="the run’s"
            value={o.instructor}
            onChange={(v) => change(i, { instructor: v })}
          />
          <Button
            variant="text"
            color="secondary"
            sx={{ alignSelf: "flex-end", marginBottom: 7 }}
            aria-label={`Take out one-off meeting ${i + 1}`}
            onClick={() => set({ oneOffs: form.oneOffs.filter((_, n) => n !== i) })}
          >
            take out
          </Button>
        </Row>
      ))}
      <Row as="p" sx={{ margin: "10px 0 0" }}>
        <Button
          variant="text"
          onClick={() => set({ patterns: [...form.patterns, { ...last, weekdays: [], first: "" }] })}
        >
          Another pattern
        </Button>
        <Button
          variant="text"
          onClick={() =>
            set({
              oneOffs: [...form.oneOffs, { date: "", start: "", minutes: "", room: "", instructor: "" }],
            })
          }
        >
          A one-off meeting
        </Button>
      </Row>
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
      <Row wrap sx={{ marginBottom: 12 }}>
        <Choice
          label="Kind of run"
          value={form.kind}
          width={290}
          onChange={(v) => set({ kind: v as RunForm["kind"] })}
          options={KINDS}
          fault={faults["/kind"]}
        />
        {form.kind === "cohort" && (
          <>
            <Field
              label="The cohort begins on"
              type="date"
              width={170}
              value={form.startsOn}
              onChange={(v) => set({ startsOn: v })}
              fault={faults["/starts_on"]}
            />
            <Field
              label="The cohort ends on"
              type="date"
              width={170}
              value={form.endsOn}
              onChange={(v) => set({ endsOn: v })}
              fault={faults["/ends_on"]}
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
      </Row>
      {form.kind === "cohort" && (
        <Row sx={{ marginBottom: 12 }}>
          <Field
            label="Names of the weeks, one a line (numbered where none is given)"
            multiline
            value={form.weekNames}
            onChange={(v) => set({ weekNames: v })}
            fault={faults["/week_names"]}
          />
        </Row>
      )}
    </>
  );
}

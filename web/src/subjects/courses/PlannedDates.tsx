import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Views } from "../../form/Views";
import { isDay, timeTyped, weekNumber } from "../../parts/dates";
import { DateList } from "../../parts/layout";
import { MonthGrid } from "../../parts/MonthGrid";
import { clock, day, length } from "../../parts/text";
import { useRoving } from "../../parts/useRoving";
import { P, T } from "../../parts/words";
import type { DateChange } from "./form";
import type { PlannedMeeting } from "./usePreview";

export type ShownDate = PlannedMeeting & { dropped: boolean; changed: boolean; from: number };

/**
 * The changed dates as one-off meetings for the calculator, so that ends and clock changes are the server's here too.
 * The calculator gives back whatever stands as instructor; here that is the number of the meeting.
 */
export function oneOffs(meetings: PlannedMeeting[], changes: DateChange[]) {
  return changes.flatMap((c) => {
    const m = meetings.find((held) => held.n === c.n);
    if (!m || c.dropped) return [];
    return [
      {
        date: c.date ?? m.date,
        start: c.start ?? (m.clock ?? clock(m.start)).slice(0, 5),
        minutes: c.minutes ?? m.minutes,
        instructor: String(c.n),
      },
    ];
  });
}

/** The calculated dates with the changes made by hand, so that they can be seen before saving. */
export function withChanges(
  meetings: PlannedMeeting[],
  changes: DateChange[],
  moved: PlannedMeeting[],
): ShownDate[] {
  return meetings.map((m) => {
    const change = changes.find((c) => c.n === m.n);
    const found = change && moved.find((held) => held.instructor === String(m.n));
    const shown = found ?? m;
    return {
      ...m,
      from: m.n,
      date: change?.date ?? m.date,
      start: change?.start ?? (m.clock ?? clock(m.start)).slice(0, 5),
      minutes: change?.minutes ?? m.minutes,
      end: clock(shown.end),
      dropped: change?.dropped ?? false,
      changed: change !== undefined,
      warnings: shown.warnings,
    };
  });
}

/** All dates before saving; any one can be changed or left out. */
export function PlannedDates({
  dates,
  changes,
  onChange,
  clashes,
  dropped,
  optional = false,
  place,
  instructor,
  weeks,
  onDay,
}: {
  dates: ShownDate[];
  changes: DateChange[];
  onChange: (changes: DateChange[]) => void;
  clashes: Schemas["ClashOut"][];
  dropped: { date: string; why: string }[];
  optional?: boolean;
  /** Where and by whom what has no room or instructor of its own is held. */
  place: string;
  instructor: string;
  /** The first day of a cohort and the names of its weeks. */
  weeks: { first: string; names: string[] } | null;
  /** A day picked in the months, for a one-off meeting. */
  onDay: (date: string) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  const [months, setMonths] = useState(false);
  const roving = useRoving<HTMLOListElement>("li");
  if (dates.length === 0)
    return (
      <P tone="slate" sx={{ marginTop: 12 }}>
        {optional
          ? "A cohort may meet or not; with a first date, its meetings appear here."
          : "Give a first date, and all dates appear here before anything is saved."}
      </P>
    );
  const clashing = (date: string) => [
    ...new Set(clashes.filter((c) => c.date === date && c.kind !== "too small").map((c) => c.kind)),
  ];
  const change = (n: number, what: Partial<DateChange>) => {
    const old = changes.find((c) => c.n === n) ?? { n };
    onChange([...changes.filter((c) => c.n !== n), { ...old, ...what }]);
  };
  return (
    <>
      {dropped.map((d) => (
        <P tone="ochre" key={d.date} sx={{ margin: "12px 0 0" }}>
          {d.why}
        </P>
      ))}
      <Views
        label="Show the dates"
        sx={{ marginTop: 12 }}
        value={months ? "months" : "list"}
        options={[
          { value: "list", text: "list" },
          { value: "months", text: "months" },
        ]}
        onChange={(how) => setMonths(how === "months")}
      />
      {months && (
        <MonthGrid
          marks={new Map(dates.filter((d) => !d.dropped).map((d) => [d.date, d.from]))}
          lost={new Set(dropped.map((d) => d.date))}
          clashing={new Set(clashes.map((c) => c.date))}
          onPick={onDay}
        />
      )}
      <DateList aria-label="All dates of this run" className="wide" hidden={months} {...roving}>
        {dates.map((d) => (
          <DateLine
            key={d.from}
            date={d}
            usual={{ place, instructor }}
            week={weeks && weekName(weeks, d.date)}
            of={dates.length}
            year={dates[0]?.date.slice(0, 4)}
            open={open === d.from}
            onOpen={(on) => setOpen(on ? d.from : null)}
            change={(what) => change(d.from, what)}
            clashing={clashing(d.date)}
          />
        ))}
      </DateList>
    </>
  );
}

/** The week of a cohort that a day is in, by its name or its number; nothing before its first day. */
export function weekName({ first, names }: { first: string; names: string[] }, date: string): string | null {
  if (!isDay(first) || date < first) return null;
  const n = Math.floor((Date.parse(date) - Date.parse(first)) / (7 * 24 * 3600 * 1000));
  return names[n]?.trim() || `Week ${n + 1}`;
}

/** One calculated date: as it stands, or being changed. */
function DateLine({
  date: d,
  usual,
  week,
  of,
  year,
  open,
  onOpen,
  change,
  clashing,
}: {
  date: ShownDate;
  usual: { place: string; instructor: string };
  week: string | null;
  of: number;
  /** The year of the first date, which is not said again. */
  year?: string;
  open: boolean;
  onOpen: (on: boolean) => void;
  change: (what: Partial<DateChange>) => void;
  clashing: string[];
}) {
  return (
    <li className={d.dropped ? "out" : ""}>
      <T tone="slate" className="n">
        {d.from} of {of}
      </T>
      {open ? (
        <>
          <Field
            label={`Date of meeting ${d.from}`}
            unseen
            type="date"
            width={165}
            value={d.date}
            // The field opens where the person just pressed; typing goes on there.
            autoFocus
            onChange={(date) => isDay(date) && change({ date })}
          />
          <Field
            label={`Start of meeting ${d.from}`}
            unseen
            type="time"
            width={90}
            value={d.start}
            onChange={(start) => timeTyped(start) === start && change({ start })}
          />
          <Button variant="text" onClick={() => onOpen(false)}>
            done
          </Button>
        </>
      ) : (
        <>
          <span className="date">{day(d.date, d.date.slice(0, 4) !== year)}</span>
          <T nowrap>
            {d.start.slice(0, 5)} to {d.end.slice(0, 5)}, {length(d.minutes)}
          </T>
          <T tone="slate" nowrap>
            week {weekNumber(d.date)}
            {week && `, ${week}`}
          </T>
          <T tone="slate">
            {d.room || usual.place || "no room yet"},{" "}
            {d.instructor || usual.instructor || "nobody teaches yet"}
          </T>
          {d.dropped ? (
            <Button variant="text" onClick={() => change({ dropped: false })}>
              take back in
            </Button>
          ) : (
            <T nowrap className="acts">
              <Button variant="text" aria-label={`Change meeting ${d.from}`} onClick={() => onOpen(true)}>
                change
              </Button>{" "}
              <Button
                variant="text"
                color="secondary"
                aria-label={`Leave out meeting ${d.from}`}
                onClick={() => change({ dropped: true })}
              >
                leave out
              </Button>
            </T>
          )}
        </>
      )}
      {d.changed && !d.dropped && <T tone="ochre">changed by hand</T>}
      {d.warnings.map((w) => (
        <T tone="ochre" key={w}>
          {w}
        </T>
      ))}
      {!d.dropped && clashing.length > 0 && <T clash>clashes: {clashing.join(", ")}</T>}
    </li>
  );
}

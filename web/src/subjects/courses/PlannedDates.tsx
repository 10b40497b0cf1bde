import { useState } from "react";

import type { Schemas } from "../../app/server";
import { MonthGrid } from "../../parts/MonthGrid";
import { clock, day } from "../../parts/text";
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
        start: c.start ?? clock(m.start),
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
      start: change?.start ?? clock(m.start),
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
  onDay,
}: {
  dates: ShownDate[];
  changes: DateChange[];
  onChange: (changes: DateChange[]) => void;
  clashes: Schemas["ClashOut"][];
  dropped: { date: string; why: string }[];
  optional?: boolean;
  /** A day picked in the months, for a one-off meeting. */
  onDay: (date: string) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  const [months, setMonths] = useState(false);
  if (dates.length === 0)
    return (
      <p className="slate" style={{ marginTop: 12 }}>
        {optional
          ? "A cohort may meet or not; with a first date, its meetings appear here."
          : "Give a first date, and all dates appear here before anything is saved."}
      </p>
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
        <p key={d.date} className="ochre" style={{ margin: "12px 0 0" }}>
          {d.why}
        </p>
      ))}
      <div className="row" role="group" aria-label="Show the dates" style={{ gap: 16, marginTop: 12 }}>
        {[false, true].map((m) => (
          <button
            type="button"
            key={String(m)}
            className={m === months ? "word at" : "word"}
            aria-pressed={m === months}
            onClick={() => setMonths(m)}
          >
            {m ? "months" : "list"}
          </button>
        ))}
      </div>
      {months && (
        <MonthGrid
          marks={new Map(dates.filter((d) => !d.dropped).map((d) => [d.date, d.from]))}
          lost={new Set(dropped.map((d) => d.date))}
          clashing={new Set(clashes.map((c) => c.date))}
          onPick={onDay}
        />
      )}
      <ol className="datelist" aria-label="All dates of this run" hidden={months}>
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
                {(d.room ?? d.instructor) && (
                  <span className="slate">{[d.room, d.instructor].filter(Boolean).join(", ")}</span>
                )}
                {d.dropped ? (
                  <button
                    type="button"
                    className="plainly"
                    onClick={() => change(d.from, { dropped: false })}
                  >
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
            {!d.dropped && clashing(d.date).length > 0 && (
              <span className="clash">clashes: {clashing(d.date).join(", ")}</span>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}

import { useRef, type ReactNode } from "react";
import { Link } from "react-router";

import { useKept } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { GateLine } from "../../parts/GateLine";
import { decisionText, nextText, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { clock, count, day, hours, money } from "../../parts/text";
import type { Run } from "./runTypes";

/** What a run is: whole, or as one strip of facts while a part of it is worked in. The choice is kept. */
export function RunHead({ run, working }: { run: Run; working: boolean }) {
  const [chosen, choose] = useKept<boolean | null>("run-head-open", null);
  const open = chosen ?? !working;
  const touched = useRef(false);
  // The button stands elsewhere once it was used; the focus goes along.
  const follow = (button: HTMLButtonElement | null) => {
    if (button && touched.current) {
      touched.current = false;
      button.focus({ preventScroll: true });
    }
  };
  const toggle = (
    <button
      type="button"
      className="plainly quiet nowrap"
      aria-expanded={open}
      ref={follow}
      onClick={() => {
        touched.current = true;
        choose(!open);
      }}
    >
      {open ? "fold this to one line" : "unfold"}
    </button>
  );
  return open ? <Whole run={run} toggle={toggle} /> : <Strip run={run} toggle={toggle} />;
}

type Part = { run: Run; toggle: ReactNode };

/** The facts that people ask for ten times a day, in one line. */
function Strip({ run, toggle }: Part) {
  const facts = [
    decisionText(run) || stateText(run),
    run.next_meeting ? `next ${day(run.next_meeting.date, false)}, ${run.next_meeting.start}` : "",
    run.price
      ? `${money(run.price.amount, run.currency)}${run.price.until ? ` to ${day(run.price.until, false).slice(4)}` : ""}`
      : "",
  ].filter(Boolean);
  return (
    <div className="strip">
      <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
      <h1>
        <span className="nowrap">{run.code}</span> <span className="slate line-of">{run.title}</span>
      </h1>
      <span className="facts-line">
        <strong className="nowrap">{seatsText({ ...run, kept: 0 })} seats</strong>
        {run.kept > 0 && <span className="slate nowrap">{run.kept} kept back</span>}
        {run.waiting > 0 && <strong className="ochre nowrap">{run.waiting} waiting</strong>}
        {facts.map((fact) => (
          <span key={fact} className="nowrap">
            {fact}
          </span>
        ))}
      </span>
      {toggle}
    </div>
  );
}

function Whole({ run, toggle }: Part) {
  return (
    <>
      <div className="crumbs">
        <Link to="/planner">Runs</Link> /{" "}
        {run.course_title === run.title ? run.code : `${run.course_title} / ${run.code}`}
        {run.place && ` / ${run.place}`} <span className="slate">·</span> {toggle}
      </div>
      <div className="title">
        <div>
          <h1>{run.title}</h1>
          <div>
            {spanText(run)}
            {timesText(run.dates)}{" "}
            {run.meetings > 0 && (
              <span className="slate">
                ({count(run.meetings, "meeting")}, {hours(run.hours)})
              </span>
            )}
            {teachers(run).length > 0 && (
              <>
                {" "}
                with <strong>{teachers(run).join(" and ")}</strong>
              </>
            )}
          </div>
          {run.kind !== "open" && <div className="slate">{nextText(run)}</div>}
        </div>
        <div className="row mid seats-now">
          <div className="right">
            <div className="big">{seatsText({ ...run, kept: 0 })} seats</div>
            {run.kept > 0 && <div className="slate">{run.kept} kept back</div>}
            {run.waiting > 0 && <div className="ochre strong">{run.waiting} waiting</div>}
            <div className="slate">{smallestText(run)}</div>
            <div className="slate">{decisionText(run)}</div>
          </div>
          <Arch
            taken={run.taken}
            capacity={run.capacity}
            smallest={run.smallest}
            waiting={run.waiting}
            size="heading"
          />
        </div>
      </div>
      <GateLine run={run} />
    </>
  );
}

/** The times at which a run meets: one, two, or how many there are. */
function timesText(dates: Run["dates"]): string {
  const times = [...new Set(dates.map((d) => `${clock(d.start)} to ${clock(d.end)}`))];
  if (times.length === 0) return "";
  return times.length < 3 ? `, ${times.join(" or ")}` : `, at ${times.length} different times`;
}

/** Who teaches a run: those of its meetings, the usual one first. */
function teachers(run: Run): string[] {
  const every = new Set(run.dates.map((d) => d.instructor).filter((n) => n !== null));
  if (every.size === 0 && run.instructor) return [run.instructor];
  const names = [...every].sort((a, b) => Number(b === run.instructor) - Number(a === run.instructor));
  return names.length < 4 ? names : [...names.slice(0, 3), `${names.length - 3} more`];
}

import Button from "@mui/material/Button";
import { useEffect } from "react";
import { Link, useLocation } from "react-router";

import { useKept } from "../../app/session";
import { clock, count, day, length, weekdays } from "../../parts/text";
import type { Propose, Run } from "../courses/runTypes";
import { AcceptClash } from "./AcceptClash";
import { Extend, MoveRun } from "./DateForms";
import { FeedAddress } from "./FeedAddress";
import { MeetingEdit } from "./MeetingEdit";

type Meeting = Run["dates"][number];
type Open = number | "new" | "move" | "extend" | null;

/** All dates of a run; any of them, those after it, or all can be changed, cancelled, moved, and more added. */
export function RunDates({ run, propose }: { run: Run; propose: Propose }) {
  const [open, setOpen] = useKept<Open>(`run-dates-${run.id}`, null);
  const { hash } = useLocation();
  useEffect(() => {
    const held = /^#meeting-(\d+)$/.exec(hash);
    if (held) setOpen(Number(held[1]));
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [hash]);
  const close = () => setOpen(null);
  const frozen = run.status === "cancelled" || run.status === "archived";
  const differs = (m: Meeting) =>
    [
      m.room !== (run.place || null) ? m.room : null,
      m.instructor !== (run.instructor || null) ? m.instructor : null,
    ]
      .filter(Boolean)
      .join(", ");
  return (
    <>
      <p className="slate" style={{ margin: "14px 0 0" }}>
        {run.patterns.map((p, i) => (
          <span key={i}>
            {i === 0 ? "Planned as " : "and "}
            {weekdays(p.weekdays)}
            {p.every_weeks > 1 && ` every ${p.every_weeks} weeks`} at {p.start.slice(0, 5)},{" "}
            {length(p.minutes)} each{p.room && ` in ${p.room}`}
            {p.instructor && ` with ${p.instructor}`}
            {"; "}
          </span>
        ))}
        {run.kind === "open"
          ? `No dates: ${count(run.access_days ?? 0, "day")} of access from enrollment.`
          : run.dates.length === 0
            ? `No meetings; from ${day(run.starts_on)} to ${day(run.ends_on)}.`
            : `${count(run.weeks, "calendar week")} from first to last meeting, times of ${run.time_zone.replace(/_/g, " ")}.`}
      </p>
      {!frozen && run.kind !== "open" && (
        <div className="row wrap" style={{ margin: "12px 0 0" }}>
          {open !== "new" && <Button onClick={() => setOpen("new")}>Add a meeting</Button>}
          {open !== "move" && <Button onClick={() => setOpen("move")}>Move the run</Button>}
          {open !== "extend" && (run.patterns.length > 0 || run.kind === "cohort") && (
            <Button onClick={() => setOpen("extend")}>Extend the end</Button>
          )}
          <Button component={Link} to={`/copy?run=${run.id}`}>
            Copy the run
          </Button>
        </div>
      )}
      {open === "move" && <MoveRun run={run} propose={propose} onClose={close} />}
      {open === "extend" && <Extend run={run} propose={propose} onClose={close} />}
      {open === "new" && <MeetingEdit run={run} propose={propose} onClose={close} />}
      <Clashes run={run} onOpen={setOpen} />
      <ol className="datelist wide" aria-label="Dates of this run">
        {run.dates.map((m) =>
          open === m.id ? (
            <MeetingEdit key={m.id} run={run} meeting={m} propose={propose} onClose={close} />
          ) : (
            <li key={m.id} id={`meeting-${m.id}`}>
              <span className="slate n">{m.n}</span>
              <span className="date">{day(m.date)}</span>
              <span className="nowrap">
                {clock(m.start)} to {clock(m.end)}
              </span>
              {differs(m) && <span>{differs(m)}</span>}
              {m.online && (
                <span className="slate">
                  {m.link ? (
                    <>
                      <a href={m.link}>link</a>, host key {m.host_key}
                    </>
                  ) : (
                    "link is being made"
                  )}
                </span>
              )}
              {m.by_hand && <span className="slate">by hand</span>}
              {!frozen && (
                <button
                  className="plainly acts"
                  aria-label={`Change meeting ${m.n}`}
                  onClick={() => setOpen(m.id)}
                >
                  change
                </button>
              )}
              {m.warnings.map((w) => (
                <span key={w} className="ochre">
                  {w}
                </span>
              ))}
              {run.clashes.some(
                (c) => c.accepted === null && (c.meeting_id === m.id || c.other_meeting_id === m.id),
              ) && <span className="clash">clashes</span>}
            </li>
          ),
        )}
      </ol>
      {run.named_weeks.length > 0 && (
        <>
          <h2 style={{ marginTop: 22 }}>Weeks</h2>
          <ol className="datelist">
            {run.named_weeks.map((w) => (
              <li key={w.from}>
                <span className="date">{w.name}</span>
                <span className="slate">
                  {day(w.from, false)} to {day(w.to, false)}
                  {w.meetings > 0 && `, ${count(w.meetings, "meeting")}`}
                </span>
              </li>
            ))}
          </ol>
        </>
      )}
      {run.cancelled.length > 0 && (
        <>
          <h2 style={{ marginTop: 22 }}>Not held</h2>
          <ul className="ruled">
            {run.cancelled.map((m) => (
              <li key={m.id} className="row mid" style={{ padding: "6px 0" }}>
                <span className="slate" style={{ textDecoration: "line-through" }}>
                  {day(m.date)}, {m.start}
                </span>
                <span className="grow">{m.why}</span>
                <Link to={`/calls/${m.id}`}>call list, and money back</Link>
              </li>
            ))}
          </ul>
        </>
      )}
      {run.status !== "draft" && (
        <p style={{ marginTop: 20 }}>
          <FeedAddress kind="run" id={run.id} />
        </p>
      )}
    </>
  );
}

/** The clashes of a run, each with ways to solve it. */
function Clashes({ run, onOpen }: { run: Run; onOpen: (open: Open) => void }) {
  if (run.clashes.length === 0) return null;
  return (
    <ul className="ruled clashes" aria-label="Clashes">
      {run.clashes.map((c) => (
        <li key={c.key}>
          <span className={c.accepted === null ? "clash" : "slate"}>{day(c.date)}</span>
          <span className="grow">
            {c.text}
            {c.accepted !== null && <span className="slate"> Accepted: {c.accepted}</span>}
          </span>
          {c.kind === "too small" ? (
            <Link to={`/runs/${run.id}/terms#place`}>another room</Link>
          ) : (
            <button
              className="plainly"
              onClick={() => onOpen(c.run?.id === run.id ? c.meeting_id : c.other_meeting_id)}
            >
              change it
            </button>
          )}
          {[c.run, c.other].map(
            (r) =>
              r &&
              r.id !== run.id && (
                <Link key={r.id} to={`/runs/${r.id}/dates`}>
                  {r.code}
                </Link>
              ),
          )}
          <AcceptClash clash={c} />
        </li>
      ))}
    </ul>
  );
}

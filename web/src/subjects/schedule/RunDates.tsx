import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect } from "react";
import { Link, useLocation } from "react-router";

import { useKept } from "../../app/session";
import { Clashes as ClashList, DateList, Grow, Row, Ruled } from "../../parts/layout";
import { clock, count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import type { Propose, Run } from "../courses/runTypes";
import { AcceptClash } from "./AcceptClash";
import { Extend, MoveRun } from "./DateForms";
import { FeedAddress } from "./FeedAddress";
import { MeetingEdit } from "./MeetingEdit";
import { Patterns } from "./Patterns";

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
  return (
    <>
      {run.kind !== "open" && <Patterns run={run} propose={propose} frozen={frozen} />}
      <PlannedAs run={run} />
      {!frozen && run.kind !== "open" && (
        <Row wrap sx={{ margin: "12px 0 0" }}>
          {open !== "new" && <Button onClick={() => setOpen("new")}>Add a meeting</Button>}
          {open !== "move" && <Button onClick={() => setOpen("move")}>Move the run</Button>}
          {open !== "extend" && (run.patterns.length > 0 || run.kind === "cohort") && (
            <Button onClick={() => setOpen("extend")}>Extend the end</Button>
          )}
          <Button component={Link} to={`/copy?run=${run.id}`}>
            Copy the run
          </Button>
        </Row>
      )}
      {open === "move" && <MoveRun run={run} propose={propose} onClose={close} />}
      {open === "extend" && <Extend run={run} propose={propose} onClose={close} />}
      {open === "new" && <MeetingEdit run={run} propose={propose} onClose={close} />}
      <Clashes run={run} onOpen={setOpen} />
      <DateList className="wide" aria-label="Dates of this run">
        {run.dates.map((m) =>
          open === m.id ? (
            <MeetingEdit key={m.id} run={run} meeting={m} propose={propose} onClose={close} />
          ) : (
            <MeetingLine
              key={m.id}
              run={run}
              meeting={m}
              onChange={frozen ? undefined : () => setOpen(m.id)}
            />
          ),
        )}
      </DateList>
      <Weeks run={run} />
      <NotHeld run={run} />
      {run.status !== "draft" && (
        <P sx={{ marginTop: 20 }}>
          <FeedAddress kind="run" id={run.id} />
        </P>
      )}
    </>
  );
}

/** Over how many weeks the dates go, and in which zone their times are. */
function PlannedAs({ run }: { run: Run }) {
  return (
    <P tone="slate" sx={{ margin: "14px 0 0" }}>
      {run.kind === "open"
        ? `No dates: ${count(run.access_days ?? 0, "day")} of access from enrollment.`
        : run.dates.length === 0
          ? `No meetings; from ${day(run.starts_on)} to ${day(run.ends_on)}.`
          : `${count(run.weeks, "calendar week")} from first to last meeting, times of ${run.time_zone.replace(/_/g, " ")}.`}
    </P>
  );
}

/** One date: its time, what of it differs from the run, and what is wrong with it. */
function MeetingLine({ run, meeting: m, onChange }: { run: Run; meeting: Meeting; onChange?: () => void }) {
  const differs = [
    m.room !== (run.place || null) ? m.room : null,
    m.instructor !== (run.instructor || null) ? m.instructor : null,
  ]
    .filter(Boolean)
    .join(", ");
  const week = run.named_weeks.find((w) => w.from <= m.date && m.date <= w.to)?.name;
  return (
    <li id={`meeting-${m.id}`}>
      <T tone="slate" className="n">
        {m.n}
      </T>
      <span className="date">{day(m.date)}</span>
      <T nowrap>
        {clock(m.start)} to {clock(m.end)}
      </T>
      {week && <T tone="slate">{week}</T>}
      {differs && <span>{differs}</span>}
      {m.online && (
        <T tone="slate">
          {m.link ? (
            <>
              <a href={m.link}>link</a>, host key {m.host_key}
            </>
          ) : (
            "link is being made"
          )}
        </T>
      )}
      {m.by_hand && <T tone="slate">by hand</T>}
      {onChange && (
        <Button variant="text" className="acts" aria-label={`Change meeting ${m.n}`} onClick={onChange}>
          change
        </Button>
      )}
      {m.warnings.map((w) => (
        <T tone="ochre" key={w}>
          {w}
        </T>
      ))}
      {run.clashes.some(
        (c) => c.accepted === null && (c.meeting_id === m.id || c.other_meeting_id === m.id),
      ) && <T clash>clashes</T>}
    </li>
  );
}

function Weeks({ run }: { run: Run }) {
  if (run.named_weeks.length === 0) return null;
  return (
    <>
      <Box component="h2" sx={{ marginTop: 22 }}>
        Weeks
      </Box>
      <DateList>
        {run.named_weeks.map((w) => (
          <li key={w.from}>
            <span className="date">{w.name}</span>
            <T tone="slate">
              {day(w.from, false)} to {day(w.to, false)}
              {w.meetings > 0 && `, ${count(w.meetings, "meeting")}`}
            </T>
          </li>
        ))}
      </DateList>
    </>
  );
}

/** Meetings that fell out, and why. */
function NotHeld({ run }: { run: Run }) {
  if (run.cancelled.length === 0) return null;
  return (
    <>
      <Box component="h2" sx={{ marginTop: 22 }}>
        Not held
      </Box>
      <Ruled>
        {run.cancelled.map((m) => (
          <Row mid as="li" key={m.id} sx={{ padding: "6px 0" }}>
            <T tone="slate" sx={{ textDecoration: "line-through" }}>
              {day(m.date)}, {m.start}
            </T>
            <Grow as="span">{m.why}</Grow>
            <Link to={`/calls/${m.id}`}>call list, and money back</Link>
          </Row>
        ))}
      </Ruled>
    </>
  );
}

/** The clashes of a run, each with ways to solve it. */
function Clashes({ run, onOpen }: { run: Run; onOpen: (open: Open) => void }) {
  if (run.clashes.length === 0) return null;
  return (
    <ClashList aria-label="Clashes">
      {run.clashes.map((c) => (
        <li key={c.key}>
          <T clash={c.accepted === null} tone={c.accepted === null ? undefined : "slate"}>
            {day(c.date)}
          </T>
          <Grow as="span">
            {c.text}
            {c.accepted !== null && <T tone="slate"> Accepted: {c.accepted}</T>}
          </Grow>
          {c.kind === "too small" ? (
            <Link to={`/runs/${run.id}/terms#place`}>another room</Link>
          ) : (
            <Button
              variant="text"
              onClick={() => onOpen(c.run?.id === run.id ? c.meeting_id : c.other_meeting_id)}
            >
              change it
            </Button>
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
    </ClashList>
  );
}

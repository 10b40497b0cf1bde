import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { Link } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { addDays } from "../../parts/dates";
import { Loading, Row } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { DAYS } from "../schedule/PatternFields";

type Shown = Schemas["InstructorWeek"];

const Grid = styled("div")({
  display: "grid",
  gridTemplateColumns: "repeat(7, minmax(0, 1fr))",
  borderTop: `1px solid ${ink.ink}`,
  marginTop: 8,
  "& > div": { borderRight: `1px solid ${ink.line}`, padding: "0 0 6px", minHeight: 118 },
  "& > div:last-of-type": { borderRight: 0 },
  "& h3": { font: "inherit", fontWeight: 600, margin: 0, padding: "4px 8px 0" },
  "& .hours": { fontSize: 12.5, color: ink.slate, padding: "0 8px 4px", minHeight: 20 },
  "& .off": { color: ink.slate },
  "& .meets": {
    display: "block",
    borderLeft: `3px solid ${ink.verdigris}`,
    background: ink.verdigrisPale,
    margin: "4px 6px 0",
    padding: "3px 6px",
    fontSize: 13,
    lineHeight: 1.35,
    color: ink.ink,
    textDecoration: "none",
    overflowWrap: "anywhere",
  },
  "& .meets[data-clash]": { borderLeftColor: ink.brick, background: ink.brickPale },
  "& .away": {
    margin: "4px 6px 0",
    padding: "3px 6px",
    fontSize: 13,
    color: ink.ink,
    borderLeft: `3px double ${ink.ochre}`,
    background: ink.ochrePale,
  },
});

/** A week of somebody who teaches: when they can, when they are away, and what they teach. */
export function Week({
  id,
  monday,
  onWeek,
}: {
  id: number;
  /** The first day of the week that is shown; none: this week. */
  monday: string | undefined;
  onWeek: (monday: string) => void;
}) {
  const query = $api.useQuery("get", "/api/v1/instructors/{instructor_id}/week", {
    params: { path: { instructor_id: id }, query: { day: monday } },
  });
  const week = query.data;
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!week) return <Loading />;
  const over = week.most_hours !== null && Number(week.hours) > Number(week.most_hours);
  return (
    <>
      <Row mid wrap>
        <strong>
          {day(week.monday)} to {day(addDays(week.monday, 6))}
        </strong>
        <span>
          <T strong tone={over ? "brick" : undefined}>
            {week.hours} h
          </T>
          {week.most_hours && ` of at most ${week.most_hours}`}
          {over && <T tone="brick">, too many</T>}
        </span>
        <T tone="slate">
          {week.season_hours} h in the season, {week.season}
        </T>
        <Row as="span" sx={{ marginLeft: "auto" }}>
          <Button variant="text" onClick={() => onWeek(addDays(week.monday, -7))}>
            the week before
          </Button>
          <Button variant="text" onClick={() => onWeek(addDays(week.monday, 7))}>
            the week after
          </Button>
        </Row>
      </Row>
      <Grid>
        {DAYS.map((code, n) => (
          <DayOf key={code} week={week} code={code} iso={addDays(week.monday, n)} />
        ))}
      </Grid>
      {week.meetings.length === 0 && <P tone="slate">Nothing is taught in this week.</P>}
    </>
  );
}

function DayOf({ week, code, iso }: { week: Shown; code: string; iso: string }) {
  const own = week.availability.filter((h) => h.weekday === code);
  const anytime = week.availability.length === 0;
  const away = week.absences.filter((b) => b.start.slice(0, 10) <= iso && lastDay(b) >= iso);
  return (
    <div>
      <h3>{day(iso, false)}</h3>
      <div className="hours">
        {anytime
          ? "any time"
          : own.map((h) => `${h.from.slice(0, 5)} to ${h.to.slice(0, 5)}`).join(", ") || "not available"}
      </div>
      {away.map((b) => (
        <div className="away" key={b.id}>
          away{b.label !== "away" && `: ${b.label}`}
          {!b.all_day && (
            <div>
              {b.start.slice(11, 16)} to {b.end.slice(11, 16)}
            </div>
          )}
        </div>
      ))}
      {week.meetings
        .filter((m) => m.day === iso)
        .map((m) => (
          <Link
            key={m.meeting_id}
            className="meets"
            data-clash={m.clash || undefined}
            to={`/runs/${m.run_id}/teaching`}
            title={m.title}
          >
            {m.start.slice(0, 5)} to {m.end.slice(0, 5)} <strong>{m.code}</strong>
            {m.part !== "lead" && ` ${m.part}`}
            {m.place && <T tone="slate">, {m.place}</T>}
            {m.clash && <T clash> clashes</T>}
          </Link>
        ))}
    </div>
  );
}

/** The last day of an absence; whole days end with the next midnight. */
function lastDay(b: Schemas["BusyOut"]): string {
  return b.all_day ? addDays(b.end.slice(0, 10), -1) : b.end.slice(0, 10);
}

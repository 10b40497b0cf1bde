import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { Grow, Part, Row, Ruled } from "../../parts/layout";
import { count, day } from "../../parts/text";
import { Empty, P, T, When } from "../../parts/words";
import type { Propose, Run } from "../courses/runTypes";
import { Assign } from "./Assign";
import type { Place, Teaching } from "./RunTeaching";

const MANY = 6;

/** Who teaches a run: as usual, by pattern, and by meeting where it is somebody else. */
export function WhoTeaches({
  run,
  teaching,
  propose,
  place,
  onPlace,
}: {
  run: Run;
  teaching: Teaching;
  propose: Propose;
  place: Place | null;
  onPlace: (place: Place | null) => void;
}) {
  const [all, setAll] = useState(false);
  const ahead = teaching.meetings.filter((m) => !m.past);
  const other = ahead.filter((m) => m.taught_by !== teaching.taught_by);
  const shown = all ? teaching.meetings : other.slice(0, MANY);
  const assign = (at: Place) => (
    <Assign run={run} teaching={teaching} place={at} propose={propose} onClose={() => onPlace(null)} />
  );
  const lead = teaching.teachers.find((t) => t.usual);
  const at = (wanted: Place) =>
    place !== null && place.meeting_id === wanted.meeting_id && place.pattern_n === wanted.pattern_n;
  return (
    <Part as="div" sx={{ borderTop: 0 }}>
      <h2>Who teaches</h2>
      <div>
        <Row mid wrap>
          <Grow>
            {teaching.taught_by ? (
              <strong>{teaching.taught_by}</strong>
            ) : (
              <T tone="brick">Nobody teaches this run yet.</T>
            )}
            {teaching.unstaffed > 0 && teaching.taught_by && (
              <T tone="brick"> {count(teaching.unstaffed, "coming meeting")} without anybody</T>
            )}
          </Grow>
          <Button variant={teaching.taught_by ? "outlined" : "contained"} onClick={() => onPlace({})}>
            {teaching.taught_by ? "Change who teaches" : "Find somebody"}
          </Button>
          {lead && ahead[0] && (
            <Button component={Link} to={`/teaching/cover?who=${lead.instructor_id}&from=${ahead[0].date}`}>
              Cover for {lead.name}
            </Button>
          )}
        </Row>
        {at({}) && assign({})}
        {teaching.patterns.length > 1 && (
          <Ruled sx={{ marginTop: 10 }}>
            {teaching.patterns.map((p) => (
              <li key={p.n}>
                <Row mid sx={{ padding: "5px 0" }}>
                  <When>{p.text}</When>
                  <Grow as="span">{p.taught_by || <T tone="slate">as the run</T>}</Grow>
                  <Button variant="text" onClick={() => onPlace({ pattern_n: p.n })}>
                    change
                  </Button>
                </Row>
                {at({ pattern_n: p.n }) && assign({ pattern_n: p.n })}
              </li>
            ))}
          </Ruled>
        )}
        {shown.length > 0 && (
          <>
            {!all && (
              <P label sx={{ marginTop: 12 }}>
                Meetings that somebody else teaches
              </P>
            )}
            <Ruled sx={{ marginTop: all ? 12 : 0 }}>
              {shown.map((m) => (
                <li key={m.id}>
                  <Row mid sx={{ padding: "5px 0" }}>
                    <T tone="slate" right sx={{ width: 22 }}>
                      {m.n}
                    </T>
                    <When tone={m.past ? "slate" : undefined}>{day(m.date)}</When>
                    <T tone="slate">{m.start.slice(0, 5)}</T>
                    <Grow as="span">{m.taught_by || <T tone="brick">nobody</T>}</Grow>
                    {!m.past && (
                      <Button
                        variant="text"
                        aria-label={`Change who teaches on ${day(m.date)}`}
                        onClick={() => onPlace({ meeting_id: m.id })}
                      >
                        change
                      </Button>
                    )}
                  </Row>
                  {at({ meeting_id: m.id }) && assign({ meeting_id: m.id })}
                </li>
              ))}
            </Ruled>
          </>
        )}
        {teaching.meetings.length > 0 && (
          <Button variant="text" onClick={() => setAll(!all)} aria-expanded={all}>
            {all ? "Only what differs" : `All ${count(teaching.meetings.length, "meeting")}, one by one`}
          </Button>
        )}
        {teaching.meetings.length === 0 && (
          <Empty as="p">This run has no meetings; whoever teaches it stands with it as a whole.</Empty>
        )}
      </div>
    </Part>
  );
}

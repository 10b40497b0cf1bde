import Box from "@mui/material/Box";
import { useState } from "react";
import { Link } from "react-router";

import { $api } from "../../app/server";
import { Words } from "../../form/Views";
import { Clashes, Grow, Row } from "../../parts/layout";
import { NotYet, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { Empty, T, When } from "../../parts/words";
import { AcceptClash } from "./AcceptClash";
import { PlannerTabs } from "./PlannerTabs";

const WAYS: Record<string, string> = {
  instructor: "another instructor, or another time",
  room: "another room, or another time",
  "too small": "a larger room, or fewer seats",
  closure: "another day, or teach all the same",
  "not available": "another instructor or room, or another time",
  learner: "another time, or call them",
};

/** Every clash from today on, in one place, each with ways to solve it. */
export default function ClashesPage() {
  const query = $api.useQuery("get", "/api/v1/clashes");
  const [kind, setKind] = useState("");
  const [accepted, setAccepted] = useState(false);
  if (!query.data) return <NotYet title="Clashes" error={query.error} retry={() => void query.refetch()} />;
  const open = query.data.filter((c) => (c.accepted !== null) === accepted);
  const kinds = [...new Set(open.map((c) => c.kind))];
  const shown = open.filter((c) => !kind || c.kind === kind);
  return (
    <Page
      title="Clashes"
      margin={null}
      help="An instructor or a room at two meetings at once; a room with fewer seats than the run; a meeting on a closed day; an instructor away, a room closed, or hours outside those they can teach; a learner with two meetings at once. Times that only touch are none. An accepted clash comes up again when one of its times changes."
    >
      <PlannerTabs />
      <Box component="h1" sx={{ margin: "12px 0 4px" }}>
        {count(
          shown.length,
          accepted ? "accepted clash" : "clash",
          accepted ? "accepted clashes" : "clashes",
        )}
      </Box>
      <Row sx={{ gap: 32, margin: "10px 0" }}>
        <Words
          label="Kind"
          value={kind}
          words={[["", "all"], ...kinds.map((k) => [k, k] as const)]}
          onPick={setKind}
        />
        <Words
          label="Show"
          value={accepted ? "accepted" : "open"}
          words={[
            ["open", "open"],
            ["accepted", "accepted"],
          ]}
          onPick={(v) => setAccepted(v === "accepted")}
        />
      </Row>
      {shown.length === 0 && <Empty as="p">Nothing clashes from today on.</Empty>}
      <Clashes>
        {shown.map((c) => (
          <li key={c.key}>
            <When nowrap>
              {day(c.date)}
              <br />
              <T tone="slate">
                {clock(c.start)} to {clock(c.end)}
              </T>
            </When>
            <Grow as="span">
              <T clash={c.accepted === null} tone={c.accepted === null ? undefined : "slate"}>
                {c.text}
              </T>
              <br />
              <T tone="slate">
                {c.accepted !== null ? `Accepted: ${c.accepted}` : `Solved by ${WAYS[c.kind]}.`}
              </T>
            </Grow>
            <Row wrap as="span" className="solve">
              {c.run && (
                <Link
                  to={
                    c.kind === "too small"
                      ? `/runs/${c.run.id}/terms#place`
                      : `/runs/${c.run.id}/dates#meeting-${c.meeting_id}`
                  }
                >
                  change {c.run.code}
                </Link>
              )}
              {c.other && c.other.id !== c.run?.id && (
                <Link to={`/runs/${c.other.id}/dates#meeting-${c.other_meeting_id}`}>
                  change {c.other.code}
                </Link>
              )}
              {c.instructor_id !== null && (
                <Link to={`/teaching/cover?who=${c.instructor_id}&from=${c.date}&through=${c.date}`}>
                  find cover
                </Link>
              )}
              {c.kind === "closure" && (
                <Link to={`/places?tab=days&year=${c.date.slice(0, 4)}`}>teach that day</Link>
              )}
              <AcceptClash clash={c} />
            </Row>
          </li>
        ))}
      </Clashes>
    </Page>
  );
}

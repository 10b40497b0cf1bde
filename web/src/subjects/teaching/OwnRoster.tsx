import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Choice } from "../../form/Field";
import { Views } from "../../form/Views";
import { useResultFocus } from "../../parts/focus";
import { Loading, Note, Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { KEYS, type Mark, useMarking } from "../roster/useMarking";

type Roster = Schemas["OwnRoster"];
/** The roster of a run of one's own, with the marks of one meeting; one key marks and goes on to the next. */
export function OwnRoster({ runId }: { runId: number }) {
  const query = $api.useQuery("get", "/api/v1/own/teaching/runs/{run_id}", {
    params: { path: { run_id: runId } },
  });
  if (query.error)
    return (
      <Note kind="wrong" role="alert">
        {messageOf(query.error)}
      </Note>
    );
  if (!query.data) return <Loading />;
  return <Shown roster={query.data} />;
}

function Shown({ roster }: { roster: Roster }) {
  const past = roster.meetings.filter((m) => m.past);
  const [meeting, setMeeting] = useState(String(past.at(-1)?.id ?? ""));
  const mayMark = roster.may_mark && past.length > 0;
  const first = roster.meetings[0];
  const heading = useResultFocus<HTMLHeadingElement>(roster.run_id);
  const [said, setSaid] = useState("");
  // Whose mark was not saved stands until it is: the next key does not cover it.
  const [unsaved, setUnsaved] = useState<number[]>([]);
  const [why, setWhy] = useState("");
  const marking = useMarking({
    sheet: roster,
    queryKey: $api.queryOptions("get", "/api/v1/own/teaching/runs/{run_id}", {
      params: { path: { run_id: roster.run_id } },
    }).queryKey,
    send: (meeting_id, marks) =>
      ask(
        api.PUT("/api/v1/own/teaching/meetings/{meeting_id}/attendance", {
          params: { path: { meeting_id } },
          body: { marks },
        }),
      ),
    failed: (error) => setWhy(messageOf(error)),
  });
  const put = async (marks: Record<number, Mark | null>) => {
    setSaid("");
    const saved = await marking(Number(meeting), marks);
    if (saved) setSaid("Saved.");
    const those = new Set(Object.keys(marks).map(Number));
    setUnsaved((old) => [...old.filter((id) => !those.has(id)), ...(saved ? [] : those)]);
  };
  const unmarked = roster.people.filter((p) => !p.marks[meeting]);
  const onKey = (e: React.KeyboardEvent, at: number) => {
    const mark = KEYS[e.key.toLowerCase()];
    const person = roster.people[at];
    if (mark && person && !e.ctrlKey && !e.altKey && !e.metaKey) {
      e.preventDefault();
      void put({ [person.person_id]: mark });
      document.querySelector<HTMLElement>(`[data-learner="${at + 1}"]`)?.focus();
    }
  };
  return (
    <section>
      <Link to="?at=rosters">All your runs</Link>
      <h2 ref={heading} tabIndex={-1}>
        {roster.title}, {roster.code}
      </h2>
      {mayMark && (
        <Row wrap end>
          <Choice
            label="Meeting"
            width={220}
            value={meeting}
            onChange={(value) => {
              setMeeting(value);
              setSaid("");
              setUnsaved([]);
            }}
            options={past.map((m) => ({
              value: String(m.id),
              text: `${day(m.day)}, ${m.start.slice(0, 5)}`,
            }))}
          />
          {unmarked.length > 0 && (
            <Button
              variant="contained"
              onClick={() =>
                void put(Object.fromEntries(unmarked.map((p) => [p.person_id, "present" as const])))
              }
            >
              {unmarked.length === roster.people.length
                ? "All present"
                : `The other ${unmarked.length} present`}
            </Button>
          )}
        </Row>
      )}
      {unsaved.length > 0 && (
        <Note kind="wrong" role="alert">
          Not saved for{" "}
          {roster.people
            .filter((p) => unsaved.includes(p.person_id))
            .map((p) => p.name)
            .join(", ")}
          . {why}
        </Note>
      )}
      <p role="status">
        {said || (mayMark && "Keys: p present, l late, e left early, x excused, a absent.")}
      </p>
      {roster.may_mark && past.length === 0 && first && (
        <P tone="slate">
          Attendance is marked once a meeting has begun; the first is on {day(first.day)},{" "}
          {first.start.slice(0, 5)}.
        </P>
      )}
      <ul>
        {roster.people.map((p, n) => (
          <li
            key={p.person_id}
            style={{ borderBottom: "1px solid var(--ag-palette-line)", padding: "6px 2px" }}
          >
            <Row mid wrap sx={{ justifyContent: "space-between", gap: "4px 12px" }}>
              <span>
                {mayMark ? (
                  <Button
                    variant="text"
                    data-learner={n}
                    aria-label={`Mark ${p.name}`}
                    onKeyDown={(e) => onKey(e, n)}
                    sx={{ "&&": { margin: 0, minHeight: 0, fontWeight: 600, color: "inherit" } }}
                  >
                    {p.name}
                  </Button>
                ) : (
                  <strong>{p.name}</strong>
                )}
                {p.seats > 1 && <T tone="slate"> and {p.seats - 1} with them</T>}
                {p.remark && <T tone="slate">, {p.remark}</T>}
              </span>
              {mayMark && (
                <Views
                  label={`${p.name} was`}
                  value={(p.marks[meeting] as Mark | undefined) ?? null}
                  onChange={(mark) => void put({ [p.person_id]: p.marks[meeting] === mark ? null : mark })}
                  options={Object.entries(KEYS).map(([key, mark]) => ({
                    value: mark,
                    text: mark,
                    title: `key ${key}`,
                  }))}
                  sx={{ flexWrap: "wrap" }}
                />
              )}
            </Row>
          </li>
        ))}
      </ul>
      {roster.people.length === 0 && <p>Nobody is on it yet.</p>}
    </section>
  );
}

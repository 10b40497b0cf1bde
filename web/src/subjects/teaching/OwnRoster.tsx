import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Choice } from "../../form/Field";
import { useAct } from "../../form/useAct";
import { Views } from "../../form/Views";
import { Loading, Note, Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { P, T } from "../../parts/words";

type Roster = Schemas["OwnRoster"];
const MARKS = [
  { value: "present", text: "p", title: "present" },
  { value: "late", text: "l", title: "late" },
  { value: "left early", text: "e", title: "left early" },
  { value: "excused", text: "x", title: "excused" },
  { value: "absent", text: "a", title: "absent" },
] as const;
type Mark = (typeof MARKS)[number]["value"];

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
  const queries = useQueryClient();
  const past = roster.meetings.filter((m) => m.past);
  const [meeting, setMeeting] = useState(String(past.at(-1)?.id ?? ""));
  const mayMark = roster.may_mark && past.length > 0;
  const first = roster.meetings[0];
  const [said, setSaid] = useState("");
  const marking = useAct({
    send: (marks: Record<string, Mark | null>) =>
      ask(
        api.PUT("/api/v1/own/teaching/meetings/{meeting_id}/attendance", {
          params: { path: { meeting_id: Number(meeting) } },
          body: { marks },
        }),
      ),
    done: (now) => {
      setSaid("Saved.");
      queries.setQueryData(
        $api.queryOptions("get", "/api/v1/own/teaching/runs/{run_id}", {
          params: { path: { run_id: roster.run_id } },
        }).queryKey,
        now,
      );
    },
    failed: setSaid,
  });
  const unmarked = roster.people.filter((p) => !p.marks[meeting]);
  const onKey = (e: React.KeyboardEvent, at: number) => {
    const mark = MARKS.find((m) => m.text === e.key.toLowerCase());
    const person = roster.people[at];
    if (mark && person && !e.ctrlKey && !e.altKey && !e.metaKey) {
      e.preventDefault();
      void marking.act({ [person.person_id]: mark.value });
      document.querySelector<HTMLElement>(`[data-learner="${at + 1}"]`)?.focus();
    }
  };
  return (
    <section>
      <Link to="?at=rosters">All your runs</Link>
      <h2>
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
            }}
            options={past.map((m) => ({
              value: String(m.id),
              text: `${day(m.day)}, ${m.start.slice(0, 5)}`,
            }))}
          />
          {unmarked.length > 0 && (
            <Button
              variant="contained"
              disabled={marking.busy}
              onClick={() =>
                void marking.act(Object.fromEntries(unmarked.map((p) => [p.person_id, "present" as const])))
              }
            >
              {unmarked.length === roster.people.length
                ? "All present"
                : `The other ${unmarked.length} present`}
            </Button>
          )}
        </Row>
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
                  onChange={(mark) =>
                    void marking.act({ [p.person_id]: p.marks[meeting] === mark ? null : mark })
                  }
                  options={MARKS.map((m) => ({ value: m.value, text: m.title, title: `key ${m.text}` }))}
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

import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { type KeyboardEvent, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Grow, Loading, Note, Row, Ruled } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Empty, Name, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { KEYS, type Mark, useMarking } from "./useMarking";

const Marks = styled(Ruled)({
  "& > li": { display: "flex", alignItems: "center", gap: 18, padding: "6px 4px" },
  "& > li:focus-visible": { outline: `2px solid ${ink.verdigris}`, outlineOffset: -2 },
  "& .share": { width: 150 },
  "& .dots": { display: "block", color: ink.slate, fontSize: 12, letterSpacing: "0.25em" },
});

const LETTER = Object.fromEntries(Object.entries(KEYS).map(([k, v]) => [v, k.toUpperCase()]));

type Sheet = Schemas["AttendanceOut"];
type Meeting = Sheet["meetings"][number];

const attendanceOf = (runId: number) =>
  $api.queryOptions("get", "/api/v1/runs/{run_id}/attendance", { params: { path: { run_id: runId } } });

/** Who was at a meeting: one key a person, then on to the next. */
export function AttendancePage({ run, acts }: { run: Schemas["RunOut"]; acts: ReturnType<typeof useDone> }) {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/attendance", {
    params: { path: { run_id: run.id } },
  });
  const sheet = query.data;
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!sheet) return <Loading />;
  if (sheet.meetings.length === 0)
    return <Empty as="p">This run has no meetings; there is nothing to be present at.</Empty>;
  const todays = sheet.meetings.find((m) => m.date === me.today);
  const last = [...sheet.meetings].reverse().find((m) => m.past);
  const usual = todays ?? last ?? sheet.meetings[0]!;
  const meeting = sheet.meetings.find((m) => String(m.id) === params.get("meeting")) ?? usual;
  return (
    <>
      <MeetingBar
        run={run}
        sheet={sheet}
        meeting={meeting}
        onPick={(id) => setParams({ meeting: id }, { replace: true })}
      />
      {sheet.people.length === 0 ? (
        <Empty as="p">Nobody with a name is on this roster yet.</Empty>
      ) : (
        <MarkList run={run} sheet={sheet} meeting={meeting} ahead={meeting.date > me.today} acts={acts} />
      )}
    </>
  );
}

function MeetingBar({
  run,
  sheet,
  meeting,
  onPick,
}: {
  run: Schemas["RunOut"];
  sheet: Sheet;
  meeting: Meeting;
  onPick: (id: string) => void;
}) {
  const [remarks, setRemarks] = useState(false);
  const [health, setHealth] = useState(false);
  return (
    <Row wrap className="noprint" sx={{ margin: "12px 0", alignItems: "flex-end" }}>
      <Choice
        label="Meeting"
        width={230}
        value={String(meeting.id)}
        onChange={onPick}
        options={sheet.meetings.map((m) => ({ value: String(m.id), text: `${day(m.date)}, ${m.start}` }))}
      />
      <a
        href={`/api/v1/runs/${run.id}/papers/sign-in.pdf?meeting_id=${meeting.id}&remarks=${remarks}&health=${health}`}
        target="_blank"
        rel="noreferrer"
      >
        sign-in sheet
      </a>
      <Tick checked={remarks} onChange={setRemarks}>
        with notes
      </Tick>
      <Tick checked={health} onChange={setHealth}>
        with remarks on health
      </Tick>
      <Link to={`/desk?run=${run.id}`}>a walk-in</Link>
    </Row>
  );
}

function MarkList({
  run,
  sheet,
  meeting,
  ahead,
  acts,
}: {
  run: Schemas["RunOut"];
  sheet: Sheet;
  meeting: Meeting;
  ahead: boolean;
  acts: ReturnType<typeof useDone>;
}) {
  // A meeting that is still ahead is asked about once, before the first mark.
  const [agreed, setAgreed] = useState<number | null>(null);
  const [asking, setAsking] = useState<{ n: number; status: Mark | null } | null>(null);
  const rows = useRef<(HTMLLIElement | null)[]>([]);
  const marking = useMarking({
    sheet,
    queryKey: attendanceOf(run.id).queryKey,
    send: (meeting_id, marks) =>
      ask(
        api.PUT("/api/v1/meetings/{meeting_id}/attendance", {
          params: { path: { meeting_id } },
          body: { marks, anyway: ahead },
        }),
      ),
    failed: (error) => acts.fail(messageOf(error)),
  });
  const mark = async (n: number, status: Mark | null) => {
    const person = sheet.people[n];
    if (person) await marking(meeting.id, { [person.person_id]: status });
  };
  const [said, setSaid] = useState("");
  const free = !ahead || agreed === meeting.id;
  const rest = sheet.people.filter((p) => !p.marks[String(meeting.id)]);
  const all = async () => {
    if (!free) return setAsking({ n: -1, status: "present" });
    if (rest.length === 0)
      return setSaid("Everybody is marked already; nothing changed. To change one, press its own key.");
    const done = await marking(
      meeting.id,
      Object.fromEntries(rest.map((p) => [p.person_id, "present" as Mark])),
    );
    if (done)
      setSaid(`${count(rest.length, "person is", "people are")} marked present; marks that stood stay.`);
  };
  const go = (n: number) => rows.current[Math.max(0, Math.min(n, sheet.people.length - 1))]?.focus();
  const put = (n: number, status: Mark | null) => (free ? void mark(n, status) : setAsking({ n, status }));
  const keys = (e: KeyboardEvent, n: number) => {
    if (e.ctrlKey || e.metaKey || e.altKey || e.target !== e.currentTarget) return;
    const status = KEYS[e.key.toLowerCase()];
    if (e.key.toLowerCase() === "r") void all();
    else if (status) {
      put(n, status);
      if (free) go(n + 1);
    } else if (e.key === "Backspace") put(n, null);
    else if (e.key === "ArrowDown") go(n + 1);
    else if (e.key === "ArrowUp") go(n - 1);
    else return;
    e.preventDefault();
  };
  const marked = sheet.people.filter((p) => p.marks[String(meeting.id)]).length;
  return (
    <>
      <P tone="slate" aria-live="polite">
        {marked} of {count(sheet.people.length, "person", "people")} marked.{" "}
        {Object.entries(KEYS).map(([k, word]) => (
          <T nowrap key={k}>
            <kbd>{k.toUpperCase()}</kbd> {word}{" "}
          </T>
        ))}
        <T nowrap>
          <kbd>R</kbd> all the rest present
        </T>
      </P>
      <Row mid wrap className="noprint" sx={{ marginBottom: 8 }}>
        <Button size="small" onClick={() => void all()}>
          Mark all the rest present
        </Button>
        <T tone="slate" role="status">
          {said || "A second press on a mark takes it back."}
        </T>
      </Row>
      {asking && (
        <Note kind="due" row role="alertdialog" aria-label="Still ahead">
          <Grow as="span">{day(meeting.date)} is still ahead.</Grow>
          <Button
            variant="contained"
            autoFocus
            onClick={() => {
              setAgreed(meeting.id);
              setAsking(null);
              if (asking.n < 0)
                void marking(
                  meeting.id,
                  Object.fromEntries(rest.map((p) => [p.person_id, "present" as Mark])),
                );
              else void mark(asking.n, asking.status);
              go(asking.n + 1);
            }}
          >
            Mark it all the same
          </Button>
          <Button onClick={() => (setAsking(null), go(asking.n))}>Leave it</Button>
        </Note>
      )}
      <Marks aria-label={`Attendance on ${day(meeting.date)}`}>
        {sheet.people.map((p, n) => (
          // A row takes the focus, so that one key marks it and moves on.
          // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
          <li
            key={p.person_id}
            // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
            tabIndex={0}
            aria-label={`${p.name}: ${p.marks[String(meeting.id)] ?? "not marked"}`}
            ref={(el) => {
              rows.current[n] = el;
            }}
            onKeyDown={(e) => keys(e, n)}
          >
            <MarkOf person={p} sheet={sheet} meeting={meeting} put={(status) => put(n, status)} />
          </li>
        ))}
      </Marks>
    </>
  );
}

function MarkOf({
  person: p,
  sheet,
  meeting,
  put,
}: {
  person: Sheet["people"][number];
  sheet: Sheet;
  meeting: Meeting;
  put: (status: Mark | null) => void;
}) {
  const mark = p.marks[String(meeting.id)];
  return (
    <>
      <Grow as="span">
        <Name strong to={`/people/${p.person_id}`}>
          {p.name}
        </Name>
      </Grow>
      <ToggleButtonGroup exclusive size="small" aria-label={`Mark ${p.name}`} value={mark}>
        {sheet.marks.map((status) => (
          <ToggleButton
            key={status}
            value={status}
            tabIndex={-1}
            onClick={() => put(mark === status ? null : status)}
          >
            {status}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <T right className="share">
        {p.share === null ? <T tone="slate">no marks</T> : `${p.share} % attended`}
        <span className="dots" aria-hidden>
          {sheet.meetings.map((m) => (
            <span key={m.id}>{LETTER[p.marks[String(m.id)] ?? ""] ?? "·"}</span>
          ))}
        </span>
      </T>
    </>
  );
}

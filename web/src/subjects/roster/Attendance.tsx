import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
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

const Marks = styled(Ruled)({
  "& > li": { display: "flex", alignItems: "center", gap: 18, padding: "6px 4px" },
  "& > li:focus-visible": { outline: `2px solid ${ink.verdigris}`, outlineOffset: -2 },
  "& .share": { width: 150 },
  "& .dots": { display: "block", color: ink.slate, fontSize: 12, letterSpacing: "0.25em" },
});

type Mark = Schemas["Mark"];
const KEYS: Record<string, Mark> = { p: "present", l: "late", e: "left early", x: "excused", a: "absent" };
const LETTER = Object.fromEntries(Object.entries(KEYS).map(([k, v]) => [v, k.toUpperCase()]));

/** Who was at a meeting: one key a person, then on to the next. */
export function AttendancePage({ run, acts }: { run: Schemas["RunOut"]; acts: ReturnType<typeof useDone> }) {
  const me = useMe();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const [remarks, setRemarks] = useState(false);
  // A meeting that is still ahead is asked about once, before the first mark.
  const [agreed, setAgreed] = useState<number | null>(null);
  const [asking, setAsking] = useState<{ n: number; status: Mark | null } | null>(null);
  const rows = useRef<(HTMLLIElement | null)[]>([]);
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const pending = useRef(0);
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/attendance", {
    params: { path: { run_id: run.id } },
  });
  const found = query.data;
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!found) return <Loading />;
  if (found.meetings.length === 0)
    return <Empty as="p">This run has no meetings; there is nothing to be present at.</Empty>;
  const todays = found.meetings.find((m) => m.date === me.today);
  const last = [...found.meetings].reverse().find((m) => m.past);
  const usual = todays ?? last ?? found.meetings[0]!;
  const chosen = found.meetings.find((m) => String(m.id) === params.get("meeting")) ?? usual;
  const ahead = chosen.date > me.today;
  const put = async (n: number, status: Mark | null) => {
    const person = found.people[n];
    if (!person) return;
    if (ahead && agreed !== chosen.id) return setAsking({ n, status });
    await mark(n, status);
  };
  const mark = async (n: number, status: Mark | null) => {
    const person = found.people[n];
    if (!person) return;
    const key = $api.queryOptions("get", "/api/v1/runs/{run_id}/attendance", {
      params: { path: { run_id: run.id } },
    }).queryKey;
    queries.setQueryData<typeof found>(key, (old = found) => ({
      ...old,
      people: old.people.map((p) => {
        if (p.person_id !== person.person_id) return p;
        const marks = { ...p.marks };
        if (status === null) delete marks[String(chosen.id)];
        else marks[String(chosen.id)] = status;
        return { ...p, marks };
      }),
    }));
    // One after the other, so that an earlier answer never draws over a later mark.
    pending.current += 1;
    const sent = line.current.then(() =>
      ask(
        api.PUT("/api/v1/meetings/{meeting_id}/attendance", {
          params: { path: { meeting_id: chosen.id } },
          body: { marks: { [person.person_id]: status }, anyway: ahead },
        }),
      ),
    );
    line.current = sent.catch(() => undefined);
    try {
      const now = await sent;
      pending.current -= 1;
      if (pending.current === 0) queries.setQueryData(key, now);
    } catch (error) {
      pending.current -= 1;
      acts.fail(messageOf(error));
      void query.refetch();
    }
  };
  const go = (n: number) => rows.current[Math.max(0, Math.min(n, found.people.length - 1))]?.focus();
  const here = found.people.filter((p) => p.marks[String(chosen.id)]);
  const paper = (kind: string) =>
    `/api/v1/runs/${run.id}/papers/${kind}${kind === "sign-in.pdf" ? `?meeting_id=${chosen.id}&remarks=${remarks}` : ""}`;
  return (
    <>
      <Row wrap className="noprint" sx={{ margin: "12px 0", alignItems: "flex-end" }}>
        <Choice
          label="Meeting"
          width={230}
          value={String(chosen.id)}
          onChange={(id) => setParams({ meeting: id }, { replace: true })}
          options={found.meetings.map((m) => ({ value: String(m.id), text: `${day(m.date)}, ${m.start}` }))}
        />
        <a href={paper("sign-in.pdf")} target="_blank" rel="noreferrer">
          sign-in sheet
        </a>
        <Tick checked={remarks} onChange={setRemarks}>
          with remarks
        </Tick>
        <Link to={`/desk?run=${run.id}`}>a walk-in</Link>
      </Row>
      {found.people.length === 0 ? (
        <Empty as="p">Nobody with a name is on this roster yet.</Empty>
      ) : (
        <>
          <P tone="slate" aria-live="polite">
            {here.length} of {count(found.people.length, "person", "people")} marked.{" "}
            {Object.entries(KEYS).map(([k, word]) => (
              <T nowrap key={k}>
                <kbd>{k.toUpperCase()}</kbd> {word}{" "}
              </T>
            ))}
          </P>
          {asking && (
            <Note kind="due" row role="alertdialog" aria-label="Still ahead">
              <Grow as="span">{day(chosen.date)} is still ahead.</Grow>
              <Button
                variant="contained"
                autoFocus
                onClick={() => {
                  setAgreed(chosen.id);
                  setAsking(null);
                  void mark(asking.n, asking.status);
                  go(asking.n + 1);
                }}
              >
                Mark it all the same
              </Button>
              <Button onClick={() => (setAsking(null), go(asking.n))}>Leave it</Button>
            </Note>
          )}
          <Marks aria-label={`Attendance on ${day(chosen.date)}`}>
            {found.people.map((p, n) => {
              const mark = p.marks[String(chosen.id)];
              return (
                // A row takes the focus, so that one key marks it and moves on.
                // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
                <li
                  key={p.person_id}
                  // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
                  tabIndex={0}
                  aria-label={`${p.name}: ${mark ?? "not marked"}`}
                  ref={(el) => {
                    rows.current[n] = el;
                  }}
                  onKeyDown={(e) => {
                    if (e.ctrlKey || e.metaKey || e.altKey || e.target !== e.currentTarget) return;
                    const status = KEYS[e.key.toLowerCase()];
                    if (status) {
                      void put(n, status);
                      if (!ahead || agreed === chosen.id) go(n + 1);
                    } else if (e.key === "Backspace") void put(n, null);
                    else if (e.key === "ArrowDown") go(n + 1);
                    else if (e.key === "ArrowUp") go(n - 1);
                    else return;
                    e.preventDefault();
                  }}
                >
                  <Grow as="span">
                    <Name strong to={`/people/${p.person_id}`}>
                      {p.name}
                    </Name>
                  </Grow>
                  <ToggleButtonGroup exclusive size="small" aria-label={`Mark ${p.name}`} value={mark}>
                    {found.marks.map((status) => (
                      <ToggleButton
                        key={status}
                        value={status}
                        tabIndex={-1}
                        onClick={() => void put(n, mark === status ? null : status)}
                      >
                        {status}
                      </ToggleButton>
                    ))}
                  </ToggleButtonGroup>
                  <T right className="share">
                    {p.share === null ? <T tone="slate">no marks</T> : `${p.share} % attended`}
                    <span className="dots" aria-hidden>
                      {found.meetings.map((m) => (
                        <span key={m.id}>{LETTER[p.marks[String(m.id)] ?? ""] ?? "·"}</span>
                      ))}
                    </span>
                  </T>
                </li>
              );
            })}
          </Marks>
        </>
      )}
    </>
  );
}

import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice } from "../../parts/Field";
import { Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";

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
  const query = useQuery({
    queryKey: ["attendance", run.id],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}/attendance", { params: { path: { run_id: run.id } } })),
  });
  const found = query.data;
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!found) return <div className="quiet-block" aria-busy="true" />;
  if (found.meetings.length === 0)
    return <p className="empty">This run has no meetings; there is nothing to be present at.</p>;
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
    const key = ["attendance", run.id];
    queries.setQueryData(key, (old: typeof found) => ({
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
      <div className="row wrap noprint" style={{ margin: "12px 0", alignItems: "flex-end" }}>
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
        <label className="tick">
          <input type="checkbox" checked={remarks} onChange={(e) => setRemarks(e.target.checked)} />
          with remarks
        </label>
        <Link to={`/desk?run=${run.id}`}>a walk-in</Link>
      </div>
      {found.people.length === 0 ? (
        <p className="empty">Nobody with a name is on this roster yet.</p>
      ) : (
        <>
          <p className="slate" aria-live="polite">
            {here.length} of {count(found.people.length, "person", "people")} marked.{" "}
            {Object.entries(KEYS).map(([k, word]) => (
              <span key={k} className="nowrap">
                <kbd>{k.toUpperCase()}</kbd> {word}{" "}
              </span>
            ))}
          </p>
          {asking && (
            <div className="note due row mid" role="alertdialog" aria-label="Still ahead">
              <span className="grow">{day(chosen.date)} is still ahead.</span>
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
            </div>
          )}
          <ul className="ruled marks" aria-label={`Attendance on ${day(chosen.date)}`}>
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
                  <span className="grow">
                    <Link className="name strong" to={`/people/${p.person_id}`}>
                      {p.name}
                    </Link>
                  </span>
                  <span role="group" aria-label={`Mark ${p.name}`} className="row" style={{ gap: 10 }}>
                    {found.marks.map((status) => (
                      <button
                        key={status}
                        tabIndex={-1}
                        className={mark === status ? "word at" : "word"}
                        aria-pressed={mark === status}
                        onClick={() => void put(n, mark === status ? null : status)}
                      >
                        {status}
                      </button>
                    ))}
                  </span>
                  <span className="right share">
                    {p.share === null ? <span className="slate">no marks</span> : `${p.share} % attended`}
                    <span className="dots" aria-hidden>
                      {found.meetings.map((m) => (
                        <span key={m.id}>{LETTER[p.marks[String(m.id)] ?? ""] ?? "·"}</span>
                      ))}
                    </span>
                  </span>
                </li>
              );
            })}
          </ul>
        </>
      )}
    </>
  );
}

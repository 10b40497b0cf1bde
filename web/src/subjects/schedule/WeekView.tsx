import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask } from "../../app/server";
import { useMe } from "../../app/session";
import { Words } from "../../form/Views";
import { addDays, mondayOf } from "../../parts/dates";
import { Row, Title } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { type PlanMeeting, planOf, type PlanRun, weekOf } from "./plan";
import { PlannerTabs } from "./PlannerTabs";
import { Proposal, useProposal } from "./useProposal";

const WeekTable = styled("table")({
  width: "100%",
  borderCollapse: "collapse",
  tableLayout: "fixed",
  marginTop: 10,
  "& th": {
    textAlign: "left",
    fontWeight: 600,
    padding: "6px 8px 6px 0",
    borderBottom: `1px solid ${ink.line}`,
    verticalAlign: "top",
    width: "12.3%",
    fontSize: 13,
  },
  "& thead th": { borderBottomColor: ink.ink },
  "& th[data-today]": { boxShadow: `inset 0 -3px ${ink.brick}` },
  "& td": {
    borderBottom: `1px solid ${ink.line}`,
    borderLeft: `1px solid ${ink.line}`,
    padding: 3,
    verticalAlign: "top",
    height: 46,
  },
  "& td.closedday": { background: ink.foot },
  "& .entry": {
    font: "inherit",
    fontSize: 12.5,
    color: "inherit",
    display: "flex",
    flexDirection: "column",
    width: "100%",
    textAlign: "left",
    background: ink.verdigrisPale,
    border: 0,
    borderLeft: `3px solid ${ink.verdigris}`,
    padding: "3px 5px",
    marginBottom: 3,
    cursor: "grab",
    touchAction: "none",
    overflow: "hidden",
  },
  "& .entry.draft": { background: ink.sheet, border: `1px dashed ${ink.verdigris}` },
  "& .entry.clashing": { borderLeftColor: ink.brick },
  "& .entry.moving": { outline: `2px solid ${ink.ink}` },
  "& .plus": {
    display: "flex",
    alignItems: "center",
    height: 40,
    paddingLeft: 6,
    fontSize: 12.5,
    color: ink.verdigris,
    opacity: 0,
    textDecoration: "none",
  },
  "& .plus:hover": { opacity: 1 },
  "& .plus:focus-visible": { opacity: 1 },
});

type At = { date: string; lane: number | null };

/** One week, a lane for each room or instructor: meetings are moved between days and lanes, by mouse or by keys. */
export default function WeekView() {
  const me = useMe();
  const go = useNavigate();
  const [params, setParams] = useSearchParams();
  const by = params.get("by") === "instructor" ? "instructor" : "room";
  const monday = mondayOf(params.get("week") ?? me.today);
  const set = (change: Record<string, string>) =>
    setParams((old) => new URLSearchParams({ ...Object.fromEntries(old), ...change }), { replace: true });
  const days = Array.from({ length: 7 }, (_, i) => addDays(monday, i));
  const proposal = useProposal();
  const pulse = usePulse(null, 20);
  const query = $api.useQuery(
    "get",
    "/api/v1/planner",
    { params: { query: { since: monday, until: days[6]! } } },
    { placeholderData: keepPreviousData },
  );
  const plan = useMemo(() => (query.data ? planOf(query.data) : null), [query.data]);
  const laneOf = (m: PlanMeeting) => (by === "room" ? m.place_id : m.instructor_id);
  const lanes = plan
    ? [
        ...(by === "room" ? plan.places : plan.instructors).map((l) => ({
          id: l.id as number | null,
          name: l.name,
          seats: l.seats,
        })),
        ...(plan.meetings.some((m) => laneOf(m) === null)
          ? [{ id: null, name: by === "room" ? "no room yet" : "no instructor yet", seats: null }]
          : []),
      ]
    : [];
  const runs = new Map(plan?.runs.map((r) => [r.id, r]));
  const [to, setTo] = useState<({ id: number } & At) | null>(null);
  // An entry that moves to another cell is drawn anew there; the keys go on with it.
  useEffect(() => {
    if (to) document.querySelector<HTMLElement>(`[data-entry="${to.id}"]`)?.focus();
  }, [to]);
  const drag = useRef<{ id: number; x: number; y: number; moved: boolean } | null>(null);
  const shown = (m: PlanMeeting): At => (to?.id === m.id ? to : { date: m.date, lane: laneOf(m) });

  const move = (m: PlanMeeting, run: PlanRun | undefined, at: At) => {
    if (at.date === m.date && at.lane === laneOf(m)) return setTo(null);
    const lane = lanes.find((l) => l.id === at.lane);
    const change = {
      ...(at.date === m.date ? {} : { date: at.date }),
      ...(at.lane === laneOf(m) ? {} : { [by]: lane?.id === null ? "" : (lane?.name ?? "") }),
    };
    const where = at.lane === laneOf(m) ? "" : `, ${lane?.name ?? ""}`;
    void proposal
      .propose(
        `Move a meeting of ${run?.code ?? "the run"} to ${day(at.date)}${where}`,
        (preview) =>
          ask(
            api.PATCH("/api/v1/meetings/{meeting_id}", {
              params: { path: { meeting_id: m.id }, query: { preview } },
              body: { seen: { date: m.date }, set: change, scope: "this" },
            }),
          ),
        run?.status === "draft",
      )
      .then(() => setTo(null));
  };
  const keys = (e: KeyboardEvent, m: PlanMeeting) => {
    const at = shown(m);
    const index = lanes.findIndex((l) => l.id === at.lane);
    const day7 = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    const down = e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
    if (day7) setTo({ id: m.id, date: addDays(at.date, day7), lane: at.lane });
    else if (down && lanes[index + down]) setTo({ id: m.id, date: at.date, lane: lanes[index + down]!.id });
    else if (e.key === "Enter" && to?.id === m.id) move(m, runs.get(m.run_id), at);
    else if (e.key === "Enter") void go(`/runs/${m.run_id}/dates#meeting-${m.id}`);
    else if (e.key === "Escape") setTo(null);
    else return;
    e.preventDefault();
  };
  const under = (e: PointerEvent): At | null => {
    const cell = document
      .elementsFromPoint(e.clientX, e.clientY)
      .map((el) => el.closest<HTMLElement>("[data-day]"))
      .find(Boolean);
    if (!cell) return null;
    return { date: cell.dataset.day!, lane: cell.dataset.lane ? Number(cell.dataset.lane) : null };
  };
  return (
    <Page
      title="Week"
      margin={
        <>
          <Proposal proposal={proposal} />
          <News pulse={pulse} />
          {to && !proposal.pending && (
            <section aria-live="polite">
              <p>
                To <strong>{day(to.date)}</strong>, {lanes.find((l) => l.id === to.lane)?.name}.{" "}
                <kbd>Enter</kbd> shows what moves, <kbd>Esc</kbd> leaves it.
              </p>
            </section>
          )}
          <section>
            <h2>Moving a meeting</h2>
            <P tone="slate">
              Drag it to another day or lane, or go to it with <kbd>Tab</kbd> and use the arrow keys. An empty
              place offers a new run there.
            </P>
          </section>
          <section>
            <h2>For the doors</h2>
            <p>
              <Link to={`/days/${me.today}`}>Today’s rooms as a sheet</Link>
            </p>
          </section>
        </>
      }
    >
      <PlannerTabs />
      <Title sx={{ marginTop: 12 }}>
        <div>
          <h1>
            Week {weekOf(monday)}, {day(monday, false)} to {day(days[6])}
          </h1>
          <T tone="slate" as="div">
            {plan ? count(plan.meetings.length, "meeting") : " "}
          </T>
        </div>
        <Row>
          <Button onClick={() => set({ week: addDays(monday, -7) })}>Week before</Button>
          <Button onClick={() => set({ week: me.today })}>This week</Button>
          <Button onClick={() => set({ week: addDays(monday, 7) })}>Week after</Button>
        </Row>
      </Title>
      <Words
        label="A lane for each"
        value={by}
        words={[
          ["room", "room"],
          ["instructor", "instructor"],
        ]}
        onPick={(v) => set({ by: v })}
      />
      {query.error && !plan ? (
        <Trouble error={query.error} retry={() => void query.refetch()} />
      ) : (
        <WeekTable aria-busy={query.isFetching}>
          <thead>
            <tr>
              <th scope="col">{by === "room" ? "Room" : "Instructor"}</th>
              {days.map((d) => (
                <th key={d} scope="col" data-today={d === me.today || undefined}>
                  {day(d, false)}
                  {plan?.closed[d] && (
                    <T tone="ochre" as="div">
                      closed: {plan.closed[d]}
                    </T>
                  )}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lanes.map((lane) => (
              <tr key={lane.id ?? "none"}>
                <th scope="row">
                  {lane.name}
                  {lane.seats !== null && (
                    <T tone="slate" as="div">
                      {lane.seats} seats
                    </T>
                  )}
                </th>
                {days.map((d) => {
                  const here = plan!.meetings.filter((m) => shown(m).date === d && shown(m).lane === lane.id);
                  return (
                    <td
                      key={d}
                      data-day={d}
                      data-lane={lane.id ?? ""}
                      className={plan?.closed[d] ? "closedday" : ""}
                    >
                      {here.map((m) => {
                        const run = runs.get(m.run_id);
                        const clash = plan!.clashing.has(m.id);
                        return (
                          <button
                            key={m.id}
                            className={`entry ${run?.status === "draft" ? "draft" : ""} ${clash ? "clashing" : ""} ${to?.id === m.id ? "moving" : ""}`}
                            data-entry={m.id}
                            aria-label={`${m.start.slice(0, 5)} to ${m.end} ${run?.code ?? ""} ${clash ? "clashes " : ""}${run?.title ?? ""}, ${day(d)}`}
                            onKeyDown={(e) => keys(e, m)}
                            onPointerDown={(e) => {
                              if (e.button !== 0) return;
                              drag.current = { id: m.id, x: e.clientX, y: e.clientY, moved: false };
                              e.currentTarget.setPointerCapture(e.pointerId);
                            }}
                            onPointerMove={(e) => {
                              const held = drag.current;
                              if (held?.id !== m.id) return;
                              if (Math.abs(e.clientX - held.x) + Math.abs(e.clientY - held.y) > 5)
                                held.moved = true;
                              const at = held.moved ? under(e) : null;
                              if (at)
                                e.currentTarget.style.translate = `${e.clientX - held.x}px ${e.clientY - held.y}px`;
                            }}
                            onPointerUp={(e) => {
                              const held = drag.current;
                              drag.current = null;
                              e.currentTarget.style.translate = "";
                              if (held?.id !== m.id) return;
                              if (!held.moved) return void go(`/runs/${m.run_id}/dates#meeting-${m.id}`);
                              const at = under(e);
                              if (at) {
                                setTo({ id: m.id, ...at });
                                move(m, run, at);
                              }
                            }}
                          >
                            <T nowrap>
                              {m.start.slice(0, 5)} to {m.end}
                            </T>{" "}
                            <strong>{run?.code}</strong> {clash && <T clash>clashes</T>}
                          </button>
                        );
                      })}
                      {here.length === 0 && (
                        <Link
                          className="plus"
                          aria-label={`New run on ${day(d)}, ${lane.name}`}
                          to={`/runs/new?${new URLSearchParams({ date: d, ...(lane.id === null ? {} : { [by === "room" ? "place" : "instructor"]: lane.name }) }).toString()}`}
                        >
                          new run
                        </Link>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </WeekTable>
      )}
    </Page>
  );
}

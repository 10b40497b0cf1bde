import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask, keyHeader, newKey } from "../../app/server";
import { useMe } from "../../app/session";
import { Words } from "../../form/Views";
import { addDays, mondayOf } from "../../parts/dates";
import { Row, Title } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { seatsText } from "../../parts/RunFacts";
import { DAY, months, time } from "../../parts/season";
import { count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { type By, lanesOf, type PlanMeeting, planOf, type PlanRun, scaleOf, weekOf } from "./plan";
import { PlannerTabs } from "./PlannerTabs";
import { Proposal, useProposal } from "./useProposal";

const NAMES = 168;
const ROW = 24;
const HEAD = 34;
const ZOOMS: Record<string, { text: string; days: number }> = {
  season: { text: "season", days: 182 },
  quarter: { text: "quarter", days: 91 },
  month: { text: "month", days: 35 },
  week: { text: "week", days: 10 },
};
const BYS: By[] = ["course", "room", "instructor", "category"];

/** The season as a time line: every run a bar with its meetings, moved by dragging or by keys, drawn on an empty place. */
export default function TimeLine() {
  const me = useMe();
  const go = useNavigate();
  const [params, setParams] = useSearchParams();
  const by = BYS.find((b) => b === params.get("by")) ?? "course";
  const zoom = ZOOMS[params.get("zoom") ?? ""] ? params.get("zoom")! : "quarter";
  const days = ZOOMS[zoom]!.days;
  const from = params.get("from") ?? mondayOf(addDays(me.today, -Math.round(days / 5)));
  const set = (change: Record<string, string>) =>
    setParams((old) => new URLSearchParams({ ...Object.fromEntries(old), ...change }), { replace: true });
  const until = addDays(from, days - 1);
  const proposal = useProposal();
  const pulse = usePulse(null, 20);
  const query = $api.useQuery(
    "get",
    "/api/v1/planner",
    { params: { query: { since: from, until } } },
    { placeholderData: keepPreviousData },
  );
  const plan = useMemo(() => (query.data ? planOf(query.data) : null), [query.data]);
  const start = time(from);
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(756);
  useEffect(() => {
    const held = box.current;
    if (!held) return;
    const watch = new ResizeObserver(() => setWidth(Math.max(300, held.clientWidth - NAMES)));
    watch.observe(held);
    return () => watch.disconnect();
  }, []);
  const x = scaleOf(from, days, width);
  const lanes = plan ? lanesOf(plan, by, x) : [];
  const flat = lanes.flatMap((lane) =>
    (lane.rows.length ? lane.rows : [[]]).map((bars, n) => ({ lane, n, bars })),
  );
  const [top, setTop] = useState(0);
  const [shift, setShift] = useState<{ id: number; days: number } | null>(null);
  const drag = useRef<{ id: number; x: number; moved: boolean } | null>(null);
  const [drawn, setDrawn] = useState<{ row: number; from: number; to: number } | null>(null);
  const tall = 560;
  const seen = { first: Math.floor(top / ROW) - 4, last: Math.ceil((top + tall) / ROW) + 4 };
  const perDay = width / days;

  const move = (run: PlanRun, by: number) => {
    if (by === 0) return setShift(null);
    const key = newKey();
    const how = by % 7 === 0 ? count(Math.abs(by) / 7, "week") : count(Math.abs(by), "day");
    void proposal
      .propose(
        `Move ${run.code} ${how} ${by > 0 ? "later" : "earlier"}, to ${day(addDays(run.first, by))}`,
        (preview) =>
          ask(
            api.POST("/api/v1/runs/{run_id}/move", {
              params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
              body: { days: by },
            }),
          ),
        run.status === "draft",
      )
      .then(() => setShift(null));
  };
  const keys = (e: KeyboardEvent, run: PlanRun) => {
    const step = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    const held = shift?.id === run.id ? shift.days : 0;
    if (step) setShift({ id: run.id, days: held + step * (e.shiftKey ? 7 : 1) });
    else if (e.key === "Enter" && held) move(run, held);
    else if (e.key === "Enter") void go(`/runs/${run.id}/dates`);
    else if (e.key === "Escape") setShift(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const place = (e: PointerEvent) => {
    const svg = (e.currentTarget as SVGElement).closest("svg")!.getBoundingClientRect();
    return e.clientX - svg.left;
  };
  const dayAt = (px: number) => addDays(from, Math.max(0, Math.min(days - 1, Math.floor(px / perDay))));
  const marks =
    days > 40
      ? [start, ...months(start, start + days * DAY)].filter(
          (_, i, all) => i > 0 || all.length < 2 || x(all[1]!) > 90,
        )
      : [];
  const mondays = Array.from({ length: Math.ceil(days / 7) + 1 }, (_, i) =>
    addDays(mondayOf(from), i * 7),
  ).filter((d) => d >= from && d <= until);
  const moving = shift && plan?.runs.find((r) => r.id === shift.id);
  return (
    <Page
      title="Time line"
      margin={
        <>
          <Proposal proposal={proposal} />
          <News pulse={pulse} />
          {moving && !proposal.pending && (
            <section aria-live="polite">
              <h2>{moving.code}</h2>
              <p>
                would begin on <strong>{day(addDays(moving.first, shift.days))}</strong>. <kbd>Enter</kbd>{" "}
                shows what moves, <kbd>Esc</kbd> leaves it.
              </p>
            </section>
          )}
          <section>
            <h2>Moving and drawing</h2>
            <P tone="slate">
              Drag a bar, or go to it with <kbd>Tab</kbd> and press <kbd>←</kbd> <kbd>→</kbd> for days, with{" "}
              <kbd>Shift</kbd> for weeks. Nothing is saved before you have seen what it touches. Draw on an
              empty place for a new run.
            </P>
          </section>
          <section>
            <h2>Reading it</h2>
            <P tone="slate">
              Each stroke is a meeting; a brick one with a dot above it clashes. Shaded days are closed. A
              thin frame is a draft.
            </P>
          </section>
        </>
      }
    >
      <PlannerTabs />
      <Title sx={{ marginTop: 12 }}>
        <div>
          <h1>
            {day(from, false)} to {day(until)}
          </h1>
          <T tone="slate" as="div" aria-live="polite">
            {plan
              ? `${count(plan.runs.length, "run")}, ${count(plan.meetings.length, "meeting")}, ${plan.clashing.size ? `${plan.clashing.size} of them clash` : "none clashes"}`
              : " "}
          </T>
        </div>
        <Row>
          <Button onClick={() => set({ from: addDays(from, -Math.round(days / 2)) })}>Earlier</Button>
          <Button onClick={() => set({ from: mondayOf(addDays(me.today, -Math.round(days / 5))) })}>
            Today
          </Button>
          <Button onClick={() => set({ from: addDays(from, Math.round(days / 2)) })}>Later</Button>
          <Button component={Link} to="/runs/new" variant="contained">
            New run
          </Button>
        </Row>
      </Title>
      <Row sx={{ gap: 32, marginBottom: 8 }}>
        <Words label="Rows by" value={by} words={BYS.map((b) => [b, b])} onPick={(v) => set({ by: v })} />
        <Words
          label="Span"
          value={zoom}
          words={Object.entries(ZOOMS).map(([k, z]) => [k, z.text])}
          onPick={(v) => set({ zoom: v, from: mondayOf(addDays(me.today, -Math.round(ZOOMS[v]!.days / 5))) })}
        />
      </Row>
      {query.error && !plan ? (
        <Trouble error={query.error} retry={() => void query.refetch()} />
      ) : (
        <div className="timeline" aria-busy={query.isFetching}>
          <div className="names axis" style={{ height: HEAD, width: NAMES }} />
          <svg
            className="line axis"
            viewBox={`0 0 ${width} ${HEAD}`}
            height={HEAD}
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            {marks.map((m) => (
              <text key={m} x={x(m) + 4} y={13} className="monthname">
                {new Date(m).toLocaleString("en-US", { month: "long", timeZone: "UTC" })}
              </text>
            ))}
            {mondays.map((d) => (
              <text key={d} x={x(time(d)) + 3} y={29} className="weeknumber">
                {days > 100
                  ? weekOf(d)
                  : days > 40
                    ? `wk ${weekOf(d)}`
                    : `${day(d, false)} · wk ${weekOf(d)}`}
              </text>
            ))}
          </svg>
          <div
            className="scroll"
            ref={box}
            tabIndex={flat.length === 0 ? 0 : undefined}
            style={{ maxHeight: tall }}
            onScroll={(e) => setTop(e.currentTarget.scrollTop)}
          >
            <div style={{ position: "relative", height: Math.max(1, flat.length) * ROW }}>
              {flat.map((row, i) =>
                i < seen.first || i > seen.last ? null : (
                  <div
                    key={`${row.lane.key}.${row.n}`}
                    className={row.n === 0 ? "lane first" : "lane"}
                    style={{ top: i * ROW, height: ROW }}
                  >
                    <div className="names" style={{ width: NAMES }} title={row.lane.name}>
                      {row.n === 0 ? row.lane.name : ""}
                    </div>
                    <svg
                      className="line"
                      viewBox={`0 0 ${width} ${ROW}`}
                      height={ROW}
                      preserveAspectRatio="none"
                      role="group"
                      aria-label={row.lane.name}
                      onPointerDown={(e) => {
                        if (e.button !== 0 || e.target !== e.currentTarget) return;
                        const at = place(e);
                        setDrawn({ row: i, from: at, to: at });
                        e.currentTarget.setPointerCapture(e.pointerId);
                      }}
                      onPointerMove={(e) => drawn?.row === i && setDrawn({ ...drawn, to: place(e) })}
                      onPointerUp={() => {
                        if (drawn?.row !== i) return;
                        const wide = Math.abs(drawn.to - drawn.from);
                        const at = dayAt(Math.min(drawn.from, drawn.to));
                        setDrawn(null);
                        if (wide < 8) return;
                        const lane =
                          row.lane.id !== null
                            ? { [by === "room" ? "place" : "instructor"]: row.lane.name }
                            : {};
                        void go(`/runs/new?${new URLSearchParams({ date: at, ...lane }).toString()}`);
                      }}
                    >
                      {mondays.map((d) => (
                        <line key={d} x1={x(time(d))} x2={x(time(d))} y1={0} y2={ROW} className="weekline" />
                      ))}
                      {plan &&
                        Object.keys(plan.closed).map((d) => (
                          <rect
                            key={d}
                            x={x(time(d))}
                            width={perDay}
                            y={0}
                            height={ROW}
                            className="closedday"
                          />
                        ))}
                      <line
                        x1={x(time(me.today) + DAY / 2)}
                        x2={x(time(me.today) + DAY / 2)}
                        y1={0}
                        y2={ROW}
                        className="plumb"
                      />
                      {drawn?.row === i && (
                        <rect
                          x={Math.min(drawn.from, drawn.to)}
                          width={Math.abs(drawn.to - drawn.from)}
                          y={3}
                          height={ROW - 6}
                          className="drawn"
                        />
                      )}
                      {row.bars.map(({ run, ticks }) => (
                        <Bar
                          key={run.id}
                          run={run}
                          ticks={ticks}
                          clashing={plan!.clashing}
                          x={x}
                          perDay={perDay}
                          edge={width}
                          shift={shift?.id === run.id ? shift.days : 0}
                          onKey={(e) => keys(e, run)}
                          onDown={(e) => {
                            if (e.button !== 0) return;
                            drag.current = { id: run.id, x: e.clientX, moved: false };
                            e.currentTarget.setPointerCapture(e.pointerId);
                          }}
                          onMove={(e) => {
                            if (drag.current?.id !== run.id) return;
                            const by = Math.round((e.clientX - drag.current.x) / perDay);
                            if (Math.abs(e.clientX - drag.current.x) > 3) drag.current.moved = true;
                            if (drag.current.moved) setShift({ id: run.id, days: by });
                          }}
                          onUp={() => {
                            const held = drag.current;
                            drag.current = null;
                            if (!held) return;
                            if (!held.moved) void go(`/runs/${run.id}/dates`);
                            else move(run, shift?.days ?? 0);
                          }}
                        />
                      ))}
                    </svg>
                  </div>
                ),
              )}
              {plan && flat.length === 0 && <P tone="slate">Nothing is planned in this span.</P>}
            </div>
          </div>
        </div>
      )}
    </Page>
  );
}

function Bar({
  run,
  ticks,
  clashing,
  x,
  perDay,
  shift,
  edge,
  onKey,
  onDown,
  onMove,
  onUp,
}: {
  run: PlanRun;
  ticks: PlanMeeting[];
  clashing: Set<number>;
  x: (at: number) => number;
  perDay: number;
  shift: number;
  edge: number;
  onKey: (e: KeyboardEvent) => void;
  onDown: (e: PointerEvent) => void;
  onMove: (e: PointerEvent) => void;
  onUp: () => void;
}) {
  const left = Math.max(-4, x(time(run.first)));
  const right = Math.max(left + 3, x(time(run.last) + DAY));
  const clash = ticks.filter((m) => clashing.has(m.id)).length;
  const said = `${run.code} ${run.title}: ${day(run.first)} to ${day(run.last)}, ${seatsText(run)} seats, ${run.status}${run.decision !== "undecided" ? `, ${run.decision}` : ""}${clash ? `, ${count(clash, "meeting")} clash` : ""}${shift ? `; moved by ${count(Math.abs(shift), "day")}` : ""}`;
  const wide = Math.max(2, Math.min(perDay - 1, 7));
  return (
    <g
      className={`planbar ${run.status === "draft" ? "draft" : ""} ${shift ? "moving" : ""}`}
      tabIndex={0}
      role="button"
      aria-label={said}
      transform={shift ? `translate(${shift * perDay} 0)` : undefined}
      onKeyDown={onKey}
      onPointerDown={onDown}
      onPointerMove={onMove}
      onPointerUp={onUp}
    >
      <title>{said}</title>
      <rect x={left} width={right - left} y={9} height={10} className="whole" />
      {ticks.map((m) => (
        <g key={m.id}>
          <rect
            x={x(time(m.date)) + (perDay - wide) / 2}
            width={wide}
            y={7}
            height={14}
            className={clashing.has(m.id) ? "tick clashing" : "tick"}
          />
          {clashing.has(m.id) && (
            <circle cx={x(time(m.date)) + perDay / 2} cy={4} r={2.4} className="clashdot" />
          )}
        </g>
      ))}
      <text
        x={Math.min(right + 4, edge - 2)}
        y={18}
        textAnchor={right + 4 + run.code.length * 6.6 > edge ? "end" : "start"}
        className="code"
      >
        {run.code}
      </text>
    </g>
  );
}

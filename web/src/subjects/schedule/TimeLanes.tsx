import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { seatsText } from "../../parts/RunFacts";
import { addDays, mondayOf } from "../../parts/dates";
import { DAY, months, time } from "../../parts/season";
import { count, day } from "../../parts/text";
import { type By, type Lane, type Plan, type PlanMeeting, type PlanRun, weekOf } from "./plan";

export const NAMES = 168;
export const ROW = 24;
const HEAD = 34;

/** The days that are drawn, and where each stands. */
export interface Span {
  from: string;
  days: number;
  width: number;
  x: (at: number) => number;
}

/** How far a run is about to be moved. */
export interface Shift {
  id: number;
  days: number;
}

export function mondaysOf({ from, days }: Span): string[] {
  const until = addDays(from, days - 1);
  return Array.from({ length: Math.ceil(days / 7) + 1 }, (_, i) => addDays(mondayOf(from), i * 7)).filter(
    (d) => d >= from && d <= until,
  );
}

export function Axis({ span }: { span: Span }) {
  const { from, days, width, x } = span;
  const start = time(from);
  const marks =
    days > 40
      ? [start, ...months(start, start + days * DAY)].filter(
          (_, i, all) => i > 0 || all.length < 2 || x(all[1]!) > 90,
        )
      : [];
  return (
    <>
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
        {mondaysOf(span).map((d) => (
          <text key={d} x={x(time(d)) + 3} y={29} className="weeknumber">
            {days > 100 ? weekOf(d) : days > 40 ? `wk ${weekOf(d)}` : `${day(d, false)} · wk ${weekOf(d)}`}
          </text>
        ))}
      </svg>
    </>
  );
}

/** An empty stretch that is drawn on a lane, for a new run; null while nothing is. */
function useDrawing(span: Span, lane: Lane, by: By) {
  const go = useNavigate();
  const [drawn, setDrawn] = useState<{ from: number; to: number } | null>(null);
  const place = (e: PointerEvent) =>
    e.clientX - (e.currentTarget as SVGElement).closest("svg")!.getBoundingClientRect().left;
  const dayAt = (px: number) =>
    addDays(span.from, Math.max(0, Math.min(span.days - 1, Math.floor((px / span.width) * span.days))));
  const begin = (e: PointerEvent) => {
    if (e.button !== 0 || e.target !== e.currentTarget) return;
    setDrawn({ from: place(e), to: place(e) });
    e.currentTarget.setPointerCapture(e.pointerId);
  };
  const stretch = (e: PointerEvent) => drawn && setDrawn({ ...drawn, to: place(e) });
  const end = () => {
    if (!drawn) return;
    setDrawn(null);
    if (Math.abs(drawn.to - drawn.from) < 8) return;
    const where = lane.id !== null ? { [by === "room" ? "place" : "instructor"]: lane.name } : {};
    const date = dayAt(Math.min(drawn.from, drawn.to));
    void go(`/runs/new?${new URLSearchParams({ date, ...where }).toString()}`);
  };
  return { drawn, on: { onPointerDown: begin, onPointerMove: stretch, onPointerUp: end } };
}

/** What one lane shows besides its runs: weeks, closed days, today, the stretch that is drawn. */
function Ground({
  span,
  plan,
  today,
  drawn,
}: {
  span: Span;
  plan: Plan;
  today: string;
  drawn: { from: number; to: number } | null;
}) {
  const { x } = span;
  return (
    <>
      {mondaysOf(span).map((d) => (
        <line key={d} x1={x(time(d))} x2={x(time(d))} y1={0} y2={ROW} className="weekline" />
      ))}
      {Object.keys(plan.closed).map((d) => (
        <rect
          key={d}
          x={x(time(d))}
          width={span.width / span.days}
          y={0}
          height={ROW}
          className="closedday"
        />
      ))}
      <line x1={x(time(today) + DAY / 2)} x2={x(time(today) + DAY / 2)} y1={0} y2={ROW} className="plumb" />
      {drawn && (
        <rect
          x={Math.min(drawn.from, drawn.to)}
          width={Math.abs(drawn.to - drawn.from)}
          y={3}
          height={ROW - 6}
          className="drawn"
        />
      )}
    </>
  );
}

/** What moves a run, by dragging and by keys. */
export interface Mover {
  shift: Shift | null;
  setShift: (shift: Shift | null) => void;
  move: (run: PlanRun, days: number) => void;
}

function useBar(run: PlanRun, span: Span, { shift, setShift, move }: Mover) {
  const go = useNavigate();
  const drag = useRef<{ x: number; moved: boolean } | null>(null);
  const by = shift?.id === run.id ? shift.days : 0;
  const open = () => void go(`/runs/${run.id}/dates`);
  const onKeyDown = (e: KeyboardEvent) => {
    const step = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    if (step) setShift({ id: run.id, days: by + step * (e.shiftKey ? 7 : 1) });
    else if (e.key === "Enter" && by) move(run, by);
    else if (e.key === "Enter") open();
    else if (e.key === "Escape") setShift(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const onPointerDown = (e: PointerEvent) => {
    if (e.button !== 0) return;
    drag.current = { x: e.clientX, moved: false };
    e.currentTarget.setPointerCapture(e.pointerId);
  };
  const onPointerMove = (e: PointerEvent) => {
    if (!drag.current) return;
    const far = e.clientX - drag.current.x;
    if (Math.abs(far) > 3) drag.current.moved = true;
    if (drag.current.moved) setShift({ id: run.id, days: Math.round((far / span.width) * span.days) });
  };
  const onPointerUp = () => {
    const held = drag.current;
    drag.current = null;
    if (held) (held.moved ? () => move(run, by) : open)();
  };
  return { by, on: { onKeyDown, onPointerDown, onPointerMove, onPointerUp } };
}

export function LaneRow({
  lane,
  n,
  bars,
  top,
  by,
  span,
  plan,
  today,
  mover,
}: {
  lane: Lane;
  n: number;
  bars: Lane["rows"][number];
  top: number;
  by: By;
  span: Span;
  plan: Plan;
  today: string;
  mover: Mover;
}) {
  const { drawn, on } = useDrawing(span, lane, by);
  return (
    <div className={n === 0 ? "lane first" : "lane"} style={{ top, height: ROW }}>
      <div className="names" style={{ width: NAMES }} title={lane.name}>
        {n === 0 ? lane.name : ""}
      </div>
      <svg
        className="line"
        viewBox={`0 0 ${span.width} ${ROW}`}
        height={ROW}
        preserveAspectRatio="none"
        role="group"
        aria-label={lane.name}
        {...on}
      >
        <Ground span={span} plan={plan} today={today} drawn={drawn} />
        {bars.map(({ run, ticks }) => (
          <Bar key={run.id} run={run} ticks={ticks} clashing={plan.clashing} span={span} mover={mover} />
        ))}
      </svg>
    </div>
  );
}

function saidOf(run: PlanRun, clash: number, by: number): string {
  const decided = run.decision !== "undecided" ? `, ${run.decision}` : "";
  const clashes = clash ? `, ${count(clash, "meeting")} clash` : "";
  const moved = by ? `; moved by ${count(Math.abs(by), "day")}` : "";
  return `${run.code} ${run.title}: ${day(run.first)} to ${day(run.last)}, ${seatsText(run)} seats, ${run.status}${decided}${clashes}${moved}`;
}

function Bar({
  run,
  ticks,
  clashing,
  span,
  mover,
}: {
  run: PlanRun;
  ticks: PlanMeeting[];
  clashing: Set<number>;
  span: Span;
  mover: Mover;
}) {
  const { by, on } = useBar(run, span, mover);
  const { x } = span;
  const perDay = span.width / span.days;
  const left = Math.max(-4, x(time(run.first)));
  const right = Math.max(left + 3, x(time(run.last) + DAY));
  const said = saidOf(run, ticks.filter((m) => clashing.has(m.id)).length, by);
  const wide = Math.max(2, Math.min(perDay - 1, 7));
  return (
    <g
      className={`planbar ${run.status === "draft" ? "draft" : ""} ${by ? "moving" : ""}`}
      tabIndex={0}
      role="button"
      aria-label={said}
      transform={by ? `translate(${by * perDay} 0)` : undefined}
      {...on}
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
        x={Math.min(right + 4, span.width - 2)}
        y={18}
        textAnchor={right + 4 + run.code.length * 6.6 > span.width ? "end" : "start"}
        className="code"
      >
        {run.code}
      </text>
    </g>
  );
}

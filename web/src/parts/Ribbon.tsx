import Button from "@mui/material/Button";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";

import { $api, type Schemas } from "../app/server";
import { useKept, useMe } from "../app/session";
import { seatsText, spanText, stateText } from "./RunFacts";
import { DAY, months, stacked, time } from "./season";
import { count, day } from "./text";
import { T } from "./words";

const WIDTH = 1232;
const TOP = 20;
const ROW = 13;
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

export type Span = { from: string; to: string } | null;
const iso = (at: number) => new Date(at).toISOString().slice(0, 10);

/** The span brushed on the ribbon, shared by the ribbon and the lists below it. */
export function useSpan(): [Span, (span: Span) => void] {
  const [span, setSpan] = useKept<Span>("ribbon-span", null);
  useEffect(() => {
    const follow = () => {
      const held = sessionStorage.getItem("ribbon-span");
      setSpan(held ? (JSON.parse(held) as Span) : null);
    };
    window.addEventListener("ribbon-span", follow);
    return () => window.removeEventListener("ribbon-span", follow);
  }, [setSpan]);
  return [
    span,
    (next) => {
      sessionStorage.setItem("ribbon-span", JSON.stringify(next));
      window.dispatchEvent(new Event("ribbon-span"));
    },
  ];
}

/** The span after a key: arrows move it by weeks, with Shift its end, Enter begins one, Esc takes it away. */
function nudged(e: KeyboardEvent, span: Span, today: string): Span | undefined {
  const week = 7 * DAY;
  const now = span ?? { from: today, to: iso(time(today) + 4 * week) };
  const step = e.key === "ArrowRight" ? week : e.key === "ArrowLeft" ? -week : 0;
  if (e.key === "Escape") return null;
  if (step === 0 && e.key !== "Enter") return undefined;
  if (e.shiftKey) return { from: now.from, to: iso(Math.max(time(now.from) + week, time(now.to) + step)) };
  return span ? { from: iso(time(now.from) + step), to: iso(time(now.to) + step) } : now;
}

/** Each run a thin bar, filled as its seats are, with its sign-up time dotted before it. */
function Bars({ rows }: { rows: ReturnType<typeof stacked<Schemas["Ribbon"]["bars"][number]>> }) {
  return rows.map(({ bar, row, x1, x2, opens }) => (
    <g key={bar.id} className={bar.status === "draft" ? "bar draft" : "bar"}>
      <title>{`${bar.title}, ${bar.code}: ${spanText(bar)}, ${seatsText(bar)}, ${stateText(bar)}${bar.teaching === "before" && bar.status === "published" ? `, ${bar.decision === "undecided" ? "not decided" : bar.decision}` : ""}`}</title>
      {opens < x1 && (
        <line x1={opens} x2={x1} y1={TOP + row * ROW + 5} y2={TOP + row * ROW + 5} className="signup" />
      )}
      <rect x={x1} width={x2 - x1} y={TOP + row * ROW} height={9} className="whole" />
      <rect
        x={x1}
        width={(x2 - x1) * Math.min(1, bar.taken / bar.capacity)}
        y={TOP + row * ROW}
        height={9}
        className={bar.taken >= bar.capacity ? "fill full" : "fill"}
      />
    </g>
  ));
}

/** What is brushed, in words, and the fold. */
function RibbonText({
  shown,
  inSpan,
  runs,
  open,
  onToggle,
  onWhole,
}: {
  shown: Span;
  inSpan: number;
  runs: number | undefined;
  open: boolean;
  onToggle: () => void;
  onWhole: () => void;
}) {
  return (
    <div className="ribbontext">
      <T tone="slate" aria-live="polite">
        {shown ? (
          <>
            span: {day(shown.from, false)} to {day(shown.to)}, {count(inSpan, "run")}{" "}
            <Button variant="text" color="secondary" onClick={onWhole}>
              whole season
            </Button>
          </>
        ) : runs === undefined ? (
          "the season"
        ) : (
          `the season, ${count(runs, "run")}`
        )}
      </T>
      <Button variant="text" color="secondary" aria-expanded={open} onClick={onToggle}>
        {open ? "fold" : "open the ribbon"}
      </Button>
    </div>
  );
}

/**
 * The weeks of the season: each run a thin bar from first to last meeting, filled as its seats are, its sign-up time
 * dotted, today a plumb line. Brush it to set the span that lists below use; click a bar to go to the run.
 */
export function Ribbon({ open, onToggle }: { open: boolean; onToggle: () => void }) {
  const me = useMe();
  const go = useNavigate();
  const [span, setSpan] = useSpan();
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);
  const season = $api.useQuery("get", "/api/v1/ribbon", {}, { staleTime: 15_000 });
  const from = time(season.data?.from ?? me.today);
  const to = time(season.data?.to ?? me.today) + DAY;
  const x = (at: number) => (WIDTH * (at - from)) / Math.max(DAY, to - from);
  const at = (px: number) => from + (Math.max(0, Math.min(WIDTH, px)) / WIDTH) * (to - from);
  const rows = stacked(season.data?.bars ?? [], x);
  const deep = Math.min(9, Math.max(3, ...rows.map((r) => r.row + 1)));
  const height = open ? TOP + deep * ROW + 8 : 26;
  const place = (e: PointerEvent) => {
    const box = svg.current!.getBoundingClientRect();
    return ((e.clientX - box.left) / box.width) * WIDTH;
  };
  const shown = drag
    ? { from: iso(at(Math.min(drag.from, drag.to))), to: iso(at(Math.max(drag.from, drag.to))) }
    : span;
  const inSpan =
    season.data?.bars.filter((b) => shown && b.last >= shown.from && b.first <= shown.to).length ?? 0;
  const nudge = (e: KeyboardEvent) => {
    const next = nudged(e, span, me.today);
    if (next === undefined) return;
    e.preventDefault();
    setSpan(next);
  };
  return (
    <div className={open ? "ribbon" : "ribbon folded"}>
      <svg
        ref={svg}
        viewBox={`0 0 ${WIDTH} ${height}`}
        height={height}
        preserveAspectRatio="none"
        tabIndex={0}
        role="slider"
        aria-label="Span of the season: arrows move it, Shift and arrows change its end, Esc takes it away"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={shown ? Math.round((100 * (time(shown.from) - from)) / (to - from)) : 0}
        aria-valuetext={
          shown ? `${day(shown.from)} to ${day(shown.to)}, ${count(inSpan, "run")}` : "the whole season"
        }
        onKeyDown={nudge}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          setDrag({ from: place(e), to: place(e) });
          svg.current?.setPointerCapture(e.pointerId);
        }}
        onPointerMove={(e) => drag && setDrag({ ...drag, to: place(e) })}
        onPointerUp={(e) => {
          if (!drag) return;
          const [a, b] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)];
          setDrag(null);
          if (b - a > 6) setSpan({ from: iso(at(a)), to: iso(at(b)) });
          else {
            const box = svg.current!.getBoundingClientRect();
            const py = ((e.clientY - box.top) / box.height) * height;
            const hit = open
              ? rows.find((r) => a >= r.x1 - 2 && a <= r.x2 + 2 && Math.abs(TOP + r.row * ROW + 5 - py) <= 6)
              : undefined;
            if (hit) void go(`/runs/${hit.bar.id}`);
            else setSpan(null);
          }
        }}
      >
        {months(from, to).map((m) => (
          <g key={m}>
            <line x1={x(m)} x2={x(m)} y1={0} y2={height} className="month" />
            <text x={x(m) + 5} y={13} className="monthname">
              {MONTHS[new Date(m).getUTCMonth()]}
            </text>
          </g>
        ))}
        {shown && (
          <rect
            x={x(time(shown.from))}
            width={Math.max(2, x(time(shown.to) + DAY) - x(time(shown.from)))}
            y={0}
            height={height}
            className="span"
          />
        )}
        {open && <Bars rows={rows.filter((r) => r.row < deep)} />}
        <line
          x1={x(time(me.today) + DAY / 2)}
          x2={x(time(me.today) + DAY / 2)}
          y1={open ? 15 : 4}
          y2={height}
          className="plumb"
        />
      </svg>
      <RibbonText
        shown={shown}
        inSpan={inSpan}
        runs={season.data?.bars.length}
        open={open}
        onToggle={onToggle}
        onWhole={() => setSpan(null)}
      />
    </div>
  );
}

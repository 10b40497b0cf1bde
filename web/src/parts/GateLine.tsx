import Tooltip from "@mui/material/Tooltip";

import type { Schemas } from "../app/server";
import { clearOf, placed, type Placed, WIDTH } from "./gates";
import { clock, day, money } from "./text";

type Run = Schemas["RunOut"];

const LEFT = 44;
const RIGHT = 44;
const GROUND = 92;

const WHAT: Record<string, string> = {
  "sign-up opens": "People can sign up from the first moment of this day.",
  "early step ends": "Through this day the early price holds.",
  "sign-up closes": "Sign-up ends when this day is over.",
  "decision day": "Go ahead, wait or cancel: the run comes up on Today.",
  "access ends": "Access to the materials ends when this day is over.",
  starts: "The first meeting begins.",
  ends: "The last meeting ends.",
};

/** A run's life as a line in time: gates as small arches, meetings as strokes, the price as steps above. */
export function GateLine({ run }: { run: Run }) {
  if (run.gates.length === 0) return null;
  const now = Date.parse(run.now);
  const first = run.price_line[0]?.steps[0];
  const opened = first ? Date.parse(`${first.from}T00:00:00Z`) : Infinity;
  const from = Math.min(opened, ...run.gates.map((g) => Date.parse(g.at)));
  const to = Math.max(...run.gates.map((g) => Date.parse(g.at)));
  const x = (at: number) => LEFT + ((WIDTH - LEFT - RIGHT) * (at - from)) / Math.max(1, to - from);
  const inside = now >= from && now <= to;
  const marks = placed(run.gates, (g) => x(Date.parse(g.at)));
  // The word for today turns away from a price that begins close behind it.
  const crowded = run.price_line[0]?.steps.some((s) => {
    const edge = x(Date.parse(`${s.from}T00:00:00Z`));
    return edge > x(now) - 8 && edge < x(now) + 130;
  });
  const left = (crowded === true && x(now) > 130) || x(now) > WIDTH / 2;
  const rows = Math.max(...marks.map((m) => m.row)) + 1;
  return (
    <svg
      className="gateline"
      viewBox={`0 0 ${WIDTH} ${GROUND + 16 + rows * 34}`}
      role="group"
      aria-label="The gates of this run in time"
    >
      {/* Below the prices, whose figures stand clear of it. */}
      {inside && (
        <g>
          <line x1={x(now)} x2={x(now)} y1={8} y2={GROUND} className="today" />
          <path d={`M${x(now) - 4} ${GROUND - 7} h8 l-4 7z`} className="todayhead" />
          <text x={x(now) + (left ? -6 : 6)} y={4} textAnchor={left ? "end" : "start"} className="todaytext">
            today, {day(run.now, false)}
          </text>
        </g>
      )}
      <Prices run={run} x={x} today={inside ? x(now) : null} />
      <line x1={LEFT - 20} x2={WIDTH - RIGHT + 20} y1={GROUND} y2={GROUND} className="ground" />
      {run.dates.slice(1, -1).map((m) => (
        <rect
          key={m.id}
          x={x(Date.parse(m.start)) - 2}
          y={GROUND - 13}
          width="4"
          height="13"
          className="meets"
        />
      ))}
      {/* Leaders first, so that none crosses the name of another gate. */}
      {marks
        .filter((m) => m.row > 0)
        .map((m) => (
          <line
            key={`${m.gate.kind}${m.gate.label}`}
            x1={m.at}
            x2={m.at}
            y1={GROUND + 2}
            y2={GROUND + 6 + m.row * 34}
            className="leader"
          />
        ))}
      {marks.map((mark) => (
        <Mark key={`${mark.gate.kind}${mark.gate.label}`} {...mark} past={Date.parse(mark.gate.at) <= now} />
      ))}
    </svg>
  );
}

function Mark({ gate, at, row, anchor, past }: Placed & { past: boolean }) {
  const text = anchor === "middle" ? at : anchor === "end" ? at + 8 : at - 8;
  const top = GROUND + 18 + row * 34;
  const when = `${day(gate.day)}${gate.kind === "starts" || gate.kind === "ends" ? `, ${clock(gate.at)}` : ""}`;
  const said = `${gate.label}: ${when}, ${gate.rule}. ${WHAT[gate.kind] ?? ""}${past ? " Past." : ""}`;
  return (
    <Tooltip
      title={
        <>
          <strong>{day(gate.day)}</strong>, {gate.rule}
          <br />
          {WHAT[gate.kind]}
        </>
      }
    >
      <g tabIndex={0} role="img" aria-label={said} className="gate">
        <path
          transform={`translate(${at - 8} ${GROUND - 20})`}
          d="M1 20V9a7 7 0 0 1 14 0v11h-4.4V9a2.6 2.6 0 0 0-5.2 0v11z"
          className={past ? "arch past" : "arch"}
        />
        <text x={text} y={top} textAnchor={anchor} className="name">
          {gate.label}
        </text>
        <text className="when" x={text} y={top + 15} textAnchor={anchor}>
          {day(gate.day, false)}
        </text>
      </g>
    </Tooltip>
  );
}

/** The price per head as steps: higher is dearer. The first rate stands out, others are thin lines. */
function Prices({ run, x, today }: { run: Run; x: (at: number) => number; today: number | null }) {
  const [main, ...others] = run.price_line;
  if (!main || main.steps.length === 0) return null;
  const totals = run.price_line.flatMap((l) => l.steps.map((s) => Number(s.total)));
  const low = Math.min(...totals);
  const high = Math.max(...totals);
  const y = (total: number) => (high === low ? 40 : 60 - (30 * (total - low)) / (high - low));
  const edge = (iso: string, days = 0) => x(Date.parse(`${iso}T00:00:00Z`) + days * 86_400_000);
  const path = (steps: typeof main.steps) =>
    steps
      .map(
        (s, i) =>
          `${i ? "L" : "M"}${edge(s.from)} ${y(Number(s.total))} L${edge(s.to, 1)} ${y(Number(s.total))}`,
      )
      .join("");
  const first = edge(main.steps[0]!.from);
  const last = edge(main.steps[main.steps.length - 1]!.to, 1);
  return (
    <g>
      <path d={`${path(main.steps)} L${last} ${GROUND} L${first} ${GROUND}z`} className="priceground" />
      {others.map((l) => (
        <path key={l.rate} d={path(l.steps)} className="pricestep other">
          <title>{l.rate}</title>
        </path>
      ))}
      <path d={path(main.steps)} className="pricestep" />
      {main.steps.map((s) => (
        <text
          key={s.from}
          x={clearOf(today, edge(s.from) + 4, money(s.total, run.currency))}
          y={y(Number(s.total)) - 6}
          className="pricetext"
        >
          {money(s.total, run.currency)}
        </text>
      ))}
    </g>
  );
}

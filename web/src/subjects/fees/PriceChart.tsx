import { styled } from "@mui/material/styles";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useId, useState } from "react";

import { $api, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { addDays } from "../../parts/dates";
import { Scroller } from "../../parts/Scroller";
import { day, money } from "../../parts/text";
import { Cell, P } from "../../parts/words";
import { type Chart, chartOf, dayAt, placeLabels, priceOn, type Series } from "./chart";

const ReadingBox = styled("div")({ "& p": { margin: "4px 0", fontSize: 16 } });

type Compared = Schemas["ComparedRun"];
const W = 880;
const H = 230;
const LEFT = 64;
const RIGHT = 150;
const TOP = 16;
const BOTTOM = 40;
const DASHES = ["", "7 4", "2 4", "12 4 2 4", "5 2", "1 3"];

/** Prices as steps over time: one line a rate of one run, or one line a run. Pointer and arrow keys read a day out. */
export function PriceChart({
  runs,
  today,
  aligned = false,
}: {
  runs: Compared[];
  today: string;
  aligned?: boolean;
}) {
  const series: Series[] =
    runs.length === 1
      ? runs[0]!.lines.map((l) => ({ ...l, run: runs[0]!, label: l.rate }))
      : runs.flatMap((run) => run.lines.slice(0, 1).map((l) => ({ ...l, run, label: run.code })));
  const held = series.filter((s) => s.steps.length > 0);
  const chart = chartOf(held, aligned);
  const usual = chart && dayToRead(chart, held, aligned ? "" : today);
  const [picked, setPicked] = useState<string | null>(null);
  const [rest, setRest] = useState(false);
  const hint = useId();
  if (!chart || !usual)
    return <P tone="slate">There is no price to show until the run has a start and sign-up a close.</P>;
  const at = picked && picked >= chart.first && picked <= chart.last ? picked : usual;
  const x = (iso: string) =>
    LEFT + ((W - LEFT - RIGHT) * (Date.parse(iso) - Date.parse(chart.first))) / Math.max(1, chart.span);
  const y = (total: number) =>
    TOP + (H - TOP - BOTTOM) * (1 - (total - chart.low) / Math.max(1e-9, chart.high - chart.low));
  const path = (s: Series) =>
    s.steps
      .map((step, i) => {
        const from = chart.shown(s, step.from);
        const to = addDays(chart.shown(s, step.to), 1);
        return `${i ? "L" : "M"}${x(from)} ${y(Number(step.total))} L${x(to)} ${y(Number(step.total))}`;
      })
      .join("");
  const keys = (e: KeyboardEvent) => {
    const next = dayAfter(e.key, at, chart);
    if (next === null) return;
    e.preventDefault();
    setRest(false);
    setPicked(next);
  };
  const point = (e: PointerEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const inside = ((e.clientX - box.left) / box.width) * W;
    setRest(true);
    setPicked(dayAt(chart, (inside - LEFT) / (W - LEFT - RIGHT)));
  };
  const labels = placeLabels(held.map((s) => y(Number(s.steps[s.steps.length - 1]!.total))));
  const gates =
    runs.length === 1 ? runs[0]!.gates.filter((g) => g.day >= chart.first && g.day <= chart.last) : [];
  const ticks = [...new Set([chart.least, ...held.flatMap((s) => s.steps.map((t) => Number(t.total)))])]
    .sort((a, b) => a - b)
    .filter((t, i, all) => i === 0 || y(all[i - 1]!) - y(t) > 14);
  return (
    <>
      <div
        role="slider"
        tabIndex={0}
        aria-label="Day"
        aria-describedby={hint}
        aria-valuemin={0}
        aria-valuemax={Math.round(chart.span / 86_400_000)}
        aria-valuenow={Math.round((Date.parse(at) - Date.parse(chart.first)) / 86_400_000)}
        aria-valuetext={`${aligned ? chart.said(at) : day(at)}: ${held
          .map((s) => `${s.label} ${money(priceOn(s, chart.real(s, at)), s.run.currency) || "no price"}`)
          .join(", ")}`}
        className="pricechart"
        onKeyDown={keys}
      >
        <svg viewBox={`0 0 ${W} ${H}`} onPointerMove={point} onPointerDown={point} aria-hidden="true">
          {ticks.map((t) => (
            <g key={t}>
              <line x1={LEFT} x2={W - RIGHT} y1={y(t)} y2={y(t)} className="tickline" />
              <text x={LEFT - 8} y={y(t) + 4} textAnchor="end" className="ticktext">
                {money(t.toFixed(chart.digits), held[0]!.run.currency)}
              </text>
            </g>
          ))}
          <line x1={LEFT} x2={W - RIGHT} y1={H - BOTTOM} y2={H - BOTTOM} className="ground" />
          <Ground chart={chart} gates={gates} x={x} aligned={aligned} />
          {held.map((s, i) => (
            <g key={`${s.run.id}-${s.rate_id}`} className={`series s${i}`}>
              <path d={path(s)} strokeDasharray={DASHES[i % DASHES.length]} />
              <text x={W - RIGHT + 10} y={labels[i]! + 4}>
                {s.label.length > 20 ? `${s.label.slice(0, 19)}…` : s.label}
              </text>
            </g>
          ))}
          <line x1={x(at)} x2={x(at)} y1={TOP - 6} y2={H - BOTTOM} className="plumb" />
          {held.map((s, i) => {
            const total = priceOn(s, chart.real(s, at));
            return total === null ? null : (
              <circle key={i} cx={x(at)} cy={y(Number(total))} r="4" className={`dot s${i}`} />
            );
          })}
        </svg>
      </div>
      <P small id={hint}>
        Move over the line, or use the arrow keys, Page Up and Page Down, Home and End.
      </P>
      <Readings series={held} at={at} real={(s) => chart.real(s, at)} live={!rest} />
      <PriceTable series={held} />
    </>
  );
}

/** The day that a key leads to, within the chart; null for any other key. */
function dayAfter(key: string, at: string, chart: Chart): string | null {
  const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1, PageDown: -7, PageUp: 7 }[key];
  if (key === "Home") return chart.first;
  if (key === "End") return chart.last;
  if (by === undefined) return null;
  const next = addDays(at, by);
  return next < chart.first ? chart.first : next > chart.last ? chart.last : next;
}

/** What stands below the lines: the gates of the one run, else the first and last day. */
function Ground({
  chart,
  gates,
  x,
  aligned,
}: {
  chart: Chart;
  gates: Compared["gates"];
  x: (iso: string) => number;
  aligned: boolean;
}) {
  return (
    <>
      {gates.map((g, i) => (
        <g key={`${g.label}${g.day}`}>
          <path
            transform={`translate(${x(g.day) - 5} ${H - BOTTOM - 12}) scale(.62)`}
            d="M1 20V9a7 7 0 0 1 14 0v11h-4.4V9a2.6 2.6 0 0 0-5.2 0v11z"
            className="gatemark"
          />
          <text
            x={x(g.day)}
            y={H - BOTTOM + 14 + (i % 2) * 13}
            textAnchor={x(g.day) > W - RIGHT - 60 ? "end" : x(g.day) < LEFT + 60 ? "start" : "middle"}
            className="ticktext"
          >
            {g.label}
          </text>
        </g>
      ))}
      {gates.length === 0 &&
        [chart.first, chart.last].map((d, i) => (
          <text key={i} x={x(d)} y={H - BOTTOM + 16} textAnchor={i ? "end" : "start"} className="ticktext">
            {aligned ? chart.said(d) : day(d)}
          </text>
        ))}
    </>
  );
}

/** The day that is read out first: today, else the first on which every line has a price. */
function dayToRead(chart: Chart, held: Series[], today: string): string {
  if (today >= chart.first && today <= chart.last) return today;
  const day = held.map((s) => chart.shown(s, s.steps[0]!.from)).sort()[held.length - 1]!;
  return day > chart.last ? chart.last : day;
}

/** What one person pays on the day picked, as a sentence for each line. */
function Readings({
  series,
  at,
  real,
  live,
}: {
  series: Series[];
  at: string;
  real: (s: Series) => string;
  live: boolean;
}) {
  const settled = useSettled(at, 90);
  const asked = series.filter((s) => priceOn(s, real(s)) !== null);
  const found = useQueries({
    queries: asked.map((s) =>
      $api.queryOptions(
        "get",
        "/api/v1/runs/{run_id}/price-on/{day}",
        {
          params: {
            path: { run_id: s.run.id, day: settled === at ? real(s) : settled },
            query: { rate_id: s.rate_id },
          },
        },
        { enabled: settled === at, placeholderData: keepPreviousData, staleTime: 60_000 },
      ),
    ),
  });
  return (
    <ReadingBox aria-live={live ? "polite" : "off"}>
      {asked.map((s, i) => {
        const total = priceOn(s, real(s));
        const held = found[i]?.data;
        return (
          <p key={`${s.run.id}-${s.rate_id}`}>
            {series.some((o) => o.run.id !== s.run.id) && <strong>{s.label}: </strong>}
            {held && held.day === real(s)
              ? held.text
              : `On ${day(real(s))} one person at ${s.rate} pays ${money(total, s.run.currency)}.`}
          </p>
        );
      })}
      {asked.length === 0 && <p>Nobody can sign up on this day.</p>}
    </ReadingBox>
  );
}

/** The same as a table: every stretch of days with its price. */
function PriceTable({ series }: { series: Series[] }) {
  return (
    <Scroller>
      <Table sx={{ width: "auto", minWidth: 460 }}>
        <TableHead>
          <TableRow>
            <Cell>{series.some((s) => s.run.id !== series[0]!.run.id) ? "Run" : "Rate"}</Cell>
            <Cell>From</Cell>
            <Cell>Through</Cell>
            <Cell right>One person pays</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {series.flatMap((s) =>
            s.steps.map((step, i) => (
              <TableRow key={`${s.run.id}-${s.rate_id}-${step.from}`}>
                <Cell>{i === 0 ? s.label : ""}</Cell>
                <Cell>{day(step.from)}</Cell>
                <Cell>{day(step.to)}</Cell>
                <Cell right tone="copper" strong>
                  {money(step.total, s.run.currency)}
                </Cell>
              </TableRow>
            )),
          )}
        </TableBody>
      </Table>
    </Scroller>
  );
}

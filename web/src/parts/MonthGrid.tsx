import { styled } from "@mui/material/styles";
import { type KeyboardEvent, useContext, useRef, useState } from "react";

import { ink, serif } from "../theme/palette";
import { MeContext } from "../app/session";
import { addDays, weekOf } from "./dates";
import { day } from "./text";
import { Heard } from "./words";

const Months = styled("div")({
  display: "flex",
  flexWrap: "wrap",
  gap: "18px 28px",
  marginTop: 14,
  "& table": { borderCollapse: "collapse" },
  "& caption": { textAlign: "left", font: `600 14px ${serif}`, paddingBottom: 3 },
  "& th": { fontSize: 12, fontWeight: 400, color: ink.slate, width: 32 },
  "& td": { textAlign: "center", padding: 0, height: 28, border: `1px solid ${ink.line}` },
  "& td.met": { background: ink.verdigrisPale, fontWeight: 600, boxShadow: `inset 0 -3px ${ink.verdigris}` },
  "& td.clashing": { boxShadow: `inset 0 -3px ${ink.brick}` },
  "& td.closedday": { background: ink.foot },
  "& button": {
    font: "inherit",
    color: "inherit",
    width: "100%",
    height: 27,
    border: 0,
    background: "none",
    cursor: "pointer",
  },
  "& button:hover": { background: ink.paper },
});

const LETTERS = ["M", "T", "W", "T", "F", "S", "S"];
const STEPS: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -7, ArrowDown: 7 };

/**
 * Months with the dates of a run marked; a free day can be picked for a one-off meeting. However many days there are, they are
 * one stop of the Tab key: arrows go from day to day, past those that are taken, Home and End to the first and last.
 */
export function MonthGrid({
  marks,
  lost,
  clashing,
  onPick,
}: {
  /** The number of the meeting by its date. */
  marks: Map<string, number>;
  lost: Set<string>;
  clashing: Set<string>;
  onPick?: (date: string) => void;
}) {
  const begins = useContext(MeContext)?.first_weekday ?? 0;
  const grid = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState<string | null>(null);
  const dates = [...marks.keys(), ...lost].sort();
  if (dates.length === 0) return null;
  const free = (d: string) => grid.current?.querySelector<HTMLButtonElement>(`[data-day="${d}"]`);
  const step = (e: KeyboardEvent, from: string) => {
    const all = [...(grid.current?.querySelectorAll<HTMLButtonElement>("[data-day]") ?? [])];
    const by = STEPS[e.key];
    let next = e.key === "Home" ? all[0] : e.key === "End" ? all[all.length - 1] : undefined;
    if (by)
      for (let d = addDays(from, by), n = 0; !next && n < 60; d = addDays(d, by), n++)
        next = free(d) ?? undefined;
    if (!by && !next) return;
    e.preventDefault();
    next?.focus();
  };
  const months: string[] = [];
  const last = dates[dates.length - 1]!.slice(0, 7);
  for (let m = dates[0]!.slice(0, 7); m <= last && months.length < 18;) {
    months.push(m);
    const [year, month] = m.split("-").map(Number) as [number, number];
    m = new Date(Date.UTC(year, month, 1)).toISOString().slice(0, 7);
  }
  // A day that was taken meanwhile is no stop; the first free one is.
  let stop = at !== null && !marks.has(at) && months.includes(at.slice(0, 7)) ? at : null;
  return (
    <Months ref={grid}>
      {months.map((m) => {
        const begin = weekOf(`${m}-01`, begins);
        const weeks = Array.from({ length: 6 }, (_, w) => addDays(begin, w * 7)).filter(
          (d) => d.slice(0, 7) <= m,
        );
        return (
          <table key={m}>
            <caption>
              {new Date(`${m}-01T00:00:00Z`).toLocaleString("en-US", {
                month: "long",
                year: "numeric",
                timeZone: "UTC",
              })}
            </caption>
            <thead>
              <tr>
                {LETTERS.map((_, i) => (
                  <th key={i} scope="col">
                    {LETTERS[(i + begins) % 7]}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {weeks.map((w) => (
                <tr key={w}>
                  {Array.from({ length: 7 }, (_, i) => addDays(w, i)).map((d) => {
                    const n = marks.get(d);
                    if (d.slice(0, 7) !== m) return <td key={d} />;
                    const what = n
                      ? `meeting ${n}${clashing.has(d) ? ", clashes" : ""}`
                      : lost.has(d)
                        ? "closed"
                        : "";
                    const text = Number(d.slice(8));
                    if (onPick && !n) stop ??= d;
                    return (
                      <td
                        key={d}
                        className={
                          n ? (clashing.has(d) ? "met clashing" : "met") : lost.has(d) ? "closedday" : ""
                        }
                      >
                        {onPick && !n ? (
                          <button
                            type="button"
                            data-day={d}
                            tabIndex={stop === d ? 0 : -1}
                            onFocus={() => setAt(d)}
                            onKeyDown={(e) => step(e, d)}
                            aria-label={`A one-off meeting on ${day(d)}${what && `, ${what}`}`}
                            onClick={() => onPick(d)}
                          >
                            {text}
                          </button>
                        ) : (
                          <span title={what}>
                            {text}
                            {n !== undefined && <Heard>, {what}</Heard>}
                          </span>
                        )}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
        );
      })}
    </Months>
  );
}

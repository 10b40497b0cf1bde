import { styled } from "@mui/material/styles";

import { ink, serif } from "../theme/palette";
import { addDays, mondayOf } from "./dates";
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

/** Months with the dates of a run marked; a free day can be picked for a one-off meeting. */
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
  const dates = [...marks.keys(), ...lost].sort();
  if (dates.length === 0) return null;
  const months: string[] = [];
  const last = dates[dates.length - 1]!.slice(0, 7);
  for (let m = dates[0]!.slice(0, 7); m <= last && months.length < 18;) {
    months.push(m);
    const [year, month] = m.split("-").map(Number) as [number, number];
    m = new Date(Date.UTC(year, month, 1)).toISOString().slice(0, 7);
  }
  return (
    <Months>
      {months.map((m) => {
        const first = mondayOf(`${m}-01`);
        const weeks = Array.from({ length: 6 }, (_, w) => addDays(first, w * 7)).filter(
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
                {LETTERS.map((l, i) => (
                  <th key={i} scope="col">
                    {l}
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

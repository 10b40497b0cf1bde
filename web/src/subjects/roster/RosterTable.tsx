import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { Link } from "react-router";

import type { Schemas } from "../../app/server";
import { day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { PartyHead } from "./PartyHead";
import { seatNumbers, type RosterRow } from "./rosterRows";

type Acts = ReturnType<typeof useDone>;
type Cell = { row: RosterRow; currency: string; today: string; groups: Map<number, string> };
export type Column = {
  key: string;
  label: string;
  width: string;
  right?: boolean;
  cell: (c: Cell) => ReactNode;
};
const LONG = 150; // rows, from which on only those in sight are drawn

export const COLUMNS: Column[] = [
  {
    key: "way",
    label: "Came in",
    width: "minmax(96px, 0.7fr)",
    cell: ({ row }) => (
      <>
        <span className="nowrap" title={row.way_in === "list" ? undefined : `entered by ${row.entered_by}`}>
          {row.way_in}, {day(row.signed_up, false).slice(4)}
        </span>
        {row.received_on && <div className="slate">received {day(row.received_on, false)}</div>}
        {row.exception && <div className="slate">{row.exception}</div>}
      </>
    ),
  },
  {
    key: "rate",
    label: "Rate",
    width: "minmax(116px, 1.1fr)",
    cell: ({ row }) => (
      <>
        {row.rate.split("; ").map((part, n) => (
          <div key={n} className={n ? "slate line-of" : "line-of"} title={part}>
            {part}
          </div>
        ))}
        {row.payer && <div className="slate">pays: {row.payer}</div>}
      </>
    ),
  },
  {
    key: "fee",
    label: "Fee",
    width: "74px",
    right: true,
    cell: ({ row, currency }) => (row.role === "learner" ? money(row.total, currency) : ""),
  },
  {
    key: "owed",
    label: "Still owed",
    width: "86px",
    right: true,
    cell: ({ row, currency }) =>
      row.role !== "learner" ? "" : isZero(row.owed) ? "none" : money(row.owed, currency),
  },
  {
    key: "next",
    label: "Next installment",
    width: "minmax(150px, 1fr)",
    cell: ({ row, currency, today }) => (
      <>
        {row.next_due && (
          <span className={row.next_due < today ? "ochre nowrap" : "nowrap"}>
            {money(row.next_amount, currency)} {dueWord(row.next_due, today)}
          </span>
        )}
        {row.held_until && (
          <div className="ochre strong">
            held until {day(row.held_until, false)}, {row.held_until.slice(11, 16)}
          </div>
        )}
      </>
    ),
  },
  {
    key: "group",
    label: "Group",
    width: "minmax(80px, 0.8fr)",
    cell: ({ row, groups }) => (row.group ? (groups.get(row.group) ?? "") : ""),
  },
  { key: "role", label: "Role", width: "86px", cell: ({ row }) => row.role },
  { key: "phone", label: "Phone", width: "92px", cell: ({ row }) => row.phone ?? "" },
  { key: "note", label: "Note", width: "minmax(120px, 1.2fr)", cell: ({ row }) => row.note },
  {
    key: "answers",
    label: "Answers",
    width: "minmax(120px, 1.2fr)",
    cell: ({ row }) =>
      Object.entries(row.answers).map(([q, a]) => (
        <div key={q}>
          <span className="slate">{q}</span> {a}
        </div>
      )),
  },
];
export const USUAL = ["way", "rate", "fee", "owed", "next"];

/** Who holds which seat. A long roster draws only the rows in sight; a short one all, so that it prints whole. */
export function RosterTable({
  run,
  rows,
  seats,
  columns,
  groups,
  today,
  at,
  picked,
  onOpen,
  onPick,
  acts,
}: {
  run: Schemas["RunOut"];
  rows: RosterRow[];
  seats: Map<number, number>;
  columns: Column[];
  groups: Map<number, string>;
  today: string;
  at: number | null;
  picked: Set<number>;
  onOpen: (id: number | null) => void;
  onPick: (ids: number[], on: boolean) => void;
  acts: Acts;
}) {
  const body = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    if (body.current) setTop(body.current.getBoundingClientRect().top + window.scrollY);
  }, [rows.length]);
  const long = rows.length > LONG;
  const virtual = useWindowVirtualizer({
    count: long ? rows.length : 0,
    estimateSize: () => 31,
    overscan: 10,
    scrollMargin: top,
  });
  const shape = ["28px", "36px", "minmax(180px, 2fr)", ...columns.map((c) => c.width), "40px"].join(" ");
  const all = rows.length > 0 && rows.every((r) => picked.has(r.id));
  const draw = (row: RosterRow) => (
    <>
      <div role="cell" className="pick">
        <input
          type="checkbox"
          aria-label={`Choose ${row.name}`}
          checked={picked.has(row.id)}
          onChange={(e) => onPick([row.id], e.target.checked)}
        />
      </div>
      <div role="cell" className="right slate">
        {seatNumbers(seats.get(row.id), row.heads)}
      </div>
      <div role="cell">
        <div className="who-line">
          <Link className="name strong" to={`/people/${row.person_id}`}>
            {row.name}
          </Link>
          {row.role !== "learner" && !columns.some((c) => c.key === "role") && (
            <strong className="slate">{row.role}</strong>
          )}
          <span className="slate mail" title={row.email ?? undefined}>
            {row.email ?? row.phone ?? "no email"}
          </span>
        </div>
        {row.places.map((place) => (
          <PartyHead key={place.n} row={row} place={place} acts={acts} />
        ))}
        {row.note && !columns.some((c) => c.key === "note") && (
          <div className="slate note-line">{row.note}</div>
        )}
      </div>
      {columns.map((c) => (
        <div key={c.key} role="cell" className={c.right ? "right" : ""}>
          {c.cell({ row, currency: run.currency, today, groups })}
        </div>
      ))}
      <div role="cell" className="noprint right">
        <button
          className="plainly quiet"
          aria-label={`Open the sign-up of ${row.name}`}
          aria-pressed={at === row.id}
          onClick={() => onOpen(at === row.id ? null : row.id)}
        >
          open
        </button>
      </div>
    </>
  );
  return (
    <div
      className="rows live"
      role="table"
      aria-label={`Roster of ${run.code}`}
      aria-rowcount={rows.length + 1}
    >
      <div role="rowgroup">
        <div role="row" className="row-head" style={{ gridTemplateColumns: shape }}>
          <div role="columnheader" className="pick">
            <input
              type="checkbox"
              aria-label={all ? "Choose nobody" : `Choose all ${rows.length} shown`}
              checked={all}
              onChange={(e) =>
                onPick(
                  rows.map((r) => r.id),
                  e.target.checked,
                )
              }
            />
          </div>
          <div role="columnheader" className="right">
            Seat
          </div>
          <div role="columnheader">Learner</div>
          {columns.map((c) => (
            <div key={c.key} role="columnheader" className={c.right ? "right" : ""}>
              {c.label}
            </div>
          ))}
          <div role="columnheader" className="noprint">
            <span className="sr">What can be done</span>
          </div>
        </div>
      </div>
      <div
        role="rowgroup"
        ref={body}
        style={long ? { height: virtual.getTotalSize(), position: "relative" } : undefined}
      >
        {long
          ? virtual.getVirtualItems().map((item) => {
              const row = rows[item.index]!;
              return (
                <div
                  key={row.id}
                  role="row"
                  data-index={item.index}
                  ref={virtual.measureElement}
                  aria-rowindex={item.index + 2}
                  className={at === row.id ? "one at" : "one"}
                  style={{
                    gridTemplateColumns: shape,
                    position: "absolute",
                    insetInline: 0,
                    top: 0,
                    transform: `translateY(${item.start - top}px)`,
                  }}
                >
                  {draw(row)}
                </div>
              );
            })
          : rows.map((row) => (
              <div
                key={row.id}
                role="row"
                className={at === row.id ? "one at" : "one"}
                style={{ gridTemplateColumns: shape }}
              >
                {draw(row)}
              </div>
            ))}
      </div>
    </div>
  );
}

function dueWord(due: string, today: string): string {
  if (due === today) return "due today";
  return due < today ? `since ${day(due, false).slice(4)}` : day(due, false);
}

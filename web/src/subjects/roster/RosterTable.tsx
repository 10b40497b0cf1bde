import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { styled } from "@mui/material/styles";
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useLayoutEffect, useRef, useState } from "react";

import type { Schemas } from "../../app/server";
import { RowMenu } from "../../parts/RowMenu";
import { day, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Heard, Name, NoteLine, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { PartyHead } from "./PartyHead";
import { type RosterRow, seatNumbers } from "./rosterRows";
import { type Act, ACTS } from "./signUpActs";

const Rows = styled("div")({
  overflowX: "auto",
  "& .MuiCheckbox-root": { padding: 0, margin: "0 4px" },
  "& .MuiCheckbox-root svg": { fontSize: 20 },
  "& [role=cell] > .MuiButton-text": { minHeight: 24, padding: "0 6px", margin: "-2px 0" },
  "& .MuiIconButton-root": { width: 26, height: 24, padding: 0, margin: "-2px 0" },
  "& .row-head": {
    display: "grid",
    columnGap: 12,
    alignItems: "start",
    color: ink.slate,
    fontWeight: 600,
    padding: "3px 0",
    borderBottom: `1px solid ${ink.ink}`,
  },
  "& .one": {
    display: "grid",
    columnGap: 12,
    alignItems: "start",
    padding: "4px 0",
    borderBottom: `1px solid ${ink.line}`,
    overflowWrap: "anywhere",
  },
  "& .one[data-at]": { background: ink.verdigrisPale },
  "& .right": { textAlign: "right" },
  "& .pick": { lineHeight: 0 },
});
const WhoLine = styled("div")({
  display: "flex",
  gap: 8,
  minWidth: 0,
  whiteSpace: "nowrap",
});

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
        <T
          nowrap
          title={
            row.way_in === "list"
              ? undefined
              : row.entered_by === "themselves"
                ? "they signed up themselves"
                : `entered by ${row.entered_by}`
          }
        >
          {row.way_in}, {day(row.signed_up, false).slice(4)}
        </T>
        {row.received_on && (
          <T tone="slate" as="div">
            received {day(row.received_on, false)}
          </T>
        )}
        {row.exception && (
          <T tone="slate" as="div">
            {row.exception}
          </T>
        )}
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
          <T as="div" tone={n ? "slate" : undefined} cut key={n} title={part}>
            {part}
          </T>
        ))}
        {row.payer && (
          <T tone="slate" as="div" cut title={`paid by ${row.payer}`}>
            pays: {row.payer}
          </T>
        )}
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
          <T tone={row.next_due < today ? "ochre" : undefined} nowrap>
            {money(row.next_amount, currency)} {dueWord(row.next_due, today)}
          </T>
        )}
        {row.held_until && (
          <T tone="ochre" strong as="div">
            held until {day(row.held_until, false)}, {row.held_until.slice(11, 16)}
          </T>
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
          <T tone="slate">{q}</T> {a}
        </div>
      )),
  },
];
export const USUAL = ["way", "rate", "fee", "owed", "next"];

interface TableProps {
  run: Schemas["RunOut"];
  rows: RosterRow[];
  seats: Map<number, number>;
  columns: Column[];
  groups: Map<number, string>;
  today: string;
  at: number | null;
  picked: Set<number>;
  onOpen: (id: number | null, act?: Act) => void;
  onPick: (ids: number[], on: boolean) => void;
  acts: Acts;
}

/** Who holds which seat. A long roster draws only the rows in sight; a short one all, so that it prints whole. */
export function RosterTable(props: TableProps) {
  const { run, rows, columns, at } = props;
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
  const gridTemplateColumns = [
    "28px",
    "36px",
    "minmax(150px, 2fr)",
    ...columns.map((c) => c.width),
    "72px",
  ].join(" ");
  const common = (row: RosterRow) => ({
    role: "row",
    className: "one",
    "data-at": at === row.id || undefined,
  });
  return (
    <Rows className="live" role="table" aria-label={`Roster of ${run.code}`} aria-rowcount={rows.length + 1}>
      <HeadRow {...props} shape={gridTemplateColumns} />
      <div
        role="rowgroup"
        ref={body}
        style={long ? { height: virtual.getTotalSize(), position: "relative" } : undefined}
      >
        {long
          ? virtual.getVirtualItems().map((item) => {
              const row = rows[item.index]!;
              const transform = `translateY(${item.start - top}px)`;
              return (
                <div
                  key={row.id}
                  {...common(row)}
                  data-index={item.index}
                  ref={virtual.measureElement}
                  aria-rowindex={item.index + 2}
                  style={{ gridTemplateColumns, position: "absolute", insetInline: 0, top: 0, transform }}
                >
                  <RowCells {...props} row={row} />
                </div>
              );
            })
          : rows.map((row) => (
              <div key={row.id} {...common(row)} style={{ gridTemplateColumns }}>
                <RowCells {...props} row={row} />
              </div>
            ))}
      </div>
    </Rows>
  );
}

function HeadRow({ rows, columns, picked, onPick, shape }: TableProps & { shape: string }) {
  const all = rows.length > 0 && rows.every((r) => picked.has(r.id));
  return (
    <div role="rowgroup">
      <div role="row" className="row-head" style={{ gridTemplateColumns: shape }}>
        <div role="columnheader" className="pick">
          <Checkbox
            slotProps={{
              input: { "aria-label": all ? "Choose nobody" : `Choose all ${rows.length} shown` },
            }}
            checked={all}
            onChange={(e) =>
              onPick(
                rows.map((r) => r.id),
                e.target.checked,
              )
            }
          />
        </div>
        <T right as="div" role="columnheader">
          Seat
        </T>
        <div role="columnheader">Learner</div>
        {columns.map((c) => (
          <T as="div" right={Boolean(c.right)} key={c.key} role="columnheader">
            {c.label}
          </T>
        ))}
        <div role="columnheader" className="noprint">
          <Heard>What can be done</Heard>
        </div>
      </div>
    </div>
  );
}

function RowCells({
  run,
  row,
  seats,
  columns,
  groups,
  today,
  at,
  picked,
  onOpen,
  onPick,
  acts,
}: TableProps & { row: RosterRow }) {
  return (
    <>
      <div role="cell" className="pick">
        <Checkbox
          checked={picked.has(row.id)}
          onChange={(e) => onPick([row.id], e.target.checked)}
          slotProps={{ input: { "aria-label": `Choose ${row.name}` } }}
        />
      </div>
      <T right tone="slate" as="div" role="cell">
        {seatNumbers(seats.get(row.id), row.heads)}
      </T>
      <Who row={row} columns={columns} acts={acts} />
      {columns.map((c) => (
        <T as="div" right={Boolean(c.right)} key={c.key} role="cell">
          {c.cell({ row, currency: run.currency, today, groups })}
        </T>
      ))}
      <T right as="div" role="cell" className="noprint">
        <Button
          variant="text"
          color="secondary"
          aria-label={`Open the sign-up of ${row.name}`}
          aria-pressed={at === row.id}
          onClick={() => onOpen(at === row.id ? null : row.id)}
        >
          open
        </Button>
        {row.role === "learner" && (
          <RowMenu
            of={row.name}
            acts={ACTS.filter(([act]) => act !== "absent" || run.teaching !== "before").map(
              ([act, text]) => ({ text, do: () => onOpen(row.id, act) }),
            )}
          />
        )}
      </T>
    </>
  );
}

/** The learner and the other heads of the party, and what no column of its own says. */
function Who({ row, columns, acts }: { row: RosterRow; columns: Column[]; acts: Acts }) {
  const lacks = (key: string) => !columns.some((c) => c.key === key);
  return (
    <div role="cell">
      <WhoLine>
        <Name strong to={`/people/${row.person_id}`}>
          {row.name}
        </Name>
        {row.role !== "learner" && lacks("role") && (
          <T tone="slate" as="strong">
            {row.role}
          </T>
        )}
        <T tone="slate" cut title={row.email ?? undefined}>
          {row.email ?? row.phone ?? "no email"}
        </T>
      </WhoLine>
      {row.places.map((place) => (
        <PartyHead key={place.n} row={row} place={place} acts={acts} />
      ))}
      {row.note && lacks("note") && <NoteLine tone="slate">{row.note}</NoteLine>}
    </div>
  );
}

function dueWord(due: string, today: string): string {
  if (due === today) return "due today";
  return due < today ? `since ${day(due, false).slice(4)}` : day(due, false);
}

import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { type ColumnDef, tableFeatures, useTable } from "@tanstack/react-table";
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { Fragment, type ReactNode, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";

import { Scroller } from "./Scroller";
import { Cell, Heard, T } from "./words";

const features = tableFeatures({});

export type Column<R> = {
  key: string;
  /** What stands above it; `unseen` where only who listens needs it. */
  label: string;
  unseen?: boolean;
  right?: boolean;
  cell: (row: R) => ReactNode;
};

/** The pages of a list that comes from the server bit by bit. */
export type Pages = {
  total: number;
  more: boolean;
  busy: boolean;
  next: () => void;
};

/** From so many rows on only those in sight are drawn; a shorter list is drawn whole, so that it prints whole. */
const LONG = 120;

/**
 * A list in columns, however long: rows in sight are drawn, and the next page is asked for before the end comes in sight.
 * `below` opens a row of its own under the row it belongs to.
 */
export function LongTable<R extends object>({
  label,
  rows,
  columns,
  rowKey,
  below,
  pages,
}: {
  label: string;
  rows: R[];
  columns: Column<R>[];
  rowKey: (row: R) => string;
  below?: (row: R) => ReactNode;
  pages?: Pages;
}) {
  const defs = useMemo<ColumnDef<typeof features, R, unknown>[]>(
    () =>
      columns.map((c) => ({
        id: c.key,
        header: () => (c.unseen ? <Heard>{c.label}</Heard> : c.label),
        cell: ({ row }) => c.cell(row.original),
      })),
    [columns],
  );
  const table = useTable({ features, columns: defs, data: rows, getRowId: rowKey });
  const body = useRef<HTMLTableSectionElement>(null);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    const now = (body.current?.getBoundingClientRect().top ?? 0) + window.scrollY;
    setTop((old) => (Math.abs(old - now) < 1 ? old : now));
  }, [rows.length]);
  const model = table.getRowModel().rows;
  const long = model.length > LONG;
  const virtual = useWindowVirtualizer({
    count: long ? model.length : 0,
    estimateSize: () => 36,
    overscan: 20,
    scrollMargin: top,
    getItemKey: (i) => model[i]!.id,
  });
  const items = virtual.getVirtualItems();
  const last = long ? (items[items.length - 1]?.index ?? 0) : model.length - 1;
  const near = pages?.more && !pages.busy && last >= model.length - 30;
  const next = pages?.next;
  useEffect(() => {
    if (near) next?.();
  }, [near, next, model.length]);
  const right = new Set(columns.filter((c) => c.right).map((c) => c.key));
  const before = long ? (items[0]?.start ?? top) - top : 0;
  const after = long ? virtual.getTotalSize() - ((items[items.length - 1]?.end ?? top) - top) : 0;
  const shown = long ? items.map((item) => ({ row: model[item.index]!, index: item.index })) : null;
  const draw = (row: (typeof model)[number], index: number) => {
    const opened = below?.(row.original);
    return (
      <Fragment key={row.id}>
        <TableRow
          data-index={index}
          ref={long ? virtual.measureElement : undefined}
          aria-rowindex={index + 2}
        >
          {row.getAllCells().map((cell) => (
            <Cell key={cell.id} right={right.has(cell.column.id)}>
              <table.FlexRender cell={cell} />
            </Cell>
          ))}
        </TableRow>
        {opened && (
          <TableRow>
            <Cell colSpan={columns.length}>{opened}</Cell>
          </TableRow>
        )}
      </Fragment>
    );
  };
  return (
    <Scroller>
      <Table aria-label={label} aria-busy={pages?.busy} aria-rowcount={(pages?.total ?? rows.length) + 1}>
        <TableHead>
          <TableRow>
            {table.getHeaderGroups()[0]?.headers.map((header) => (
              <Cell key={header.id} right={right.has(header.column.id)}>
                <table.FlexRender header={header} />
              </Cell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody ref={body}>
          <Gap height={before} columns={columns.length} />
          {(shown ?? model.map((row, index) => ({ row, index }))).map(({ row, index }) => draw(row, index))}
          <Gap height={after} columns={columns.length} />
        </TableBody>
      </Table>
      {pages && rows.length < pages.total && (
        <T tone="slate" as="div" role="status" sx={{ marginTop: 8 }}>
          {rows.length} of {pages.total}, the next as you scroll.
        </T>
      )}
    </Scroller>
  );
}

/** The height of rows that are not drawn. */
function Gap({ height, columns }: { height: number; columns: number }) {
  if (height <= 0) return null;
  return (
    <TableRow aria-hidden>
      <Cell colSpan={columns} style={{ height, padding: 0 }} />
    </TableRow>
  );
}

import { screen, waitFor, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { draw } from "../testing/render";
import { type Column, LongTable } from "./LongTable";

type Row = { id: number; name: string; fee: string };
const rows = (n: number): Row[] =>
  Array.from({ length: n }, (_, i) => ({ id: i + 1, name: `Person ${i + 1}`, fee: `${i}.00` }));
const COLUMNS: Column<Row>[] = [
  { key: "name", label: "Name", cell: (r) => r.name },
  { key: "fee", label: "Fee", right: true, cell: (r) => r.fee },
  { key: "acts", label: "Acts", unseen: true, cell: () => <button>open</button> },
];
const key = (r: Row) => String(r.id);

test("a short list is drawn whole, under its columns", () => {
  draw(<LongTable label="Payers" rows={rows(3)} columns={COLUMNS} rowKey={key} />);
  const table = screen.getByRole("table", { name: "Payers" });
  expect(
    within(table)
      .getAllByRole("columnheader")
      .map((h) => h.textContent),
  ).toEqual(["Name", "Fee", "Acts"]);
  expect(within(table).getAllByRole("row")).toHaveLength(4);
  expect(
    screen.getByText("1.00").style.textAlign || getComputedStyle(screen.getByText("1.00")).textAlign,
  ).toBe("right");
});

test("a row opens what belongs below it, over all columns", () => {
  const below = (r: Row) => r.id === 2 && <p>correct this line</p>;
  draw(<LongTable label="Lines" rows={rows(3)} columns={COLUMNS} rowKey={key} below={below} />);
  const opened = screen.getByText("correct this line").closest("td")!;
  expect(opened.colSpan).toBe(3);
  expect(opened.parentElement!.previousElementSibling!.textContent).toContain("Person 2");
});

test("the next page is asked for when the end is near, once, and never while one is on its way", async () => {
  const next = vi.fn();
  const pages = { total: 250, more: true, busy: false, next };
  const table = (n: number, more: Partial<typeof pages> = {}) => (
    <LongTable label="Payers" rows={rows(n)} columns={COLUMNS} rowKey={key} pages={{ ...pages, ...more }} />
  );
  const { rerender } = draw(table(100));
  await waitFor(() => expect(next).toHaveBeenCalledTimes(1));
  expect(screen.getByText("100 of 250, the next as you scroll.")).toBeTruthy();
  expect(screen.getByRole("table").getAttribute("aria-rowcount")).toBe("251");
  rerender(table(100, { busy: true }));
  expect(screen.getByRole("table").getAttribute("aria-busy")).toBe("true");
  expect(next).toHaveBeenCalledTimes(1);
  rerender(table(250, { more: false }));
  expect(next).toHaveBeenCalledTimes(1);
  expect(screen.queryByText(/as you scroll/)).toBeNull();
});

test("of a long list only what is in sight is drawn, and the rest has its height", () => {
  vi.spyOn(HTMLElement.prototype, "offsetHeight", "get").mockReturnValue(36); // jsdom lays nothing out
  draw(<LongTable label="Payers" rows={rows(5000)} columns={COLUMNS} rowKey={key} />);
  const drawn = screen.getAllByRole("row", { hidden: true });
  expect(drawn.length).toBeLessThan(120);
  const gap = [...document.querySelectorAll<HTMLElement>("tr[aria-hidden] > td")];
  expect(gap.reduce((sum, td) => sum + parseInt(td.style.height), 0)).toBeGreaterThan(100_000);
});

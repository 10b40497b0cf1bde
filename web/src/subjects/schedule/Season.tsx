import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, messageOf, ServerProblem } from "../../app/server";
import { useKept, useKeptKey, useSettled } from "../../app/session";
import { useNames } from "../../form/Named";
import { ClashList } from "../../parts/ClashList";
import { Row } from "../../parts/layout";
import { ActNotes, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Fault, Heard, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { PlannerTabs } from "./PlannerTabs";

const SeasonTable = styled("table")({
  borderCollapse: "collapse",
  tableLayout: "fixed",
  width: 924,
  fontSize: 13,
  "& input::-webkit-calendar-picker-indicator": { display: "none" },
  "& th": {
    textAlign: "left",
    fontSize: 13,
    fontWeight: 600,
    color: ink.slate,
    padding: 4,
    borderBottom: `1px solid ${ink.ink}`,
    verticalAlign: "bottom",
  },
  "& th:first-child": { width: 22 },
  "& td": {
    borderBottom: `1px solid ${ink.line}`,
    borderRight: `1px solid ${ink.line}`,
    padding: "0 4px",
    height: 32,
  },
  "& input": {
    font: "inherit",
    color: "inherit",
    width: "100%",
    height: 30,
    border: 0,
    padding: 0,
    background: "transparent",
  },
  "& input:focus": { outline: `2px solid ${ink.verdigris}`, outlineOffset: 2 },
  "& td[data-bad]": { background: ink.brickPale, boxShadow: `inset 0 -2px ${ink.brick}` },
  "& tr[data-at]": { background: ink.paper },
}); // IMPORTANT

const COLUMNS = [
  ["course", "Course", 104],
  ["kind", "Kind", 46],
  ["first", "First date", 88],
  ["weekdays", "On", 66],
  ["number", "Meet-ings", 42],
  ["start", "Start", 58],
  ["minutes", "Length", 50],
  ["room", "Room", 88],
  ["instructor", "Instructor", 88],
  ["seats", "Seats", 42],
  ["rate", "Fee", 48],
  ["ends", "Last day", 60],
] as const;
type Row = Partial<Record<(typeof COLUMNS)[number][0], string>>;
const KEYS = COLUMNS.map(([key]) => key);
const LEAST = 6;

/** A pasted block as rows of cells: tabs between cells, as sheets copy them. */
export function pasted(text: string): string[][] {
  return text
    .replace(/\r\n?/g, "\n")
    .replace(/\n$/, "")
    .split("\n")
    .map((line) => line.split("\t").map((c) => c.trim()));
}

/** What a pasted block gives each row from the `n`-th on: its columns by name where it has a heading line, else by their order
 * from the `column`-th on. Null for a single cell, which is typed as any other text. */
export function rowsPasted(old: Row[], text: string, n: number, column: number): Row[] | null {
  const block = pasted(text);
  if (block.length < 2 && (block[0]?.length ?? 0) < 2) return null;
  const heads = block[0]!.map((h) => h.toLowerCase());
  const named = heads.map((h) => COLUMNS.find(([k, label]) => h === k || h === label.toLowerCase())?.[0]);
  const titled = named.filter(Boolean).length >= 2;
  const loosely = (h: string) =>
    h.startsWith("length") ? "minutes" : h.startsWith("meeting") ? "number" : undefined;
  const order = titled ? named.map((k, i) => k ?? loosely(heads[i]!)) : KEYS.slice(column);
  const next = [...old];
  (titled ? block.slice(1) : block).forEach((cells, i) => {
    const row: Row = { ...(next[n + i] ?? {}) };
    cells.forEach((cell, c) => {
      const name = order[c];
      if (name) row[name] = cell;
    });
    next[n + i] = row;
  });
  return [...next, {}];
}

/** The rows, kept until they are saved, and what the server says of them as one types. */
function useSeason() {
  const [rows, setRows, forget] = useKept<Row[]>(
    "season-rows",
    Array.from({ length: LEAST }, () => ({})),
  );
  const settled = useSettled(rows, 350);
  const filled = settled.some((r) => Object.values(r).some(Boolean));
  const judged = useQuery({
    queryKey: ["season", settled],
    queryFn: () => ask(api.POST("/api/v1/season/judge", { body: { rows: settled } })),
    enabled: filled,
    placeholderData: keepPreviousData,
  });
  return {
    rows,
    setRows,
    forget,
    set: (n: number, change: Row) => setRows((old) => old.map((r, i) => (i === n ? { ...r, ...change } : r))),
    verdict: filled ? judged.data : undefined,
    judging: judged.isFetching,
  };
}
type SeasonRows = ReturnType<typeof useSeason>;
type Verdict = NonNullable<SeasonRows["verdict"]>;

/** All rows saved as drafts in one go, once, however often it is pressed. */
function useSave({ rows, forget }: SeasonRows, acts: ReturnType<typeof useDone>) {
  const queries = useQueryClient();
  const [key, forgetKey] = useKeptKey("season-key");
  const [busy, setBusy] = useState(false);
  const [made, setMade] = useState<{ id: number; code: string }[]>([]);
  const save = async () => {
    setBusy(true);
    try {
      const done = await ask(
        api.POST("/api/v1/season", { body: { rows }, params: { header: keyHeader(key) } }),
      );
      setMade(done.made);
      acts.say({ text: `${count(done.made.length, "run")} saved as drafts.`, change: done.change });
      forget();
      forgetKey();
      void queries.invalidateQueries();
    } catch (error) {
      acts.fail(
        error instanceof ServerProblem && error.faults.length
          ? `Not saved. ${error.faults[0]!.message}`
          : messageOf(error),
      );
    } finally {
      setBusy(false);
    }
  };
  return { busy, made, save };
}

/** A season in one table, one row a run, typed or pasted: dates, faults and clashes as one types, all saved in one go. */
export default function Season() {
  const acts = useDone();
  const season = useSeason();
  const saving = useSave(season, acts);
  const [at, setAt] = useState(0);
  const { rows, setRows, verdict } = season;
  const line = verdict?.rows.find((r) => r.n === at);
  return (
    <Page
      title="Season table"
      margin={
        <>
          <ActNotes acts={acts} />
          {saving.made.length > 0 && (
            <section>
              <h2>Saved as drafts</h2>
              {saving.made.map((m) => (
                <div key={m.id}>
                  <Link to={`/runs/${m.id}`}>{m.code}</Link>
                </div>
              ))}
            </section>
          )}
          <Whole season={season} busy={saving.busy} save={() => void saving.save()} />
          {line && !line.empty && <OfRow line={line} n={at} />}
        </>
      }
    >
      <PlannerTabs />
      <Box component="h1" sx={{ margin: "12px 0 10px" }}>
        Season table
      </Box>
      <Scroller>
        <SeasonTable>
          <thead>
            <tr>
              <th scope="col">
                <Heard>Row</Heard>
              </th>
              {COLUMNS.map(([k, label, width]) => (
                <th key={k} scope="col" style={{ width }}>
                  {label}
                </th>
              ))}
              <Box component="th" scope="col" sx={{ width: 124 }}>
                Makes
              </Box>
            </tr>
          </thead>
          <tbody>
            {rows.map((_, n) => (
              <TableRow key={n} season={season} n={n} here={n === at} onFocus={() => setAt(n)} />
            ))}
          </tbody>
        </SeasonTable>
      </Scroller>
      <Known />
      <Row as="p" sx={{ marginTop: 12 }}>
        <Button onClick={() => setRows((old) => [...old, {}, {}, {}, {}, {}])}>Five more rows</Button>
        <Button onClick={season.forget}>Clear the table</Button>
      </Row>
      <P tone="slate">
        <kbd>Enter</kbd> goes to the row below, <kbd>Ctrl D</kbd> takes the cell above. Dates as 14 Sep 2027
        or 9/14/2027, days as Tue, Thu, a length as 2:30, 90 min or 2 h. What is left empty comes from the
        course. Of a cohort give its last day; of an open run the days of access under meetings.
      </P>
    </Page>
  );
}

function Whole({ season, busy, save }: { season: SeasonRows; busy: boolean; save: () => void }) {
  const { verdict } = season;
  const clashing = verdict?.rows.filter((r) => r.clashes.length > 0).length ?? 0;
  return (
    <section aria-live="polite">
      <h2>{verdict ? `${count(verdict.runs, "run")} ready` : "The table"}</h2>
      <P tone="slate">
        {verdict
          ? `${verdict.faults ? `${count(verdict.faults, "cell")} to mend` : "nothing to mend"}, ${clashing ? `${count(clashing, "run")} with clashes` : "no clashes"}.`
          : "Type, or paste a block from a sheet into any cell. With a heading line, its columns are matched by name."}
      </P>
      <Button
        variant="contained"
        fullWidth
        disabled={busy || !verdict?.runs || verdict.faults > 0 || season.judging}
        onClick={save}
      >
        Save all as drafts
      </Button>
    </section>
  );
}

function OfRow({ line, n }: { line: Verdict["rows"][number]; n: number }) {
  return (
    <section aria-live="polite">
      <h2>
        Row {n + 1}
        {line.course && `: ${line.course}`}
      </h2>
      {line.faults.map((f) => (
        <Fault as="p" key={f.at + f.message}>
          {f.message}
        </Fault>
      ))}
      {line.new.map((name) => (
        <P tone="ochre" key={name}>
          “{name}” is new; you are asked before it is added.
        </P>
      ))}
      <ClashList clashes={line.clashes.map((text) => ({ text, accepted: null }))} />
      {line.dropped.map((d) => (
        <P tone="ochre" key={d}>
          {d}
        </P>
      ))}
      {line.dates.map((d, i) => (
        <div key={d}>
          <T tone="slate">{i + 1}</T> {day(d)} <T tone="slate">{clock(d)}</T>
        </div>
      ))}
    </section>
  );
}

function TableRow({
  season,
  n,
  here,
  onFocus,
}: {
  season: SeasonRows;
  n: number;
  here: boolean;
  onFocus: () => void;
}) {
  const verdict = season.verdict?.rows.find((r) => r.n === n);
  return (
    <tr data-at={here || undefined} onFocus={onFocus}>
      <T tone="slate" as="td">
        {n + 1}
      </T>
      {KEYS.map((_, column) => (
        <Cell
          key={column}
          season={season}
          n={n}
          column={column}
          fault={verdict?.faults.find((f) => f.at === `/rows/${n}/${KEYS[column]}`)?.message}
        />
      ))}
      <T nowrap as="td">
        {verdict && !verdict.empty && (
          <>
            {verdict.dates.length > 0 &&
              `${verdict.dates.length} to ${day(verdict.dates[verdict.dates.length - 1], false).slice(4)}`}
            {verdict.clashes.length > 0 && <T clash> clashes</T>}
            {verdict.faults.length > 0 && <Fault as="span"> mend</Fault>}
          </>
        )}
      </T>
    </tr>
  );
}

const LISTS: Partial<Record<(typeof KEYS)[number], string>> = {
  room: "season-rooms",
  instructor: "season-people",
  course: "season-courses",
};

function Cell({
  season: { rows, setRows, set },
  n,
  column,
  fault,
}: {
  season: SeasonRows;
  n: number;
  column: number;
  fault: string | undefined;
}) {
  const [key, label] = COLUMNS[column]!;
  const goTo = (next: number) => {
    if (next >= rows.length) setRows((old) => [...old, {}]);
    setTimeout(() => document.querySelector<HTMLInputElement>(`[data-cell="${next}.${column}"]`)?.focus(), 0);
  };
  const onKeyDown = (e: KeyboardEvent<HTMLInputElement>) => {
    if (e.key === "d" && e.ctrlKey) set(n, { [key]: rows[n - 1]?.[key] ?? "" });
    else if (e.key === "Enter") goTo(n + 1);
    else if (["ArrowDown", "ArrowUp"].includes(e.key) && !e.currentTarget.list)
      goTo(n + (e.key === "ArrowUp" ? -1 : 1));
    else return;
    e.preventDefault();
  };
  return (
    <td data-bad={fault ? true : undefined}>
      <input
        aria-label={`${label.replace("-", "")}, row ${n + 1}`}
        aria-invalid={fault ? true : undefined}
        title={fault}
        value={rows[n]?.[key] ?? ""}
        list={LISTS[key]}
        onChange={(e) => set(n, { [key]: e.target.value })}
        onPaste={(e) => {
          const next = rowsPasted(rows, e.clipboardData.getData("text"), n, column);
          if (!next) return;
          e.preventDefault();
          setRows(next);
        }}
        onKeyDown={onKeyDown}
        data-cell={`${n}.${column}`}
      />
    </td>
  );
}

/** The names that cells offer as one types. */
function Known() {
  const names = useNames();
  const courses = $api.useQuery("get", "/api/v1/courses");
  const lists: [string, string[]][] = [
    ["season-rooms", names.places],
    ["season-people", names.instructors],
    ["season-courses", courses.data?.map((c) => c.title) ?? []],
  ];
  return lists.map(([id, values]) => (
    <datalist id={id} key={id}>
      {values.map((n) => (
        <option key={n} value={n} />
      ))}
    </datalist>
  ));
}

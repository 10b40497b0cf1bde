import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ClipboardEvent, useState } from "react";
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

/** A season in one table, one row a run, typed or pasted: dates, faults and clashes as one types, all saved in one go. */
export default function Season() {
  const queries = useQueryClient();
  const acts = useDone();
  const names = useNames();
  const [rows, setRows, forget] = useKept<Row[]>(
    "season-rows",
    Array.from({ length: LEAST }, () => ({})),
  );
  const [key, forgetKey] = useKeptKey("season-key");
  const [at, setAt] = useState(0);
  const [busy, setBusy] = useState(false);
  const [made, setMade] = useState<{ id: number; code: string }[]>([]);
  const courses = $api.useQuery("get", "/api/v1/courses");
  const settled = useSettled(rows, 350);
  const filled = settled.some((r) => Object.values(r).some(Boolean));
  const judged = useQuery({
    queryKey: ["season", settled],
    queryFn: () => ask(api.POST("/api/v1/season/judge", { body: { rows: settled } })),
    enabled: filled,
    placeholderData: keepPreviousData,
  });
  const verdict = filled ? judged.data : undefined;
  const set = (n: number, change: Row) =>
    setRows((old) => old.map((r, i) => (i === n ? { ...r, ...change } : r)));
  const paste = (e: ClipboardEvent, n: number, column: number) => {
    const block = pasted(e.clipboardData.getData("text"));
    if (block.length < 2 && (block[0]?.length ?? 0) < 2) return;
    e.preventDefault();
    const heads = block[0]!.map((h) => h.toLowerCase());
    const titled =
      heads.filter((h) => COLUMNS.some(([k, label]) => h === k || h === label.toLowerCase())).length >= 2;
    const order = titled
      ? heads.map(
          (h) =>
            COLUMNS.find(
              ([k, label]) =>
                h === k ||
                h === label.toLowerCase() ||
                (k === "minutes" && h.startsWith("length")) ||
                (k === "number" && h.startsWith("meeting")),
            )?.[0],
        )
      : KEYS.slice(column);
    const lines = titled ? block.slice(1) : block;
    setRows((old) => {
      const next = [...old];
      lines.forEach((cells, i) => {
        const row: Row = { ...(next[n + i] ?? {}) };
        cells.forEach((cell, c) => {
          const name = order[c];
          if (name) row[name] = cell;
        });
        next[n + i] = row;
      });
      return [...next, {}];
    });
  };
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
  const line = verdict?.rows.find((r) => r.n === at);
  const faultAt = (n: number, column: string) =>
    verdict?.rows.find((r) => r.n === n)?.faults.find((f) => f.at === `/rows/${n}/${column}`)?.message;
  const clashing = verdict?.rows.filter((r) => r.clashes.length > 0).length ?? 0;
  return (
    <Page
      title="Season table"
      margin={
        <>
          <ActNotes acts={acts} />
          {made.length > 0 && (
            <section>
              <h2>Saved as drafts</h2>
              {made.map((m) => (
                <div key={m.id}>
                  <Link to={`/runs/${m.id}`}>{m.code}</Link>
                </div>
              ))}
            </section>
          )}
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
              disabled={busy || !verdict?.runs || verdict.faults > 0 || judged.isFetching}
              onClick={() => void save()}
            >
              Save all as drafts
            </Button>
          </section>
          {line && !line.empty && (
            <section aria-live="polite">
              <h2>
                Row {at + 1}
                {line.course && `: ${line.course}`}
              </h2>
              {line.faults.map((f) => (
                <Fault as="p" key={f.at + f.message}>
                  {f.message}
                </Fault>
              ))}
              {line.new.map((n) => (
                <P tone="ochre" key={n}>
                  “{n}” is new; you are asked before it is added.
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
          )}
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
            {rows.map((row, n) => {
              const held = verdict?.rows.find((r) => r.n === n);
              return (
                <tr key={n} data-at={n === at || undefined} onFocus={() => setAt(n)}>
                  <T tone="slate" as="td">
                    {n + 1}
                  </T>
                  {COLUMNS.map(([k, label], c) => (
                    <td key={k} data-bad={faultAt(n, k) ? true : undefined}>
                      <input
                        aria-label={`${label.replace("-", "")}, row ${n + 1}`}
                        aria-invalid={faultAt(n, k) ? true : undefined}
                        title={faultAt(n, k)}
                        value={row[k] ?? ""}
                        list={
                          k === "room"
                            ? "season-rooms"
                            : k === "instructor"
                              ? "season-people"
                              : k === "course"
                                ? "season-courses"
                                : undefined
                        }
                        onChange={(e) => set(n, { [k]: e.target.value })}
                        onPaste={(e) => paste(e, n, c)}
                        onKeyDown={(e) => {
                          if (e.key === "Enter" || e.key === "ArrowDown" || e.key === "ArrowUp") {
                            if (e.key !== "Enter" && e.currentTarget.list) return;
                            e.preventDefault();
                            const next = n + (e.key === "ArrowUp" ? -1 : 1);
                            if (next >= rows.length) setRows((old) => [...old, {}]);
                            setTimeout(
                              () =>
                                document
                                  .querySelector<HTMLInputElement>(`[data-cell="${next}.${c}"]`)
                                  ?.focus(),
                              0,
                            );
                          } else if (e.key === "d" && e.ctrlKey) {
                            e.preventDefault();
                            set(n, { [k]: rows[n - 1]?.[k] ?? "" });
                          }
                        }}
                        data-cell={`${n}.${c}`}
                      />
                    </td>
                  ))}
                  <T nowrap as="td">
                    {held && !held.empty && (
                      <>
                        {held.dates.length > 0 &&
                          `${held.dates.length} to ${day(held.dates[held.dates.length - 1], false).slice(4)}`}
                        {held.clashes.length > 0 && <T clash> clashes</T>}
                        {held.faults.length > 0 && <Fault as="span"> mend</Fault>}
                      </>
                    )}
                  </T>
                </tr>
              );
            })}
          </tbody>
        </SeasonTable>
      </Scroller>
      <datalist id="season-rooms">
        {names.places.map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
      <datalist id="season-people">
        {names.instructors.map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
      <datalist id="season-courses">
        {courses.data?.map((c) => (
          <option key={c.id} value={c.title} />
        ))}
      </datalist>
      <Row as="p" sx={{ marginTop: 12 }}>
        <Button onClick={() => setRows((old) => [...old, {}, {}, {}, {}, {}])}>Five more rows</Button>
        <Button onClick={forget}>Clear the table</Button>
      </Row>
      <P tone="slate">
        <kbd>Enter</kbd> goes to the row below, <kbd>Ctrl D</kbd> takes the cell above. Dates as 14 Sep 2027
        or 9/14/2027, days as Tue, Thu, a length as 2:30, 90 min or 2 h. What is left empty comes from the
        course. Of a cohort give its last day; of an open run the days of access under meetings.
      </P>
    </Page>
  );
}

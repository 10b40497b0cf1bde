import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Field } from "../../form/Field";
import { Acts, Grow, Loading, Row, Ruled } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Cell, Empty, P, T } from "../../parts/words";

type Undoing = ReturnType<typeof useDone>;

/** What was done, newest first, each with its undo as long as there is one, and what changed from what to what. */
export function LogLines({ lines, acts }: { lines: Schemas["LogLine"][]; acts: Undoing }) {
  const [open, setOpen] = useState<string | null>(null);
  return (
    <Ruled aria-label="Log">
      {lines.map((l) => (
        <li key={l.key}>
          <Row sx={{ padding: "5px 0" }}>
            <Grow as="span">
              <T gone={l.undone}>{l.summary}</T>{" "}
              <T tone="slate">
                {[l.by ?? "by itself", `${day(l.at, false)}, ${clock(l.at)}`].join(", ")}
                {l.undone && ", undone"}
              </T>
            </Grow>
            <Button
              variant="text"
              color="secondary"
              aria-expanded={open === l.key}
              aria-label={`what changed: ${l.summary}`}
              onClick={() => setOpen(open === l.key ? null : l.key)}
            >
              what changed
            </Button>
            {l.undo && (
              <Button
                variant="text"
                color="secondary"
                aria-label={`undo: ${l.summary}`}
                disabled={acts.busy}
                onClick={() => acts.undo(l.undo!)}
              >
                undo
              </Button>
            )}
          </Row>
          {open === l.key && <Changed change={l.key} />}
        </li>
      ))}
    </Ruled>
  );
}

/** A change field by field. */
function Changed({ change }: { change: string }) {
  const query = $api.useQuery("get", "/api/v1/changes/{change}", { params: { path: { change } } });
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={1} />;
  if (query.data.fields.length === 0)
    return (
      <P tone="slate">
        It changed nothing that is kept here, or stands with the line done at the same moment.
      </P>
    );
  return (
    <Table size="small" aria-label="What changed" sx={{ marginBottom: "10px" }}>
      <TableHead>
        <TableRow>
          <Cell>What</Cell>
          <Cell>From</Cell>
          <Cell>To</Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {query.data.fields.map((f, n) => (
          <TableRow key={n}>
            <Cell>
              {f.what}
              {f.field && `, ${f.field}`}
            </Cell>
            <Cell>{f.before || <T tone="slate">was not there</T>}</Cell>
            <Cell>{f.after || <T tone="slate">taken out</T>}</Cell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** The whole log of something, page by page, by words; the center's is everything. */
export function Log({
  of,
  id = 1,
  acts,
  first = "",
}: {
  of: Schemas["LogOf"];
  id?: number;
  acts: Undoing;
  /** The words it is searched by at first. */
  first?: string;
}) {
  const [words, setWords] = useState(first);
  const q = useSettled(words);
  const query = $api.useInfiniteQuery(
    "get",
    "/api/v1/logs/{about}/{number}",
    { params: { path: { about: of, number: id }, query: { q: q || undefined } } },
    {
      pageParamName: "before",
      initialPageParam: null as number | null,
      getNextPageParam: (last: Schemas["LogPage"]) => last.next ?? undefined,
      placeholderData: keepPreviousData,
    },
  );
  if (query.error && !query.data) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={6} />;
  const lines = query.data.pages.flatMap((p) => p.items);
  if (lines.length === 0 && !words) return <Empty as="p">Nothing was done here yet.</Empty>;
  const file = `/api/v1/logs/${of}/${id}/log.csv?${new URLSearchParams({ q })}`;
  return (
    <div>
      <Row end sx={{ marginBottom: 8 }}>
        <Field label="Words in the log" width={280} value={words} onChange={setWords} />
        <Acts>
          <a href={file} download>
            as CSV
          </a>
        </Acts>
      </Row>
      {lines.length === 0 && <Empty as="p">Nothing in the log holds these words.</Empty>}
      <LogLines lines={lines} acts={acts} />
      {query.hasNextPage && (
        <P sx={{ marginTop: 12 }}>
          <Button onClick={() => void query.fetchNextPage()} disabled={query.isFetching}>
            Show more
          </Button>
        </P>
      )}
    </div>
  );
}

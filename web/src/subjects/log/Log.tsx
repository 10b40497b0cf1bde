import Button from "@mui/material/Button";

import { $api, type Schemas } from "../../app/server";
import { Grow, Loading, Row, Ruled } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Empty, P, T } from "../../parts/words";

type Acts = ReturnType<typeof useDone>;

/** What was done, newest first, each with its undo as long as there is one. */
export function LogLines({ lines, acts }: { lines: Schemas["LogLine"][]; acts: Acts }) {
  return (
    <Ruled aria-label="Log">
      {lines.map((l, i) => (
        <Row as="li" key={i} sx={{ padding: "5px 0" }}>
          <Grow as="span">
            <T gone={l.undone}>{l.summary}</T>{" "}
            <T tone="slate">
              {[l.by ?? "by itself", `${day(l.at, false)}, ${clock(l.at)}`].join(", ")}
              {l.undone && ", undone"}
            </T>
          </Grow>
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
      ))}
    </Ruled>
  );
}

/** The whole log of a run or an account, page by page. */
export function Log({ of, id, acts }: { of: "run" | "account"; id: number; acts: Acts }) {
  const options = {
    pageParamName: "before",
    initialPageParam: null as number | null,
    getNextPageParam: (last: Schemas["LogPage"]) => last.next ?? undefined,
  };
  const run = $api.useInfiniteQuery(
    "get",
    "/api/v1/runs/{run_id}/log",
    { params: { path: { run_id: id } } },
    { ...options, enabled: of === "run" },
  );
  const account = $api.useInfiniteQuery(
    "get",
    "/api/v1/accounts/{account_id}/log",
    { params: { path: { account_id: id } } },
    { ...options, enabled: of === "account" },
  );
  const query = of === "run" ? run : account;
  if (query.error && !query.data) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={6} />;
  const lines = query.data.pages.flatMap((p) => p.items);
  if (lines.length === 0) return <Empty as="p">Nothing was done here yet.</Empty>;
  return (
    <>
      <LogLines lines={lines} acts={acts} />
      {query.hasNextPage && (
        <P sx={{ marginTop: 12 }}>
          <Button onClick={() => void query.fetchNextPage()} disabled={query.isFetching}>
            Show more
          </Button>
        </P>
      )}
    </>
  );
}

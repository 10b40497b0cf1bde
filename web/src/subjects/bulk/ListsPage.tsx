import Button from "@mui/material/Button";
import { useMemo } from "react";
import { Link } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { useKept } from "../../app/session";
import { Views } from "../../form/Views";
import { Loading, Row, Title } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { Page, Trouble } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import { Empty, Name, P, T } from "../../parts/words";
import { atWork, STATES } from "./batch";
import { pace } from "./ListProgress";

type Line = Schemas["BatchLine"];
const SHOWN: Line["status"][] = ["running", "stopped", "judged", "enrolled", "taken back"];

/** All lists: who ran what when, and what became of it. */
export default function ListsPage() {
  const [status, setStatus] = useKept<Line["status"] | "">("lists-status", "");
  const lists = $api.useInfiniteQuery(
    "get",
    "/api/v1/batches",
    { params: { query: { status: status || undefined } } },
    {
      pageParamName: "before",
      initialPageParam: 0,
      getNextPageParam: (last) => last.next ?? undefined,
      refetchInterval: ({ state }) =>
        state.data?.pages.some((p) => p.items.some((b) => atWork(b.status))) ? 2000 : false,
    },
  );
  const rows = useMemo(() => lists.data?.pages.flatMap((p) => p.items) ?? [], [lists.data]);
  const columns = useMemo<Column<Line>[]>(
    () => [
      {
        key: "name",
        label: "List",
        cell: (b) => (
          <Name strong to={`/lists/${b.id}`}>
            {b.file_name}
          </Name>
        ),
      },
      {
        key: "run",
        label: "Run",
        cell: (b) =>
          b.run_id ? <Link to={`/runs/${b.run_id}`}>{b.run_code}</Link> : <T tone="slate">several</T>,
      },
      { key: "by", label: "By", cell: (b) => b.by },
      {
        key: "at",
        label: "When",
        cell: (b) => (
          <T nowrap>
            {day(b.enrolled_at ?? b.created_at, false)}, {clock(b.enrolled_at ?? b.created_at)}
          </T>
        ),
      },
      { key: "state", label: "State", cell: (b) => <State line={b} /> },
      { key: "lines", label: "Lines", right: true, cell: (b) => b.lines },
      { key: "enrolled", label: "Enrolled", right: true, cell: (b) => b.enrolled || "" },
      { key: "waiting", label: "Waiting", right: true, cell: (b) => b.waiting || "" },
      { key: "not", label: "Not enrolled", right: true, cell: (b) => b.not_enrolled || "" },
      { key: "back", label: "Taken back", right: true, cell: (b) => b.taken_back || "" },
    ],
    [],
  );
  const total = lists.data?.pages[0]?.total ?? 0;
  return (
    <Page
      title="Lists"
      margin={null}
      help="A list goes onto one run or several in one step: from a file, from pasted cells, or of people who are known. For one run, begin on its page."
    >
      <Title>
        <h1>Lists</h1>
        <Row mid>
          <Link to="/sentences">Standing and follow-on enrollment</Link>
          <Button component={Link} to="/lists/new" variant="contained">
            New list for several runs
          </Button>
        </Row>
      </Title>
      <Views
        label="Which lists"
        sx={{ marginBottom: 10 }}
        value={status}
        options={[{ value: "", text: "all" }, ...SHOWN.map((s) => ({ value: s, text: STATES[s] }))]}
        onChange={(v) => setStatus(v as Line["status"] | "")}
      />
      {lists.error ? (
        <Trouble error={lists.error} retry={() => void lists.refetch()} />
      ) : !lists.data ? (
        <Loading rows={5} />
      ) : rows.length === 0 ? (
        <Empty>
          <P>No list{status ? " in this state" : " so far"}. Put one on a run from the page of the run.</P>
        </Empty>
      ) : (
        <LongTable
          label="Lists, newest first"
          rows={rows}
          columns={columns}
          rowKey={(b) => String(b.id)}
          pages={{
            total,
            more: lists.hasNextPage,
            busy: lists.isFetching,
            next: () => void lists.fetchNextPage(),
          }}
        />
      )}
    </Page>
  );
}

function State({ line }: { line: Line }) {
  const tone = line.status === "stopped" ? "ochre" : line.status === "judged" ? "slate" : undefined;
  return (
    <>
      <T tone={tone} strong={atWork(line.status)}>
        {STATES[line.status]}
      </T>
      {line.progress && <T tone="slate"> {pace(line.progress)}</T>}
      {line.status === "stopped" && line.note && <T tone="slate"> {line.note}</T>}
    </>
  );
}

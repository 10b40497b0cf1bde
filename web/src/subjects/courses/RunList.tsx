import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, type Schemas } from "../../app/server";
import { useMe, useTyped } from "../../app/session";
import { Field } from "../../form/Field";
import { Views } from "../../form/Views";
import { Arch } from "../../parts/Arch";
import { Facts, Row, Ruled } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { useSpan } from "../../parts/Ribbon";
import { nextText, seatsText, spanText } from "../../parts/RunFacts";
import { StateNow } from "../../parts/StateNow";
import { count, day, money } from "../../parts/text";
import { Empty, Name, P, T } from "../../parts/words";
import { useInAddress } from "../../parts/useInAddress";
import { ink } from "../../theme/palette";
import { PlannerTabs } from "../schedule/PlannerTabs";

const RunRow = styled("li")({
  display: "grid",
  gridTemplateColumns: "62px 72px minmax(0, 1.5fr) minmax(0, 1.1fr) minmax(0, 1.1fr) 76px",
  gap: 12,
  alignItems: "center",
  padding: "3px 0",
  cursor: "pointer",
  "&:hover": { background: `linear-gradient(${ink.paper}, ${ink.paper})` },
  "& .name": { color: ink.ink, fontWeight: 600, textDecoration: "none" },
  "& .name:hover": { textDecoration: "underline" },
});
const ListHead = styled(Row)({ alignItems: "center", margin: "10px 0 6px" });

type Run = Schemas["RunLine"];
const VIEWS: Record<string, { text: string; query: Record<string, string> }> = {
  current: { text: "now and coming", query: { teaching: "current" } },
  open: { text: "sign-up open", query: { sign_up: "open" } },
  drafts: { text: "drafts", query: { status: "draft" } },
  ended: { text: "ended", query: { teaching: "ended" } },
  all: { text: "all", query: { teaching: "all" } },
};

/** All runs in order of their first meeting; filters stay in the address. */
export default function RunList() {
  const [params, put] = useInAddress();
  const view = VIEWS[params.get("view") ?? ""] ? params.get("view")! : "current";
  const q = params.get("q") ?? "";
  const [typed, setTyped] = useTyped(q, (text) => put({ q: text }));
  const [span] = useSpan();
  const pulse = usePulse(null, 20);
  const between = span ? { since: span.from, until: span.to } : {};
  const runs = $api.useInfiniteQuery(
    "get",
    "/api/v1/runs",
    { params: { query: { ...VIEWS[view]!.query, ...between, q } } },
    {
      pageParamName: "after",
      initialPageParam: "",
      getNextPageParam: (last) => last.next ?? undefined,
      placeholderData: keepPreviousData,
    },
  );
  const items = runs.data?.pages.flatMap((p) => p.items) ?? [];
  const total = runs.data?.pages[0]?.total ?? 0;
  return (
    <Page
      title="Runs"
      margin={
        <>
          <News pulse={pulse} />
          {runs.data && <Season items={items} />}
        </>
      }
    >
      <PlannerTabs />
      <ListHead>
        <h1>Runs</h1>
        <T tone="slate" sx={{ flex: 1 }} aria-live="polite">
          {runs.data
            ? `${count(total, "run")}, by first meeting${span ? `, held between ${day(span.from, false)} and ${day(span.to)}` : ""}`
            : " "}
        </T>
        <Button component={Link} to="/runs/new" variant="contained">
          New run
        </Button>
      </ListHead>
      <ListHead>
        <Views
          label="Which runs"
          value={view}
          options={Object.entries(VIEWS).map(([value, { text }]) => ({ value, text }))}
          onChange={(name) => put({ view: name === "current" ? "" : name })}
        />
        <Field label="Title, code or place" beside value={typed} onChange={setTyped} width={330} />
      </ListHead>
      {runs.error && !runs.data ? (
        <Trouble error={runs.error} retry={() => void runs.refetch()} />
      ) : runs.data && items.length === 0 ? (
        <Empty>
          {q || span || view !== "current" ? (
            <p>
              No run fits.{" "}
              <Button variant="text" onClick={() => put({ view: "", q: "" })}>
                Show all that are coming
              </Button>
            </p>
          ) : (
            <p>
              A run is one offering of a course: its dates, seats, fee and payment plan.{" "}
              <Link to="/runs/new">Make the first one</Link>.
            </p>
          )}
        </Empty>
      ) : (
        <Ruled className="live" aria-busy={runs.isFetching}>
          {items.map((run) => (
            <Line key={run.id} run={run} />
          ))}
        </Ruled>
      )}
      {runs.hasNextPage && (
        <P sx={{ marginTop: 16 }}>
          <Button onClick={() => void runs.fetchNextPage()} disabled={runs.isFetchingNextPage}>
            Show more
          </Button>
        </P>
      )}
    </Page>
  );
}

function Line({ run }: { run: Run }) {
  const me = useMe();
  const go = useNavigate();
  return (
    // The whole line can be clicked with a mouse; by keyboard its link does the same.

    <RunRow onClick={(e) => e.target instanceof HTMLAnchorElement || void go(`/runs/${run.id}`)}>
      <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
      <T strong nowrap>
        {seatsText({ ...run, kept: 0 })}
      </T>
      <T cut title={[run.title, run.instructor && `with ${run.instructor}`].join(", ")}>
        <T nowrap tone="slate">
          {run.code}
        </T>{" "}
        <Name to={`/runs/${run.id}`}>{run.title}</Name>
      </T>
      <T cut title={spanText(run, me.today)}>
        {run.next_meeting ? (
          <>
            <T nowrap>
              {day(run.next_meeting.date, false)}, {run.next_meeting.start}
            </T>{" "}
            <T tone="slate">{run.next_meeting.place || run.place}</T>
          </>
        ) : (
          <T tone="slate">{nextText(run)}</T>
        )}
      </T>
      <T cut title={run.sign_up_why}>
        <StateNow run={run} />
      </T>
      <PriceNow run={run} />
    </RunRow>
  );
}

function PriceNow({ run }: { run: Run }) {
  if (!run.price)
    return (
      <T right tone="slate">
        no fee yet
      </T>
    );
  const { amount, until, then } = run.price;
  const later = until && then ? `through ${day(until, false)}, then ${money(then, run.currency)}` : undefined;
  return (
    <T right tone="copper" strong nowrap title={later}>
      {money(amount, run.currency)}
    </T>
  );
}

function Season({ items }: { items: Run[] }) {
  const coming = items.filter((r) => r.status === "published" && r.teaching !== "ended");
  const short = coming.filter((r) => r.teaching === "before" && r.taken < r.smallest);
  const taken = coming.reduce((sum, r) => sum + r.taken, 0);
  const seats = coming.reduce((sum, r) => sum + r.capacity, 0);
  return (
    <>
      <section>
        <h2>In this list</h2>
        <Facts>
          <dt>Published, not over</dt>
          <dd>{coming.length}</dd>
          <dt>Seats taken in them</dt>
          <dd>
            {taken} of {seats}
          </dd>
          <dt>Drafts</dt>
          <dd>{items.filter((r) => r.status === "draft").length}</dd>
        </Facts>
      </section>
      {short.length > 0 && (
        <section>
          <h2>Under their smallest number</h2>
          <Ruled>
            {short.map((r) => (
              <Box component="li" key={r.id} sx={{ padding: "6px 0" }}>
                <Link to={`/runs/${r.id}`}>{r.title}</Link>
                <T tone="slate" as="div">
                  {seatsText(r)}, needs {r.smallest}; starts {spanText(r).split(" to ")[0]}
                </T>
              </Box>
            ))}
          </Ruled>
        </section>
      )}
      <section>
        <h2>Reading an arch</h2>
        <P tone="slate">
          Each stone is a share of the seats, laid from both feet; full only when the run is full. The copper
          mark is the smallest number it needs.
        </P>
      </section>
    </>
  );
}

import Button from "@mui/material/Button";
import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { api, ask, type Schemas } from "../../app/server";
import { useMe, useTyped } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { Field } from "../../parts/Field";
import { Page, Trouble } from "../../parts/Page";
import { useSpan } from "../../parts/Ribbon";
import { decisionText, nextText, seatsText, spanText, stateText } from "../../parts/RunFacts";
import { count, day, money } from "../../parts/text";
import { PlannerTabs } from "../schedule/PlannerTabs";

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
  const [params, setParams] = useSearchParams();
  const view = VIEWS[params.get("view") ?? ""] ? params.get("view")! : "current";
  const q = params.get("q") ?? "";
  const set = (name: string, value: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const [typed, setTyped] = useTyped(q, (text) => set("q", text));
  const [span] = useSpan();
  const pulse = usePulse(null, 20);
  const between = span ? { since: span.from, until: span.to } : {};
  const runs = useInfiniteQuery({
    queryKey: ["runs", view, q, span],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET("/api/v1/runs", {
          params: { query: { ...VIEWS[view]!.query, ...between, q, after: pageParam } },
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keepPreviousData,
  });
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
      <div className="row mid listhead">
        <h1>Runs</h1>
        <span className="slate grow" aria-live="polite">
          {runs.data
            ? `${count(total, "run")}, by first meeting${span ? `, held between ${day(span.from, false)} and ${day(span.to)}` : ""}`
            : " "}
        </span>
        <Button component={Link} to="/runs/new" variant="contained">
          New run
        </Button>
      </div>
      <div className="row mid listhead">
        <div role="group" aria-label="Which runs" className="row" style={{ gap: 20 }}>
          {Object.entries(VIEWS).map(([name, { text }]) => (
            <button
              key={name}
              className={name === view ? "word at" : "word"}
              aria-pressed={name === view}
              onClick={() => set("view", name === "current" ? "" : name)}
            >
              {text}
            </button>
          ))}
        </div>
        <Field label="Title, code or place" beside value={typed} onChange={setTyped} width={330} />
      </div>
      {runs.error && !runs.data ? (
        <Trouble error={runs.error} retry={() => void runs.refetch()} />
      ) : runs.data && items.length === 0 ? (
        <div className="empty">
          {q || span || view !== "current" ? (
            <p>
              No run fits.{" "}
              <button className="plainly" onClick={() => setParams({}, { replace: true })}>
                Show all that are coming
              </button>
            </p>
          ) : (
            <p>
              A run is one offering of a course: its dates, seats, fee and payment plan.{" "}
              <Link to="/runs/new">Make the first one</Link>.
            </p>
          )}
        </div>
      ) : (
        <ul className="ruled live" aria-busy={runs.isFetching}>
          {items.map((run) => (
            <Line key={run.id} run={run} />
          ))}
        </ul>
      )}
      {runs.hasNextPage && (
        <p style={{ marginTop: 16 }}>
          <Button onClick={() => void runs.fetchNextPage()} disabled={runs.isFetchingNextPage}>
            Show more
          </Button>
        </p>
      )}
    </Page>
  );
}

function Line({ run }: { run: Run }) {
  const me = useMe();
  const go = useNavigate();
  return (
    // The whole line can be clicked with a mouse; by keyboard its link does the same.
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events, jsx-a11y/no-noninteractive-element-interactions
    <li className="run" onClick={(e) => e.target instanceof HTMLAnchorElement || void go(`/runs/${run.id}`)}>
      <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
      <span className="strong nowrap">{seatsText({ ...run, kept: 0 })}</span>
      <span className="line-of" title={[run.title, run.instructor && `with ${run.instructor}`].join(", ")}>
        <span className="nowrap slate">{run.code}</span>{" "}
        <Link to={`/runs/${run.id}`} className="name">
          {run.title}
        </Link>
      </span>
      <span className="line-of" title={spanText(run, me.today)}>
        {run.next_meeting ? (
          <>
            <span className="nowrap">
              {day(run.next_meeting.date, false)}, {run.next_meeting.start}
            </span>{" "}
            <span className="slate">{run.next_meeting.place || run.place}</span>
          </>
        ) : (
          <span className="slate">{nextText(run)}</span>
        )}
      </span>
      <StateNow run={run} />
      <PriceNow run={run} />
    </li>
  );
}

/** The state of a run, with what is short, waits or is decided. */
function StateNow({ run }: { run: Run }) {
  const before = run.status === "published" && run.teaching === "before";
  const short =
    before && run.smallest > run.taken ? `${run.smallest - run.taken} short of ${run.smallest}` : "";
  const decided = before && run.decision !== "undecided" ? decisionText(run) : "";
  return (
    <span className="line-of" title={run.sign_up_why}>
      <span className={run.sign_up === "open" ? "strong" : ""}>{stateText(run)}</span>
      {run.waiting > 0 && <strong className="ochre">, {run.waiting} wait</strong>}
      {run.kept > 0 && <span className="slate">, {run.kept} kept back</span>}
      {short && <span className="ochre">, {short}</span>}
      {decided && <span className="slate">, {decided}</span>}
    </span>
  );
}

function PriceNow({ run }: { run: Run }) {
  if (!run.price) return <span className="right slate">no fee yet</span>;
  const { amount, until, then } = run.price;
  const later = until && then ? `through ${day(until, false)}, then ${money(then, run.currency)}` : undefined;
  return (
    <span className="right copper strong nowrap" title={later}>
      {money(amount, run.currency)}
    </span>
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
        <dl className="facts">
          <dt>Published, not over</dt>
          <dd>{coming.length}</dd>
          <dt>Seats taken in them</dt>
          <dd>
            {taken} of {seats}
          </dd>
          <dt>Drafts</dt>
          <dd>{items.filter((r) => r.status === "draft").length}</dd>
        </dl>
      </section>
      {short.length > 0 && (
        <section>
          <h2>Under their smallest number</h2>
          <ul className="ruled">
            {short.map((r) => (
              <li key={r.id} style={{ padding: "6px 0" }}>
                <Link to={`/runs/${r.id}`}>{r.title}</Link>
                <div className="slate">
                  {seatsText(r)}, needs {r.smallest}; starts {spanText(r).split(" to ")[0]}
                </div>
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h2>Reading an arch</h2>
        <p className="slate">
          Each stone is a share of the seats, laid from both feet; full only when the run is full. The copper
          mark is the smallest number it needs.
        </p>
      </section>
    </>
  );
}

import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask, keyHeader, newKey } from "../../app/server";
import { useMe } from "../../app/session";
import { Words } from "../../form/Views";
import { addDays, mondayOf } from "../../parts/dates";
import { Row, Title } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { type By, lanesOf, type Plan, planOf, type PlanRun, scaleOf } from "./plan";
import { PlannerTabs } from "./PlannerTabs";
import { Axis, LaneRow, type Mover, NAMES, ROW, type Shift, type Span } from "./TimeLanes";
import { Proposal, useProposal } from "./useProposal";

const TALL = 560;
const ZOOMS: Record<string, { text: string; days: number }> = {
  season: { text: "season", days: 182 },
  quarter: { text: "quarter", days: 91 },
  month: { text: "month", days: 35 },
  week: { text: "week", days: 10 },
};
const BYS: By[] = ["course", "room", "instructor", "category"];

/** What the time line shows, as the address says it. */
function useView(today: string) {
  const [params, setParams] = useSearchParams();
  const by = BYS.find((b) => b === params.get("by")) ?? "course";
  const zoom = ZOOMS[params.get("zoom") ?? ""] ? params.get("zoom")! : "quarter";
  const days = ZOOMS[zoom]!.days;
  const back = (span: number) => mondayOf(addDays(today, -Math.round(span / 5)));
  const from = params.get("from") ?? back(days);
  const set = (change: Record<string, string>) =>
    setParams((old) => new URLSearchParams({ ...Object.fromEntries(old), ...change }), { replace: true });
  return {
    by,
    zoom,
    days,
    from,
    until: addDays(from, days - 1),
    setBy: (v: string) => set({ by: v }),
    setZoom: (v: string) => set({ zoom: v, from: back(ZOOMS[v]!.days) }),
    step: (n: number) => set({ from: addDays(from, n * Math.round(days / 2)) }),
    toToday: () => set({ from: back(days) }),
  };
}
type View = ReturnType<typeof useView>;

/** How wide the lanes are, as the window changes. */
function useLaneWidth() {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(756);
  useEffect(() => {
    const held = box.current;
    if (!held) return;
    const watch = new ResizeObserver(() => setWidth(Math.max(300, held.clientWidth - NAMES)));
    watch.observe(held);
    return () => watch.disconnect();
  }, []);
  return { box, width };
}

/** Moving a run: how far, and what that would touch before it is done. */
function useMover(proposal: ReturnType<typeof useProposal>): Mover {
  const [shift, setShift] = useState<Shift | null>(null);
  const move = (run: PlanRun, by: number) => {
    if (by === 0) return setShift(null);
    const key = newKey();
    const how = by % 7 === 0 ? count(Math.abs(by) / 7, "week") : count(Math.abs(by), "day");
    void proposal
      .propose(
        `Move ${run.code} ${how} ${by > 0 ? "later" : "earlier"}, to ${day(addDays(run.first, by))}`,
        (preview) =>
          ask(
            api.POST("/api/v1/runs/{run_id}/move", {
              params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
              body: { days: by },
            }),
          ),
        run.status === "draft",
      )
      .then(() => setShift(null));
  };
  return { shift, setShift, move };
}

/** The season as a time line: every run a bar with its meetings, moved by dragging or by keys, drawn on an empty place. */
export default function TimeLine() {
  const me = useMe();
  const view = useView(me.today);
  const proposal = useProposal();
  const mover = useMover(proposal);
  const pulse = usePulse(null, 20);
  const query = $api.useQuery(
    "get",
    "/api/v1/planner",
    { params: { query: { since: view.from, until: view.until } } },
    { placeholderData: keepPreviousData },
  );
  const plan = useMemo(() => (query.data ? planOf(query.data) : null), [query.data]);
  const moving = mover.shift && plan?.runs.find((r) => r.id === mover.shift!.id);
  return (
    <Page
      title="Time line"
      margin={
        <>
          <Proposal proposal={proposal} />
          <News pulse={pulse} />
          {moving && !proposal.pending && (
            <section aria-live="polite">
              <h2>{moving.code}</h2>
              <p>
                would begin on <strong>{day(addDays(moving.first, mover.shift!.days))}</strong>.{" "}
                <kbd>Enter</kbd> shows what moves, <kbd>Esc</kbd> leaves it.
              </p>
            </section>
          )}
          <HowTo />
        </>
      }
    >
      <PlannerTabs />
      <Head view={view} plan={plan} />
      {query.error && !plan ? (
        <Trouble error={query.error} retry={() => void query.refetch()} />
      ) : (
        <Lanes view={view} plan={plan} today={me.today} mover={mover} busy={query.isFetching} />
      )}
    </Page>
  );
}

function HowTo() {
  return (
    <>
      <section>
        <h2>Moving and drawing</h2>
        <P tone="slate">
          Drag a bar, or go to it with <kbd>Tab</kbd> and press <kbd>←</kbd> <kbd>→</kbd> for days, with{" "}
          <kbd>Shift</kbd> for weeks. Nothing is saved before you have seen what it touches. Draw on an empty
          place for a new run.
        </P>
      </section>
      <section>
        <h2>Reading it</h2>
        <P tone="slate">
          Each stroke is a meeting; a brick one with a dot above it clashes. Shaded days are closed. A thin
          frame is a draft.
        </P>
      </section>
    </>
  );
}

function Head({ view, plan }: { view: View; plan: Plan | null }) {
  const clashes = plan?.clashing.size ? `${plan.clashing.size} of them clash` : "none clashes";
  return (
    <>
      <Title sx={{ marginTop: 12 }}>
        <div>
          <h1>
            {day(view.from, false)} to {day(view.until)}
          </h1>
          <T tone="slate" as="div" aria-live="polite">
            {plan
              ? `${count(plan.runs.length, "run")}, ${count(plan.meetings.length, "meeting")}, ${clashes}`
              : " "}
          </T>
        </div>
        <Row>
          <Button onClick={() => view.step(-1)}>Earlier</Button>
          <Button onClick={view.toToday}>Today</Button>
          <Button onClick={() => view.step(1)}>Later</Button>
          <Button component={Link} to="/runs/new" variant="contained">
            New run
          </Button>
        </Row>
      </Title>
      <Row sx={{ gap: 32, marginBottom: 8 }}>
        <Words label="Rows by" value={view.by} words={BYS.map((b) => [b, b])} onPick={view.setBy} />
        <Words
          label="Span"
          value={view.zoom}
          words={Object.entries(ZOOMS).map(([k, z]) => [k, z.text])}
          onPick={view.setZoom}
        />
      </Row>
    </>
  );
}

/** The lanes in sight, and some above and below them. */
function Lanes({
  view,
  plan,
  today,
  mover,
  busy,
}: {
  view: View;
  plan: Plan | null;
  today: string;
  mover: Mover;
  busy: boolean;
}) {
  const { box, width } = useLaneWidth();
  const [top, setTop] = useState(0);
  const span: Span = { from: view.from, days: view.days, width, x: scaleOf(view.from, view.days, width) };
  const flat = (plan ? lanesOf(plan, view.by, span.x) : []).flatMap((lane) =>
    (lane.rows.length ? lane.rows : [[]]).map((bars, n) => ({ lane, n, bars })),
  );
  const first = Math.max(0, Math.floor(top / ROW) - 4);
  const last = Math.ceil((top + TALL) / ROW) + 4;
  return (
    <div className="timeline" aria-busy={busy}>
      <Axis span={span} />
      <div
        className="scroll"
        ref={box}
        tabIndex={flat.length === 0 ? 0 : undefined}
        style={{ maxHeight: TALL }}
        onScroll={(e) => setTop(e.currentTarget.scrollTop)}
      >
        <div style={{ position: "relative", height: Math.max(1, flat.length) * ROW }}>
          {plan &&
            flat
              .slice(first, last + 1)
              .map((row, i) => (
                <LaneRow
                  key={`${row.lane.key}.${row.n}`}
                  {...row}
                  top={(first + i) * ROW}
                  by={view.by}
                  span={span}
                  plan={plan}
                  today={today}
                  mover={mover}
                />
              ))}
          {plan && flat.length === 0 && <P tone="slate">Nothing is planned in this span.</P>}
        </div>
      </div>
    </div>
  );
}

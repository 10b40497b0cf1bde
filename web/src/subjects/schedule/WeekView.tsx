import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useEffect, useMemo, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask } from "../../app/server";
import { useMe } from "../../app/session";
import { Words } from "../../form/Views";
import { addDays, mondayOf } from "../../parts/dates";
import { Row, Title } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { lanesOfMeeting, type Plan, type PlanMeeting, planOf, type PlanRun, weekOf } from "./plan";
import { PlannerTabs } from "./PlannerTabs";
import { Proposal, useProposal } from "./useProposal";

const WeekTable = styled("table")({
  width: "100%",
  borderCollapse: "collapse",
  tableLayout: "fixed",
  marginTop: 10,
  "& th": {
    textAlign: "left",
    fontWeight: 600,
    padding: "6px 8px 6px 0",
    borderBottom: `1px solid ${ink.line}`,
    verticalAlign: "top",
    width: "12.3%",
    fontSize: 13,
  },
  "& thead th": { borderBottomColor: ink.ink },
  "& th[data-today]": { boxShadow: `inset 0 -3px ${ink.brick}` },
  "& td": {
    borderBottom: `1px solid ${ink.line}`,
    borderLeft: `1px solid ${ink.line}`,
    padding: 3,
    verticalAlign: "top",
    height: 46,
  },
  "& td.closedday": { background: ink.foot },
  "& .entry": {
    font: "inherit",
    fontSize: 12.5,
    color: "inherit",
    display: "flex",
    flexDirection: "column",
    width: "100%",
    textAlign: "left",
    background: ink.verdigrisPale,
    border: 0,
    borderLeft: `3px solid ${ink.verdigris}`,
    padding: "3px 5px",
    marginBottom: 3,
    cursor: "grab",
    touchAction: "none",
    overflow: "hidden",
  },
  "& .entry.draft": { background: ink.sheet, border: `1px dashed ${ink.verdigris}` },
  "& .entry.clashing": { borderLeftColor: ink.brick },
  "& .entry.moving": { outline: `2px solid ${ink.ink}` },
  "& .plus": {
    display: "flex",
    alignItems: "center",
    height: 40,
    paddingLeft: 6,
    fontSize: 12.5,
    color: ink.verdigris,
    opacity: 0,
    textDecoration: "none",
  },
  "& .plus:hover": { opacity: 1 },
  "& .plus:focus-visible": { opacity: 1 },
});

type At = { date: string; lane: number | null };
type LaneBy = "room" | "instructor";
/** A meeting in one of its lanes. */
type Placed = { m: PlanMeeting; lane: number | null };
const keyOf = (p: Placed) => `${p.m.id}.${p.lane ?? ""}`;
type WeekLane = { id: number | null; name: string; seats: number | null };

function lanesBy(plan: Plan, by: LaneBy): WeekLane[] {
  const named: WeekLane[] = by === "room" ? plan.places : plan.instructors;
  const missing = { id: null, name: by === "room" ? "no room yet" : "no instructor yet", seats: null };
  return plan.meetings.some((m) => lanesOfMeeting(m, by).includes(null)) ? [...named, missing] : named;
}

/** Who teaches a meeting once one of them is somebody else; the others keep their parts. */
async function instead({ m, lane }: Placed, name: string): Promise<string> {
  const teaching = await ask(
    api.GET("/api/v1/runs/{run_id}/teaching", { params: { path: { run_id: m.run_id } } }),
  );
  const taught = teaching.meetings.find((held) => held.id === m.id)?.teachers ?? [];
  return taught
    .map((t) => ({ ...t, name: t.instructor_id === lane ? name : t.name }))
    .filter((t) => t.name)
    .map((t) => (t.part === "lead" ? t.name : `${t.name} (${t.part})`))
    .join("; ");
}

/** Moving a meeting to another day or lane: where it would go, and what that would touch before it is done. */
function useMeetingMover(lanes: WeekLane[], by: LaneBy, proposal: ReturnType<typeof useProposal>) {
  const go = useNavigate();
  const [to, setTo] = useState<({ key: string } & At) | null>(null);
  // An entry that moves to another cell is drawn anew there; the keys go on with it.
  useEffect(() => {
    if (to) document.querySelector<HTMLElement>(`[data-entry="${to.key}"]`)?.focus();
  }, [to]);
  const shown = (p: Placed): At => (to?.key === keyOf(p) ? to : { date: p.m.date, lane: p.lane });
  const open = (m: PlanMeeting) => void go(`/runs/${m.run_id}/dates#meeting-${m.id}`);
  const move = async (placed: Placed, run: PlanRun | undefined, at: At) => {
    const { m } = placed;
    const stays = at.lane === placed.lane;
    if (at.date === m.date && stays) return setTo(null);
    const lane = lanes.find((l) => l.id === at.lane);
    setTo({ key: keyOf(placed), ...at });
    const name = lane?.id === null ? "" : (lane?.name ?? "");
    const change = {
      ...(at.date === m.date ? {} : { date: at.date }),
      ...(stays
        ? {}
        : { [by]: by === "instructor" && m.instructors.length > 1 ? await instead(placed, name) : name }),
    };
    void proposal
      .propose(
        `Move a meeting of ${run?.code ?? "the run"} to ${day(at.date)}${stays ? "" : `, ${lane?.name ?? ""}`}`,
        (preview) =>
          ask(
            api.PATCH("/api/v1/meetings/{meeting_id}", {
              params: { path: { meeting_id: m.id }, query: { preview } },
              body: { seen: { date: m.date }, set: change, scope: "this" },
            }),
          ),
        run?.status === "draft",
      )
      .then(() => setTo(null));
  };
  const keys = (e: KeyboardEvent, placed: Placed, run: PlanRun | undefined) => {
    const { m } = placed;
    const [at, key] = [shown(placed), keyOf(placed)];
    const index = lanes.findIndex((l) => l.id === at.lane);
    const right = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    const down = e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
    if (right) setTo({ key, date: addDays(at.date, right), lane: at.lane });
    else if (down && lanes[index + down]) setTo({ key, date: at.date, lane: lanes[index + down]!.id });
    else if (e.key === "Enter" && to?.key === key) void move(placed, run, at);
    else if (e.key === "Enter") open(m);
    else if (e.key === "Escape") setTo(null);
    else return;
    e.preventDefault();
  };
  return { to, shown, open, move, keys };
}
type MeetingMover = ReturnType<typeof useMeetingMover>;

/** The cell under the pointer. */
function under(e: PointerEvent): At | null {
  const cell = document
    .elementsFromPoint(e.clientX, e.clientY)
    .map((el) => el.closest<HTMLElement>("[data-day]"))
    .find(Boolean);
  if (!cell) return null;
  return { date: cell.dataset.day!, lane: cell.dataset.lane ? Number(cell.dataset.lane) : null };
}

/** One week, a lane for each room or instructor: meetings are moved between days and lanes, by mouse or by keys. */
export default function WeekView() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const by: LaneBy = params.get("by") === "instructor" ? "instructor" : "room";
  const monday = mondayOf(params.get("week") ?? me.today);
  const set = (change: Record<string, string>) =>
    setParams((old) => new URLSearchParams({ ...Object.fromEntries(old), ...change }), { replace: true });
  const days = Array.from({ length: 7 }, (_, i) => addDays(monday, i));
  const proposal = useProposal();
  const pulse = usePulse(null, 20);
  const query = $api.useQuery(
    "get",
    "/api/v1/planner",
    { params: { query: { since: monday, until: days[6]! } } },
    { placeholderData: keepPreviousData },
  );
  const plan = useMemo(() => (query.data ? planOf(query.data) : null), [query.data]);
  const lanes = plan ? lanesBy(plan, by) : [];
  const mover = useMeetingMover(lanes, by, proposal);
  return (
    <Page
      title="Week"
      margin={
        <>
          <Proposal proposal={proposal} />
          <News pulse={pulse} />
          {mover.to && !proposal.pending && (
            <section aria-live="polite">
              <p>
                To <strong>{day(mover.to.date)}</strong>, {lanes.find((l) => l.id === mover.to?.lane)?.name}.{" "}
                <kbd>Enter</kbd> shows what moves, <kbd>Esc</kbd> leaves it.
              </p>
            </section>
          )}
          <HowTo today={me.today} />
        </>
      }
    >
      <PlannerTabs />
      <Title sx={{ marginTop: 12 }}>
        <div>
          <h1>
            Week {weekOf(monday)}, {day(monday, false)} to {day(days[6])}
          </h1>
          <T tone="slate" as="div">
            {plan ? count(plan.meetings.length, "meeting") : " "}
          </T>
        </div>
        <Row>
          <Button onClick={() => set({ week: addDays(monday, -7) })}>Week before</Button>
          <Button onClick={() => set({ week: me.today })}>This week</Button>
          <Button onClick={() => set({ week: addDays(monday, 7) })}>Week after</Button>
        </Row>
      </Title>
      <Words
        label="A lane for each"
        value={by}
        words={[
          ["room", "room"],
          ["instructor", "instructor"],
        ]}
        onPick={(v) => set({ by: v })}
      />
      {query.error && !plan ? (
        <Trouble error={query.error} retry={() => void query.refetch()} />
      ) : (
        <WeekTable aria-busy={query.isFetching}>
          <DayHeads days={days} today={me.today} plan={plan} by={by} />
          <tbody>
            {plan &&
              lanes.map((lane) => (
                <LaneCells
                  key={lane.id ?? "none"}
                  lane={lane}
                  days={days}
                  plan={plan}
                  by={by}
                  mover={mover}
                />
              ))}
          </tbody>
        </WeekTable>
      )}
    </Page>
  );
}

function HowTo({ today }: { today: string }) {
  return (
    <>
      <section>
        <h2>Moving a meeting</h2>
        <P tone="slate">
          Drag it to another day or lane, or go to it with <kbd>Tab</kbd> and use the arrow keys. An empty
          place offers a new run there.
        </P>
      </section>
      <section>
        <h2>For the doors</h2>
        <p>
          <Link to={`/days/${today}`}>Today’s rooms as a sheet</Link>
        </p>
      </section>
    </>
  );
}

function DayHeads({
  days,
  today,
  plan,
  by,
}: {
  days: string[];
  today: string;
  plan: Plan | null;
  by: LaneBy;
}) {
  return (
    <thead>
      <tr>
        <th scope="col">{by === "room" ? "Room" : "Instructor"}</th>
        {days.map((d) => (
          <th key={d} scope="col" data-today={d === today || undefined}>
            {day(d, false)}
            {plan?.closed[d] && (
              <T tone="ochre" as="div">
                closed: {plan.closed[d]}
              </T>
            )}
          </th>
        ))}
      </tr>
    </thead>
  );
}

function LaneCells({
  lane,
  days,
  plan,
  by,
  mover,
}: {
  lane: WeekLane;
  days: string[];
  plan: Plan;
  by: LaneBy;
  mover: MeetingMover;
}) {
  const runs = new Map(plan.runs.map((r) => [r.id, r]));
  const placed = plan.meetings.flatMap((m) => lanesOfMeeting(m, by).map((at): Placed => ({ m, lane: at })));
  const where = lane.id === null ? {} : { [by === "room" ? "place" : "instructor"]: lane.name };
  return (
    <tr>
      <th scope="row">
        {lane.name}
        {lane.seats !== null && (
          <T tone="slate" as="div">
            {lane.seats} seats
          </T>
        )}
      </th>
      {days.map((d) => {
        const here = placed.filter((p) => {
          const at = mover.shown(p);
          return at.date === d && at.lane === lane.id;
        });
        return (
          <td key={d} data-day={d} data-lane={lane.id ?? ""} className={plan.closed[d] ? "closedday" : ""}>
            {here.map((p) => (
              <Entry
                key={keyOf(p)}
                placed={p}
                run={runs.get(p.m.run_id)}
                on={d}
                clash={plan.clashing.has(p.m.id)}
                mover={mover}
              />
            ))}
            {here.length === 0 && (
              <Link
                className="plus"
                aria-label={`New run on ${day(d)}, ${lane.name}`}
                to={`/runs/new?${new URLSearchParams({ date: d, ...where }).toString()}`}
              >
                new run
              </Link>
            )}
          </td>
        );
      })}
    </tr>
  );
}

/** Dragging an entry: it follows the pointer, and is moved to the cell where it is let go; a mere click opens it. */
function useDrag(placed: Placed, run: PlanRun | undefined, mover: MeetingMover) {
  const drag = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const onPointerDown = (e: PointerEvent) => {
    if (e.button !== 0) return;
    drag.current = { x: e.clientX, y: e.clientY, moved: false };
    e.currentTarget.setPointerCapture(e.pointerId);
  };
  const onPointerMove = (e: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    if (!held) return;
    const [right, down] = [e.clientX - held.x, e.clientY - held.y];
    if (Math.abs(right) + Math.abs(down) > 5) held.moved = true;
    if (held.moved && under(e)) e.currentTarget.style.translate = `${right}px ${down}px`;
  };
  const onPointerUp = (e: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    drag.current = null;
    e.currentTarget.style.translate = "";
    if (!held) return;
    if (!held.moved) return mover.open(placed.m);
    const at = under(e);
    if (at) void mover.move(placed, run, at);
  };
  return { onPointerDown, onPointerMove, onPointerUp };
}

function Entry({
  placed,
  run,
  on,
  clash,
  mover,
}: {
  placed: Placed;
  run: PlanRun | undefined;
  on: string;
  clash: boolean;
  mover: MeetingMover;
}) {
  const { m } = placed;
  const drag = useDrag(placed, run, mover);
  const look = ["entry", run?.status === "draft" && "draft", clash && "clashing"].filter(Boolean).join(" ");
  return (
    <button
      className={mover.to?.key === keyOf(placed) ? `${look} moving` : look}
      data-entry={keyOf(placed)}
      aria-label={`${m.start.slice(0, 5)} to ${m.end} ${run?.code ?? ""} ${clash ? "clashes " : ""}${run?.title ?? ""}, ${day(on)}`}
      onKeyDown={(e) => mover.keys(e, placed, run)}
      {...drag}
    >
      <T nowrap>
        {m.start.slice(0, 5)} to {m.end}
      </T>{" "}
      <strong>{run?.code}</strong> {clash && <T clash>clashes</T>}
    </button>
  );
}

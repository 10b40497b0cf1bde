import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../parts/Field";
import { NotYet, Page } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { addDays } from "./plan";
import { FeedAddress } from "./FeedAddress";
import { PlannerTabs } from "./PlannerTabs";

type Listed = Schemas["ListedMeeting"];

/** What is held where on a day, for the doors; printed, only the sheet remains. */
export function DaySheet() {
  const me = useMe();
  const go = useNavigate();
  const { day: at } = useParams();
  const date = /^\d{4}-\d{2}-\d{2}$/.test(at ?? "") ? at! : me.today;
  const query = useQuery({
    queryKey: ["day", date],
    queryFn: () => ask(api.GET("/api/v1/days/{day}", { params: { path: { day: date } } })),
  });
  if (!query.data) return <NotYet title="Rooms" error={query.error} retry={() => void query.refetch()} />;
  const rooms = new Map<string, Listed[]>();
  for (const m of query.data.meetings) rooms.set(m.place, [...(rooms.get(m.place) ?? []), m]);
  return (
    <Page
      title={`Rooms ${date}`}
      margin={
        <section>
          <Field label="Day" type="date" value={date} onChange={(v) => v && void go(`/days/${v}`)} />
          <div className="row" style={{ marginTop: 10 }}>
            <Button onClick={() => void go(`/days/${addDays(date, -1)}`)}>Day before</Button>
            <Button onClick={() => void go(`/days/${addDays(date, 1)}`)}>Day after</Button>
          </div>
          <p style={{ marginTop: 14 }}>
            <Button variant="contained" onClick={() => window.print()}>
              Print the sheet
            </Button>
          </p>
        </section>
      }
    >
      <div className="noprint">
        <PlannerTabs />
      </div>
      <h1 style={{ margin: "12px 0" }}>Rooms on {day(date)}</h1>
      {query.data.closed && <p className="ochre">The center is closed: {query.data.closed}.</p>}
      {rooms.size === 0 && <p className="empty">Nothing is held on this day.</p>}
      {[...rooms.entries()]
        .sort(([a], [b]) => a.localeCompare(b))
        .map(([room, meetings]) => (
          <section key={room} className="door">
            <h2>{room || "No room"}</h2>
            <Lines meetings={meetings} />
          </section>
        ))}
    </Page>
  );
}

/** All meetings of a month, for print. */
export function MonthList() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const month = /^\d{4}-\d{2}$/.test(params.get("month") ?? "") ? params.get("month")! : me.today.slice(0, 7);
  const query = useQuery({
    queryKey: ["month", month],
    queryFn: () => ask(api.GET("/api/v1/months/{month}", { params: { path: { month } } })),
  });
  if (!query.data) return <NotYet title="Month" error={query.error} retry={() => void query.refetch()} />;
  const { meetings, closed } = query.data;
  const days = [...new Set([...meetings.map((m) => m.date), ...Object.keys(closed)])].sort();
  const step = (n: number) => {
    const [year, m] = month.split("-").map(Number) as [number, number];
    setParams({ month: new Date(Date.UTC(year, m - 1 + n, 1)).toISOString().slice(0, 7) });
  };
  const title = new Date(`${month}-01T00:00:00Z`).toLocaleString("en-US", {
    month: "long",
    year: "numeric",
    timeZone: "UTC",
  });
  return (
    <Page
      title={title}
      margin={
        <section>
          <div className="row">
            <Button onClick={() => step(-1)}>Month before</Button>
            <Button onClick={() => step(1)}>Month after</Button>
          </div>
          <p style={{ marginTop: 14 }}>
            <Button variant="contained" onClick={() => window.print()}>
              Print the month
            </Button>
          </p>
          <p>
            <FeedAddress kind="all" id={0} />
          </p>
        </section>
      }
    >
      <div className="noprint">
        <PlannerTabs />
      </div>
      <h1 style={{ margin: "12px 0 4px" }}>{title}</h1>
      <p className="slate">{count(meetings.filter((m) => !m.cancelled).length, "meeting")}</p>
      {days.map((d) => (
        <section key={d} className="monthday">
          <h2>
            {day(d, false)}
            {closed[d] && <span className="ochre"> closed: {closed[d]}</span>}
          </h2>
          <Lines meetings={meetings.filter((m) => m.date === d)} place />
        </section>
      ))}
    </Page>
  );
}

export function Lines({ meetings, place = false }: { meetings: Listed[]; place?: boolean }) {
  return (
    <ul className="ruled lines">
      {meetings.map((m) => (
        <li key={m.id} className={m.cancelled ? "out" : ""}>
          <span className="nowrap when">
            {m.start} to {m.end}
          </span>
          <span className="grow">
            <Link to={`/runs/${m.run_id}`}>{m.title}</Link> <span className="slate">{m.code}</span>
            {m.cancelled && <strong className="brick"> not held{m.why && `: ${m.why}`}</strong>}
          </span>
          {m.decision && m.decision !== "going ahead" && !m.cancelled && (
            <span className="ochre">{m.decision === "undecided" ? "not decided" : m.decision}</span>
          )}
          {place && <span>{m.place || <span className="ochre">no room</span>}</span>}
          <span className="slate">{m.instructor}</span>
          <span className="slate nowrap">
            {m.taken} of {m.capacity}
          </span>
        </li>
      ))}
    </ul>
  );
}

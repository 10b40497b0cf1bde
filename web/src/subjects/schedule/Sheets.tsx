import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { DayJump } from "../../form/DayJump";
import { addDays } from "../../parts/dates";
import { Grow, Row, Ruled } from "../../parts/layout";
import { NotYet, Page } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { Empty, P, T, When } from "../../parts/words";
import { ink } from "../../theme/palette";
import { FeedAddress } from "./FeedAddress";
import { PlannerTabs } from "./PlannerTabs";

const Door = styled("section")({ marginTop: 14 });
const MonthDay = styled("section")({ marginTop: 12, breakInside: "avoid", "& > h2": { fontSize: 15 } });
const LineList = styled(Ruled)({
  "& > li": { display: "flex", gap: 16, padding: "5px 0" },
  "& [data-out] a, & [data-out] > :first-of-type": { textDecoration: "line-through", color: ink.slate },
});

type Listed = Schemas["ListedMeeting"];

/** What is held where on a day, for the doors; printed, only the sheet remains. */
export function DaySheet() {
  const me = useMe();
  const go = useNavigate();
  const { day: at } = useParams();
  const date = /^\d{4}-\d{2}-\d{2}$/.test(at ?? "") ? at! : me.today;
  const query = $api.useQuery("get", "/api/v1/days/{day}", { params: { path: { day: date } } });
  if (!query.data) return <NotYet title="Rooms" error={query.error} retry={() => void query.refetch()} />;
  const rooms = new Map<string, Listed[]>();
  for (const m of query.data.meetings) rooms.set(m.place, [...(rooms.get(m.place) ?? []), m]);
  return (
    <Page
      title={`Rooms ${date}`}
      margin={
        <section>
          <DayJump label="Day" value={date} onGo={(day) => void go(`/days/${day}`)} />
          <Row sx={{ marginTop: 10 }}>
            <Button onClick={() => void go(`/days/${addDays(date, -1)}`)}>Day before</Button>
            <Button onClick={() => void go(`/days/${addDays(date, 1)}`)}>Day after</Button>
          </Row>
          <P sx={{ marginTop: 14 }}>
            <Button variant="contained" onClick={() => window.print()}>
              Print the sheet
            </Button>
          </P>
        </section>
      }
    >
      <div className="noprint">
        <PlannerTabs />
      </div>
      <Box component="h1" sx={{ margin: "12px 0" }}>
        Rooms on {day(date)}
      </Box>
      {query.data.closed && <P tone="ochre">The center is closed: {query.data.closed}.</P>}
      {rooms.size === 0 && <Empty as="p">Nothing is held on this day.</Empty>}
      {[...rooms.entries()]
        .sort(([a], [b]) => a.localeCompare(b))
        .map(([room, meetings]) => (
          <Door key={room}>
            <h2>{room || "No room"}</h2>
            <Lines meetings={meetings} />
          </Door>
        ))}
    </Page>
  );
}

/** All meetings of a month, for print. */
export function MonthList() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const month = /^\d{4}-\d{2}$/.test(params.get("month") ?? "") ? params.get("month")! : me.today.slice(0, 7);
  const query = $api.useQuery("get", "/api/v1/months/{month}", { params: { path: { month } } });
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
          <Row>
            <Button onClick={() => step(-1)}>Month before</Button>
            <Button onClick={() => step(1)}>Month after</Button>
          </Row>
          <P sx={{ marginTop: 14 }}>
            <Button variant="contained" onClick={() => window.print()}>
              Print the month
            </Button>
          </P>
          <p>
            <FeedAddress kind="all" id={0} />
          </p>
        </section>
      }
    >
      <div className="noprint">
        <PlannerTabs />
      </div>
      <Box component="h1" sx={{ margin: "12px 0 4px" }}>
        {title}
      </Box>
      <P tone="slate">{count(meetings.filter((m) => !m.cancelled).length, "meeting")}</P>
      {days.map((d) => (
        <MonthDay key={d}>
          <h2>
            {day(d, false)}
            {closed[d] && <T tone="ochre"> closed: {closed[d]}</T>}
          </h2>
          <Lines meetings={meetings.filter((m) => m.date === d)} place />
        </MonthDay>
      ))}
    </Page>
  );
}

export function Lines({ meetings, place = false }: { meetings: Listed[]; place?: boolean }) {
  return (
    <LineList>
      {meetings.map((m) => (
        <li key={m.id} data-out={m.cancelled || undefined}>
          <When nowrap>
            {m.start} to {m.end}
          </When>
          <Grow as="span">
            <Link to={`/runs/${m.run_id}`}>{m.title}</Link> <T tone="slate">{m.code}</T>
            {m.cancelled && (
              <T tone="brick" as="strong">
                {" "}
                not held{m.why && `: ${m.why}`}
              </T>
            )}
          </Grow>
          {m.decision && m.decision !== "going ahead" && !m.cancelled && (
            <T tone="ochre">{m.decision === "undecided" ? "not decided" : m.decision}</T>
          )}
          {place && <span>{m.place || <T tone="ochre">no room</T>}</span>}
          <T tone="slate">{m.instructor}</T>
          <T tone="slate" nowrap>
            {m.taken} of {m.capacity}
          </T>
        </li>
      ))}
    </LineList>
  );
}

import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { NotYet, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { Cell, Empty } from "../../parts/words";
import { PREPARING } from "./OwnCourses";
import { TeachingTabs } from "./TeachingTabs";

/** What instructors prepare, in whose hand it is and since when; what was handed in first. */
export default function PreparingPage() {
  const query = $api.useQuery("get", "/api/v1/preparations");
  const found = query.data;
  if (!found) return <NotYet title="In preparation" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page title="In preparation" margin={null}>
      <TeachingTabs />
      <h1>In preparation</h1>
      {found.items.length === 0 ? (
        <Empty>
          Nobody prepares a course just now. Instructors begin on their own page, under Courses, and hand in
          what is ready.
        </Empty>
      ) : (
        <Lines items={found.items} />
      )}
      {found.decided.length > 0 && (
        <>
          <h2>Decided of late</h2>
          <Lines items={found.decided} />
        </>
      )}
    </Page>
  );
}

function Lines({ items }: { items: Schemas["PreparationLine"][] }) {
  return (
    <Table>
      <TableHead>
        <TableRow>
          <Cell>Course</Cell>
          <Cell>By</Cell>
          <Cell>Where it is</Cell>
          <Cell>Since</Cell>
          <Cell>Changed</Cell>
          <Cell>Runs</Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {items.map((p) => (
          <TableRow key={p.id}>
            <Cell strong>
              <Link to={`/courses/${p.course_id}`}>{p.title}</Link>
            </Cell>
            <Cell>
              <Link to={`/instructors/${p.instructor_id}`}>{p.instructor}</Link>
            </Cell>
            <Cell tone={p.status === "handed in" ? "ochre" : undefined} nowrap>
              {PREPARING[p.status]}
            </Cell>
            <Cell nowrap>
              {day(p.since, false)} {clock(p.since)}
            </Cell>
            <Cell tone="slate">{p.changed.join(", ").toLowerCase()}</Cell>
            <Cell>{p.runs ? count(p.runs, "run") : ""}</Cell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

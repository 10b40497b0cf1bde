import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link, useParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form, SaveOrKeep } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Crumbs, Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, P, T } from "../../parts/words";
import { Log } from "../log/Log";
import { Reminders } from "../today/Reminders";

type Course = Schemas["CoursePage"];
type Acts = ReturnType<typeof useDone>;
const FACTS = ["title", "code", "category", "summary"] as const;

/** A course: what it says of itself, its runs, who waits for it, and its log. */
export default function CoursePage() {
  const id = Number(useParams().id);
  const acts = useDone();
  const query = $api.useQuery(
    "get",
    "/api/v1/courses/{course_id}",
    { params: { path: { course_id: id } } },
    { enabled: Number.isInteger(id) },
  );
  const course = query.data;
  if (!course) return <NotYet title="Course" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title={course.title}
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>Demand</h2>
            <p>
              {course.waiting === 0
                ? "Nobody waits for it."
                : `${count(course.waiting, "person waits", "people wait")} for it.`}{" "}
              <Link to="/demand">All demand</Link>
            </p>
          </section>
          <section>
            <h2>Reminders</h2>
            <Reminders about={{ course_id: course.id }} />
          </section>
        </>
      }
    >
      <Crumbs>
        <Link to="/planner">Planner</Link> / {course.code}
      </Crumbs>
      <h1>{course.title}</h1>
      <Facts course={course} acts={acts} />
      <Part as="div">
        <h2>{count(course.runs.length, "run")}</h2>
        <Runs course={course} />
      </Part>
      <Part as="div">
        <h2>Log</h2>
        <Log of="course" id={course.id} acts={acts} />
      </Part>
    </Page>
  );
}

function Facts({ course, acts }: { course: Course; acts: Acts }) {
  const of = useServerForm({
    draft: `course-${course.id}`,
    start: { title: course.title, code: course.code, category: course.category, summary: course.summary },
    send: (values, _key, { seen }) => {
      const names = FACTS.filter((n) => values[n] !== course[n]);
      const some = (all: typeof values) => Object.fromEntries(names.map((n) => [n, all[n]]));
      return ask(
        api.PATCH("/api/v1/courses/{course_id}", {
          params: { path: { course_id: course.id } },
          body: { set: some(values), seen: some(seen) },
        }),
      );
    },
    done: ({ change }) => acts.say({ text: "The course is saved.", change }),
  });
  const field = (name: (typeof FACTS)[number]) => of.field(name, `/set/${name}`);
  return (
    <Form of={of} label="The course">
      <Row wrap sx={{ alignItems: "flex-start" }}>
        <Field label="Title" width={340} {...field("title")} />
        <Field label="Code" width={110} {...field("code")} />
        <Field label="Category" width={200} {...field("category")} />
      </Row>
      <Field label="Summary" width="100%" multiline {...field("summary")} />
      <SaveOrKeep of={of} />
    </Form>
  );
}

function Runs({ course }: { course: Course }) {
  if (course.runs.length === 0) return <P tone="slate">None yet.</P>;
  return (
    <Scroller>
      <Table>
        <TableHead>
          <TableRow>
            <Cell>Run</Cell>
            <Cell>First and last day</Cell>
            <Cell right>Seats</Cell>
            <Cell>Status</Cell>
          </TableRow>
        </TableHead>
        <TableBody>
          {course.runs.map((r) => (
            <TableRow key={r.id}>
              <Cell>
                <Link to={`/runs/${r.id}`}>{r.code}</Link>
              </Cell>
              <Cell>{r.first ? `${day(r.first)} to ${day(r.last)}` : <T tone="slate">no dates</T>}</Cell>
              <Cell right>
                {r.taken} of {r.capacity}
              </Cell>
              <Cell>{r.status}</Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Scroller>
  );
}

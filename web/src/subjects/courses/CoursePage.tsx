import Tab from "@mui/material/Tab";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Tabs from "@mui/material/Tabs";
import { Link, useNavigate, useParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form, SaveOrKeep } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Crumbs, Facts as FactList, Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, P, T } from "../../parts/words";
import { CoursePublic } from "../catalog/CourseMargin";
import { CourseText } from "../catalog/CourseText";
import { Prepared } from "../catalog/Prepared";
import { Versions } from "../catalog/Versions";
import { Log } from "../log/Log";
import { Reminders } from "../today/Reminders";

type Course = Schemas["CoursePage"];
type Acts = ReturnType<typeof useDone>;
const TABS = [
  ["page", "Public page"],
  ["runs", "Runs"],
  ["versions", "Versions"],
  ["log", "Log"],
] as const;

/** A course: its public page as it is written, its runs and what they came to, the versions that were published, and its log. */
export default function CoursePage() {
  const { id: number, tab } = useParams();
  const id = Number(number);
  const go = useNavigate();
  const acts = useDone();
  const query = $api.useQuery(
    "get",
    "/api/v1/courses/{course_id}",
    { params: { path: { course_id: id } } },
    { enabled: Number.isInteger(id) },
  );
  const course = query.data;
  if (!course) return <NotYet title="Course" error={query.error} retry={() => void query.refetch()} />;
  const at = TABS.find(([name]) => name === tab)?.[0] ?? "page";
  return (
    <Page
      title={course.title}
      margin={
        <>
          <ActNotes acts={acts} />
          <CoursePublic course={course.id} acts={acts} />
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
        <Link to="/courses">Catalog</Link>
        {course.category ? ` / ${course.category}` : ""} / {course.code}
      </Crumbs>
      <h1>{course.title}</h1>
      <Facts course={course} acts={acts} />
      <Prepared course={course.id} acts={acts} />
      <Tabs
        value={at}
        onChange={(_, next: string) => void go(`/courses/${course.id}/${next}`)}
        aria-label="Parts of this course"
      >
        {TABS.map(([name, text]) => (
          <Tab key={name} value={name} label={text} />
        ))}
      </Tabs>
      {at === "page" && <CourseText course={course.id} />}
      {at === "runs" && (
        <>
          <Past course={course} />
          <Part as="div">
            <h2>{count(course.runs.length, "run")}</h2>
            <Runs course={course} />
          </Part>
          <Part as="div">
            <h2>The next ones start from</h2>
            <Defaults course={course} />
          </Part>
        </>
      )}
      {at === "versions" && <Versions course={course.id} acts={acts} />}
      {at === "log" && <Log of="course" id={course.id} acts={acts} />}
    </Page>
  );
}

/** What holds at once: how the course is called, where it is filed, whether it comes first in the public list. */
function Facts({ course, acts }: { course: Course; acts: Acts }) {
  const tree = $api.useQuery("get", "/api/v1/categories");
  const start = {
    title: course.title,
    code: course.code,
    category_id: String(course.category_id ?? ""),
    promoted: course.promoted,
  };
  const of = useServerForm({
    draft: `course-${course.id}`,
    start,
    send: (values, _key, { seen }) => {
      const sent = (all: typeof values) => ({
        ...(values.title !== start.title && { title: all.title }),
        ...(values.code !== start.code && { code: all.code }),
        ...(values.category_id !== start.category_id && {
          category_id: all.category_id ? Number(all.category_id) : null,
        }),
        ...(values.promoted !== start.promoted && { promoted: all.promoted }),
      });
      return ask(
        api.PATCH("/api/v1/courses/{course_id}", {
          params: { path: { course_id: course.id } },
          body: { set: sent(values), seen: sent(seen) },
        }),
      );
    },
    done: ({ change }) => acts.say({ text: "The course is saved.", change }),
  });
  return (
    <Form of={of} label="The course" sx={{ margin: "8px 0 14px" }}>
      <Row wrap sx={{ alignItems: "flex-start" }}>
        <Field label="Title" width={340} {...of.field("title", "/set/title")} />
        <Field label="Code" width={110} {...of.field("code", "/set/code")} />
        <Choice
          label="Category"
          width={220}
          value={of.values.category_id}
          onChange={(category_id) => of.set({ category_id })}
          options={[
            { value: "", text: "none" },
            ...(tree.data ?? []).map((c) => ({
              value: String(c.id),
              text: `${"\u2003".repeat(c.depth)}${c.name}`,
            })),
          ]}
          fault={of.faults["/set/category_id"]}
        />
        <Tick checked={of.values.promoted} onChange={(promoted) => of.set({ promoted })}>
          first in the list
        </Tick>
      </Row>
      {of.dirty.length > 0 && <SaveOrKeep of={of} />}
    </Form>
  );
}

/** What the runs that are over came to. */
function Past({ course }: { course: Course }) {
  const { runs, taken, capacity, income } = course.past;
  if (runs === 0) return <P tone="slate">No run of it is over yet.</P>;
  return (
    <P>
      {count(runs, "run is", "runs are")} over: {taken} of {capacity} seats sold,{" "}
      {income.map((sum) => money(sum.amount, sum.currency)).join(" and ")} in all.
    </P>
  );
}

/** What the next runs take over from this course, where it says anything. */
function Defaults({ course }: { course: Course }) {
  const d = course.defaults;
  const rows: [string, string][] = [
    ["Place", d.place ?? ""],
    ["Instructor", d.instructor ?? ""],
    ["Seats", d.capacity ? String(d.capacity) : ""],
    ["Smallest number", d.smallest ? String(d.smallest) : ""],
    ["Rates", (d.rates ?? []).map((r) => `${r.label ?? r.code ?? "Standard"} ${r.amount ?? ""}`).join(", ")],
    ["Payment plans", (d.plans ?? []).map((p) => p.name ?? "").join(", ")],
  ];
  const said = rows.filter(([, text]) => text !== "");
  if (said.length === 0)
    return <P tone="slate">What the center has; a run’s terms can be kept for the course.</P>;
  return (
    <FactList>
      {said.map(([name, text]) => [<dt key={`${name}t`}>{name}</dt>, <dd key={`${name}d`}>{text}</dd>])}
    </FactList>
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

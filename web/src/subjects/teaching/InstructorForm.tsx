import Button from "@mui/material/Button";

import { $api, api, ask, asTyped, keyHeader, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Suggest } from "../../form/Suggest";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { Fault, P, T } from "../../parts/words";
import { digitsOf } from "../courses/form";
import { EMPLOYMENTS, payBody, payTyped } from "./hours";
import { HoursFields } from "./HoursFields";
import { PayFields } from "./PayFields";

type Instructor = Schemas["InstructorOut"];
type Can = { subject: string; level: "leads" | "assists" };
const LEVELS = [
  { value: "leads", text: "leads" },
  { value: "assists", text: "assists" },
];

/** Courses and categories by the words that people type for them. */
function useSubjects() {
  const courses = $api.useQuery("get", "/api/v1/courses", {}, { staleTime: 30_000 });
  const rows = courses.data ?? [];
  const categories = [...new Set(rows.map((c) => c.category).filter(Boolean))].sort();
  return {
    options: [...rows.map((c) => c.title), ...categories.map((c) => `all of ${c}`)],
    bodyOf: ({ subject, level }: Can) => {
      const typed = subject.trim();
      const course = rows.find((c) => [c.title, c.code].some((n) => n.toLowerCase() === typed.toLowerCase()));
      return course ? { course_id: course.id, level } : { category: typed.replace(/^all of /i, ""), level };
    },
    known: (subject: string) =>
      rows.some((c) => [c.title, c.code].some((n) => n.toLowerCase() === subject.trim().toLowerCase())) ||
      categories.some(
        (c) =>
          c.toLowerCase() ===
          subject
            .trim()
            .replace(/^all of /i, "")
            .toLowerCase(),
      ),
  };
}

/** An instructor: who they are, what they can teach and when, how they are usually paid. Few fields first for a new one. */
export function InstructorForm({
  instructor,
  person,
  onSaved,
  onClose,
}: {
  instructor?: Instructor;
  /** Somebody who is known already and is to teach. */
  person?: { id: number; name: string };
  onSaved: (saved: Instructor) => void;
  onClose: () => void;
}) {
  const me = useMe();
  const subjects = useSubjects();
  const start = {
    name: instructor?.name ?? person?.name ?? "",
    email: instructor?.email ?? "",
    phone: instructor?.phone ?? "",
    employment: instructor?.employment ?? "freelance",
    biography: instructor?.biography ?? "",
    hours: instructor?.hours ?? [],
    most_hours: instructor?.most_hours ?? "",
    pay: payTyped(instructor?.pay ?? null),
    can: (instructor?.qualifications ?? []).map((q): Can => ({
      subject: q.course ?? `all of ${q.category}`,
      level: q.level,
    })),
    active: instructor?.active ?? true,
    publishes: instructor?.publishes ?? false,
  };
  const of = useServerForm({
    draft: `instructor-${instructor?.id ?? (person ? `of-${person.id}` : "new")}`,
    start,
    send: (form, key) => {
      const unknown = form.can.find((c) => c.subject.trim() && !subjects.known(c.subject));
      if (unknown) throw new Error(`There is no course and no category "${unknown.subject}".`);
      const body = asTyped<"InstructorCommand">({
        name: form.name || null,
        ...(person ? { person_id: person.id } : { email: form.email, phone: form.phone }),
        employment: form.employment,
        biography: form.biography,
        hours: form.hours,
        most_hours: form.most_hours.trim() || null,
        pay: payBody(form.pay, digitsOf(me.currency)),
        qualifications: form.can.filter((c) => c.subject.trim()).map(subjects.bodyOf),
        active: form.active,
        publishes: form.publishes,
      });
      return ask(
        instructor
          ? api.PATCH("/api/v1/instructors/{instructor_id}", {
              params: { path: { instructor_id: instructor.id } },
              body,
            })
          : api.POST("/api/v1/instructors", { params: { header: keyHeader(key) }, body }),
      );
    },
    done: onSaved,
  });
  const { values: form, set, faults } = of;
  const can = (n: number, change: Partial<Can>) =>
    set({ can: form.can.map((c, i) => (i === n ? { ...c, ...change } : c)) });
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <Form look="inset" of={of} onLeave={close}>
      <Row wrap>
        <Field label="Name on schedules" width={190} {...of.field("name")} autoFocus />
        {!person && (
          <>
            <Field label="Email" width={220} {...of.field("email")} />
            <Field label="Phone" width={130} {...of.field("phone")} />
          </>
        )}
        <Choice label="Is" width={120} options={EMPLOYMENTS} {...of.field("employment")} />
      </Row>
      <Row wrap sx={{ marginTop: 10 }}>
        <PayFields label="Usually paid" pay={form.pay} onChange={(pay) => set({ pay })} faults={faults} />
        <Field
          label="Most hours a week"
          width={140}
          placeholder="no limit"
          {...of.field("most_hours")}
          input={{ inputMode: "decimal" }}
        />
      </Row>
      <P label sx={{ margin: "12px 0 0" }}>
        Can teach
      </P>
      {form.can.map((c, n) => (
        <Row wrap end key={n} sx={{ marginTop: 6 }}>
          <Suggest
            label="Course or category"
            unseen
            tail={` ${n + 1}`}
            width={330}
            value={c.subject}
            options={subjects.options}
            placeholder="a course, or all of a category"
            onChange={(subject) => can(n, { subject })}
            fault={faults[`/qualifications/${n}`]}
          />
          <Choice
            label="Level"
            unseen
            tail={` ${n + 1}`}
            width={110}
            value={c.level}
            onChange={(level) => can(n, { level: level as Can["level"] })}
            options={LEVELS}
          />
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take out ${c.subject || `line ${n + 1}`}`}
            onClick={() => set({ can: form.can.filter((_, i) => i !== n) })}
          >
            take out
          </Button>
        </Row>
      ))}
      <P sx={{ margin: "6px 0 0" }}>
        <Button variant="text" onClick={() => set({ can: [...form.can, { subject: "", level: "leads" }] })}>
          {form.can.length ? "One more" : "A course or a category"}
        </Button>
        {form.can.length === 0 && <T tone="slate"> Without any, nobody knows whether they are qualified.</T>}
      </P>
      <HoursFields hours={form.hours} onChange={(hours) => set({ hours })} faults={faults} />
      {instructor && (
        <>
          <Field
            label="Biography, shown where their runs are"
            width="100%"
            multiline
            {...of.field("biography")}
          />
          <Tick checked={form.active} onChange={(active) => set({ active })}>
            teaches here; without it they stand on past runs only
          </Tick>
          <Tick checked={form.publishes} onChange={(publishes) => set({ publishes })}>
            may publish what they prepare without the office
          </Tick>
          {form.publishes && (
            <P tone="ochre">
              Nobody of the office looks at it first: what they write and the prices of their runs are public
              at once.
            </P>
          )}
        </>
      )}
      {faults["/qualifications"] && <Fault>{faults["/qualifications"]}</Fault>}
      <Ends of={of} act="Save" leave="Keep as it was" onLeave={close} />
    </Form>
  );
}

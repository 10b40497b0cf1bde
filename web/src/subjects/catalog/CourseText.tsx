import { useQueryClient } from "@tanstack/react-query";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { useSavedForm } from "../../form/useSavedForm";
import { Loading, Part, Row, Stack } from "../../parts/layout";
import { SavedState, type Text, TextFields } from "./TextFields";

type TextOut = Schemas["CourseTextOut"];
export const textKey = (course: number) =>
  ["get", "/api/v1/courses/{course_id}/text", { params: { path: { course_id: course } } }] as const;

export function useCourseText(course: number) {
  return $api.useQuery("get", "/api/v1/courses/{course_id}/text", {
    params: { path: { course_id: course } },
  });
}

const FACTS: [Schemas["PublicFact"], string][] = [
  ["program", "program, before one signs up"],
  ["dates", "dates"],
  ["price", "price"],
  ["plans", "payment plans"],
  ["seats", "seats left"],
  ["instructors", "instructors"],
  ["place", "place"],
  ["questions", "questions and answers"],
  ["gallery", "more pictures"],
  ["documents", "documents"],
];

/** The public text of a course, saved as it is typed; the public reads it once it is published. */
export function CourseText({ course }: { course: number }) {
  const query = useCourseText(course);
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading rows={8} />;
  return <Edit course={course} page={query.data} />;
}

function Edit({ course, page }: { course: number; page: TextOut }) {
  const queries = useQueryClient();
  const of = useSavedForm<Text & Record<string, unknown>, Schemas["TextChanged"]>({
    draft: `course-text-${course}`,
    start: page.text as Text,
    save: (set, seen) =>
      ask(
        api.PATCH("/api/v1/courses/{course_id}/text", {
          params: { path: { course_id: course } },
          body: { set: set as Text, seen: seen as Text },
        }),
      ),
    saved: (answer) => {
      queries.setQueryData(textKey(course), answer);
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/logs/{of}/{subject_id}"] });
    },
  });
  const v = of.values;
  const anew = () => queries.invalidateQueries({ queryKey: textKey(course) });
  return (
    <div>
      <SavedState of={of} onTheirs={() => void anew()} />
      <TextFields
        of={of}
        may={() => true}
        preview="/api/v1/markdown"
        files={{
          pictures: `/api/v1/courses/${course}/pictures`,
          documents: `/api/v1/courses/${course}/documents`,
          added: anew,
        }}
      />
      <Part as="div">
        <h2>Shown</h2>
        <Stack>
          <Row wrap>
            {FACTS.map(([fact, text]) => (
              <Tick
                key={fact}
                checked={!v.hidden.includes(fact)}
                onChange={(on) =>
                  of.set({ hidden: on ? v.hidden.filter((f) => f !== fact) : [...v.hidden, fact] })
                }
              >
                {text}
              </Tick>
            ))}
          </Row>
          <Row wrap>
            <Choice
              label="Seats left are said"
              width={220}
              value={v.seats_shown ?? ""}
              onChange={(how) => of.set({ seats_shown: (how || null) as Text["seats_shown"] })}
              options={[
                { value: "", text: "as the center says it" },
                { value: "number", text: "by their number" },
                { value: "few", text: "when few are left" },
                { value: "none", text: "only when none is left" },
              ]}
            />
            <Field
              label="Sign-up is elsewhere, at this address"
              width={420}
              value={v.elsewhere}
              onChange={(elsewhere) => of.set({ elsewhere })}
              onBlur={of.flush}
              fault={of.faults["/set/elsewhere"]}
              placeholder="https://"
              help="Then the page leads there, and nobody signs up here."
            />
          </Row>
        </Stack>
      </Part>
    </div>
  );
}

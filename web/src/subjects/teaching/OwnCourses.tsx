import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Loading, Note } from "../../parts/layout";
import { T, P } from "../../parts/words";
import { OwnPrepare } from "./OwnPrepare";

export const PREPARING: Record<Schemas["Preparing"], string> = {
  draft: "in preparation",
  "handed in": "with the office",
  returned: "came back",
  published: "published",
  finished: "finished by the office",
  dropped: "given up",
};

/** The courses that are one’s own: begun, gone on with, handed in; or one of them as it is prepared. */
export function OwnCourses({ at, onOpen }: { at: number | null; onOpen: (id: number | null) => void }) {
  const query = $api.useQuery("get", "/api/v1/own/teaching/courses");
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const own = query.data;
  const beginning = useAct({
    send: (course: number) =>
      ask(api.POST("/api/v1/own/teaching/preparations", { body: { course_id: course, title: null } })),
    done: (made) => onOpen(made.id),
    failed: setTrouble,
  });
  if (at !== null)
    return (
      <OwnPrepare
        key={at}
        id={at}
        onLeave={() => {
          void queries.invalidateQueries({ queryKey: ["get", "/api/v1/own/teaching/courses"] });
          onOpen(null);
        }}
      />
    );
  if (!own) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  if (own.rights.length === 0)
    return <P sx={{ marginTop: 14 }}>The office writes the courses; please ask there.</P>;
  return (
    <section>
      <h2>Your courses</h2>
      {trouble && (
        <Note kind="wrong" role="alert">
          {trouble}
        </Note>
      )}
      {own.courses.length === 0 && <p>You have no course here yet. Begin one below.</p>}
      <ul>
        {own.courses.map((c) => (
          <li key={c.course_id}>
            <T strong>{c.title}</T>{" "}
            <T tone="slate">
              {c.by
                ? `prepared by ${c.by}`
                : c.status
                  ? PREPARING[c.status]
                  : c.public
                    ? "public"
                    : "not public"}
            </T>
            {c.word && c.status === "returned" && (
              <Note kind="due">
                <p>{c.word}</p>
              </Note>
            )}
            <div>
              {c.preparation_id !== null ? (
                <Button onClick={() => onOpen(c.preparation_id)}>
                  {c.status === "handed in" ? "See it" : "Go on"}
                </Button>
              ) : (
                !c.by && (
                  <Button disabled={beginning.busy} onClick={() => void beginning.act(c.course_id)}>
                    Prepare changes
                  </Button>
                )
              )}
            </div>
          </li>
        ))}
      </ul>
      <NewCourse onMade={onOpen} />
    </section>
  );
}

function NewCourse({ onMade }: { onMade: (id: number) => void }) {
  const of = useServerForm({
    draft: "own-new-course",
    start: { title: "" },
    send: ({ title }) =>
      ask(api.POST("/api/v1/own/teaching/preparations", { body: { title, course_id: null } })),
    done: (made) => onMade(made.id),
  });
  return (
    <section>
      <h2>A new course</h2>
      <Form of={of} label="A new course">
        <Field label="What it is called" width="100%" {...of.field("title")} />
        <Button type="submit" variant="contained" disabled={of.busy || !of.values.title.trim()}>
          Begin it
        </Button>
      </Form>
    </section>
  );
}

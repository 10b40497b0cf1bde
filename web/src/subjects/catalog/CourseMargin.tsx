import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { textKey, useCourseText } from "./CourseText";

type Acts = ReturnType<typeof useDone>;

/** Whether the public reads of a course, what waits to be published, and seeing it before. */
export function CoursePublic({ course, acts }: { course: number; acts: Acts }) {
  const queries = useQueryClient();
  const query = useCourseText(course);
  const done = (text: string) => (answer: Schemas["TextChanged"]) => {
    queries.setQueryData(textKey(course), answer);
    acts.say({ text, change: answer.change });
  };
  const params = (key: string) => ({ params: { path: { course_id: course }, header: keyHeader(key) } });
  const publishing = useAct({
    send: (_: undefined, key) => ask(api.POST("/api/v1/courses/{course_id}/publish", params(key))),
    done: done("The public reads this now."),
    failed: acts.fail,
  });
  const taking = useAct({
    send: (_: undefined, key) => ask(api.POST("/api/v1/courses/{course_id}/take-off", params(key))),
    done: done("The course has no public page any more."),
    failed: acts.fail,
  });
  const prepared = $api.useQuery("get", "/api/v1/courses/{course_id}/preparation", {
    params: { path: { course_id: course } },
  }).data?.preparation;
  const page = query.data;
  if (!page) return null;
  const look = (width: number) =>
    window.open(`/catalog/preview/${course}`, "", `popup,width=${width},height=844`);
  return (
    <section>
      <h2>Public page</h2>
      <p>
        {!page.public
          ? "The public does not read of this course yet."
          : page.pending
            ? `The public reads an earlier text. What waits: ${page.changed.join(", ").replace(/_/g, " ")}.`
            : "The public reads what stands here."}
        {page.address && (
          <>
            {" "}
            <a href={page.address} target="_blank" rel="noreferrer">
              See it
            </a>
          </>
        )}
      </p>
      {page.faults.map((f) => (
        <P key={f.at} tone="brick">
          {f.message}
        </P>
      ))}
      <Row wrap>
        <Button
          variant="contained"
          disabled={Boolean(prepared) || !page.pending || page.faults.length > 0 || publishing.busy}
          onClick={() => void publishing.act(undefined)}
        >
          Publish
        </Button>
        {page.public && (
          <Button disabled={taking.busy} onClick={() => void taking.act(undefined)}>
            Take it off
          </Button>
        )}
      </Row>
      {prepared && (
        <P tone="slate">{prepared.instructor} prepares it: publish it above, or finish it here first.</P>
      )}
      <P>
        Before it is public:{" "}
        <Button variant="text" onClick={() => look(1280)}>
          at the desk
        </Button>{" "}
        <Button variant="text" onClick={() => look(390)}>
          on the phone
        </Button>
      </P>
      {page.versions.length > 0 && <T small>Version {page.versions[0]!.n} is the last one published.</T>}
    </section>
  );
}

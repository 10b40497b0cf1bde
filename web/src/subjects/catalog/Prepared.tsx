import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Note, Row, Ruled } from "../../parts/layout";
import { clock, count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { RunLine } from "../teaching/OwnRuns";
import { Compared } from "./Compared";

type Acts = ReturnType<typeof useDone>;
type Preparation = Schemas["PreparationOut"];
const STATE: Record<string, string> = {
  draft: "prepares this course",
  "handed in": "handed this course in",
  returned: "has this course back to change it",
};

/** Above a course that an instructor prepares: in whose hand it is, what changed, and what the office does of it. */
export function Prepared({ course, acts }: { course: number; acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/courses/{course_id}/preparation", {
    params: { path: { course_id: course } },
  });
  const prep = query.data?.preparation;
  if (!prep) return null;
  return <Decide prep={prep} acts={acts} />;
}

function Decide({ prep, acts }: { prep: Preparation; acts: Acts }) {
  const queries = useQueryClient();
  const [shown, setShown] = useState(prep.status === "handed in");
  const [returning, setReturning] = useState(false);
  const path = { preparation_id: prep.id };
  const done = (text: string) => (answer: Schemas["PreparationDone"]) => {
    setReturning(false);
    acts.say({ text, change: answer.change });
    void queries.invalidateQueries();
  };
  const publishing = useAct({
    send: (_: undefined, key: string) =>
      ask(
        api.POST("/api/v1/preparations/{preparation_id}/publish", {
          params: { path, header: keyHeader(key) },
        }),
      ),
    done: done("It is public, with its runs."),
    failed: acts.fail,
  });
  const finishing = useAct({
    send: (_: undefined, key: string) =>
      ask(
        api.POST("/api/v1/preparations/{preparation_id}/finish", {
          params: { path, header: keyHeader(key) },
        }),
      ),
    done: done("The draft is yours: publish it when it is ready."),
    failed: acts.fail,
  });
  const handed = prep.status === "handed in";
  const lacks = [...prep.faults.map((f) => f.message), ...prep.prepared.flatMap((r) => r.lacks)];
  return (
    <Note kind={handed ? "due" : undefined} sx={{ margin: "10px 0" }}>
      <p>
        <Link to={`/instructors/${prep.instructor_id}`}>{prep.instructor}</Link> {STATE[prep.status]}, since{" "}
        {day(prep.since, false)} {clock(prep.since)}.{" "}
        {prep.changed.length
          ? `Changed: ${prep.changed.join(", ").toLowerCase()}.`
          : "The text has not changed."}
        {prep.runs > 0 && ` With ${count(prep.runs, "run")}.`}
      </p>
      {prep.said && handed && <p>“{prep.said}”</p>}
      {prep.status === "returned" && <P tone="slate">You asked: {prep.word}</P>}
      {shown && (
        <>
          <Compared fields={prep.fields} heading="h2" />
          {prep.prepared.length > 0 && (
            <Ruled>
              {prep.prepared.map((r) => (
                <li key={r.run_id}>
                  <RunLine run={r} /> <Link to={`/runs/${r.run_id}`}>to the run</Link>
                </li>
              ))}
            </Ruled>
          )}
        </>
      )}
      {handed && lacks.length > 0 && (
        <P tone="brick">What still keeps it from being published: {[...new Set(lacks)].join(" ")}</P>
      )}
      {returning ? (
        <Return
          prep={prep}
          onLeave={() => setReturning(false)}
          done={done("It is returned, and they are written to.")}
        />
      ) : (
        <Row wrap mid>
          {handed && (
            <Button
              variant="contained"
              disabled={publishing.busy || lacks.length > 0}
              onClick={() => void publishing.act(undefined)}
            >
              {prep.runs ? `Publish it with ${count(prep.runs, "run")}` : "Publish it"}
            </Button>
          )}
          {handed && <Button onClick={() => setReturning(true)}>Return it with a word</Button>}
          <Button disabled={finishing.busy} onClick={() => void finishing.act(undefined)}>
            Finish it here
          </Button>
          <Button variant="text" aria-expanded={shown} onClick={() => setShown(!shown)}>
            {shown ? "fold what changed" : "what changed"}
          </Button>
        </Row>
      )}
      {!handed && (
        <T small tone="slate">
          Until it is handed in, or you finish it here, this course is not published: nobody has looked at
          what stands below.
        </T>
      )}
    </Note>
  );
}

function Return({
  prep,
  onLeave,
  done,
}: {
  prep: Preparation;
  onLeave: () => void;
  done: (answer: Schemas["PreparationDone"]) => void;
}) {
  const of = useServerForm({
    draft: `return-${prep.id}`,
    start: { word: "" },
    send: (body, key) =>
      ask(
        api.POST("/api/v1/preparations/{preparation_id}/return", {
          params: { path: { preparation_id: prep.id }, header: keyHeader(key) },
          body,
        }),
      ),
    done,
  });
  return (
    <Form of={of} look="inset" onLeave={onLeave} label="Return it">
      <Field label="What is to be changed" width="100%" multiline {...of.field("word")} autoFocus />
      <Ends of={of} act="Return it" onLeave={onLeave} />
    </Form>
  );
}

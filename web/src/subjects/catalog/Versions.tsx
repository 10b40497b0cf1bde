import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Loading, Row } from "../../parts/layout";
import { RowMenu } from "../../parts/RowMenu";
import { clock, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Cell, Empty, P, T } from "../../parts/words";
import { Compared } from "./Compared";
import { textKey, useCourseText } from "./CourseText";

type Acts = ReturnType<typeof useDone>;
type Version = Schemas["VersionOut"];

/** Every version that was published, what it went to, and what has changed since. */
export function Versions({ course, acts }: { course: number; acts: Acts }) {
  const queries = useQueryClient();
  const query = useCourseText(course);
  const [compared, setCompared] = useState<number | null>(null);
  const [marking, setMarking] = useState<number | null>(null);
  const done = (text: string) => (answer: Schemas["TextChanged"]) => {
    queries.setQueryData(textKey(course), answer);
    acts.say({ text, change: answer.change });
  };
  const taking = useAct({
    send: (n: number, key) =>
      ask(
        api.POST("/api/v1/courses/{course_id}/versions/{n}/take-up", {
          params: { path: { course_id: course, n }, header: keyHeader(key) },
        }),
      ),
    done: done("The text is in the draft; publish it to make it public."),
    failed: acts.fail,
  });
  if (!query.data) return <Loading />;
  const { versions } = query.data;
  if (versions.length === 0)
    return (
      <Empty>Nothing was published yet. Each time you publish, the text is kept here as a version.</Empty>
    );
  return (
    <>
      <Table>
        <TableHead>
          <TableRow>
            <Cell>Version</Cell>
            <Cell>Published</Cell>
            <Cell>By</Cell>
            <Cell>Went to</Cell>
            <Cell />
          </TableRow>
        </TableHead>
        <TableBody>
          {versions.map((v) => (
            <TableRow key={v.n}>
              <Cell>
                {v.n} {v.live && <T tone="slate">what the public reads</T>}
              </Cell>
              <Cell>
                {day(v.at)}, {clock(v.at)}
              </Cell>
              <Cell>{v.by}</Cell>
              <Cell>{v.mark}</Cell>
              <Cell right>
                <Row mid sx={{ justifyContent: "flex-end" }}>
                  <Button variant="text" onClick={() => setCompared(v.n)}>
                    compare with now
                  </Button>
                  <RowMenu
                    of={`version ${v.n}`}
                    acts={[
                      { text: "Say what it went to", do: () => setMarking(v.n) },
                      { text: "Take its text into the draft", do: () => void taking.act(v.n) },
                    ]}
                  />
                </Row>
              </Cell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {marking !== null && (
        <Mark
          key={marking}
          course={course}
          version={versions.find((v) => v.n === marking)!}
          onLeave={() => setMarking(null)}
          done={(answer) => {
            setMarking(null);
            done("The version is marked.")(answer);
          }}
        />
      )}
      {compared !== null && <Compare course={course} n={compared} />}
    </>
  );
}

function Mark({
  course,
  version,
  done,
  onLeave,
}: {
  course: number;
  version: Version;
  done: (answer: Schemas["TextChanged"]) => void;
  onLeave: () => void;
}) {
  const of = useServerForm({
    draft: null,
    start: { mark: version.mark },
    send: ({ mark }) =>
      ask(
        api.PUT("/api/v1/courses/{course_id}/versions/{n}/mark", {
          params: { path: { course_id: course, n: version.n } },
          body: { mark },
        }),
      ),
    done,
  });
  return (
    <Form of={of} look="row inset" onLeave={onLeave}>
      <Field
        label={`What version ${version.n} went to`}
        width={340}
        placeholder="printed program, spring 2027"
        autoFocus
        {...of.field("mark")}
      />
      <Ends of={of} act="Save" onLeave={onLeave} />
    </Form>
  );
}

/** A version beside the draft as it is now, word by word: what went is struck out, what came is underlined. */
function Compare({ course, n }: { course: number; n: number }) {
  const query = $api.useQuery("get", "/api/v1/courses/{course_id}/versions/{n}/compared", {
    params: { path: { course_id: course, n } },
  });
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  const { before, after, fields } = query.data;
  return (
    <section aria-label="Compared">
      <h2>
        From {before} to {after}
      </h2>
      {fields.length === 0 && <P tone="slate">Nothing has changed.</P>}
      <Compared fields={fields} />
    </section>
  );
}

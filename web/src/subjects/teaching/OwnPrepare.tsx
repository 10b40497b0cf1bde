import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useSavedForm } from "../../form/useSavedForm";
import { useServerForm } from "../../form/useServerForm";
import { Loading, Note, Row } from "../../parts/layout";
import { Fault, P } from "../../parts/words";
import { SavedState, type Text, TextFields } from "../catalog/TextFields";
import { OwnRuns } from "./OwnRuns";

type Prepared = Schemas["OwnPreparation"];
const keyOf = (id: number) =>
  [
    "get",
    "/api/v1/own/teaching/preparations/{preparation_id}",
    { params: { path: { preparation_id: id } } },
  ] as const;

/** A course as its instructor prepares it: the text as far as the center allows, its runs, and handing it in. */
export function OwnPrepare({ id, onLeave }: { id: number; onLeave: () => void }) {
  const path = { preparation_id: id };
  const query = $api.useQuery(
    "get",
    "/api/v1/own/teaching/preparations/{preparation_id}",
    { params: { path } },
    { retry: false },
  );
  const queries = useQueryClient();
  const prep = query.data;
  const put = (next: Prepared) => queries.setQueryData(keyOf(id), next);
  return (
    <section>
      <Button variant="text" onClick={onLeave}>
        To your courses
      </Button>
      {!prep ? (
        query.error ? (
          <Note kind="wrong" role="alert">
            <p>{messageOf(query.error)} It may have been decided on.</p>
          </Note>
        ) : (
          <Loading rows={6} />
        )
      ) : (
        <>
          <h2>{prep.title}</h2>
          <State prep={prep} />
          {prep.writes ? <Write prep={prep} put={put} /> : <Handed prep={prep} put={put} />}
          <OwnRuns prep={prep} put={put} />
          {prep.writes && <HandIn prep={prep} put={put} onLeave={onLeave} />}
        </>
      )}
    </section>
  );
}

function State({ prep }: { prep: Prepared }) {
  return (
    <>
      <P tone="slate" role="status">
        {prep.status === "handed in"
          ? "It is with the office: you hear what becomes of it."
          : prep.public
            ? "The public reads an earlier text until what you write is published."
            : "Nobody but the office sees this yet."}
        {prep.changed.length > 0 && ` Changed: ${prep.changed.join(", ").toLowerCase()}.`}
      </P>
      {prep.status === "returned" && (
        <Note kind="due">
          <p>The office asks: {prep.word}</p>
        </Note>
      )}
    </>
  );
}

function Write({ prep, put }: { prep: Prepared; put: (next: Prepared) => void }) {
  const queries = useQueryClient();
  const path = { preparation_id: prep.id };
  const of = useSavedForm<Text & Record<string, unknown>, Prepared>({
    draft: `own-course-${prep.id}`,
    start: prep.text as Text,
    save: (set, seen) =>
      ask(
        api.PATCH("/api/v1/own/teaching/preparations/{preparation_id}/text", {
          params: { path },
          body: { set: set as Text, seen: seen as Text },
        }),
      ),
    saved: put,
  });
  const anew = () => queries.invalidateQueries({ queryKey: keyOf(prep.id) });
  return (
    <>
      {!prep.public && prep.rights.includes("prepare_text") && <Title prep={prep} put={put} />}
      <SavedState of={of} onTheirs={() => void anew()} />
      <TextFields
        of={of}
        may={(name) => prep.fields.includes(name)}
        preview="/api/v1/own/teaching/markdown"
        files={{
          pictures: `/api/v1/own/teaching/preparations/${prep.id}/pictures`,
          documents: null,
          added: anew,
        }}
      />
    </>
  );
}

function Title({ prep, put }: { prep: Prepared; put: (next: Prepared) => void }) {
  const of = useServerForm({
    draft: `own-title-${prep.id}`,
    start: { title: prep.title },
    send: ({ title }, _key, { seen }) =>
      ask(
        api.PUT("/api/v1/own/teaching/preparations/{preparation_id}/title", {
          params: { path: { preparation_id: prep.id } },
          body: { title, seen: seen.title },
        }),
      ),
    done: put,
  });
  return (
    <Form of={of} look="row" label="The title">
      <Field label="Title" width={340} {...of.field("title")} />
      {of.dirty.length > 0 && (
        <Button type="submit" disabled={of.busy}>
          Save
        </Button>
      )}
    </Form>
  );
}

function Handed({ prep, put }: { prep: Prepared; put: (next: Prepared) => void }) {
  const [trouble, setTrouble] = useState("");
  const taking = useAct({
    send: () =>
      ask(
        api.POST("/api/v1/own/teaching/preparations/{preparation_id}/take-back", {
          params: { path: { preparation_id: prep.id } },
        }),
      ),
    done: put,
    failed: setTrouble,
  });
  return (
    <>
      <p>{prep.text.summary}</p>
      {prep.said && <P tone="slate">You wrote: {prep.said}</P>}
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <Button disabled={taking.busy} onClick={() => void taking.act(undefined)}>
        Take it back to change it
      </Button>
    </>
  );
}

function HandIn({
  prep,
  put,
  onLeave,
}: {
  prep: Prepared;
  put: (next: Prepared) => void;
  onLeave: () => void;
}) {
  const [sure, setSure] = useState(false);
  const [trouble, setTrouble] = useState("");
  const path = { preparation_id: prep.id };
  const of = useServerForm({
    draft: `own-hand-in-${prep.id}`,
    start: { said: "" },
    send: (body) =>
      ask(api.POST("/api/v1/own/teaching/preparations/{preparation_id}/hand-in", { params: { path }, body })),
    done: put,
  });
  const publishing = useAct({
    send: () =>
      ask(api.POST("/api/v1/own/teaching/preparations/{preparation_id}/publish", { params: { path } })),
    done: onLeave,
    failed: setTrouble,
  });
  const dropping = useAct({
    send: () => ask(api.DELETE("/api/v1/own/teaching/preparations/{preparation_id}", { params: { path } })),
    done: onLeave,
    failed: setTrouble,
  });
  return (
    <section>
      <h2>Hand it in</h2>
      {prep.faults.map((f) => (
        <P key={f.at} tone="brick">
          {f.message}
        </P>
      ))}
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <Form of={of} label="Hand it in">
        <Field label="A word to the office" width="100%" multiline {...of.field("said")} />
        <Row wrap>
          <Button type="submit" variant={prep.publishes ? "outlined" : "contained"} disabled={of.busy}>
            Hand it to the office
          </Button>
          {prep.publishes && (
            <Button
              variant="contained"
              disabled={publishing.busy}
              onClick={() => void publishing.act(undefined)}
            >
              Publish it
            </Button>
          )}
        </Row>
      </Form>
      {sure ? (
        <Note kind="due">
          <p>
            What you wrote is taken back, where the office has not written since, and the runs you prepared
            are put away.
          </p>
          <Button disabled={dropping.busy} onClick={() => void dropping.act(undefined)}>
            Give it up
          </Button>{" "}
          <Button onClick={() => setSure(false)}>Keep it</Button>
        </Note>
      ) : (
        <Button variant="text" onClick={() => setSure(true)}>
          give it up
        </Button>
      )}
    </section>
  );
}

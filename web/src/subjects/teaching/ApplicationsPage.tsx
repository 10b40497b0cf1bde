import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Views } from "../../form/Views";
import { Grow, Inset, Row, Ruled, Title } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, P, T } from "../../parts/words";
import { TeachingTabs } from "./TeachingTabs";

type Application = Schemas["ApplicationOut"];
type Status = Application["status"];
type Acts = ReturnType<typeof useDone>;
const STATES: Status[] = ["new", "in talk", "accepted", "declined", "blocked"];

/** Those who would like to teach, and how far each is. */
export default function ApplicationsPage() {
  const acts = useDone();
  const [params, setParams] = useSearchParams();
  const status = STATES.find((s) => s === params.get("status")) ?? "new";
  const query = $api.useInfiniteQuery(
    "get",
    "/api/v1/applications",
    { params: { query: { status } } },
    {
      pageParamName: "before",
      initialPageParam: undefined as number | undefined,
      getNextPageParam: (last) => last.next ?? undefined,
    },
  );
  const first = query.data?.pages[0];
  if (!first) return <NotYet title="Applications" error={query.error} retry={() => void query.refetch()} />;
  const rows = query.data?.pages.flatMap((p) => p.applications) ?? [];
  return (
    <Page title="Applications to teach" margin={null} notes={<ActNotes acts={acts} />}>
      <TeachingTabs />
      <Title sx={{ margin: "12px 0 6px" }}>
        <h1>Applications to teach</h1>
        <Views
          label="Which"
          value={status}
          onChange={(value) => setParams({ status: value }, { replace: true })}
          options={STATES.map((s) => ({ value: s, text: `${s} ${first.counts[s] ?? 0}` }))}
        />
      </Title>
      <P tone="slate">
        {first.open ? (
          <>
            People apply at <a href="/apply">/apply</a>.
          </>
        ) : (
          <>
            No applications are taken just now. <Link to="/teaching/rules">Open them</Link>
          </>
        )}
      </P>
      {rows.length === 0 && <Empty as="p">Nobody is here.</Empty>}
      <Ruled>
        {rows.map((a) => (
          <Line key={a.id} application={a} acts={acts} />
        ))}
      </Ruled>
      {query.hasNextPage && <Button onClick={() => void query.fetchNextPage()}>More</Button>}
    </Page>
  );
}

function Line({ application: a, acts }: { application: Application; acts: Acts }) {
  const [open, setOpen] = useState(a.status === "new");
  const [accepting, setAccepting] = useState(false);
  const moving = useAct({
    send: (status: Status) =>
      ask(
        api.PATCH("/api/v1/applications/{application_id}", {
          params: { path: { application_id: a.id } },
          body: { status, seen: a.status },
        }),
      ),
    done: (done) => acts.say({ text: `${a.name} has moved on.`, change: done.change }),
    failed: acts.fail,
  });
  return (
    <li>
      <Row mid wrap sx={{ padding: "7px 0" }}>
        <Button variant="text" onClick={() => setOpen(!open)} aria-expanded={open}>
          {a.name}
        </Button>
        <Grow as="span">
          {a.email} {a.phone}
          {a.known && <T tone="slate">, {a.known}</T>}
        </Grow>
        <T tone="slate" nowrap>
          {day(a.made)}
        </T>
        {a.instructor_id ? (
          <Link to={`/teaching/${a.instructor_id}`}>teaches here</Link>
        ) : (
          <>
            <Choice
              label={`How far ${a.name} is`}
              unseen
              width={120}
              value={a.status}
              onChange={(value) => void moving.act(value as Status)}
              options={STATES.map((s) => ({ value: s, text: s }))}
            />
            {a.status !== "blocked" && (
              <Button onClick={() => setAccepting(true)}>Make them an instructor …</Button>
            )}
          </>
        )}
      </Row>
      {accepting && <Accept application={a} acts={acts} onClose={() => setAccepting(false)} />}
      {open && (
        <Inset sx={{ marginBottom: 10 }}>
          {a.answers.map((x) => (
            <P key={x.question}>
              <T tone="slate" as="div">
                {x.question}
              </T>
              <span style={{ whiteSpace: "pre-line" }}>{x.answer}</span>
            </P>
          ))}
          {a.notes.map((n, at) => (
            <P key={at}>
              <T tone="slate">
                {n.by}, {day(n.at)} {clock(n.at)}:
              </T>{" "}
              {n.text}
            </P>
          ))}
          <NewNote id={a.id} acts={acts} />
        </Inset>
      )}
    </li>
  );
}

function NewNote({ id, acts }: { id: number; acts: Acts }) {
  const of = useServerForm({
    draft: `application-note-${id}`,
    start: { text: "" },
    send: (body) =>
      ask(
        api.POST("/api/v1/applications/{application_id}/notes", {
          params: { path: { application_id: id } },
          body,
        }),
      ),
    done: () => acts.say({ text: "The note is kept." }),
  });
  return (
    <Form look="row" sx={{ alignItems: "flex-end" }} of={of}>
      <Field label="A note" width={380} {...of.field("text")} />
      <Button type="submit" disabled={of.busy}>
        Keep
      </Button>
    </Form>
  );
}

/** From an application to an instructor with an account, in one step. */
function Accept({
  application: a,
  acts,
  onClose,
}: {
  application: Application;
  acts: Acts;
  onClose: () => void;
}) {
  const of = useServerForm({
    draft: null,
    start: { name: a.name, invite: true },
    send: (body, key) =>
      ask(
        api.POST("/api/v1/applications/{application_id}/instructor", {
          params: { path: { application_id: a.id }, header: keyHeader(key) },
          body,
        }),
      ),
    done: (done) => {
      acts.say({
        text: `${done.instructor.name} teaches here now${done.invited ? " and is invited to a page of their own" : ""}.`,
      });
      onClose();
    },
  });
  return (
    <Form look="inset" of={of} onLeave={onClose}>
      <Field label="Name on schedules" width={230} {...of.field("name")} autoFocus />
      <Tick checked={of.values.invite} onChange={(invite) => of.set({ invite })}>
        invite them to a page of their own
      </Tick>
      <Ends of={of} act="Make them an instructor" onLeave={onClose} />
    </Form>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useKept } from "../../app/session";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { NotSaved } from "../../form/NotSaved";
import { useServerForm } from "../../form/useServerForm";
import { Crumbs, Inset, Note, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Cell, Empty, Heard, Name, P, T } from "../../parts/words";
import { WholeList } from "./InterestActs";
import { useAct } from "../../form/useAct";
import { PersonPick } from "../people/PersonPick";

type List = Schemas["InterestList"];
type Acts = ReturnType<typeof useDone>;
type Which = { run_id?: number; course_id?: number };

/** Who wants to hear when sign-up opens, of a run or between runs of a course. No enrollment. */
export default function InterestPage() {
  const [params] = useSearchParams();
  const acts = useDone();
  const which: Which = params.get("run")
    ? { run_id: Number(params.get("run")) }
    : { course_id: Number(params.get("course")) || 0 };
  const query = $api.useQuery("get", "/api/v1/interest", { params: { query: which } }, { retry: false });
  const list = query.data;
  if (!list) return <NotYet title="Interest list" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title={`Interest in ${list.title}`}
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>{list.told_at ? "They were told" : "When they are told"}</h2>
            <p>
              {list.told_at
                ? `On ${day(list.told_at)} at ${clock(list.told_at)}; the list takes no new names.`
                : list.tells_at
                  ? `All at once, on ${day(list.tells_at)} at ${clock(list.tells_at)}, by themselves${
                      list.head_start_hours ? `, ${list.head_start_hours} hours before the others` : ""
                    }.`
                  : list.run_id
                    ? "When the run is published and its sign-up opens."
                    : "When a run is planned, carry the list over to it."}
            </p>
          </section>
          {list.people.length > 0 && <WholeList list={list} which={which} acts={acts} />}
        </>
      }
    >
      <Crumbs>
        <Link to="/demand">Demand</Link> /{" "}
        {list.run_id ? (
          <>
            <Link to={`/interest?course=${list.course_id}`}>the course</Link> /{" "}
            <Link to={`/runs/${list.run_id}`}>{list.code}</Link>
          </>
        ) : (
          list.code
        )}
      </Crumbs>
      <h1>Interest in {list.title}</h1>
      <P tone="slate">{list.said}</P>
      {list.shut ? <Note kind="due">{list.shut}</Note> : <Add list={list} which={which} acts={acts} />}
      {list.people.length === 0 ? (
        <Empty as="p">
          Nobody is on this list. Whoever wants to hear when sign-up opens is put here by name.
        </Empty>
      ) : (
        <Interested list={list} which={which} acts={acts} />
      )}
      <Questions key={list.questions.join("|")} list={list} which={which} acts={acts} />
    </Page>
  );
}

/** Who is on the list, in the order in which they came. */
function Interested({ list, which, acts }: { list: List; which: Which; acts: Acts }) {
  return (
    <Table>
      <TableHead>
        <TableRow>
          <Cell right>Place</Cell>
          <Cell>Name</Cell>
          <Cell>Since</Cell>
          <Cell>Answers and note</Cell>
          <Cell>
            <Heard>Acts</Heard>
          </Cell>
        </TableRow>
      </TableHead>
      <TableBody>
        {list.people.map((p, n) => (
          <TableRow key={p.id}>
            <Cell right tone="slate">
              {n + 1}
            </Cell>
            <Cell>
              <Name strong to={`/people/${p.person_id}`}>
                {p.name}
              </Name>
              <T tone="slate" as="div">
                {p.email ?? p.phone ?? "no email"}
              </T>
            </Cell>
            <Cell nowrap>
              {day(p.joined, false)}
              {p.told && (
                <T tone="slate" as="div">
                  told
                </T>
              )}
            </Cell>
            <Cell>
              {Object.entries(p.answers).map(([q, a]) => (
                <div key={q}>
                  <T tone="slate">{q}</T> {a}
                </div>
              ))}
              {p.note && (
                <T tone="slate" as="div">
                  {p.note}
                </T>
              )}
            </Cell>
            <Cell>
              <TakeOff id={p.id} name={p.name} which={which} acts={acts} />
            </Cell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function TakeOff({ id, name, which, acts }: { id: number; name: string; which: Which; acts: Acts }) {
  const taking = useAct({
    send: () => ask(api.POST("/api/v1/interest/clear", { params: { query: which }, body: { ids: [id] } })),
    done: (done) => acts.say({ text: `${name} is off the list.`, change: done.change }),
    failed: acts.fail,
  });
  return (
    <Button variant="text" color="secondary" onClick={() => void taking.act(undefined)}>
      take off<Heard> {name}</Heard>
    </Button>
  );
}

const nameOf = (which: Which) => (which.run_id ? `run-${which.run_id}` : `course-${which.course_id}`);

function Add({ list, which, acts }: { list: List; which: Which; acts: Acts }) {
  const [added, setAdded] = useState(0);
  const [{ answers, note }, setForm, forget] = useKept(`interest-${nameOf(which)}`, {
    answers: {} as Record<string, string>,
    note: "",
  });
  const adding = useAct({
    send: (person_id: number, key) =>
      ask(
        api.POST("/api/v1/interest", {
          params: { header: keyHeader(key) },
          body: {
            ...which,
            person_id,
            note: note || null,
            answers: Object.fromEntries(Object.entries(answers).filter(([, a]) => a.trim())),
          },
        }),
      ),
    done: (done) => {
      forget();
      setAdded(added + 1);
      acts.say({ text: `${done.name} is on the list. ${done.said}`, change: done.change });
    },
    failed: acts.fail,
  });
  return (
    <Inset sx={{ marginBottom: 14 }}>
      <Row wrap>
        {list.questions.map((question) => (
          <Field
            key={question}
            label={question}
            width={240}
            value={answers[question] ?? ""}
            onChange={(text) => setForm({ note, answers: { ...answers, [question]: text } })}
          />
        ))}
        <Field label="Note" width={240} value={note} onChange={(text) => setForm({ answers, note: text })} />
      </Row>
      <Box sx={{ maxWidth: 420, marginTop: 8 }}>
        <T label as="div">
          Who wants to hear of it
        </T>
        <PersonPick
          key={added}
          label="Who wants to hear of it"
          adds={`interest-${nameOf(which)}`}
          autoFocus={added > 0}
          onPick={(id) => void adding.act(id)}
        />
      </Box>
    </Inset>
  );
}

function Questions({ list, which, acts }: { list: List; which: Which; acts: Acts }) {
  const of = useServerForm({
    draft: `questions-${nameOf(which)}`,
    start: { text: list.questions.join("\n"), hours: String(list.head_start_hours) },
    send: ({ text, hours }) => {
      const questions = text.split("\n").map((q) => q.trim());
      const head = which.run_id ? { head_start_hours: Number(hours) || 0 } : {};
      return ask(
        api.PUT("/api/v1/interest/questions", {
          params: { query: which },
          body: { questions: questions.filter(Boolean), ...head },
        }),
      );
    },
    done: ({ change }) => acts.say({ text: "The questions are saved.", change }),
  });
  return (
    <Form sx={{ marginTop: 24 }} of={of}>
      <h2>What is asked</h2>
      <Row wrap>
        <Field label="Own questions, one a line" {...of.field("text", "/questions")} multiline />
        {which.run_id !== undefined && (
          <Field
            label="Head start, in hours"
            width={150}
            {...of.field("hours", "/head_start_hours")}
            input={{ inputMode: "numeric" }}
          />
        )}
      </Row>
      {of.dirty.length > 0 && (
        <>
          <NotSaved what="the questions" then="Until then people are asked what was asked before." />
          <Ends of={of} act="Save" leave="Keep as it was" onLeave={of.forget} />
        </>
      )}
    </Form>
  );
}

import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { useForeseen } from "../../form/useForeseen";
import { Views } from "../../form/Views";
import { Asked, Crumbs, Facts, Note, Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, count, day, isZero, money } from "../../parts/text";
import { focused, useDone } from "../../parts/useUndo";
import { Empty, Fault, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";

const Calls = styled(Ruled)({
  "& > li": {
    display: "grid",
    gridTemplateColumns: "190px 96px minmax(0, 1fr) 190px",
    gap: 14,
    alignItems: "center",
    padding: "7px 0",
  },
  "& .who": { display: "flex", flexDirection: "column" },
  "& .done .phone": { color: ink.slate, fontWeight: 400 },
});

const OUTCOMES: Schemas["CallOutcome"][] = ["reached", "left word", "no answer", "wrong number"];

/** Whom to call about a meeting that falls out: phone, what was sent, what came of the call. */
export default function CallList() {
  const { id } = useParams();
  const meetingId = Number(id);
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const [notes, setNotes] = useState<Record<number, string>>({});
  const query = $api.useQuery(
    "get",
    "/api/v1/meetings/{meeting_id}/calls",
    { params: { path: { meeting_id: meetingId } } },
    { refetchInterval: 5000 },
  );
  const list = query.data;
  if (!list) return <NotYet title="Call list" error={query.error} retry={() => void query.refetch()} />;
  const attempt = async (what: Promise<unknown>) => {
    try {
      await what;
      setTrouble("");
    } catch (error) {
      setTrouble(messageOf(error));
    }
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/meetings/{meeting_id}/calls"] });
  };
  const note = (person: number, outcome: Schemas["CallOutcome"], text: string) =>
    attempt(
      ask(
        api.PUT("/api/v1/meetings/{meeting_id}/calls/{person_id}", {
          params: { path: { meeting_id: meetingId, person_id: person } },
          body: { outcome, note: text },
        }),
      ),
    );
  const open = list.people.filter((p) => p.outcome === null || p.outcome === "no answer");
  return (
    <Page
      title="Call list"
      margin={
        <>
          {trouble && (
            <Note kind="wrong" role="alert">
              {trouble}
            </Note>
          )}
          <section aria-live="polite">
            <h2>
              {open.length
                ? `${count(open.length, "person", "people")} still to call`
                : "Everybody is called"}
            </h2>
            <Facts>
              {OUTCOMES.map((o) => [
                <dt key={o}>{o}</dt>,
                <dd key={`${o}n`}>{list.people.filter((p) => p.outcome === o).length}</dd>,
              ])}
            </Facts>
          </section>
          {list.cancelled && <GiveBack meetingId={meetingId} />}
          <OfInstructor list={list} setPaid={(paid) => void attempt(setPaid(meetingId, paid))} />
        </>
      }
    >
      <Crumbs>
        <Link to={`/runs/${list.run_id}/dates`}>{list.run_code}</Link> / call list
      </Crumbs>
      <h1>
        {list.title}, {day(list.date)}
      </h1>
      <P tone="slate">
        {clock(list.start)};{" "}
        {list.cancelled ? `not held${list.why ? `: ${list.why.replace(/\.$/, "")}` : ""}` : "held"}. Who waits
        for the message may not read it in time.
      </P>
      {list.people.length === 0 && <Empty as="p">Nobody is on this run; there is nobody to call.</Empty>}
      <Calls>
        {list.people.map((p) => (
          <CallLine
            key={p.person_id}
            person={p}
            said={notes[p.person_id]}
            onSaid={(text) => setNotes({ ...notes, [p.person_id]: text })}
            onCalled={(outcome, text) => void note(p.person_id, outcome, text)}
          />
        ))}
      </Calls>
    </Page>
  );
}

type List = Schemas["CallList"];

const setPaid = (meetingId: number, paid: boolean) =>
  ask(
    api.PUT("/api/v1/meetings/{meeting_id}/paid", {
      params: { path: { meeting_id: meetingId } },
      body: { paid },
    }),
  );

/** Those who would have taught: a phone number each, and whether it is paid all the same. */
function OfInstructor({ list, setPaid }: { list: List; setPaid: (paid: boolean) => void }) {
  if (list.instructors.length === 0) return null;
  return (
    <section>
      {list.instructors.map((i) => (
        <div key={i.name}>
          <h2>{i.name}</h2>
          <p>{i.phone ?? <T tone="slate">no phone number</T>}</p>
        </div>
      ))}
      {list.cancelled && (
        <Row mid>
          <T tone="slate">Still paid?</T>
          <Views
            label="Is the teaching still paid?"
            value={list.instructor_paid === null ? null : list.instructor_paid ? "yes" : "no"}
            options={[
              { value: "yes", text: "yes" },
              { value: "no", text: "no" },
            ]}
            onChange={(answer) => setPaid(answer === "yes")}
          />
        </Row>
      )}
    </section>
  );
}

/** Somebody to call: how, what was sent, what came of the call. */
function CallLine({
  person: p,
  said,
  onSaid,
  onCalled,
}: {
  person: List["people"][number];
  /** What is typed and not kept yet. */
  said: string | undefined;
  onSaid: (text: string) => void;
  onCalled: (outcome: Schemas["CallOutcome"], note: string) => void;
}) {
  return (
    <li className={p.outcome === "reached" ? "done" : ""}>
      <span className="who">
        <Link to={`/people/${p.person_id}`}>{p.name}</Link>
        <T tone="slate">{p.message ? `message ${p.message}` : p.email ? "no message" : "no email"}</T>
      </span>
      <strong className="phone">{p.phone ?? <T tone="slate">no phone</T>}</strong>
      <Views
        label={`The call to ${p.name}`}
        value={p.outcome}
        options={OUTCOMES.map((o) => ({ value: o, text: o }))}
        onChange={(o) => onCalled(o, said ?? p.note)}
      />
      <Field
        label={`What ${p.name} said`}
        unseen
        placeholder="what they said"
        value={said ?? p.note}
        onChange={(text) => onSaid(text)}
        onBlur={() => {
          if (said !== undefined && said !== p.note) onCalled(p.outcome ?? "reached", said);
        }}
      />
    </li>
  );
}

/** What the meeting was worth to everybody on the run: shown first, then given back. */
function GiveBack({ meetingId }: { meetingId: number }) {
  const acts = useDone();
  const [open, setOpen] = useState(false);
  const path = { meeting_id: meetingId };
  const giving = useForeseen({
    name: ["give-back", meetingId],
    wish: {},
    see: () =>
      ask(
        api.POST("/api/v1/meetings/{meeting_id}/give-back", {
          params: { path, query: { preview: true } },
          body: {},
        }),
      ),
    send: (_, key, { total }) =>
      ask(
        api.POST("/api/v1/meetings/{meeting_id}/give-back", {
          params: { path, header: keyHeader(key) },
          body: { total },
        }),
      ),
    done: (done) => {
      setOpen(false);
      acts.say({
        text: `${money(done.total, done.currency)} given back to ${count(done.people.length, "sign-up")}.`,
        change: done.change,
      });
    },
  });
  const found = giving.preview;
  return (
    <section>
      <h2>Money for this meeting</h2>
      <ActNotes acts={acts} />
      {!found ? (
        <P tone="slate">{giving.trouble ? messageOf(giving.trouble) : "Working it out …"}</P>
      ) : !open ? (
        <>
          <p>
            It was worth{" "}
            <T tone="copper" as="strong">
              {money(found.total, found.currency)}
            </T>{" "}
            to {count(found.people.length, "sign-up")}: each price shared among all planned meetings by their
            length.
          </p>
          <Button onClick={() => setOpen(true)}>Give it back</Button>
        </>
      ) : (
        <Note kind="due">
          <P strong>Give {money(found.total, found.currency)} back?</P>
          <Facts scrolls>
            {found.people.map((p, n) => [
              <dt key={`${n}t`}>
                <Link to={`/accounts/${p.account_id}`}>{p.name}</Link>
              </dt>,
              <dd key={`${n}d`}>{money(p.amount, found.currency)}</dd>,
              <dd key={`${n}w`} className="why">
                {isZero(p.credit)
                  ? "off what is still owed"
                  : p.credit === p.amount
                    ? "becomes credit"
                    : `${money(p.credit, found.currency)} becomes credit, the rest comes off what is owed`}
              </dd>,
            ])}
          </Facts>
          {giving.trouble != null && <Fault as="p">{messageOf(giving.trouble)}</Fault>}
          <Asked>
            <Button
              variant="contained"
              disabled={!giving.ready}
              onClick={() => void giving.act()}
              ref={focused}
            >
              Give it back
            </Button>
            <Button onClick={() => setOpen(false)}>Leave it</Button>
          </Asked>
        </Note>
      )}
    </section>
  );
}

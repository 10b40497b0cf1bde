import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { FileButton } from "../../form/FileButton";
import { useAct } from "../../form/useAct";
import { Crumbs, Facts, Inset, Part, Row, Ruled, Title } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { day, isZero, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Fault, P, T } from "../../parts/words";
import { Busy } from "../schedule/Busy";
import { FeedAddress } from "../schedule/FeedAddress";
import { hoursText } from "./hours";
import { InstructorForm } from "./InstructorForm";
import { Marks } from "./Marks";
import { MergeInstructor } from "./MergeInstructor";
import { Requests } from "./Requests";
import { Week } from "./Week";

type Instructor = Schemas["InstructorOut"];
type Acts = ReturnType<typeof useDone>;

/** One instructor: the week, what they can teach, what learners say, what they are paid. */
export default function InstructorPage() {
  const id = Number(useParams().id);
  const acts = useDone();
  const [params, setParams] = useSearchParams();
  const [changing, setChanging] = useState(false);
  const query = $api.useQuery("get", "/api/v1/instructors/{instructor_id}", {
    params: { path: { instructor_id: id } },
  });
  const i = query.data;
  if (!i) return <NotYet title="Instructor" error={query.error} retry={() => void query.refetch()} />;
  const monday = params.get("week") ?? undefined;
  return (
    <Page
      title={i.name}
      margin={
        <>
          <ActNotes acts={acts} />
          <Statement instructor={i} />
          <Picture instructor={i} acts={acts} />
          <OwnPage instructor={i} acts={acts} />
          <MergeInstructor instructor={i} acts={acts} />
        </>
      }
    >
      <Crumbs>
        <Link to="/teaching">Instructors</Link> / {i.name}
      </Crumbs>
      <Title>
        <div>
          <h1>{i.name}</h1>
          <T tone="slate">
            {i.full_name !== i.name && `${i.full_name}, `}
            {i.employment}, {[i.email, i.phone].filter(Boolean).join(", ") || "no email and no phone"}
            {!i.active && ", does not teach here any more"}
          </T>
        </div>
        <Row>
          <Button component={Link} to={`/teaching/cover?who=${i.id}`}>
            Away: find cover
          </Button>
          <Button variant="contained" onClick={() => setChanging(true)} disabled={changing}>
            Change
          </Button>
        </Row>
      </Title>
      {changing ? (
        <InstructorForm
          instructor={i}
          onSaved={(saved) => {
            acts.say({ text: `${saved.name} is saved.` });
            setChanging(false);
          }}
          onClose={() => setChanging(false)}
        />
      ) : (
        <Row wrap sx={{ gap: "4px 28px" }}>
          <Known label="Can teach">
            {i.qualifications.length === 0 ? (
              <T tone="ochre">nothing is written down</T>
            ) : (
              i.qualifications
                .map(
                  (q) =>
                    `${q.course ?? `all of ${q.category}`}${q.level === "assists" ? ", as an assistant" : ""}`,
                )
                .join("; ")
            )}
          </Known>
          <Known label="When">{hoursText(i.hours)}</Known>
          <Known label="Most hours a week">{i.most_hours ?? "no limit"}</Known>
          <Known label="Usually paid">
            {i.pay ? <T tone="copper">{i.pay.text}</T> : "agreed for each run"}
          </Known>
        </Row>
      )}
      <Part as="div" sx={{ marginTop: 14 }}>
        <h2>Week</h2>
        <div>
          <Week id={i.id} monday={monday} onWeek={(week) => setParams({ week }, { replace: true })} />
        </div>
      </Part>
      <Part as="div">
        <h2>Absences</h2>
        <div>
          <Busy kind="instructor" owner={i} acts={acts} />
          <P sx={{ marginTop: 8 }}>
            <FeedAddress kind="instructor" id={i.id} />
          </P>
        </div>
      </Part>
      <Evaluations id={i.id} />
      <Part as="div">
        <h2>Pay requests</h2>
        <div>
          <Requests instructorId={i.id} acts={acts} />
        </div>
      </Part>
      {i.biography && (
        <Part as="div">
          <h2>Biography</h2>
          <P sx={{ whiteSpace: "pre-line", maxWidth: "60ch" }}>{i.biography}</P>
        </Part>
      )}
    </Page>
  );
}

function Known({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div>
      <T label as="div">
        {label}
      </T>
      {children}
    </div>
  );
}

/** What somebody was paid, what is asked for, and what is still to be asked for. */
function Statement({ instructor: i }: { instructor: Instructor }) {
  const { data: s } = $api.useQuery("get", "/api/v1/instructors/{instructor_id}/statement", {
    params: { path: { instructor_id: i.id } },
  });
  if (!s) return null;
  return (
    <section>
      <h2>Paid and to be paid</h2>
      <Facts>
        <dt>Paid</dt>
        <dd>{money(s.paid, s.currency)}</dd>
        <dt>Asked for, not paid yet</dt>
        <dd>{money(s.asked, s.currency)}</dd>
        <dt>Not asked for yet</dt>
        <dd>{money(s.not_asked, s.currency)}</dd>
        {s.open.map((r) => [
          <dd className="why" key={r.run_id}>
            <Link to={`/runs/${r.run_id}/teaching`}>{r.run_code}</Link>: {money(r.due, s.currency)}
            {!isZero(r.requested) && `, ${money(r.requested, s.currency)} asked for before`}
          </dd>,
        ])}
      </Facts>
      <P sx={{ marginTop: 8 }}>
        Statement:{" "}
        {["pdf", "csv", "xlsx"].map((kind, n) => (
          <span key={kind}>
            {n > 0 && ", "}
            <a href={`/api/v1/instructors/${i.id}/statement/statement.${kind}`}>{kind.toUpperCase()}</a>
          </span>
        ))}
      </P>
    </section>
  );
}

/** The picture that stands where their runs are. */
function Picture({ instructor: i, acts }: { instructor: Instructor; acts: Acts }) {
  const queries = useQueryClient();
  const [stamp, setStamp] = useState(0);
  const [fault, setFault] = useState("");
  const path = `/api/v1/instructors/${i.id}/picture`;
  const put = async (file: File | undefined) => {
    if (!file) return;
    const body = new FormData();
    body.append("file", file);
    const answer = await fetch(path, { method: "PUT", body });
    const said = (await answer.json()) as { detail?: string; change: string };
    setFault(answer.ok ? "" : (said.detail ?? "The picture could not be taken."));
    if (answer.ok) acts.say({ text: "The picture is kept." });
    setStamp((n) => n + 1);
    void queries.invalidateQueries();
  };
  const removing = useAct({
    send: () =>
      ask(
        api.DELETE("/api/v1/instructors/{instructor_id}/picture", {
          params: { path: { instructor_id: i.id } },
        }),
      ),
    done: () => acts.say({ text: "The picture is taken out." }),
    failed: acts.fail,
  });
  return (
    <section>
      <h2>Picture</h2>
      {i.picture && (
        <img
          src={`${path}.jpg?${stamp}`}
          alt={i.full_name}
          style={{ maxWidth: 140, maxHeight: 140, display: "block", marginBottom: 8 }}
        />
      )}
      <Row wrap mid>
        <FileButton
          label="The picture file"
          text={i.picture ? "another picture" : "a picture"}
          accept="image/jpeg,image/png,image/webp"
          onFile={(file) => void put(file)}
        />
        {i.picture && (
          <Button variant="text" color="secondary" onClick={() => void removing.act(undefined)}>
            take out
          </Button>
        )}
      </Row>
      {fault && <Fault role="alert">{fault}</Fault>}
    </section>
  );
}

/** Whether they have a page of their own, and the way to the person they are. */
function OwnPage({ instructor: i, acts }: { instructor: Instructor; acts: Acts }) {
  const inviting = useAct({
    send: (_: undefined, key) =>
      ask(
        api.POST("/api/v1/people/{person_id}/own-page", {
          params: { path: { person_id: i.person_id }, header: { "Idempotency-Key": key } },
        }),
      ),
    done: () => acts.say({ text: `${i.name} is invited to a page of their own.` }),
    failed: acts.fail,
  });
  return (
    <section>
      <h2>Their own page</h2>
      <P tone="slate">
        {i.has_page
          ? "They sign in at /own and find meetings, rosters and their statement there."
          : "With a page of their own they see meetings and rosters, mark attendance and say when they are away."}
      </P>
      <Row wrap mid>
        {!i.has_page && (
          <Button onClick={() => void inviting.act(undefined)} disabled={inviting.busy}>
            Invite them
          </Button>
        )}
        <Link to={`/people/${i.person_id}`}>{i.full_name} among people</Link>
      </Row>
    </section>
  );
}

/** What learners said, with counts and spread; and how it moved over the years. */
function Evaluations({ id }: { id: number }) {
  const [words, setWords] = useState(false);
  const { data: e } = $api.useQuery("get", "/api/v1/instructors/{instructor_id}/evaluations", {
    params: { path: { instructor_id: id } },
  });
  if (!e) return null;
  return (
    <Part as="div">
      <h2>Learners say</h2>
      <div>
        <Marks marks={e.marks} /> {e.trend && <T tone="slate">, {e.trend}</T>}
        <Row wrap sx={{ gap: "4px 34px", marginTop: 6 }}>
          <Ruled sx={{ minWidth: 320 }}>
            {e.by_question.map((q) => (
              <Row as="li" between key={q.question} sx={{ padding: "4px 0" }}>
                <span>{q.question}</span>
                <Marks marks={q.marks} />
              </Row>
            ))}
          </Ruled>
          <Ruled sx={{ minWidth: 240 }}>
            {e.by_year.map((y) => (
              <Row as="li" between key={y.year} sx={{ padding: "4px 0" }}>
                <strong>{y.year}</strong>
                <Marks marks={y.marks} />
              </Row>
            ))}
          </Ruled>
        </Row>
        {e.words.length > 0 && (
          <Button variant="text" onClick={() => setWords(!words)} aria-expanded={words}>
            {words ? "Hide what they wrote" : "What they wrote"}
          </Button>
        )}
        {words &&
          e.words.map((r) => (
            <Inset key={r.run_code}>
              <T tone="slate">
                {r.run_code}, {day(r.day)}
              </T>
              {r.words.map((w, n) => (
                <p key={n}>{w}</p>
              ))}
            </Inset>
          ))}
      </div>
    </Part>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, asTyped, messageOf, type Schemas, ServerProblem } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Views } from "../../form/Views";
import { Gatelet } from "../../parts/Arch";
import { addDays } from "../../parts/dates";
import { Loading, Note, OnePage, Row } from "../../parts/layout";
import { clock, count, day, isZero, length, money } from "../../parts/text";
import { P, T } from "../../parts/words";
import { OwnSignIn } from "../access/OwnPage";
import { hoursText } from "./hours";
import { HoursFields } from "./HoursFields";
import { Marks } from "./Marks";
import { OwnCourses } from "./OwnCourses";
import { OwnRoster } from "./OwnRoster";

type Own = Schemas["OwnTeaching"];
const VIEWS = [
  ["meetings", "Meetings"],
  ["rosters", "Rosters"],
  ["courses", "Courses"],
  ["time", "Time"],
  ["pay", "Pay"],
  ["said", "Learners say"],
] as const;

/** An instructor's own page: next meetings, rosters and attendance, availability, statement, what learners say. */
export default function OwnTeaching() {
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const query = $api.useQuery("get", "/api/v1/own/teaching", {}, { retry: false });
  const own = query.error ? undefined : query.data;
  useEffect(() => {
    document.title = own ? `${own.name}, teaching` : "Your teaching";
  }, [own]);
  const problem = query.error instanceof ServerProblem ? query.error : null;
  if (problem?.status === 401)
    return (
      <OwnSignIn onDone={() => void queries.resetQueries({ queryKey: ["get", "/api/v1/own/teaching"] })} />
    );
  const at = VIEWS.find(([v]) => v === params.get("at"))?.[0] ?? "meetings";
  const runId = Number(params.get("run")) || null;
  return (
    <OnePage sx={{ maxWidth: 640 }}>
      <P tone="slate">
        <Gatelet done width={20} /> Teaching
      </P>
      {query.error ? (
        <>
          <Note kind="wrong" role="alert">
            {messageOf(query.error)}
          </Note>
          <Link to="/own">To your courses</Link>
        </>
      ) : !own ? (
        <Loading />
      ) : (
        <>
          <h1>{own.name}</h1>
          <Views
            label="Parts of your page"
            value={at}
            onChange={(value) => setParams({ at: value })}
            options={VIEWS.map(([value, text]) => ({ value, text }))}
            sx={{
              maxWidth: "100%",
              "& .MuiToggleButton-root": {
                minHeight: 40,
                "@media (max-width: 480px)": { padding: "4px", fontSize: 13, flex: "1 1 auto", minWidth: 0 },
              },
            }}
          />
          {at === "meetings" && (
            <Meetings own={own} onRoster={(run) => setParams({ at: "rosters", run: String(run) })} />
          )}
          {at === "rosters" && (
            <Rosters own={own} run={runId} onRun={(run) => setParams({ at: "rosters", run: String(run) })} />
          )}
          {at === "courses" && (
            <OwnCourses
              at={Number(params.get("preparation")) || null}
              onOpen={(id) => setParams({ at: "courses", ...(id !== null && { preparation: String(id) }) })}
            />
          )}
          {at === "time" && <Time own={own} />}
          {at === "pay" && <Pay own={own} />}
          {at === "said" && <Said own={own} />}
          <Foot />
        </>
      )}
    </OnePage>
  );
}

function Foot() {
  const queries = useQueryClient();
  const out = async () => {
    await ask(api.DELETE("/api/v1/own/session"));
    await queries.resetQueries();
  };
  return (
    <section>
      <Row mid>
        <Link to="/own">Courses you take yourself</Link>
        <Button onClick={() => void out()}>Sign out</Button>
      </Row>
    </section>
  );
}

function Meetings({ own, onRoster }: { own: Own; onRoster: (run: number) => void }) {
  return (
    <section>
      <h2>Next meetings</h2>
      {own.meetings.length === 0 && <p>Nothing is ahead.</p>}
      <ul>
        {own.meetings.map((m) => (
          <li key={m.meeting_id}>
            <T strong>{day(m.start)}</T>, {clock(m.start)}, {length(m.minutes)}
            {m.part !== "lead" && ` as ${m.part}`}
            <div>
              {m.title}{" "}
              {own.rights.rosters ? (
                <Button
                  variant="text"
                  onClick={() => onRoster(m.run_id)}
                  sx={{ "&&": { margin: 0, minHeight: 0 } }}
                >
                  {count(m.taken, "learner")}
                </Button>
              ) : (
                <T tone="slate">{count(m.taken, "learner")}</T>
              )}
            </div>
            <T tone="slate" as="div">
              {[m.place, m.address].filter(Boolean).join(", ")}
              {m.online && <a href={m.online}>the link</a>}
            </T>
          </li>
        ))}
      </ul>
      <Feed />
    </section>
  );
}

/** One's own calendar to subscribe to. */
function Feed() {
  const [path, setPath] = useState("");
  const asking = useAct({
    send: (renew: boolean) => ask(api.POST("/api/v1/own/teaching/feed", { params: { query: { renew } } })),
    done: (feed) => setPath(feed.path),
    failed: setPath,
  });
  if (!path) return <Button onClick={() => void asking.act(false)}>Calendar to subscribe to</Button>;
  return (
    <>
      <Field
        label="Address of your calendar; whoever knows it can read it"
        width="100%"
        value={window.location.origin + path}
        onChange={() => undefined}
        input={{ readOnly: true }}
      />
      <Button onClick={() => void asking.act(true)}>A new address; the old one ends</Button>
    </>
  );
}

function Rosters({ own, run, onRun }: { own: Own; run: number | null; onRun: (run: number) => void }) {
  if (!own.rights.rosters)
    return <P sx={{ marginTop: 14 }}>The office keeps the rosters; please ask there.</P>;
  if (run !== null) return <OwnRoster runId={run} />;
  return (
    <section>
      <h2>Your runs</h2>
      {own.runs.length === 0 && <p>You teach no run now.</p>}
      <ul>
        {own.runs.map((r) => (
          <li key={r.run_id}>
            <Button onClick={() => onRun(r.run_id)}>
              {r.title}, {r.code}
            </Button>
            <T tone="slate" as="div">
              {day(r.first)} to {day(r.last)}, {count(r.taken, "learner")}
            </T>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Time({ own }: { own: Own }) {
  const queries = useQueryClient();
  const after = () => void queries.invalidateQueries({ queryKey: ["get", "/api/v1/own/teaching"] });
  const dropping = useAct({
    send: (id: number) =>
      ask(api.DELETE("/api/v1/own/teaching/absences/{busy_id}", { params: { path: { busy_id: id } } })),
    done: after,
    failed: () => after(),
  });
  const may = own.rights.availability;
  return (
    <>
      <section>
        <h2>When you are away</h2>
        {own.absences.length === 0 && <p>Nothing is written down.</p>}
        <ul>
          {own.absences.map((b) => {
            const last = b.all_day ? addDays(b.end.slice(0, 10), -1) : b.end.slice(0, 10);
            return (
              <li key={b.id}>
                {day(b.start)}
                {last !== b.start.slice(0, 10) && ` through ${day(last)}`}
                {!b.all_day && `, ${clock(b.start)} to ${clock(b.end)}`} <T tone="slate">{b.label}</T>{" "}
                {may && (
                  <Button
                    variant="text"
                    onClick={() => void dropping.act(b.id)}
                    sx={{ "&&": { margin: 0, minHeight: 0 } }}
                    aria-label={`Take out ${b.label} on ${day(b.start)}`}
                  >
                    take out
                  </Button>
                )}
              </li>
            );
          })}
        </ul>
        {may ? <Away onSaved={after} /> : <p>The office writes absences down; please call.</p>}
      </section>
      <section>
        <h2>Weekly hours</h2>
        {may ? <MyHours own={own} onSaved={after} /> : <p>{hoursText(own.hours)}</p>}
      </section>
      <section>
        <h2>Biography</h2>
        {own.rights.biography ? (
          <Biography own={own} onSaved={after} />
        ) : (
          <p>{own.biography || "None yet."}</p>
        )}
      </section>
    </>
  );
}

function Away({ onSaved }: { onSaved: () => void }) {
  const of = useServerForm({
    draft: "own-absence",
    start: { from: "", through: "", label: "" },
    send: (form) =>
      ask(
        api.POST("/api/v1/own/teaching/absences", {
          body: asTyped<"BusyCommand">({
            from: form.from || null,
            through: form.through || null,
            label: form.label,
          }),
        }),
      ),
    done: onSaved,
  });
  return (
    <Form of={of}>
      <Row wrap>
        <Field label="Away from" type="date" width={160} {...of.field("from")} />
        <Field label="through" type="date" width={160} {...of.field("through")} />
      </Row>
      <Field width="100%" label="Why, if you like" {...of.field("label")} />
      <Button type="submit" disabled={of.busy}>
        Say that you are away
      </Button>
    </Form>
  );
}

function MyHours({ own, onSaved }: { own: Own; onSaved: () => void }) {
  const of = useServerForm({
    draft: "own-hours",
    start: { hours: own.hours },
    send: (body) => ask(api.PUT("/api/v1/own/teaching/hours", { body })),
    done: onSaved,
  });
  return (
    <Form of={of}>
      {of.values.hours.length === 0 && <p>At any time.</p>}
      <HoursFields hours={of.values.hours} onChange={(hours) => of.set({ hours })} faults={of.faults} />
      {of.dirty.length > 0 && (
        <Button type="submit" variant="contained" disabled={of.busy}>
          Save the hours
        </Button>
      )}
    </Form>
  );
}

function Biography({ own, onSaved }: { own: Own; onSaved: () => void }) {
  const of = useServerForm({
    draft: "own-biography",
    start: { biography: own.biography },
    send: (body) => ask(api.PUT("/api/v1/own/teaching/biography", { body })),
    done: onSaved,
  });
  return (
    <Form of={of}>
      <Field width="100%" label="Shown where your runs are" multiline {...of.field("biography")} />
      {of.dirty.length > 0 && (
        <Button type="submit" variant="contained" disabled={of.busy}>
          Save
        </Button>
      )}
    </Form>
  );
}

function Pay({ own }: { own: Own }) {
  const s = own.statement;
  return (
    <section>
      <h2>Paid and to be paid</h2>
      <p>
        Paid <strong>{money(s.paid, s.currency)}</strong>; asked for and not paid yet{" "}
        <strong>{money(s.asked, s.currency)}</strong>; not asked for yet{" "}
        <strong>{money(s.not_asked, s.currency)}</strong>.
      </p>
      <ul>
        {s.requests.map((r) => (
          <li key={r.id}>
            <strong>{r.number}</strong>, {money(r.total, r.currency)},{" "}
            {r.paid_on ? `paid ${day(r.paid_on)}` : <T tone="ochre">not paid yet</T>}
          </li>
        ))}
        {s.open.map((r) => (
          <li key={r.run_id}>
            {r.run_code}, {money(r.due, s.currency)} <T tone="slate">so far, not asked for yet</T>
          </li>
        ))}
      </ul>
      {s.requests.length === 0 && isZero(s.not_asked) && <p>Nothing yet.</p>}
      <p>
        <a href="/api/v1/own/teaching/statement/statement.pdf">Statement as PDF</a>
      </p>
      {own.agreements.length > 0 && (
        <>
          <h2>Agreements</h2>
          <ul>
            {own.agreements.map((a) => (
              <li key={a.id}>
                <a href={`/api/v1/own/teaching/agreements/${a.id}.pdf`}>
                  {a.run_code}, version {a.version}
                </a>{" "}
                <T tone="slate">{a.status === "signed" ? `signed ${day(a.signed_on)}` : a.status}</T>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

function Said({ own }: { own: Own }) {
  const e = own.evaluations;
  return (
    <section>
      <h2>Learners say</h2>
      <p>
        <Marks marks={e.marks} /> {e.trend && <T tone="slate">, {e.trend}</T>}
      </p>
      <ul>
        {e.by_question.map((q) => (
          <li key={q.question}>
            {q.question}
            <Box>
              <Marks marks={q.marks} />
            </Box>
          </li>
        ))}
        {e.by_year.map((y) => (
          <li key={y.year}>
            {y.year}: <Marks marks={y.marks} />
          </li>
        ))}
      </ul>
      {e.words.map((r) => (
        <div key={r.run_code}>
          <T tone="slate">{r.run_code}</T>
          {r.words.map((w, n) => (
            <p key={n}>{w}</p>
          ))}
        </div>
      ))}
    </section>
  );
}

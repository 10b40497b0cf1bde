import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask, type Schemas, ServerProblem } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Crumbs, Grow, Note, Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count, day, isZero, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Name, P, T } from "../../parts/words";
import { KeptList } from "../fees/QuotesPage";
import { Log } from "../log/Log";
import { Reminders } from "../today/Reminders";
import { Kinds } from "./Kinds";
import { MergePerson, Messages } from "./MergePerson";
import { OwnPageCard } from "./OwnPageCard";
import { useAct } from "../../form/useAct";
import { hasDraft } from "../../form/drafts";

type Person = Schemas["PersonPage"];

/** The way to a person's account, where a payment is taken; it is made when first opened. */
function AccountLink({ personId, acts }: { personId: number; acts: ReturnType<typeof useDone> }) {
  const go = useNavigate();
  const opening = useAct({
    send: () => ask(api.POST("/api/v1/accounts", { body: { person_id: personId } })),
    done: (account) => void go(`/accounts/${account.id}`),
    failed: acts.fail,
  });
  return <Button onClick={() => void opening.act(undefined)}>Account, or take a payment</Button>;
}

/** Quotes that stand for this person. */
function Kept({ personId, acts }: { personId: number; acts: ReturnType<typeof useDone> }) {
  const query = $api.useQuery("get", "/api/v1/quotes", { params: { query: { person_id: personId } } });
  if (!query.data?.length) return null;
  return (
    <Part as="div">
      <h2>Kept quotes</h2>
      <KeptList quotes={query.data} acts={acts} />
    </Part>
  );
}

/** One person: runs, places in line, what is owed, notes and the log. */
export default function PersonPage() {
  const id = Number(useParams().id);
  const acts = useDone();
  const pulse = usePulse(null, 20);
  const go = useNavigate();
  const query = $api.useQuery("get", "/api/v1/people/{person_id}", { params: { path: { person_id: id } } });
  const person = query.data;
  if (!person) return <NotYet title="Person" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page
      title={person.name}
      margin={
        <>
          <News pulse={pulse} />
          <ActNotes acts={acts} />
          <Owed person={person} acts={acts} />
          <section>
            <h2>Reminders</h2>
            <Reminders about={{ person_id: person.id }} />
          </section>
          <OwnPageCard person={person} acts={acts} />
          <MergePerson person={person} acts={acts} />
          <section>
            <h2>On the phone</h2>
            <Button
              variant="contained"
              onClick={() => {
                void go(`/desk?person=${person.id}`);
              }}
            >
              Enroll at the desk
            </Button>
          </section>
        </>
      }
    >
      <Crumbs>
        <Link to="/people">People</Link> / {person.name}
      </Crumbs>
      <h1>{person.name}</h1>
      {person.merged_into_id !== null && (
        <Note kind="due">
          This second record was merged; everything is on{" "}
          <Link to={`/people/${person.merged_into_id}`}>the kept one</Link>.
        </Note>
      )}
      {person.instructor_id !== null && (
        <p>
          Teaches here: <Link to={`/teaching/${person.instructor_id}`}>their week, pay and papers</Link>.
        </p>
      )}
      <Contact person={person} acts={acts} />
      <Box sx={{ margin: "14px 0" }}>
        <Kinds person={person} acts={acts} />
      </Box>
      <Runs person={person} />
      <Kept personId={person.id} acts={acts} />
      <Part as="div">
        <h2>Notes</h2>
        <Notes person={person} acts={acts} />
      </Part>
      <Messages personId={person.id} />
      <Part as="div">
        <h2>Log</h2>
        <Log of="person" id={person.id} acts={acts} />
      </Part>
    </Page>
  );
}

/** What somebody owes, and by when. */
function Owed({ person, acts }: { person: Person; acts: ReturnType<typeof useDone> }) {
  const me = useMe();
  return (
    <section>
      <h2>Owed</h2>
      {person.owed ? (
        <>
          <T big tone="copper" as="div">
            {money(person.owed, person.currency)}
          </T>
          {person.next_due && (
            <p>
              The next {money(person.next_due.amount, person.currency)}{" "}
              {person.next_due.due < me.today ? (
                <T tone="ochre" as="strong">
                  has been due since {day(person.next_due.due)}
                </T>
              ) : (
                `is due by ${day(person.next_due.due)}`
              )}
              .
            </p>
          )}
        </>
      ) : person.credit ? (
        <p>
          Nothing; there is a credit of <strong>{money(person.credit, person.currency)}</strong>.
        </p>
      ) : (
        <P tone="slate">Nothing on this person’s own account.</P>
      )}
      <AccountLink personId={person.id} acts={acts} />
    </section>
  );
}

/** The runs somebody is on, waits for and was on. */
function Runs({ person }: { person: Person }) {
  const me = useMe();
  const live = person.enrollments.filter((e) => HOLDS.includes(e.status));
  const over = live.filter((e) => e.last !== null && e.last < me.today);
  const coming = live.filter((e) => !over.includes(e) && e.first !== null && e.first > me.today);
  const now = live.filter((e) => !over.includes(e) && !coming.includes(e));
  const gone = person.enrollments.filter((e) => !HOLDS.includes(e.status));
  const parts = [
    { heading: "Now", runs: now },
    { heading: "Coming", runs: coming },
  ].filter((p) => p.runs.length > 0);
  const past = [
    { text: `${count(over.length, "run")} that ${over.length === 1 ? "is" : "are"} over`, runs: over },
    { text: count(gone.length, "sign-up that ended", "sign-ups that ended"), runs: gone },
  ].filter((p) => p.runs.length > 0);
  return (
    <Part as="div">
      <h2>Runs</h2>
      <div>
        {parts.length === 0 && <P tone="slate">On no run now, and on none to come.</P>}
        {parts.map((p) => (
          <div key={p.heading}>
            <T label as="div">
              {p.heading}
            </T>
            {p.runs.map((e) => (
              <RunLine key={e.enrollment_id} e={e} />
            ))}
          </div>
        ))}
        {person.waiting.map((w) => (
          <p key={w.waiting_id}>
            <T tone="ochre" strong>
              Waits
            </T>{" "}
            for <Link to={`/runs/${w.run_id}/roster`}>{w.title}</Link>{" "}
            <T tone="slate">
              {w.code}, number {w.place} in line{w.heads > 1 ? ` for ${w.heads} seats` : ""}, since{" "}
              {day(w.joined, false)}
            </T>
          </p>
        ))}
        {past.map((p) => (
          <details key={p.text}>
            <T tone="slate" as="summary">
              {p.text}
            </T>
            {p.runs.map((e) => (
              <RunLine key={e.enrollment_id} e={e} />
            ))}
          </details>
        ))}
      </div>
    </Part>
  );
}

function RunLine({ e }: { e: Person["enrollments"][number] }) {
  const me = useMe();
  const over = e.next_due !== null && e.next_due.due < me.today;
  return (
    <Row sx={{ padding: "6px 0", borderBottom: "1px solid var(--ag-palette-line)" }}>
      <Grow as="span">
        <Name strong to={`/runs/${e.run_id}/roster`}>
          {e.title}
        </Name>{" "}
        <T tone="slate">{e.code}</T>
        {e.role !== "learner" && (
          <T tone="ochre" strong>
            {" "}
            {e.role}
          </T>
        )}
        <T tone="slate" as="div">
          {e.first && day(e.first, e.first.slice(0, 4) !== me.today.slice(0, 4))}
          {e.last && e.last !== e.first && ` to ${day(e.last, e.last.slice(0, 4) !== me.today.slice(0, 4))}`}
          {e.heads > 1 && `; ${e.heads} seats`}
          {e.guest && "; in somebody else’s party"}
          {e.payer && `; pays: ${e.payer}`}
          {e.status !== "seated" && `; ${e.status}`}
          {e.status === "seated" &&
            (!e.last || e.last >= me.today) &&
            `; ${e.decision === "undecided" ? "not decided" : e.decision}`}
          {e.status === "seated" && e.access_until && `; access through ${day(e.access_until)}`}
        </T>
      </Grow>
      <T right nowrap>
        {money(e.total, e.currency)}
        <T as="div" tone={over ? "ochre" : "slate"}>
          {isZero(e.owed)
            ? "nothing open"
            : `${money(e.owed, e.currency)} open${e.next_due ? `, ${money(e.next_due.amount, e.currency)} ${over ? "due since" : "by"} ${day(e.next_due.due, false)}` : ""}`}
        </T>
      </T>
    </Row>
  );
}

const HOLDS = ["seated", "held"];
const NAMES = ["given", "family", "email", "phone", "note", "health"] as const;

type Names = Record<(typeof NAMES)[number], string>;
const namesOf = (person: Person): Names => ({
  given: person.given,
  family: person.family,
  email: person.email ?? "",
  phone: person.phone ?? "",
  note: person.note,
  health: person.health,
});

function Contact({ person, acts }: { person: Person; acts: ReturnType<typeof useDone> }) {
  const [open, setOpen] = useState(hasDraft(`person-${person.id}`));
  if (open) return <ContactForm person={person} acts={acts} onClose={() => setOpen(false)} />;
  return (
    <Box sx={{ margin: "2px 0 16px" }}>
      <P sx={{ margin: 0 }}>
        {[person.email ?? "no email", person.phone ?? "no phone"].join(", ")}{" "}
        <Button variant="text" onClick={() => setOpen(true)}>
          change
        </Button>
      </P>
      {person.numbers.map((n) => (
        <P tone="slate" key={n.number} sx={{ margin: 0 }}>
          {n.organization}, number {n.number}
          {n.department && `, ${n.department}`}
        </P>
      ))}
      {person.note && <P tone="slate">{person.note}</P>}
      {person.health && (
        <P sx={{ margin: 0 }}>
          <T tone="ochre" strong>
            Health
          </T>{" "}
          {person.health}
        </P>
      )}
    </Box>
  );
}

/** Name and ways to reach somebody; what somebody else changed meanwhile is said, and stands unless one saves again. */
function ContactForm({
  person,
  acts,
  onClose,
}: {
  person: Person;
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const [over, setOver] = useState<Partial<Names>>({});
  const of = useServerForm({
    draft: `person-${person.id}`,
    start: namesOf(person),
    send: async (form, _, how) => {
      const seen = { ...how.seen, ...over };
      const changed = NAMES.filter((n) => form[n] !== seen[n]);
      if (changed.length === 0) return null;
      const held = (n: (typeof NAMES)[number]) => seen[n] || (n === "email" || n === "phone" ? null : "");
      try {
        return await ask(
          api.PATCH("/api/v1/people/{person_id}", {
            params: { path: { person_id: person.id } },
            body: {
              seen: Object.fromEntries(changed.map((n) => [n, held(n)])),
              set: Object.fromEntries(changed.map((n) => [n, form[n]])),
            },
          }),
        );
      } catch (error) {
        if (!(error instanceof ServerProblem) || error.kind !== "changed-meanwhile") throw error;
        const both = Object.entries(error.extra.fields as Record<string, { now: string | null }>);
        setOver({ ...over, ...Object.fromEntries(both.map(([n, b]) => [n, b.now ?? ""])) });
        const said = both.map(
          ([n, b]) => `${n}: theirs is “${b.now ?? ""}”, yours “${form[n as keyof Names]}”.`,
        );
        throw new Error(`${error.message} ${said.join(" ")} Save again to use yours.`, { cause: error });
      }
    },
    done: (result) => {
      if (result) acts.say({ text: `Saved ${result.name}.`, change: result.change });
      onClose();
    },
  });
  const field = (name: (typeof NAMES)[number], label: string) => (
    <Field label={label} {...of.field(name, `/set/${name}`)} autoFocus={name === "given"} />
  );
  return (
    <Form of={of} sx={{ margin: "8px 0 16px", maxWidth: 640 }} onLeave={onClose}>
      <Row>
        {field("given", "Given name")}
        {field("family", "Family name")}
      </Row>
      <Row sx={{ margin: "10px 0" }}>
        {field("email", "Email, if any")}
        {field("phone", "Phone, if any")}
      </Row>
      {field("note", "Standing remark")}
      <Box sx={{ marginTop: 10 }}>
        <Field
          label="Remark on health"
          {...of.field("health", "/set/health")}
          multiline
          help="Kept apart from notes; on no sheet or file unless somebody ticks it there."
        />
      </Box>
      <Ends of={of} act="Save" leave="Keep as it was" onLeave={() => (of.forget(), onClose())} />
    </Form>
  );
}

function Notes({ person, acts }: { person: Person; acts: ReturnType<typeof useDone> }) {
  const of = useServerForm({
    draft: `note-${person.id}`,
    start: { text: "" },
    send: (body, key) =>
      ask(
        api.POST("/api/v1/people/{person_id}/notes", {
          params: { path: { person_id: person.id }, header: { "Idempotency-Key": key } },
          body,
        }),
      ),
    done: () => acts.say({ text: "The note is kept." }),
  });
  return (
    <div>
      <Form look="row" sx={{ alignItems: "flex-end", marginBottom: 8 }} of={of}>
        <Field label="A note, signed and dated" {...of.field("text")} />
        <Button type="submit" disabled={of.busy}>
          Keep the note
        </Button>
      </Form>
      {person.notes.map((n, i) => (
        <P key={i} sx={{ whiteSpace: "pre-line" }}>
          {n.text}{" "}
          <T tone="slate">
            {n.by}, {day(n.at, false)}
          </T>
        </P>
      ))}
    </div>
  );
}

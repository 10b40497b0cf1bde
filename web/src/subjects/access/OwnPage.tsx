import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { $api, api, ask, keyHeader, messageOf, type Schemas, ServerProblem } from "../../app/server";
import { Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Gatelet } from "../../parts/Arch";
import { Loading, Note, OnePage } from "../../parts/layout";
import { clock, count, day, isZero, length, money } from "../../parts/text";
import { HiddenInput, P, T } from "../../parts/words";
import { useServerForm } from "../../form/useServerForm";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { Charged, PayByCard } from "../money/PayByCard";

type Own = Schemas["OwnPageOut"];

function Sheet({ center, children }: { center?: string; children: ReactNode }) {
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {center ?? "Arch Gate"}
      </P>
      {children}
    </OnePage>
  );
}

function Trouble({ text }: { text: string }) {
  return text ? (
    <Note kind="wrong" role="alert">
      {text}
    </Note>
  ) : null;
}

/** Behind the link of an invitation: set a password, once. */
export function OwnLink() {
  const token = useParams().token ?? "";
  const go = useNavigate();
  const queries = useQueryClient();
  const [shown, setShown] = useState(false);
  const query = $api.useQuery(
    "get",
    "/api/v1/own/links/{token}",
    { params: { path: { token } } },
    { retry: false },
  );
  const link = query.data;
  useEffect(() => {
    document.title = link ? `Your own page · ${link.center}` : "Your own page";
  }, [link]);
  const of = useServerForm({
    draft: null,
    start: { password: "" },
    send: async (body) => {
      try {
        return await ask(api.POST("/api/v1/own/links/{token}", { params: { path: { token } }, body }));
      } catch (error) {
        void query.refetch(); // the link itself may have ended
        throw error;
      }
    },
    done: async () => {
      await queries.invalidateQueries({ queryKey: ["get", "/api/v1/own"] });
      void go("/own");
    },
  });
  if (!link)
    return (
      <Sheet>
        {query.error ? (
          <>
            <h1>This link leads nowhere</h1>
            <p>It may have been cut short on its way, or it was taken back. Call us if you need a new one.</p>
          </>
        ) : (
          <Loading />
        )}
      </Sheet>
    );
  if (!link.stands)
    return (
      <Sheet center={link.center}>
        <h1>Your own page</h1>
        <P strong>{link.said}</P>
        <p>
          <Link to="/own">Sign in, or ask for a new link</Link>
        </p>
      </Sheet>
    );
  return (
    <Sheet center={link.center}>
      <h1>{link.name}, choose a password</h1>
      <p>With it and {link.email} you see your courses, dates and what is due.</p>
      <Form of={of}>
        {/* For the browser's keeper of passwords: whose it is. */}
        <HiddenInput
          type="text"
          autoComplete="username"
          value={link.email}
          readOnly
          tabIndex={-1}
          aria-hidden
        />
        <Field
          label="Password, at least 10 characters"
          type={shown ? "text" : "password"}
          {...of.field("password")}
          autoFocus
          input={{ autoComplete: "new-password" }}
        />
        <Tick checked={shown} onChange={setShown}>
          show it
        </Tick>
        <Button type="submit" variant="contained" fullWidth disabled={of.busy}>
          Set it and go on
        </Button>
      </Form>
    </Sheet>
  );
}

/** A learner's own page: courses and dates ahead, what is due, places in line. */
export default function OwnPage() {
  const queries = useQueryClient();
  const query = $api.useQuery("get", "/api/v1/own", {}, { retry: false });
  const own = query.error ? undefined : query.data;
  useEffect(() => {
    document.title = own ? `Your courses · ${own.center}` : "Your own page";
  }, [own]);
  if (query.error instanceof ServerProblem && query.error.status === 401)
    return <OwnSignIn onDone={() => void queries.resetQueries({ queryKey: ["get", "/api/v1/own"] })} />;
  if (!own)
    return (
      <Sheet>
        {query.error ? (
          <>
            <Trouble text={messageOf(query.error)} />
            <Button onClick={() => void query.refetch()}>Try again</Button>
          </>
        ) : (
          <Loading />
        )}
      </Sheet>
    );
  const out = async () => {
    await ask(api.DELETE("/api/v1/own/session"));
    await queries.resetQueries({ queryKey: ["get", "/api/v1/own"] });
  };
  return (
    <Sheet center={own.center}>
      <h1>{own.name}, your courses</h1>
      {own.teaches && (
        <p>
          <Link to="/own/teaching">What you teach: meetings, rosters, pay</Link>
        </p>
      )}
      <Owed own={own} />
      <Pay own={own} />
      {own.courses.length === 0 && <p>You are on no course now.</p>}
      {own.courses.map((c) => (
        <Course key={c.code} course={c} today={own.today} />
      ))}
      <InLine own={own} />
      <Requests own={own} />
      {own.past.length > 0 && (
        <section>
          <h2>Before</h2>
          <ul>
            {own.past.map((p) => (
              <li key={`${p.code}${p.status}`}>
                {p.title}
                {p.first && <T tone="slate">, {day(p.first)}</T>}
                {p.status && <T tone="slate">, {p.status}</T>}
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <p>
          <a href="/catalog">More courses</a>
        </p>
      </section>
      <OwnCalendar />
      <OwnData own={own} />
      <Button onClick={() => void out()}>Sign out</Button>
    </Sheet>
  );
}

function InLine({ own }: { own: Own }) {
  if (own.waiting.length === 0) return null;
  return (
    <section>
      <h2>In line</h2>
      {own.waiting.map((w) =>
        w.offer ? (
          <Note kind="due" key={w.code}>
            <p>
              A seat of <strong>{w.title}</strong> is offered to you
              {w.until && ` until ${day(w.until)}, ${clock(w.until)}`}.
            </p>
            <Link to={w.offer}>Answer</Link>
          </Note>
        ) : (
          <p key={w.code}>
            Number {w.place} for <strong>{w.title}</strong>
            {w.heads > 1 && `, ${w.heads} seats`}. {w.chance} We write to you when a seat is free.
          </p>
        ),
      )}
    </section>
  );
}

const DECIDED = { open: "waits for a decision", approved: "approved", refused: "refused" };

function Requests({ own }: { own: Own }) {
  if (own.requests.length === 0) return null;
  return (
    <section>
      <h2>Requests</h2>
      <ul>
        {own.requests.map((r, n) => (
          <li key={n}>
            {r.title}: {DECIDED[r.status]}
            {r.word && <T tone="slate">. {r.word}</T>}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The secret address of one's own dates, made when asked for. */
function OwnCalendar() {
  const [path, setPath] = useState("");
  const [trouble, setTrouble] = useState("");
  const making = useAct({
    send: (renew: boolean) => ask(api.PUT("/api/v1/own/calendar", { params: { query: { renew } } })),
    done: (feed) => setPath(feed.path),
    failed: setTrouble,
  });
  return (
    <section>
      <h2>Your dates as a calendar</h2>
      <Trouble text={trouble} />
      {path ? (
        <>
          <p>
            Subscribe to this address; whoever has it sees your dates:{" "}
            <a href={path}>{`${window.location.origin}${path}`}</a>
          </p>
          <Button onClick={() => void making.act(true)}>End it and make another</Button>
        </>
      ) : (
        <Button disabled={making.busy} onClick={() => void making.act(false)}>
          Make a calendar address
        </Button>
      )}
    </section>
  );
}

/** What the center knows of oneself, and the password. */
function OwnData({ own }: { own: Own }) {
  const queries = useQueryClient();
  const [said, setSaid] = useState("");
  const done = (answer: Schemas["Said"]) => {
    setSaid(answer.said);
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/own"] });
  };
  const facts = useServerForm({
    draft: null,
    start: { given: own.given, family: own.family, phone: own.phone ?? "" },
    send: (body) => ask(api.PUT("/api/v1/own/person", { body })),
    done,
  });
  const word = useServerForm({
    draft: null,
    start: { now: "", password: "" },
    send: (body) => ask(api.POST("/api/v1/own/password", { body })),
    done,
  });
  return (
    <section>
      <h2>Your data</h2>
      {said && <p role="status">{said}</p>}
      <details>
        <summary>Name and phone</summary>
        <Form of={facts} label="Your data">
          <Field label="Given name" {...facts.field("given")} input={{ autoComplete: "given-name" }} />
          <Field label="Family name" {...facts.field("family")} input={{ autoComplete: "family-name" }} />
          <Field label="Phone" type="tel" {...facts.field("phone")} input={{ autoComplete: "tel" }} />
          <P tone="slate">You sign in by {own.email}; call us to change it.</P>
          <Button type="submit" variant="contained" disabled={facts.busy || facts.dirty.length === 0}>
            Save
          </Button>
        </Form>
      </details>
      <details>
        <summary>Password</summary>
        <Form of={word} label="Password">
          <Field
            label="The password now"
            type="password"
            {...word.field("now")}
            input={{ autoComplete: "current-password" }}
          />
          <Field
            label="The new one, at least 10 characters"
            type="password"
            {...word.field("password")}
            input={{ autoComplete: "new-password" }}
          />
          <Button type="submit" variant="contained" disabled={word.busy || word.dirty.length === 0}>
            Change the password
          </Button>
        </Form>
      </details>
    </section>
  );
}

/** Giving the seat back: first what is kept of it and why, then the act. */
function Withdraw({ id }: { id: number }) {
  const queries = useQueryClient();
  const [shown, setShown] = useState<Schemas["OwnWithdrawn"] | null>(null);
  const [trouble, setTrouble] = useState("");
  const send = (kept: string | null, preview: boolean) =>
    ask(
      api.POST("/api/v1/own/enrollments/{enrollment_id}/withdrawal", {
        params: { path: { enrollment_id: id }, query: { preview } },
        body: { kept },
      }),
    );
  const asking = useAct({ send: () => send(null, true), done: setShown, failed: setTrouble });
  const doing = useAct({
    send: (kept: string) => send(kept, false),
    done: () => void queries.invalidateQueries({ queryKey: ["get", "/api/v1/own"] }),
    failed: (text) => {
      setTrouble(text);
      setShown(null);
    },
  });
  return (
    <>
      <Trouble text={trouble} />
      {shown === null ? (
        <Button disabled={asking.busy} onClick={() => void asking.act(undefined)}>
          Withdraw
        </Button>
      ) : (
        <Note kind="due">
          <p>
            You give your seat of {shown.title} back. {money(shown.kept, shown.currency)} is kept: {shown.why}
          </p>
          {!isZero(shown.back) && <p>{money(shown.back, shown.currency)} is your credit with us.</p>}
          {!isZero(shown.owed) && <p>{money(shown.owed, shown.currency)} of it is still to be paid.</p>}
          <Button variant="contained" disabled={doing.busy} onClick={() => void doing.act(shown.kept)}>
            Give the seat back
          </Button>{" "}
          <Button onClick={() => setShown(null)}>Keep the seat</Button>
        </Note>
      )}
    </>
  );
}

function Owed({ own }: { own: Own }) {
  if (own.credit)
    return (
      <p>
        You have a credit of <strong>{money(own.credit, own.currency)}</strong>.
      </p>
    );
  if (!own.owed) return <P tone="slate">Nothing is owed.</P>;
  const next = own.next_due;
  return (
    <p>
      You owe <strong>{money(own.owed, own.currency)}</strong>
      {next &&
        (next.due < own.today ? (
          <>
            ;{" "}
            <T tone="ochre" as="strong">
              {money(next.amount, own.currency)} has been due since {day(next.due)}
            </T>
          </>
        ) : next.amount === own.owed ? (
          `, due by ${day(next.due)}`
        ) : (
          `; ${money(next.amount, own.currency)} is due by ${day(next.due)}`
        ))}
      .
    </p>
  );
}

/** Paying what is owed by card; what is on file is charged at once, else the payment service’s page takes the card. */
function Pay({ own }: { own: Own }) {
  const queries = useQueryClient();
  const [said, setSaid] = useState("");
  return (
    <>
      <Charged said={said} />
      {own.pay && (
        <details open={own.pay.card_by !== null || (own.next_due !== null && own.next_due.due <= own.today)}>
          <summary>Pay by card</summary>
          <PayByCard
            to={own.pay}
            keeps
            onPaid={(text) => {
              setSaid(text);
              void queries.invalidateQueries({ queryKey: ["get", "/api/v1/own"] });
            }}
            send={(body, key) =>
              ask(api.POST("/api/v1/own/payments", { params: { header: keyHeader(key) }, body }))
            }
          />
        </details>
      )}
    </>
  );
}

const SHOWN = 3;

function Course({ course, today }: { course: Own["courses"][number]; today: string }) {
  const date = (m: (typeof course.meetings)[number]) => (
    <li key={m.start}>
      <T strong>{day(m.start, m.start.slice(0, 4) !== today.slice(0, 4))}</T>, {clock(m.start)},{" "}
      {length(m.minutes)}
      {m.place && <T tone="slate">, {m.place}</T>}
      {m.address && <T tone="slate">, {m.address}</T>}
      {m.map_link && (
        <>
          {" "}
          <a href={m.map_link}>map</a>
        </>
      )}
      {m.link && (
        <>
          {" "}
          <a href={m.link}>join</a>
        </>
      )}
    </li>
  );
  const rest = course.meetings.slice(SHOWN);
  return (
    <section>
      <h2>{course.title}</h2>
      <P tone="slate">
        {course.code}
        {course.heads > 1 && `, ${course.heads} seats`}
        {course.access_until && `, open to you through ${day(course.access_until)}`}
      </P>
      {course.held && <Note kind="due">The seat is held for you until the first payment has come in.</Note>}
      <ul>{course.meetings.slice(0, SHOWN).map(date)}</ul>
      {rest.length > 0 && (
        <details>
          <summary>{count(rest.length, "later date")}</summary>
          <ul>{rest.map(date)}</ul>
        </details>
      )}
      {course.total !== null && course.owed !== null && (
        <p>
          {money(course.total, course.currency)},{" "}
          {isZero(course.owed) ? "all paid" : `${money(course.owed, course.currency)} still open`}
        </p>
      )}
      {course.dues.length > 1 && (
        <details>
          <summary>The plan</summary>
          <ul>
            {course.dues.map((due) => (
              <li key={due.day}>
                {day(due.day)}: {money(due.amount, course.currency)}
                {isZero(due.open) && <T tone="slate">, paid</T>}
              </li>
            ))}
          </ul>
        </details>
      )}
      {course.enrollment_id !== null && <Withdraw id={course.enrollment_id} />}
    </section>
  );
}

export function OwnSignIn({ onDone }: { onDone: () => void }) {
  const [said, setSaid] = useState("");
  const of = useServerForm({
    draft: null,
    start: { email: "", password: "" },
    send: (body) => {
      setSaid("");
      if (!body.email.trim()) throw new Error("Type your email.");
      if (!body.password) throw new Error("Type your password.");
      return ask(api.POST("/api/v1/own/session", { body }));
    },
    done: onDone,
  });
  const { email } = of.values;
  const asking = useAct({
    send: () => {
      if (!email.trim()) throw new Error("Type your email first.");
      return ask(api.POST("/api/v1/own/new-link", { body: { email } }));
    },
    done: (done) => setSaid(done.said),
    failed: setSaid,
  });
  return (
    <Sheet>
      <h1>Your courses</h1>
      <Form of={of}>
        <Field
          label="Email"
          type="email"
          {...of.field("email")}
          autoFocus
          input={{ autoComplete: "username" }}
        />
        <Box sx={{ height: 10 }} />
        <Field
          label="Password"
          type="password"
          {...of.field("password")}
          input={{ autoComplete: "current-password" }}
        />
        {said && <p role="status">{said}</p>}
        <Button type="submit" variant="contained" fullWidth disabled={of.busy}>
          Sign in
        </Button>
        <Button
          fullWidth
          disabled={asking.busy}
          onClick={() => {
            of.dismiss();
            void asking.act(undefined);
          }}
        >
          Send me a link for a new password
        </Button>
      </Form>
    </Sheet>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { $api, api, ask, messageOf, type Schemas, ServerProblem } from "../../app/server";
import { Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Gatelet } from "../../parts/Arch";
import { Loading, Note, OnePage } from "../../parts/layout";
import { clock, count, day, isZero, length, money } from "../../parts/text";
import { HiddenInput, P, T } from "../../parts/words";
import { useServerForm } from "../../form/useServerForm";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";

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
      {own.courses.length === 0 && <p>You are on no course now.</p>}
      {own.courses.map((c) => (
        <Course key={c.code} course={c} today={own.today} />
      ))}
      {own.waiting.length > 0 && (
        <section>
          <h2>In line</h2>
          {own.waiting.map((w) => (
            <p key={w.code}>
              Number {w.place} for <strong>{w.title}</strong>
              {w.heads > 1 && `, ${w.heads} seats`}. We write to you when a seat is free.
            </p>
          ))}
        </section>
      )}
      <Button onClick={() => void out()}>Sign out</Button>
    </Sheet>
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

const SHOWN = 3;

function Course({ course, today }: { course: Own["courses"][number]; today: string }) {
  const date = (m: (typeof course.meetings)[number]) => (
    <li key={m.start}>
      <T strong>{day(m.start, m.start.slice(0, 4) !== today.slice(0, 4))}</T>, {clock(m.start)},{" "}
      {length(m.minutes)}
      {m.place && <T tone="slate">, {m.place}</T>}
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

import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { Fault, T } from "../../parts/words";

const ReminderText = styled("p")({ margin: "0 0 8px" });

type Reminder = Schemas["ReminderOut"];

/** What a reminder is about: at most one of these. */
type About = { run_id?: number; person_id?: number; course_id?: number; account_id?: number };

/** Open reminders about something, and a new one for oneself or a colleague. */
export function Reminders({ about }: { about: About }) {
  const list = $api.useQuery("get", "/api/v1/reminders", { params: { query: about } });
  const [open, setOpen] = useState(false);
  return (
    <>
      {list.data?.map((r) => (
        <ReminderLine key={r.id} reminder={r} />
      ))}
      {open ? (
        <NewReminder about={about} onDone={() => setOpen(false)} />
      ) : (
        <Button variant="text" onClick={() => setOpen(true)}>
          Remind me, or somebody
        </Button>
      )}
    </>
  );
}

function placeOf(r: Reminder): string | null {
  if (r.run_id) return `/runs/${r.run_id}`;
  if (r.person_id) return `/people/${r.person_id}`;
  if (r.course_id) return `/courses/${r.course_id}`;
  return r.account_id ? `/accounts/${r.account_id}` : null;
}

export function ReminderLine({ reminder: r }: { reminder: Reminder }) {
  const queries = useQueryClient();
  const [said, setSaid] = useState("");
  const [done, setDone] = useState(false);
  const settle = async (body: Schemas["SettleReminderCommand"]) => {
    try {
      await ask(
        api.PATCH("/api/v1/reminders/{reminder_id}", { params: { path: { reminder_id: r.id } }, body }),
      );
      if (body.done === undefined) void queries.invalidateQueries();
      else setDone(body.done ?? false);
    } catch (error) {
      setSaid(messageOf(error));
    }
  };
  const to = placeOf(r);
  return (
    <ReminderText>
      <T gone={Boolean(done)}>
        <T tone="slate" nowrap>
          {day(r.day, false)}
        </T>{" "}
        {to && <Link to={to}>{r.about}</Link>} {r.text}
      </T>{" "}
      {r.by !== r.to && (
        <T tone="slate">
          from {r.by} to {r.to}
        </T>
      )}{" "}
      {done ? (
        <Button variant="text" color="secondary" onClick={() => void settle({ done: false })}>
          undo
        </Button>
      ) : (
        <Button variant="text" aria-label={`done: ${r.text}`} onClick={() => void settle({ done: true })}>
          done
        </Button>
      )}
      {said && <Fault as="span">{said}</Fault>}
    </ReminderText>
  );
}

export function NewReminder({ about, onDone }: { about: About; onDone: () => void }) {
  const me = useMe();
  const queries = useQueryClient();
  const users = $api.useQuery("get", "/api/v1/users");
  const of = useServerForm({
    draft: `remind-${Object.entries(about).flat().join("-")}`,
    start: { day: me.today, text: "", user: "" },
    send: ({ day, text, user }) =>
      ask(
        api.POST("/api/v1/reminders", {
          body: asTyped<"RemindCommand">({
            ...about,
            day: day || null,
            text,
            user_id: user ? Number(user) : null,
          }),
        }),
      ),
    done: () => {
      onDone();
      void queries.invalidateQueries();
    },
  });
  return (
    <Form of={of} onLeave={onDone}>
      <Field label="What to think of" {...of.field("text")} autoFocus />
      <Row sx={{ marginTop: 8 }}>
        <Field label="On" type="date" width={160} {...of.field("day")} />
        <Choice
          label="In the list of"
          {...of.field("user", "/user_id")}
          options={[
            { value: "", text: "me" },
            ...(users.data ?? [])
              .filter((u) => u.name !== me.name)
              .map((u) => ({ value: String(u.id), text: u.name })),
          ]}
        />
      </Row>
      <Ends of={of} act="Remind" leave="Leave it" onLeave={onDone} />
    </Form>
  );
}

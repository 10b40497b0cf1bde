import Button from "@mui/material/Button";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, asTyped, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { day } from "../../parts/text";

type Reminder = Schemas["ReminderOut"];

/** Open reminders about a run or a person, and a new one for oneself or a colleague. */
export function Reminders({ runId, personId }: { runId?: number; personId?: number }) {
  const about = { run_id: runId, person_id: personId };
  const list = useQuery({
    queryKey: ["reminders", runId, personId],
    queryFn: () => ask(api.GET("/api/v1/reminders", { params: { query: about } })),
  });
  const [open, setOpen] = useState(false);
  return (
    <>
      {list.data?.map((r) => (
        <ReminderLine key={r.id} reminder={r} />
      ))}
      {open ? (
        <NewReminder about={about} onDone={() => setOpen(false)} />
      ) : (
        <button className="plainly" onClick={() => setOpen(true)}>
          Remind me, or somebody
        </button>
      )}
    </>
  );
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
  const to = r.run_id ? `/runs/${r.run_id}` : r.person_id ? `/people/${r.person_id}` : null;
  return (
    <p className="reminder">
      <span className={done ? "gone" : ""}>
        <span className="slate nowrap">{day(r.day, false)}</span> {to && <Link to={to}>{r.about}</Link>}{" "}
        {r.text}
      </span>{" "}
      {r.by !== r.to && (
        <span className="slate">
          from {r.by} to {r.to}
        </span>
      )}{" "}
      {done ? (
        <button className="plainly quiet" onClick={() => void settle({ done: false })}>
          undo
        </button>
      ) : (
        <button
          className="plainly"
          aria-label={`done: ${r.text}`}
          onClick={() => void settle({ done: true })}
        >
          done
        </button>
      )}
      {said && <span className="fault">{said}</span>}
    </p>
  );
}

export function NewReminder({
  about,
  onDone,
}: {
  about: { run_id?: number; person_id?: number };
  onDone: () => void;
}) {
  const me = useMe();
  const queries = useQueryClient();
  const [form, setForm] = useState({ day: me.today, text: "", user: "" });
  const [error, setError] = useState<unknown>(null);
  const users = useQuery({ queryKey: ["users"], queryFn: () => ask(api.GET("/api/v1/users")) });
  const faults = faultsOf(error);
  const send = async () => {
    try {
      await ask(
        api.POST("/api/v1/reminders", {
          body: asTyped<"RemindCommand">({
            ...about,
            day: form.day || null,
            text: form.text,
            user_id: form.user ? Number(form.user) : null,
          }),
        }),
      );
      onDone();
      void queries.invalidateQueries();
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void send();
      }}
    >
      <Field
        label="What to think of"
        value={form.text}
        onChange={(text) => setForm({ ...form, text })}
        fault={faults["/text"]}
        autoFocus
      />
      <div className="row" style={{ marginTop: 8 }}>
        <Field
          label="On"
          type="date"
          width={140}
          value={form.day}
          onChange={(d) => setForm({ ...form, day: d })}
          fault={faults["/day"]}
        />
        <Choice
          label="In the list of"
          value={form.user}
          onChange={(user) => setForm({ ...form, user })}
          options={[
            { value: "", text: "me" },
            ...(users.data ?? [])
              .filter((u) => u.name !== me.name)
              .map((u) => ({ value: String(u.id), text: u.name })),
          ]}
        />
      </div>
      <div className="row" style={{ marginTop: 8 }}>
        <Button type="submit" variant="contained">
          Remind
        </Button>
        <Button onClick={onDone}>Leave</Button>
      </div>
    </form>
  );
}

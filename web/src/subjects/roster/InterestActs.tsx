import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Note, Row } from "../../parts/layout";
import { count } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { NoteLine, P } from "../../parts/words";

type List = Schemas["InterestList"];
type Acts = ReturnType<typeof useDone>;
type Which = { run_id?: number; course_id?: number };

/** What can be done with the list as a whole. */
export function WholeList({ list, which, acts }: { list: List; which: Which; acts: Acts }) {
  const me = useMe();
  const [tag, setTag] = useState("");
  const [to, setTo] = useState("");
  const [hook, setHook] = useState("");
  const [sure, setSure] = useState(false);
  const hooks = $api.useQuery("get", "/api/v1/webhooks");
  const params = { query: which };
  const work = async (deed: () => Promise<void>) => {
    try {
      await deed();
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  const carry = () =>
    work(async () => {
      const done = await ask(
        api.POST("/api/v1/interest/carry-over", { params, body: { to_run_id: Number(to) } }),
      );
      acts.say({
        text: `${count(done.people, "person", "people")} carried over to ${done.to}.`,
        change: done.change,
      });
    });
  const clear = () =>
    work(async () => {
      const done = await ask(api.POST("/api/v1/interest/clear", { params, body: {} }));
      setSure(false);
      acts.say({ text: `${count(done.people, "person", "people")} off the list.`, change: done.change });
    });
  const send = () =>
    work(async () => {
      const done = await ask(
        api.POST("/api/v1/interest/send-on", { params, body: { webhook_id: Number(hook), tag } }),
      );
      acts.say({ text: `${count(done.people, "person", "people")} sent on.` });
    });
  const query = new URLSearchParams({
    ...(which.run_id ? { run_id: String(which.run_id) } : { course_id: String(which.course_id) }),
    tag,
  });
  return (
    <section>
      <h2>{count(list.people.length, "person", "people")} on the list</h2>
      <Field label="Tag, for mailing programs" value={tag} onChange={setTag} />
      <P sx={{ margin: "10px 0" }}>
        <a href={`/api/v1/interest.csv?${query.toString()}`} download>
          save as CSV
        </a>
      </P>
      {list.next_runs.length > 0 && (
        <>
          <Choice
            label="Carry over to"
            value={to}
            onChange={setTo}
            options={[
              { value: "", text: "pick a run" },
              ...list.next_runs.map((r) => ({ value: String(r.id), text: `${r.code}, ${r.title}` })),
            ]}
          />
          {to && <Button onClick={() => void carry()}>Carry it over</Button>}
        </>
      )}
      {(hooks.data ?? []).length > 0 && (
        <>
          <Choice
            label="Send on to"
            value={hook}
            onChange={setHook}
            options={[
              { value: "", text: "pick where" },
              ...(hooks.data ?? []).map((h) => ({ value: String(h.id), text: h.name })),
            ]}
          />
          {hook && <Button onClick={() => void send()}>Send it on</Button>}
        </>
      )}
      {me.rights.includes("keep settings") && <AddHook acts={acts} />}
      <P sx={{ marginTop: 12 }}>
        {sure ? (
          <Row as="span">
            <Button color="error" onClick={() => void clear()}>
              Clear the list
            </Button>
            <Button onClick={() => setSure(false)}>Keep it</Button>
          </Row>
        ) : (
          <Button variant="text" color="secondary" onClick={() => setSure(true)}>
            clear the list
          </Button>
        )}
      </P>
    </section>
  );
}

/** Another system that lists are sent on to; its secret is shown once. */
function AddHook({ acts }: { acts: Acts }) {
  const [open, setOpen] = useState(false);
  const [secret, setSecret] = useState("");
  const of = useServerForm({
    draft: "webhook",
    start: { name: "", address: "" },
    send: (form) => ask(api.POST("/api/v1/webhooks", { body: form })),
    done: (made) => {
      setSecret(made.secret);
      setOpen(false);
      acts.say({ text: `Lists can be sent on to ${made.name}.` });
    },
  });
  if (secret)
    return (
      <Note>
        <p>The secret, shown this once; give it to the other side:</p>
        <NoteLine as="p">
          <code>{secret}</code>
        </NoteLine>
        <Button variant="text" onClick={() => setSecret("")}>
          I have it
        </Button>
      </Note>
    );
  if (!open)
    return (
      <Button variant="text" color="secondary" onClick={() => setOpen(true)}>
        another address to send lists on to
      </Button>
    );
  return (
    <Form look="inset" of={of} onLeave={() => setOpen(false)}>
      <Field label="Name" {...of.field("name")} autoFocus />
      <Field label="Address" placeholder="https://" {...of.field("address")} />
      <Ends of={of} act="Add it" onLeave={() => setOpen(false)} />
    </Form>
  );
}

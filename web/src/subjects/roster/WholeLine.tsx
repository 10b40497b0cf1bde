import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Inset, Row } from "../../parts/layout";
import { count } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";

type Acts = ReturnType<typeof useDone>;
type Props = { run: Schemas["RunOut"]; number: number; acts: Acts };
type Open = "clear" | "carry" | "file" | null;

/** What can be done with a run's line as a whole: carried over, cleared, kept as a file, sent on. */
export function WholeLine(props: Props) {
  const [open, setOpen] = useState<Open>(null);
  const close = () => setOpen(null);
  if (open === "carry") return <Carry {...props} onClose={close} />;
  if (open === "clear") return <Clear {...props} onClose={close} />;
  if (open === "file") return <FileOf {...props} onClose={close} />;
  return (
    <Row wrap className="noprint" sx={{ margin: "10px 0" }}>
      <Button size="small" onClick={() => setOpen("carry")}>
        Carry the line over
      </Button>
      <Button size="small" onClick={() => setOpen("clear")}>
        Clear the line
      </Button>
      <Button size="small" variant="text" color="secondary" onClick={() => setOpen("file")}>
        save or send the line
      </Button>
    </Row>
  );
}

const people = (number: number) => count(number, "party", "parties");

/** To another run of the course: everybody keeps the moment of joining. */
function Carry({ run, number, acts, onClose }: Props & { onClose: () => void }) {
  const path = { run_id: run.id };
  const runs = $api.useQuery("get", "/api/v1/runs/{run_id}/line/next-runs", { params: { path } });
  const of = useServerForm({
    draft: `carry-line-${run.id}`,
    start: { to: "", tell: true },
    send: ({ to, tell }, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/line/carry-over", {
          params: { path, header: keyHeader(key) },
          body: { to_run_id: Number(to), tell },
        }),
      ),
    done: (done) => {
      const stayed = done.stayed.length ? ` There already, and left here: ${done.stayed.join(", ")}.` : "";
      const told = done.told ? `, ${done.told} written to` : "";
      acts.say({
        text: `${people(done.people)} carried over to ${done.to}${told}.${stayed}`,
        change: done.change,
      });
      onClose();
    },
  });
  if (runs.data?.length === 0)
    return (
      <Inset>
        <P>
          The course has no other run that a line could be carried over to.{" "}
          <Link to={`/runs/new?course=${run.course.id}`}>Plan one</Link>
        </P>
        <Button onClick={onClose}>Leave it</Button>
      </Inset>
    );
  return (
    <Form look="inset" of={of} onLeave={onClose}>
      <P>{people(number)} at most, without those who have an offer. Each keeps the day of joining.</P>
      <Row wrap mid>
        <Choice
          label="To the run"
          width={320}
          {...of.field("to", "/to_run_id")}
          options={[
            { value: "", text: "pick a run" },
            ...(runs.data ?? []).map((r) => ({ value: String(r.id), text: `${r.code}, ${r.title}` })),
          ]}
        />
        <Tick checked={of.values.tell} onChange={(tell) => of.set({ tell })}>
          write to them
        </Tick>
      </Row>
      <Ends of={of} act="Carry it over" onLeave={onClose} disabled={!of.values.to} />
    </Form>
  );
}

/** Everybody out of the line, told why or not. */
function Clear({ run, number, acts, onClose }: Props & { onClose: () => void }) {
  const of = useServerForm({
    draft: `clear-line-${run.id}`,
    start: { why: "", tell: true },
    send: (body, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/line/clear", {
          params: { path: { run_id: run.id }, header: keyHeader(key) },
          body,
        }),
      ),
    done: (done) => {
      const told = done.told ? `, ${done.told} written to` : "";
      acts.say({ text: `${people(done.people)} out of the line${told}.`, change: done.change });
      onClose();
    },
  });
  return (
    <Form look="due" of={of} onLeave={onClose}>
      <P strong>{people(number)} would no longer wait for this run.</P>
      <Row wrap mid>
        <Field label="Why; it stands in the letter" {...of.field("why")} autoFocus />
        <Tick checked={of.values.tell} onChange={(tell) => of.set({ tell })}>
          write to them
        </Tick>
      </Row>
      <Row sx={{ marginTop: 8 }}>
        <Button type="submit" color="error" disabled={of.busy}>
          Clear the line
        </Button>
        <Button onClick={onClose}>Keep it</Button>
      </Row>
    </Form>
  );
}

/** The line as a file with a tag, or sent on to another system. */
function FileOf({ run, acts, onClose }: Props & { onClose: () => void }) {
  const [tag, setTag] = useState("");
  const [hook, setHook] = useState("");
  const hooks = $api.useQuery("get", "/api/v1/webhooks");
  const sending = useAct({
    send: (webhook_id: number, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/line/send-on", {
          params: { path: { run_id: run.id }, header: keyHeader(key) },
          body: { webhook_id, tag },
        }),
      ),
    done: (done) => {
      acts.say({ text: `${people(done.people)} sent on.` });
      onClose();
    },
    failed: acts.fail,
  });
  return (
    <Inset>
      <Row wrap mid>
        <Field label="Tag, for mailing programs" width={200} value={tag} onChange={setTag} autoFocus />
        <a href={`/api/v1/runs/${run.id}/line.csv?${new URLSearchParams({ tag }).toString()}`} download>
          save as CSV
        </a>
        {(hooks.data ?? []).length > 0 && (
          <Choice
            label="Send on to"
            width={220}
            value={hook}
            onChange={setHook}
            options={[
              { value: "", text: "pick where" },
              ...(hooks.data ?? []).map((h) => ({ value: String(h.id), text: h.name })),
            ]}
          />
        )}
      </Row>
      <Row sx={{ marginTop: 8 }}>
        {hook && (
          <Button variant="contained" disabled={sending.busy} onClick={() => void sending.act(Number(hook))}>
            Send it on
          </Button>
        )}
        <Button onClick={onClose}>Leave it</Button>
      </Row>
    </Inset>
  );
}

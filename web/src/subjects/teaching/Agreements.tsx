import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Part, Row, Ruled } from "../../parts/layout";
import { day } from "../../parts/text";
import { P, T } from "../../parts/words";
import type { Run } from "../courses/runTypes";
import type { Acts, Teaching } from "./RunTeaching";

type Agreement = Schemas["AgreementOut"];

/** Teaching agreements of a run: made, sent, returned signed; earlier versions stay. */
export function Agreements({ run, teaching, acts }: { run: Run; teaching: Teaching; acts: Acts }) {
  const making = useAct({
    send: (who: { instructor_id: number }, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/agreements", {
          params: { path: { run_id: run.id }, header: { "Idempotency-Key": key } },
          body: who,
        }),
      ),
    done: () => acts.say({ text: "The agreement is made." }),
    failed: acts.fail,
  });
  const have = new Set(teaching.agreements.map((a) => a.instructor_id));
  return (
    <Part as="div">
      <h2>Agreements</h2>
      <div>
        <Ruled>
          {teaching.agreements.map((a) => (
            <Line key={a.id} agreement={a} acts={acts} />
          ))}
        </Ruled>
        <Row wrap mid sx={{ marginTop: 6 }}>
          {teaching.teachers.map((t) => (
            <Button
              key={t.instructor_id}
              onClick={() => void making.act({ instructor_id: t.instructor_id })}
              disabled={making.busy}
            >
              {have.has(t.instructor_id) ? `A new version for ${t.name}` : `Make one for ${t.name}`}
            </Button>
          ))}
        </Row>
        <P tone="slate" small sx={{ marginTop: 6 }}>
          It is made from the center’s own text and says dates, hours and pay as they are now.{" "}
          <Link to="/teaching/rules">The text</Link>
        </P>
      </div>
    </Part>
  );
}

function Line({ agreement: a, acts }: { agreement: Agreement; acts: Acts }) {
  const [signing, setSigning] = useState(false);
  const sending = useAct({
    send: (_: undefined, key) =>
      ask(
        api.POST("/api/v1/agreements/{agreement_id}/send", {
          params: { path: { agreement_id: a.id }, header: { "Idempotency-Key": key } },
        }),
      ),
    done: () => acts.say({ text: `The agreement is on its way to ${a.instructor}.` }),
    failed: acts.fail,
  });
  const state =
    a.status === "signed"
      ? `signed ${day(a.signed_on)}`
      : a.sent
        ? `sent ${day(a.sent)}, not back yet`
        : "not sent yet";
  return (
    <li>
      <Row mid wrap sx={{ padding: "6px 0" }}>
        <Grow>
          <T gone={!a.latest}>
            {a.instructor}, version {a.version}
          </T>
          <T tone={a.status === "signed" ? undefined : "ochre"}> {state}</T>
        </Grow>
        <a href={`/api/v1/agreements/${a.id}/agreement.pdf`}>PDF</a>
        {a.latest && a.status !== "signed" && (
          <>
            <Button onClick={() => void sending.act(undefined)} disabled={sending.busy}>
              {a.sent ? "Send once more" : "Send"}
            </Button>
            <Button onClick={() => setSigning(true)}>Came back signed …</Button>
          </>
        )}
      </Row>
      {signing && <Signed agreement={a} acts={acts} onClose={() => setSigning(false)} />}
    </li>
  );
}

function Signed({ agreement: a, acts, onClose }: { agreement: Agreement; acts: Acts; onClose: () => void }) {
  const me = useMe();
  const of = useServerForm({
    draft: null,
    start: { on: me.today },
    send: ({ on }) =>
      ask(
        api.POST("/api/v1/agreements/{agreement_id}/signed", {
          params: { path: { agreement_id: a.id } },
          body: { on },
        }),
      ),
    done: (done) => {
      acts.say({ text: `The agreement of ${a.instructor} is signed.`, change: done.change });
      onClose();
    },
  });
  return (
    <Form look="row inset" sx={{ alignItems: "flex-end" }} of={of} onLeave={onClose}>
      <Field label="Came back signed on" type="date" width={160} {...of.field("on")} autoFocus />
      <Button type="submit" variant="contained" disabled={of.busy}>
        Write it down
      </Button>
      <Button onClick={onClose}>Leave it</Button>
    </Form>
  );
}

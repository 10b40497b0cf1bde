import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { useAct } from "../../form/useAct";
import { Grow, Loading, Note, Row, Ruled } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";

type Request = Schemas["PayRequestOut"];
type Acts = ReturnType<typeof useDone>;

/** Pay requests of an instructor: made for a month, or for all runs so far; paid ones say when. */
export function Requests({ instructorId, acts }: { instructorId: number; acts: Acts }) {
  const me = useMe();
  const query = $api.useQuery("get", "/api/v1/pay-requests", {
    params: { query: { instructor_id: instructorId } },
  });
  if (!query.data) return <Loading rows={2} />;
  return (
    <>
      <Ask instructorId={instructorId} start={me.today.slice(0, 7)} acts={acts} />
      {query.data.length === 0 ? (
        <P tone="slate">None was made yet.</P>
      ) : (
        <RequestList rows={query.data} acts={acts} />
      )}
    </>
  );
}

/** A month is asked for; what it would say is seen first, since it no longer changes. */
function Ask({ instructorId, start, acts }: { instructorId: number; start: string; acts: Acts }) {
  const [month, setMonth] = useState(start);
  return (
    <Row wrap end sx={{ marginBottom: 8 }}>
      <Field
        label="Month, like 2027-09"
        width={140}
        value={month}
        onChange={setMonth}
        input={{ inputMode: "numeric" }}
      />
      <MakeRequest
        body={{ instructor_id: instructorId, month: month.trim() }}
        text="See the month’s pay request"
        acts={acts}
      />
    </Row>
  );
}

/** A pay request is seen, then made. */
export function MakeRequest({
  body,
  text,
  acts,
}: {
  body: Schemas["PayRequestCommand"];
  text: string;
  acts: Acts;
}) {
  const [seen, setSeen] = useState<{ of: string; request: Request } | null>(null);
  const now = JSON.stringify(body);
  const send = (preview: boolean, key: string) =>
    ask(
      api.POST("/api/v1/pay-requests", {
        params: { query: { preview }, header: { "Idempotency-Key": key } },
        body,
      }),
    );
  const looking = useAct({
    send: (_: undefined, key) => send(true, key),
    done: ({ request }) => setSeen({ of: now, request }),
    failed: (said) => {
      setSeen(null);
      acts.fail(said);
    },
  });
  const doing = useAct({
    send: (_: undefined, key) => send(false, key),
    done: ({ request }) => {
      setSeen(null);
      acts.say({ text: `${request.number} over ${money(request.total, request.currency)} is made.` });
    },
    failed: acts.fail,
  });
  const shown = seen?.of === now ? seen.request : null;
  return (
    <>
      <Button onClick={() => void looking.act(undefined)} disabled={looking.busy}>
        {text}
      </Button>
      {shown && (
        <Note kind="due" sx={{ width: "100%" }} role="group" aria-label="The pay request before it is made">
          <Lines request={shown} />
          <Row mid sx={{ marginTop: 8 }}>
            <Button
              variant="contained"
              onClick={() => void doing.act(undefined)}
              disabled={doing.busy}
              autoFocus
            >
              Make it, {money(shown.total, shown.currency)}
            </Button>
            <Button onClick={() => setSeen(null)}>Leave it</Button>
            <T tone="slate">It then no longer changes; what does is a line of the next one.</T>
          </Row>
        </Note>
      )}
    </>
  );
}

function Lines({ request }: { request: Request }) {
  return (
    <Ruled>
      {request.lines.map((x, n) => (
        <Row as="li" between key={n} sx={{ padding: "4px 0" }}>
          <Grow>
            <strong>{x.run_code}</strong> {x.label}
            <T tone="slate" as="div">
              {x.why}
            </T>
          </Grow>
          <T tone={x.correction ? "ochre" : "copper"} nowrap>
            {money(x.amount, request.currency)}
          </T>
        </Row>
      ))}
    </Ruled>
  );
}

export function RequestList({ rows, acts, named = false }: { rows: Request[]; acts: Acts; named?: boolean }) {
  return (
    <Ruled>
      {rows.map((r) => (
        <RequestLine key={r.id} request={r} acts={acts} named={named} />
      ))}
    </Ruled>
  );
}

function RequestLine({ request: r, acts, named }: { request: Request; acts: Acts; named: boolean }) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const paying = useAct({
    send: () =>
      ask(
        api.POST("/api/v1/pay-requests/{request_id}/paid", {
          params: { path: { request_id: r.id } },
          body: { on: me.today },
        }),
      ),
    done: (done) => acts.say({ text: `${r.number} is paid.`, change: done.change }),
    failed: acts.fail,
  });
  return (
    <li>
      <Row mid wrap sx={{ padding: "6px 0" }}>
        <Button variant="text" onClick={() => setOpen(!open)} aria-expanded={open}>
          {r.number}
        </Button>
        <Grow as="span">
          {named && <strong>{r.instructor} </strong>}
          {r.run_code ?? `through ${day(r.through)}`}
        </Grow>
        <T tone="copper" strong nowrap>
          {money(r.total, r.currency)}
        </T>
        <T nowrap tone={r.paid_on ? "slate" : "ochre"}>
          {r.paid_on ? `paid ${day(r.paid_on)}` : "not paid yet"}
        </T>
        <span>
          {["pdf", "csv", "xlsx"].map((kind, n) => (
            <span key={kind}>
              {n > 0 && " "}
              <a href={`/api/v1/pay-requests/${r.id}/request.${kind}`}>{kind.toUpperCase()}</a>
            </span>
          ))}
        </span>
        {!r.paid_on && (
          <Button onClick={() => void paying.act(undefined)} disabled={paying.busy}>
            Paid today
          </Button>
        )}
      </Row>
      {open && <Lines request={r} />}
    </li>
  );
}

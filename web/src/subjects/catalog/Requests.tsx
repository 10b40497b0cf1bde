import Button from "@mui/material/Button";
import { type KeyboardEvent, useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { useAct } from "../../form/useAct";
import { Grow, Loading, Row, Ruled } from "../../parts/layout";
import { clock, count, day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";

type Acts = ReturnType<typeof useDone>;
type Request = Schemas["RequestOut"];

/** The requests of a run: those to decide on, and those that were. */
export function RequestList({ run, acts }: { run: number; acts: Acts }) {
  const [decided, setDecided] = useState(false);
  const query = $api.useQuery("get", "/api/v1/requests", { params: { query: { run_id: run, decided } } });
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  const { requests } = query.data;
  return (
    <div>
      {requests.length === 0 && (
        <P tone="slate">{decided ? "None was decided yet." : "Nobody asks for a seat."}</P>
      )}
      <RequestLines requests={requests} acts={acts} />
      <Button variant="text" onClick={() => setDecided(!decided)}>
        {decided ? "Those to decide on" : "Those that were decided"}
      </Button>
    </div>
  );
}

/** Requests, each decided in one key: Enter approves, R refuses with a word. */
export function RequestLines({ requests, acts }: { requests: Request[]; acts: Acts }) {
  return (
    <Ruled>
      {requests.map((r) => (
        <Line key={r.id} request={r} acts={acts} />
      ))}
    </Ruled>
  );
}

function Line({ request: r, acts }: { request: Request; acts: Acts }) {
  const [refusing, setRefusing] = useState(false);
  const [word, setWord] = useState("");
  const deciding = useAct({
    send: (approve: boolean, key) =>
      ask(
        api.POST("/api/v1/requests/{seat_request_id}/decision", {
          params: { path: { seat_request_id: r.id }, header: keyHeader(key) },
          body: { approve, word: word.trim() },
        }),
      ),
    done: (answer) =>
      acts.say({
        text:
          answer.status === "approved"
            ? `${answer.name} is enrolled on ${answer.run} and was written to.`
            : `${answer.name} was written to that there is no seat.`,
      }),
    failed: acts.fail,
  });
  const open = r.status === "open";
  return (
    <li>
      <Row mid wrap>
        <Grow>
          <strong>{r.name}</strong> asks for {count(r.heads, "seat")} on{" "}
          <Link to={`/runs/${r.run_id}/public`}>
            {r.run} {r.title}
          </Link>
          {r.rate && <T tone="slate">, {r.rate}</T>}
          {r.total && (
            <>
              , <T tone="copper">{money(r.total, r.currency)}</T>
            </>
          )}
          <T tone={r.free < r.heads ? "brick" : "slate"}>
            , {r.free === 0 ? "no seat is free" : `${r.free} free`}
          </T>
          <div>
            <T small>
              {day(r.made)}, {clock(r.made)} · {r.email}
              {r.phone && ` · ${r.phone}`}
              {Object.entries(r.answers).map(([q, a]) => ` · ${q} ${a}`)}
              {r.note && ` · ${r.note}`}
              {!open && ` · ${r.status} by ${r.by || "the program"}${r.word ? `: ${r.word}` : ""}`}
            </T>
          </div>
        </Grow>
        {open && !refusing && (
          <>
            <Button
              variant="contained"
              disabled={deciding.busy}
              aria-keyshortcuts="Enter R"
              title="Enter approves; R refuses."
              onClick={() => void deciding.act(true)}
              onKeyDown={(e: KeyboardEvent) => {
                if (e.key.toLowerCase() !== "r" || e.ctrlKey || e.metaKey || e.altKey) return;
                e.preventDefault();
                setRefusing(true);
              }}
            >
              Approve
            </Button>
            <Button disabled={deciding.busy} onClick={() => setRefusing(true)}>
              Refuse
            </Button>
          </>
        )}
      </Row>
      {open && refusing && (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            void deciding.act(false);
          }}
        >
          <Row end>
            <Field
              label="A word to them, if you like"
              width={360}
              value={word}
              onChange={setWord}
              autoFocus
            />
            <Button type="submit" variant="contained" disabled={deciding.busy}>
              Refuse
            </Button>
            <Button onClick={() => setRefusing(false)}>Leave it</Button>
          </Row>
        </form>
      )}
    </li>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, asTyped, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { count, day, length } from "../../parts/text";
import { Fault, Heard, T } from "../../parts/words";

type Prepared = Schemas["OwnPreparation"];
type Run = Schemas["PreparedRunOut"];
type When = Run["dates"][number];
type Put = (next: Prepared) => void;

const INLINE = { "&&": { margin: 0, minHeight: 32 } };

/** Every date of a prepared run; each can be put elsewhere or left out. */
export function OwnDates({ prep, run, put }: { prep: Prepared; run: Run; put: Put }) {
  const [at, setAt] = useState<number | null>(null);
  const [trouble, setTrouble] = useState("");
  const path = (meeting_id: number) => ({ preparation_id: prep.id, run_id: run.run_id, meeting_id });
  const leaving = useAct({
    send: (meeting_id: number) =>
      ask(
        api.DELETE("/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}/meetings/{meeting_id}", {
          params: { path: path(meeting_id) },
        }),
      ),
    done: (next: Prepared) => {
      setTrouble("");
      put(next);
    },
    failed: setTrouble,
  });
  if (run.dates.length === 0) return null;
  const usual = run.pattern?.minutes;
  const changes = prep.writes && run.status === "draft";
  return (
    <details>
      <summary>{count(run.dates.length, "date")}</summary>
      {trouble && <Fault role="alert">{trouble}</Fault>}
      <ol>
        {run.dates.map((when) => (
          <li key={when.meeting_id}>
            <Row mid wrap sx={{ gap: "0 14px" }}>
              <span>
                {day(when.day, when.day.slice(0, 4) !== run.dates[0]?.day.slice(0, 4))},{" "}
                {when.start.slice(0, 5)}
                {when.minutes !== usual && <T tone="slate">, {length(when.minutes)}</T>}
              </span>
              {changes && at !== when.meeting_id && (
                <>
                  <Button variant="text" sx={INLINE} onClick={() => setAt(when.meeting_id)}>
                    move<Heard> {day(when.day)}</Heard>
                  </Button>
                  {run.dates.length > 1 && (
                    <Button
                      variant="text"
                      sx={INLINE}
                      disabled={leaving.busy}
                      onClick={() => void leaving.act(when.meeting_id)}
                    >
                      leave out<Heard> {day(when.day)}</Heard>
                    </Button>
                  )}
                </>
              )}
            </Row>
            {at === when.meeting_id && (
              <Elsewhere
                when={when}
                onLeave={() => setAt(null)}
                send={(body) =>
                  ask(
                    api.PATCH(
                      "/api/v1/own/teaching/preparations/{preparation_id}/runs/{run_id}/meetings/{meeting_id}",
                      { params: { path: path(when.meeting_id) }, body },
                    ),
                  )
                }
                put={put}
              />
            )}
          </li>
        ))}
      </ol>
    </details>
  );
}

function Elsewhere({
  when,
  send,
  put,
  onLeave,
}: {
  when: When;
  send: (body: Schemas["OwnMeetingPatch"]) => Promise<Prepared>;
  put: Put;
  onLeave: () => void;
}) {
  const of = useServerForm({
    draft: `own-date-${when.meeting_id}`,
    start: { date: when.day, start: when.start.slice(0, 5), minutes: String(when.minutes) },
    send: (form, _key, { seen }) =>
      send(
        asTyped<"OwnMeetingPatch">({
          set: { ...form, minutes: Number(form.minutes) },
          seen: { ...seen, minutes: Number(seen.minutes) },
        }),
      ),
    done: (next: Prepared) => {
      put(next);
      onLeave();
    },
  });
  return (
    <Form of={of} look="inset" onLeave={onLeave} label={`Move ${day(when.day)}`}>
      <Row wrap>
        <Field label="Date" width={170} type="date" {...of.field("date", "/set/date")} />
        <Field label="Start" width={90} type="time" {...of.field("start", "/set/start")} />
        <Field
          label="Minutes"
          width={90}
          {...of.field("minutes", "/set/minutes")}
          input={{ inputMode: "numeric" }}
        />
      </Row>
      <Ends of={of} act="Save" onLeave={onLeave} />
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Choice } from "../../form/Field";
import { useAct } from "../../form/useAct";
import { Note, Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";

type Merged = Schemas["InstructorsMerged"];

/** Two records of one instructor become one; seen first. */
export function MergeInstructor({
  instructor: i,
  acts,
}: {
  instructor: Schemas["InstructorOut"];
  acts: ReturnType<typeof useDone>;
}) {
  const [open, setOpen] = useState(false);
  const [gone, setGone] = useState("");
  const [seen, setSeen] = useState<Merged | null>(null);
  const all = $api.useQuery("get", "/api/v1/instructors");
  const others = (all.data ?? []).filter((o) => o.id !== i.id && !o.name.includes("[merged"));
  const send = (preview: boolean) =>
    ask(
      api.POST("/api/v1/instructors/{instructor_id}/merge", {
        params: { path: { instructor_id: i.id }, query: { preview } },
        body: { gone_id: Number(gone) },
      }),
    );
  const close = () => {
    setOpen(false);
    setSeen(null);
    setGone("");
  };
  const looking = useAct({ send: () => send(true), done: setSeen, failed: acts.fail });
  const doing = useAct({
    send: () => send(false),
    done: (done) => {
      acts.say({ text: `${done.gone} is ${done.kept} now.`, change: done.change });
      close();
    },
    failed: acts.fail,
  });
  return (
    <section>
      <h2>The same person twice?</h2>
      {!open ? (
        <Button variant="text" onClick={() => setOpen(true)}>
          Put another record onto this one
        </Button>
      ) : (
        <>
          <Choice
            label={`Whose record becomes part of ${i.name}`}
            value={gone}
            onChange={(value) => {
              setGone(value);
              setSeen(null);
            }}
            options={[
              { value: "", text: "choose" },
              ...others.map((o) => ({ value: String(o.id), text: o.name })),
            ]}
          />
          {seen && (
            <Note kind="due" sx={{ marginTop: 8 }}>
              <P strong>{i.name} takes over:</P>
              <p>{seen.moved.join(", ") || "nothing; the other record is empty"}.</p>
              {seen.clashes.map((c) => (
                <P tone="brick" key={c.key}>
                  {c.text}
                </P>
              ))}
            </Note>
          )}
          <Row sx={{ marginTop: 8 }}>
            {seen ? (
              <Button variant="contained" onClick={() => void doing.act(undefined)} disabled={doing.busy}>
                Make them one
              </Button>
            ) : (
              <Button onClick={() => void looking.act(undefined)} disabled={!gone || looking.busy}>
                See what moves
              </Button>
            )}
            <Button onClick={close}>Leave it</Button>
          </Row>
        </>
      )}
    </section>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { useForeseen } from "../../form/useForeseen";
import { Asked, Note, Part, Ruled } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { Fault, Letter, P, T } from "../../parts/words";
import { PersonPick } from "./PersonPick";

type Person = Schemas["PersonPage"];

/** A second record of the same person: find it, see what moves here, make them one. */
export function MergePerson({ person, acts }: { person: Person; acts: ReturnType<typeof useDone> }) {
  const [open, setOpen] = useState(false);
  const [other, setOther] = useState<number | null>(null);
  const path = { person_id: person.id };
  const close = () => {
    setOpen(false);
    setOther(null);
  };
  const merging = useForeseen({
    name: ["merge", person.id],
    wish: other === null ? null : { gone_id: other },
    see: (body) =>
      ask(api.POST("/api/v1/people/{person_id}/merge", { params: { path, query: { preview: true } }, body })),
    send: (body, key) =>
      ask(api.POST("/api/v1/people/{person_id}/merge", { params: { path, header: keyHeader(key) }, body })),
    done: (done) => {
      close();
      acts.say({ text: `Both records of ${done.kept} are one.`, change: done.change });
    },
    stays: () => false,
  });
  if (person.merged_into_id !== null) return null;
  return (
    <section>
      <h2>One person, two records?</h2>
      {!open ? (
        <Button variant="text" onClick={() => setOpen(true)}>
          merge another record into this one
        </Button>
      ) : other === null ? (
        <PersonPick
          label="The other record"
          first={person.family}
          not={person.id}
          onPick={setOther}
          onLeave={close}
        />
      ) : (
        <MakeOne merging={merging} onClose={close} />
      )}
    </section>
  );
}

/** What moves into this record, and the act. */
function MakeOne({
  merging: { preview: what, trouble, ready, act },
  onClose,
}: {
  merging: { preview?: Schemas["Merged"]; trouble: unknown; ready: boolean; act: () => Promise<void> };
  onClose: () => void;
}) {
  return (
    <Note kind="due">
      {trouble != null && <Fault as="p">{messageOf(trouble)}</Fault>}
      {!what && trouble == null && <p>Working it out …</p>}
      {what && (
        <>
          <p>
            <strong>{what.gone}</strong> goes into this record of <strong>{what.kept}</strong>:
          </p>
          <p>
            {what.moved.length
              ? what.moved.map((m) => `${m.what}: ${m.number}`).join("; ")
              : "There is nothing on it."}
            {what.taken_over.length > 0 &&
              `; ${what.taken_over.map((t) => `${t.what} ${t.value}`).join(", ")} is taken over`}
            .
          </p>
          {!isZero(what.balance) && <p>Together they owe {money(what.balance, what.currency)}.</p>}
          <P tone="slate">It can be undone until the next thing is done with this person.</P>
        </>
      )}
      <Asked>
        {what && (
          <Button variant="contained" disabled={!ready} onClick={() => void act()} ref={focused}>
            Make them one
          </Button>
        )}
        <Button onClick={onClose}>Leave it</Button>
      </Asked>
    </Note>
  );
}

/** What was written to somebody, newest first. */
export function Messages({ personId }: { personId: number }) {
  const [open, setOpen] = useState<number | null>(null);
  const query = $api.useQuery("get", "/api/v1/people/{person_id}/messages", {
    params: { path: { person_id: personId } },
  });
  if (!query.data?.length) return null;
  return (
    <Part as="div">
      <h2>Messages</h2>
      <Ruled>
        {query.data.map((m) => (
          <Box component="li" key={m.id} sx={{ padding: "5px 0" }}>
            <Button
              variant="text"
              aria-expanded={open === m.id}
              onClick={() => setOpen(open === m.id ? null : m.id)}
            >
              {m.subject}
            </Button>{" "}
            <T tone={m.status === "failed" ? "brick" : "slate"}>
              {day(m.at, false)}, {m.status}
            </T>
            {open === m.id && <Letter>{m.body}</Letter>}
          </Box>
        ))}
      </Ruled>
    </Part>
  );
}

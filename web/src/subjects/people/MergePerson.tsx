import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, messageOf, newKey, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { PickList } from "../../form/PickList";
import { Asked, Note, Part, Ruled } from "../../parts/layout";
import { day, isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { Letter, P, T } from "../../parts/words";

type Person = Schemas["PersonPage"];

/** A second record of the same person: find it, see what moves here, make them one. */
export function MergePerson({ person, acts }: { person: Person; acts: ReturnType<typeof useDone> }) {
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState(person.family);
  const [other, setOther] = useState<number | null>(null);
  const [key] = useState(newKey);
  const q = useSettled(typed.trim(), 120);
  const found = $api.useQuery(
    "get",
    "/api/v1/people",
    { params: { query: { q, limit: 8 } } },
    { enabled: open && q.length > 0 },
  );
  const path = { person_id: person.id };
  const shown = useQuery({
    queryKey: ["merge", person.id, other],
    queryFn: () =>
      ask(
        api.POST("/api/v1/people/{person_id}/merge", {
          params: { path, query: { preview: true } },
          body: { gone_id: other! },
        }),
      ),
    enabled: other !== null,
    retry: false,
  });
  if (person.merged_into_id !== null) return null;
  const close = () => {
    setOpen(false);
    setOther(null);
  };
  const merge = async () => {
    try {
      const done = await ask(
        api.POST("/api/v1/people/{person_id}/merge", {
          params: { path, header: { "Idempotency-Key": key } },
          body: { gone_id: other! },
        }),
      );
      close();
      acts.say({ text: `Both records of ${done.kept} are one.`, change: done.change });
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  const what = shown.error ? undefined : shown.data;
  const here = (found.data ?? []).filter((p) => p.id !== person.id);
  return (
    <section>
      <h2>One person, two records?</h2>
      {!open ? (
        <Button variant="text" onClick={() => setOpen(true)}>
          merge another record into this one
        </Button>
      ) : other === null ? (
        <>
          <PickList
            label="The other record"
            placeholder="name, email or phone"
            typed={typed}
            onType={setTyped}
            autoFocus
            fresh={q === typed.trim() && (found.data !== undefined || !q)}
            onPick={(id) => setOther(Number(id))}
            options={(q ? here : []).map((p) => ({
              key: String(p.id),
              content: (
                <>
                  <strong>{p.name}</strong>
                  <T tone="slate" as="div">
                    {[p.email, p.phone].filter(Boolean).join(", ") || "no email"}
                  </T>
                </>
              ),
            }))}
          />
          <Button variant="text" onClick={close}>
            leave it
          </Button>
        </>
      ) : (
        <Note kind="due">
          {!what ? (
            <p>{shown.error ? messageOf(shown.error) : "Working it out …"}</p>
          ) : (
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
              <Button variant="contained" onClick={() => void merge()} ref={focused}>
                Make them one
              </Button>
            )}
            <Button onClick={close}>Leave it</Button>
          </Asked>
        </Note>
      )}
    </section>
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

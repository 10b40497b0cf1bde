import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { Note, Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";

/** Whether somebody has a page of their own: invite them by message, send the link anew, close it. */
export function OwnPageCard({
  person,
  acts,
}: {
  person: Schemas["PersonPage"];
  acts: ReturnType<typeof useDone>;
}) {
  const [key, setKey] = useState(newKey);
  const [sure, setSure] = useState(false);
  const own = person.own_page;
  if (person.merged_into_id !== null) return null;
  const path = { person_id: person.id };
  const act = async (text: string, done: () => Promise<Schemas["OwnPageDone"]>, undone: boolean) => {
    try {
      const { change } = await done();
      acts.say({ text, change: undone ? change : undefined });
    } catch (error) {
      acts.fail(Object.values(faultsOf(error))[0] ?? messageOf(error));
    } finally {
      setKey(newKey());
      setSure(false);
    }
  };
  const invite = () =>
    act(
      `Wrote to ${person.name} with a link to set a password.`,
      () =>
        ask(
          api.POST("/api/v1/people/{person_id}/own-page", {
            params: { path, header: { "Idempotency-Key": key } },
          }),
        ),
      true,
    );
  const close = () =>
    act(
      own?.status === "invited" ? "The invitation is taken back." : "The page is closed.",
      () => ask(api.DELETE("/api/v1/people/{person_id}/own-page", { params: { path } })),
      false,
    );
  return (
    <section>
      <h2>Own page</h2>
      {own === null ? (
        <>
          <P tone="slate">None, and none is needed. On it they see their courses, dates and what is due.</P>
          {person.email ? (
            <Button onClick={() => void invite()}>Invite by message</Button>
          ) : (
            <P tone="slate">Add an email to invite them.</P>
          )}
        </>
      ) : own.status === "invited" ? (
        <>
          <p>
            Invited {day(own.sent, false)} as {own.email}; the link works through {day(own.link_until, false)}
            .
          </p>
        </>
      ) : (
        <p>They sign in as {own.email}.</p>
      )}
      {own !== null &&
        (sure ? (
          <Note kind="due" role="alertdialog" aria-label="Close the own page">
            <p>
              {own.status === "invited"
                ? "The link they were sent stops working."
                : "They are signed out and their password is forgotten. Seats and money stay as they are."}
            </p>
            <Row>
              <Button ref={focused} color="error" onClick={() => void close()}>
                {own.status === "invited" ? "Take the invitation back" : "Close the page"}
              </Button>
              <Button onClick={() => setSure(false)}>Leave it</Button>
            </Row>
          </Note>
        ) : (
          <Row>
            {own.status === "invited" && <Button onClick={() => void invite()}>Send a new link</Button>}
            <Button onClick={() => setSure(true)}>
              {own.status === "invited" ? "Take it back" : "Close it"}
            </Button>
          </Row>
        ))}
    </section>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Asked, Note } from "../../parts/layout";
import { ActNotes } from "../../parts/Page";
import { focused, useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { Touched } from "./Touched";

type Outcome = Schemas["Outcome"];
type Send = (preview: boolean) => Promise<Outcome>;

/** A move made on the planner: what it touches stands in the margin until it is confirmed; drafts move at once. */
export function useProposal() {
  const acts = useDone();
  const [pending, setPending] = useState<{ what: string; outcome: Outcome; save: Send } | null>(null);
  const [busy, setBusy] = useState(false);
  return {
    acts,
    pending,
    busy,
    propose: async (what: string, send: Send, draft: boolean) => {
      setBusy(true);
      try {
        if (draft) {
          const done = await send(false);
          setPending(null);
          acts.say({ text: `${what}: done.`, change: done.change });
        } else setPending({ what, outcome: await send(true), save: send });
      } catch (error) {
        setPending(null);
        acts.fail(messageOf(error));
      } finally {
        setBusy(false);
      }
    },
    confirm: async () => {
      if (!pending) return;
      setBusy(true);
      try {
        const done = await pending.save(false);
        acts.say({ text: `${pending.what}: done.`, change: done.change });
      } catch (error) {
        acts.fail(messageOf(error));
      } finally {
        setPending(null);
        setBusy(false);
      }
    },
    leave: () => setPending(null),
  };
}

export function Proposal({ proposal: p }: { proposal: ReturnType<typeof useProposal> }) {
  const me = useMe();
  return (
    <>
      {p.pending && (
        <Note kind="due" role="alertdialog" aria-label="Confirm this change">
          <P strong>{p.pending.what}?</P>
          <Touched outcome={p.pending.outcome} currency={me.currency} />
          <Asked>
            <Button variant="contained" onClick={() => void p.confirm()} disabled={p.busy} ref={focused}>
              Save it
            </Button>
            <Button onClick={p.leave}>Leave as it was</Button>
          </Asked>
        </Note>
      )}
      <ActNotes acts={p.acts} />
    </>
  );
}

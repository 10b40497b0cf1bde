import type { Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { usePreviewedAct } from "../../form/usePreviewedAct";
import { ActNotes } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { Confirm } from "./Confirm";

/** A move made on the planner: what it touches stands in the margin until it is confirmed; drafts move at once. */
export function useProposal() {
  const acts = useDone();
  const act = usePreviewedAct(acts);
  return {
    acts,
    act,
    pending: act.waiting,
    propose: async (
      what: string,
      send: (preview: boolean) => Promise<Schemas["Outcome"]>,
      draft: boolean,
    ) => {
      try {
        await (draft ? act.now(what, send) : act.see(what, send));
      } catch (error) {
        act.leave();
        acts.failed(error);
      }
    },
  };
}

export function Proposal({ proposal }: { proposal: ReturnType<typeof useProposal> }) {
  const me = useMe();
  return (
    <>
      <Confirm act={proposal.act} currency={me.currency} />
      <ActNotes acts={proposal.acts} />
    </>
  );
}

import Button from "@mui/material/Button";

import type { usePreviewedAct } from "../../form/usePreviewedAct";
import { Asked, Note } from "../../parts/layout";
import { focused } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { Touched } from "./Touched";

/** What the button that does it says, by what is done. */
function verbOf(what: string): string {
  if (what.startsWith("Cancel meeting")) return "Cancel the meeting";
  if (what.startsWith("Cancel")) return "Cancel the run";
  if (what.startsWith("Take out")) return "Take it out";
  return what.startsWith("Move") ? "Move it" : "Save";
}

/** A change that waits: what it touches, and the two ways on. */
export function Confirm({ act, currency }: { act: ReturnType<typeof usePreviewedAct>; currency: string }) {
  if (!act.waiting) return null;
  const { what, outcome } = act.waiting;
  return (
    <Note kind="due" role="alertdialog" aria-label="Confirm this change">
      <P strong>{what}?</P>
      <Touched outcome={outcome} currency={currency} />
      <Asked>
        <Button variant="contained" onClick={() => void act.confirm()} disabled={act.busy} ref={focused}>
          {verbOf(what)}
        </Button>
        <Button onClick={act.leave}>Keep as it was</Button>
      </Asked>
    </Note>
  );
}

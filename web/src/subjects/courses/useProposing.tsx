import Button from "@mui/material/Button";
import { useState } from "react";

import { faultsOf, messageOf, ServerProblem } from "../../app/server";
import { usePreviewedAct } from "../../form/usePreviewedAct";
import { Facts, Note, Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { shownValue } from "../schedule/Touched";
import { factWords, type Propose, type Send } from "./runTypes";

type Both = Record<string, { seen: unknown; now: unknown; yours: unknown }>;
type Conflict = { what: string; fields: Both; send: Send; onSaved?: () => void };

/**
 * Changes of a run: saved at once on a draft, seen first on a published run. Where somebody else changed the same field
 * meanwhile, both versions stand until one is chosen.
 */
export function useProposing(
  acts: ReturnType<typeof useDone>,
  draft: boolean,
  refetch: () => Promise<unknown>,
) {
  const act = usePreviewedAct(acts);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const propose: Propose = async (what, send, onSaved, now = false, always = false) => {
    setConflict(null);
    const once = (preview: boolean) => send(preview);
    try {
      await ((draft && !always) || now ? act.now(what, once, onSaved) : act.see(what, once, onSaved));
      return null;
    } catch (error) {
      if (error instanceof ServerProblem && error.kind === "changed-meanwhile") {
        setConflict({ what, fields: error.extra.fields as Both, send, onSaved });
        return {};
      }
      const faults = faultsOf(error);
      if (Object.keys(faults).length === 0) acts.fail(messageOf(error));
      return faults;
    }
  };
  const settle = async (mine: boolean) => {
    if (!conflict) return;
    const { what, fields, send, onSaved } = conflict;
    setConflict(null);
    if (!mine) {
      onSaved?.();
      await refetch();
      return;
    }
    const over = Object.fromEntries(Object.entries(fields).map(([name, both]) => [name, both.now]));
    await propose(what, (preview) => send(preview, over), onSaved);
  };
  return { act, conflict, propose, settle };
}

/** Two people changed the same field: both versions, and whose stands. */
export function BothVersions({ proposing }: { proposing: ReturnType<typeof useProposing> }) {
  const { conflict, settle } = proposing;
  if (!conflict) return null;
  return (
    <Note kind="wrong" role="alertdialog" aria-label="Both versions">
      <P strong>Somebody else changed this meanwhile.</P>
      {Object.entries(conflict.fields).map(([name, both]) => (
        <Facts key={name}>
          <dt>{factWords(name)}, theirs</dt>
          <dd>{plainly(both.now)}</dd>
          <dt>{factWords(name)}, yours</dt>
          <dd>{plainly(both.yours)}</dd>
        </Facts>
      ))}
      <Row sx={{ marginTop: 8 }}>
        <Button variant="contained" onClick={() => void settle(true)} autoFocus>
          Use mine
        </Button>
        <Button onClick={() => void settle(false)}>Keep theirs</Button>
      </Row>
    </Note>
  );
}

/** A value in words, also of a list of rates or plans. */
function plainly(value: unknown): string {
  if (value === null || value === "") return "nothing";
  if (Array.isArray(value))
    return value
      .map((v: { label?: string; name?: string; amount?: string }) =>
        [v.label ?? v.name, v.amount].filter(Boolean).join(" "),
      )
      .join(", ");
  return shownValue(String(value));
}

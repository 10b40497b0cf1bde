import Button from "@mui/material/Button";
import { useEffect, type ReactNode } from "react";

import { messageOf } from "../app/server";
import type { useDone } from "./useUndo";

/** The sheet, where the work is, and the margin, where consequences and reasons stand. */
export function Page({ title, children, margin }: { title: string; children: ReactNode; margin: ReactNode }) {
  useEffect(() => {
    document.title = `${title} · Arch Gate`;
  }, [title]);
  return (
    <div className="page">
      <main className="sheet" id="sheet">
        {children}
      </main>
      <aside className="margin" aria-label="Margin: consequences and reasons">
        <div className="stay">{margin}</div>
      </aside>
    </div>
  );
}

/** Something could not be loaded: what it is, and what to do. */
export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <div className="note wrong" role="alert">
      <p>{messageOf(error)}</p>
      {retry && <Button onClick={retry}>Try again</Button>}
    </div>
  );
}

/** What was just done, with its undo. */
export type Done = { text: string; change?: string | null; link?: ReactNode };

function DoneNote({ done, onUndo, busy }: { done: Done; onUndo?: (change: string) => void; busy?: boolean }) {
  return (
    <div className="note" role="status">
      <p className="strong">{done.text}</p>
      <p className="row">
        {done.change && onUndo && (
          <button className="plainly" disabled={busy} onClick={() => onUndo(done.change!)}>
            Undo
          </button>
        )}
        {done.link}
      </p>
    </div>
  );
}

/** What was just done here, or why it could not be. */
export function ActNotes({ acts }: { acts: ReturnType<typeof useDone> }) {
  return (
    <>
      {acts.trouble && (
        <div className="note wrong" role="alert">
          {acts.trouble}
        </div>
      )}
      {acts.done && <DoneNote done={acts.done} onUndo={acts.undo} busy={acts.busy} />}
    </>
  );
}

/** A page whose content is not there yet: its place kept still, or what went wrong. */
export function NotYet({ title, error, retry }: { title: string; error: unknown; retry: () => void }) {
  return (
    <Page title={title} margin={null}>
      {error ? <Trouble error={error} retry={retry} /> : <div className="quiet-block" aria-busy="true" />}
    </Page>
  );
}

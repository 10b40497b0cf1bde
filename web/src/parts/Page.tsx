import Button from "@mui/material/Button";
import { useEffect, type ReactNode } from "react";

import { messageOf } from "../app/server";

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

export function DoneNote({
  done,
  onUndo,
  busy,
}: {
  done: Done;
  onUndo?: (change: string) => void;
  busy?: boolean;
}) {
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

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type ReactNode, useEffect } from "react";

import { messageOf } from "../app/server";
import { ink } from "../theme/palette";
import { useResultFocus } from "./focus";
import { Loading, Note, OnePage, Row } from "./layout";
import type { useDone } from "./useUndo";
import { P } from "./words";

const PageGrid = styled("div")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) 304px",
  flex: 1,
  "@media (max-width: 800px)": { gridTemplateColumns: "minmax(0, 1fr)" },
});
const Sheet = styled("main")({
  padding: "22px 28px 48px 24px",
  minWidth: 0,
  "&:has(> [data-strip])": { paddingTop: 10 },
});
const Margin = styled("aside")({
  background: ink.paper,
  borderLeft: `1px solid ${ink.line}`,
  padding: "22px 20px 32px 22px",
  "& section": { paddingBottom: 14, marginBottom: 16, borderBottom: `1px solid ${ink.line}` },
  "& section:last-of-type": { borderBottom: 0 },
  "& h2": { fontSize: 16, marginBottom: 8 },
});
const Stay = styled("div")({
  position: "sticky",
  top: 22,
  maxHeight: "calc(100vh - 112px)",
  overflowY: "auto",
});

const Floating = styled("aside")({
  position: "fixed",
  right: 20,
  bottom: 16,
  width: 320,
  zIndex: 10,
  "& > *": { margin: 0, boxShadow: "0 6px 24px rgb(0 0 0 / 18%)" },
});

/**
 * The sheet, where the work is, and the margin, where consequences and reasons stand. Without anything for the margin the
 * sheet takes its width, and what was just done floats at its foot.
 */
export function Page({
  title,
  children,
  margin,
  notes,
  help,
}: {
  title: string;
  children: ReactNode;
  margin: ReactNode;
  /** What was just done, or why it could not be. */
  notes?: ReactNode;
  /** What this page is about, in a few words. */
  help?: ReactNode;
}) {
  useEffect(() => {
    document.title = `${title} · Arch Gate`;
  }, [title]);
  const about = help && (
    <P tone="slate" sx={{ maxWidth: 640, marginTop: 24 }}>
      {help}
    </P>
  );
  if (margin === null)
    return (
      <Sheet id="sheet">
        {children}
        {about}
        <Floating aria-label="What was just done">{notes}</Floating>
      </Sheet>
    );
  return (
    <PageGrid>
      <Sheet id="sheet">
        {children}
        {about}
      </Sheet>
      <Margin aria-label="Margin: consequences and reasons">
        <Stay>
          {notes}
          {margin}
        </Stay>
      </Margin>
    </PageGrid>
  );
}

/** Something could not be loaded: what it is, and what to do. */
export function Trouble({ error, retry }: { error: unknown; retry?: () => void }) {
  return (
    <Note kind="wrong" role="alert">
      <p>{messageOf(error)}</p>
      {retry && <Button onClick={retry}>Try again</Button>}
    </Note>
  );
}

/** What was just done, with its undo. */
export type Done = { text: string; change?: string | null; link?: ReactNode };

function DoneNote({ done, onUndo, busy }: { done: Done; onUndo?: (change: string) => void; busy?: boolean }) {
  const place = useResultFocus<HTMLDivElement>(done);
  return (
    <Note role="status">
      <Box ref={place} tabIndex={-1} sx={{ outline: 0 }}>
        <P strong>{done.text}</P>
        <Row as="p">
          {done.change && onUndo && (
            <Button variant="text" disabled={busy} onClick={() => onUndo(done.change!)}>
              Undo
            </Button>
          )}
          {done.link}
        </Row>
      </Box>
    </Note>
  );
}

/** What was just done here, or why it could not be. */
export function ActNotes({ acts }: { acts: ReturnType<typeof useDone> }) {
  return (
    <>
      {acts.trouble && (
        <Note kind="wrong" role="alert">
          {acts.trouble}
        </Note>
      )}
      {acts.done && <DoneNote done={acts.done} onUndo={acts.undo} busy={acts.busy} />}
    </>
  );
}

/** A page whose content is not there yet: its place kept still, or what went wrong. */
export function NotYet({ title, error, retry }: { title: string; error: unknown; retry: () => void }) {
  return (
    <Page title={title} margin={null}>
      {error ? <Trouble error={error} retry={retry} /> : <Loading />}
    </Page>
  );
}

/** A page behind a link while it is read, or when the link leads nowhere. */
export function LinkNotYet({ error, title, text }: { error: unknown; title: string; text: string }) {
  return (
    <OnePage>
      {error ? (
        <>
          <h1>{title}</h1>
          <p>{text}</p>
        </>
      ) : (
        <Loading />
      )}
    </OnePage>
  );
}

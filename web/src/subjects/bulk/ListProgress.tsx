import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";

import type { Schemas } from "../../app/server";
import { whole } from "../../parts/text";
import { P } from "../../parts/words";
import { atWork, type Batch, STATES } from "./batch";

type Progress = NonNullable<Schemas["BatchProgress"]>;

/** "33 s", "4 min": about how long something still takes. */
export function about(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, seconds)} s`;
  return `${Math.round(seconds / 60)} min`;
}

/** How far a list is, in words. */
export function pace(p: Progress): string {
  const parts = [`${whole(p.done)} of ${whole(p.of)} lines`];
  if (p.per_second) parts.push(`${whole(Math.round(p.per_second))} a second`);
  if (p.seconds_left) parts.push(`about ${about(p.seconds_left)} left`);
  return parts.join(", ");
}

export const share = (p: Progress) => (p.of === 0 ? 0 : Math.min(100, Math.floor((100 * p.done) / p.of)));

/** How far a list is that is worked on, and stopping it. */
export function ListProgress({ batch, busy, onStop }: { batch: Batch; busy: boolean; onStop: () => void }) {
  const p = batch.progress;
  if (!p || !(atWork(batch.status) || batch.status === "stopped")) return null;
  return (
    <section aria-label="How far this list is">
      <h2>{STATES[batch.status]}</h2>
      <Box sx={{ margin: "6px 0" }}>
        <LinearProgress variant="determinate" value={share(p)} aria-label={`${share(p)} of 100`} />
      </Box>
      <P role="status" aria-live="off">
        {pace(p)}
      </P>
      {batch.note && <P tone="ochre">{batch.note}</P>}
      {(batch.status === "running" || batch.status === "taking back") && (
        <>
          <P tone="slate">You can leave this page; it goes on.</P>
          <Button variant="outlined" disabled={busy} onClick={onStop}>
            Stop here
          </Button>
        </>
      )}
    </section>
  );
}

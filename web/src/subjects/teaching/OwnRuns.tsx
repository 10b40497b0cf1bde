import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { count, day, money } from "../../parts/text";
import { Heard, P, T } from "../../parts/words";
import { OwnDates } from "./OwnDates";
import { ChangeRun, NewRun } from "./OwnRunForm";

type Prepared = Schemas["OwnPreparation"];
type Run = Schemas["PreparedRunOut"];

/** The runs that stand in a preparation, and a further one. */
export function OwnRuns({ prep, put }: { prep: Prepared; put: (next: Prepared) => void }) {
  const [adding, setAdding] = useState(false);
  const [at, setAt] = useState<number | null>(null);
  return (
    <section>
      <h2>Runs</h2>
      {prep.runs.length === 0 && <P tone="slate">No run is prepared with it.</P>}
      <ul>
        {prep.runs.map((r) => (
          <li key={r.run_id}>
            <RunLine run={r} />
            {r.price !== null &&
              r.lacks.map((text) => (
                <P key={text} tone="ochre" small>
                  {text}
                </P>
              ))}
            <OwnDates prep={prep} run={r} put={put} />
            {prep.writes && r.status === "draft" && at !== r.run_id && (
              <Button variant="text" onClick={() => setAt(r.run_id)}>
                change<Heard> {r.code}</Heard>
              </Button>
            )}
            {at === r.run_id && <ChangeRun prep={prep} run={r} put={put} onLeave={() => setAt(null)} />}
          </li>
        ))}
      </ul>
      {prep.writes &&
        (adding ? (
          <NewRun prep={prep} put={put} onLeave={() => setAdding(false)} />
        ) : (
          <Button onClick={() => setAdding(true)}>Prepare a run</Button>
        ))}
    </section>
  );
}

/** A prepared run in words. */
export function RunLine({ run }: { run: Run }) {
  return (
    <>
      <T strong>{run.code}</T>, {count(run.meetings, "meeting")}
      {run.first && ` from ${day(run.first)}`}
      {run.start && `, ${run.start.slice(0, 5)}`}
      {run.place && `, ${run.place}`}, {count(run.capacity, "seat")},{" "}
      <T tone={run.price ? "copper" : "ochre"}>
        {run.price ? money(run.price, run.currency) : "price to be said by the office"}
      </T>
      {run.status !== "draft" && <T tone="slate">, {run.status}</T>}
    </>
  );
}

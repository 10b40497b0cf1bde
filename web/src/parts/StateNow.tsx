import type { Schemas } from "../app/server";
import { decisionText, stateText } from "./RunFacts";
import { T } from "./words";

/** The state of a run in few words, the same on every line that shows one: what is short, waits, is held or decided. */
export function StateNow({ run }: { run: Schemas["RunLine"] }) {
  const before = run.status === "published" && run.teaching === "before";
  const short =
    before && run.smallest > run.taken ? `${run.smallest - run.taken} short of ${run.smallest}` : "";
  const decided = before && run.decision !== "undecided" ? decisionText(run) : "";
  return (
    <>
      <T strong={run.sign_up === "open"}>{stateText(run)}</T>
      {run.waiting > 0 && (
        <T tone="ochre" strong>
          , {run.waiting} wait
        </T>
      )}
      {run.kept > 0 && <T tone="slate">, {run.kept} held</T>}
      {short && <T tone="ochre">, {short}</T>}
      {decided && <T tone="slate">, {decided}</T>}
    </>
  );
}

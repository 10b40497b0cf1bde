import type { Schemas } from "../../app/server";
import { count } from "../../parts/text";
import { T } from "../../parts/words";

/** Marks of learners: an average stands with its count and its spread, and below the smallest number not at all. */
export function Marks({ marks: m }: { marks: Schemas["MarksOut"] }) {
  if (m.count === 0) return <T tone="slate">no answers yet</T>;
  if (!m.shown)
    return (
      <T tone="slate">
        {count(m.count, "answer")}, shown from {m.fewest} on
      </T>
    );
  return (
    <span>
      <strong>{m.average}</strong> of 5{" "}
      <T tone="slate">
        ± {m.spread}, {count(m.count, "answer")}
      </T>
    </span>
  );
}

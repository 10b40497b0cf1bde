import type { Schemas } from "../app/server";
import { count } from "./text";
import { P } from "./words";

type Clash = Schemas["ClashOut"];

/** Clashes in words, equal ones counted; nothing where there is none. */
export function ClashList({
  clashes,
  healed = false,
}: {
  clashes: Pick<Clash, "text" | "accepted">[];
  healed?: boolean;
}) {
  const counted = new Map<string, number>();
  for (const c of clashes) if (c.accepted === null) counted.set(c.text, (counted.get(c.text) ?? 0) + 1);
  if (counted.size === 0) return null;
  const shown = [...counted].slice(0, 6);
  return (
    <div>
      <P strong clash={!healed}>
        {healed
          ? `${count(clashes.length, "clash", "clashes")} fewer`
          : `${count(clashes.length, "clash", "clashes")}`}
      </P>
      {shown.map(([text, n]) => (
        <P tone={healed ? "slate" : undefined} key={text}>
          {text} {n > 1 && `(${n} dates)`}
        </P>
      ))}
      {counted.size > shown.length && <P tone="slate">and {counted.size - shown.length} more</P>}
    </div>
  );
}

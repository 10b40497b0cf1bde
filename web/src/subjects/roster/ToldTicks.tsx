import type { Schemas } from "../../app/server";
import { Tick } from "../../form/Tick";
import { TOLD } from "./deskCall";

type Told = Schemas["Told"];

/** A tick for everybody who may hear of an enrollment. */
export function ToldTicks<T extends string>({
  told,
  onChange,
}: {
  told: (T | Told)[];
  onChange: (next: (T | Told)[]) => void;
}) {
  return TOLD.map(([who, text]) => (
    <Tick
      key={who}
      checked={told.includes(who)}
      onChange={(on) => onChange(on ? [...told, who] : told.filter((w) => w !== who))}
    >
      {text}
    </Tick>
  ));
}

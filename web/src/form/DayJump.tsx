import { useEffect, useState } from "react";

import { isDay } from "../parts/dates";
import { Field } from "./Field";

const PAUSE = 900;

/** A day that leads to its page: when one leaves the field or presses Enter, or a while after a whole date stands there. */
export function DayJump({
  label,
  value,
  onGo,
}: {
  label: string;
  value: string;
  onGo: (day: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const go = () => {
    if (typed !== null && isDay(typed) && typed !== value) onGo(typed);
    if (typed !== null && (typed === "" || isDay(typed))) setTyped(null);
  };
  useEffect(() => {
    if (typed === null || !isDay(typed) || typed === value) return;
    const timer = setTimeout(() => onGo(typed), PAUSE);
    return () => clearTimeout(timer);
  }, [typed, value, onGo]);
  return (
    <Field
      label={label}
      type="date"
      width={165}
      value={typed ?? value}
      onChange={setTyped}
      onBlur={go}
      onKeyDown={(e) => e.key === "Enter" && go()}
    />
  );
}

import Button from "@mui/material/Button";
import Radio from "@mui/material/Radio";
import { styled } from "@mui/material/styles";
import type { ReactNode } from "react";

import type { Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { Grow, Picks } from "../../parts/layout";
import { seatsText, spanText } from "../../parts/RunFacts";
import { StateNow } from "../../parts/StateNow";
import { day, money } from "../../parts/text";
import { T } from "../../parts/words";
import { ink } from "../../theme/palette";

const picked = { background: ink.verdigrisPale, borderLeftColor: ink.verdigris };
const line = {
  padding: "6px 10px 6px 4px",
  borderBottom: `1px solid ${ink.line}`,
  borderLeft: "3px solid transparent",
};
const PickLine = styled("label")({
  ...line,
  display: "flex",
  gap: 6,
  alignItems: "baseline",
  cursor: "pointer",
  "&[data-picked]": picked,
  "& .MuiRadio-root": { alignSelf: "flex-start" },
});
const PickedBox = styled("div")({ ...line, ...picked, padding: "8px 10px" });
const DeskRun = styled("div")({
  display: "grid",
  gridTemplateColumns: "minmax(0, 1fr) auto",
  columnGap: 10,
  "& .seats": {
    gridColumn: 2,
    gridRow: "1 / 4",
    display: "flex",
    flexDirection: "column",
    alignItems: "center",
  },
});

export type Person = Schemas["PersonFound"];
export type Run = Schemas["RunLine"];
/** A few things of which one is chosen; arrows move within. */
export function PickOne({
  legend,
  name,
  value,
  options,
  onPick,
}: {
  legend: string;
  name: string;
  value: number | null;
  options: { id: number; text: string; more: string; why?: string | null }[];
  onPick: (id: number) => void;
}) {
  return (
    <Picks>
      <T label as="legend">
        {legend}
      </T>
      {options.map((o) => (
        <PickLine key={o.id} data-picked={o.id === value || undefined}>
          <Radio name={name} checked={o.id === value} onChange={() => onPick(o.id)} />
          <Grow as="span">
            {o.text}
            {o.why && <T tone="ochre"> {o.why}</T>}
          </Grow>
          <strong>{o.more}</strong>
        </PickLine>
      ))}
    </Picks>
  );
}

export function Picked({
  children,
  onChange,
  what,
}: {
  children: ReactNode;
  onChange: () => void;
  what: string;
}) {
  return (
    <PickedBox>
      {children}
      <Button variant="text" aria-label={`Change ${what}`} onClick={onChange}>
        change
      </Button>
    </PickedBox>
  );
}

export function RunLine({ run }: { run: Run }) {
  const me = useMe();
  return (
    <DeskRun data-tight title={`${run.title}, ${spanText(run, me.today)}`}>
      <T cut as="strong">
        {run.title}
      </T>
      <T cut>
        <T nowrap>
          {run.next_meeting
            ? `${day(run.next_meeting.date, false)}, ${run.next_meeting.start}`
            : spanText(run, me.today)}
        </T>{" "}
        <T tone="slate">{run.next_meeting?.place || run.place}</T>
      </T>
      <T cut>
        {run.price && (
          <T tone="copper" strong nowrap>
            {money(run.price.amount, run.currency)}{" "}
          </T>
        )}
        <StateNow run={run} />
      </T>
      <span className="seats">
        <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
        <T nowrap as="strong">
          {seatsText({ ...run, kept: 0 })}
        </T>
      </span>
    </DeskRun>
  );
}

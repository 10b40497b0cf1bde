import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type ReactNode, useRef } from "react";
import { Link } from "react-router";

import { useKept } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { GateLine } from "../../parts/GateLine";
import { Crumbs, Row, Title } from "../../parts/layout";
import { decisionText, nextText, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { clock, count, day, hours, money } from "../../parts/text";
import { T } from "../../parts/words";
import type { Run } from "./runTypes";

const StripLine = styled("div")({
  display: "flex",
  alignItems: "center",
  gap: "10px 14px",
  minHeight: 34,
  marginBottom: 4,
  "& h1": { display: "flex", gap: 6, fontSize: 17, minWidth: 0 },
  "& svg": { flex: "none" },
  "& button": { flex: "none" },
});
const FactsLine = styled("span")({ display: "flex", flex: "none", gap: "0 12px", marginLeft: "auto" });

/** What a run is: whole, or as one strip of facts while a part of it is worked in. The choice is kept. */
export function RunHead({ run, working }: { run: Run; working: boolean }) {
  const [chosen, choose] = useKept<boolean | null>("run-head-open", null);
  const open = chosen ?? !working;
  const touched = useRef(false);
  // The button stands elsewhere once it was used; the focus goes along.
  const follow = (button: HTMLButtonElement | null) => {
    if (button && touched.current) {
      touched.current = false;
      button.focus({ preventScroll: true });
    }
  };
  const toggle = (
    <Button
      variant="text"
      color="secondary"
      aria-expanded={open}
      ref={follow}
      onClick={() => {
        touched.current = true;
        choose(!open);
      }}
    >
      {open ? "fold this to one line" : "unfold"}
    </Button>
  );
  return open ? <Whole run={run} toggle={toggle} /> : <Strip run={run} toggle={toggle} />;
}

type Part = { run: Run; toggle: ReactNode };

/** The facts that people ask for ten times a day, in one line. */
function Strip({ run, toggle }: Part) {
  const facts = [
    decisionText(run) || stateText(run),
    run.next_meeting ? `next ${day(run.next_meeting.date, false)}, ${run.next_meeting.start}` : "",
    run.price
      ? `${money(run.price.amount, run.currency)}${run.price.until ? ` to ${day(run.price.until, false).slice(4)}` : ""}`
      : "",
  ].filter(Boolean);
  return (
    <StripLine data-strip>
      <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} waiting={run.waiting} />
      <h1>
        <T nowrap sx={{ flex: "none" }}>
          {run.code}
        </T>{" "}
        <T tone="slate" cut sx={{ fontWeight: 400 }}>
          {run.title}
        </T>
      </h1>
      <FactsLine>
        <T nowrap as="strong">
          {seatsText({ ...run, kept: 0 })} seats
        </T>
        {run.kept > 0 && (
          <T tone="slate" nowrap>
            {run.kept} held
          </T>
        )}
        {run.waiting > 0 && (
          <T tone="ochre" nowrap as="strong">
            {run.waiting} waiting
          </T>
        )}
        {facts.map((fact) => (
          <T nowrap key={fact}>
            {fact}
          </T>
        ))}
      </FactsLine>
      {toggle}
    </StripLine>
  );
}

function Whole({ run, toggle }: Part) {
  return (
    <>
      <Crumbs>
        <Link to="/planner">Runs</Link> /{" "}
        {run.course_title === run.title ? run.code : `${run.course_title} / ${run.code}`}
        {run.place && ` / ${run.place}`} <T tone="slate">·</T> {toggle}
      </Crumbs>
      <Title>
        <div>
          <h1>{run.title}</h1>
          <div>
            {spanText(run)}
            {timesText(run.dates)}{" "}
            {run.meetings > 0 && (
              <T tone="slate">
                ({count(run.meetings, "meeting")}, {hours(run.hours)})
              </T>
            )}
            {teachers(run).length > 0 && (
              <>
                {" "}
                with <strong>{teachers(run).join(" and ")}</strong>
              </>
            )}
          </div>
          {run.kind !== "open" && (
            <T tone="slate" as="div">
              {nextText(run)}
            </T>
          )}
        </div>
        <Row mid sx={{ flex: "none" }}>
          <T right as="div">
            <T big as="div">
              {seatsText({ ...run, kept: 0 })} seats
            </T>
            {run.kept > 0 && (
              <T tone="slate" as="div">
                {run.kept} held
              </T>
            )}
            {run.waiting > 0 && (
              <T tone="ochre" strong as="div">
                {run.waiting} waiting
              </T>
            )}
            <T tone="slate" as="div">
              {smallestText(run)}
            </T>
            <T tone="slate" as="div">
              {decisionText(run)}
            </T>
          </T>
          <Arch
            taken={run.taken}
            capacity={run.capacity}
            smallest={run.smallest}
            waiting={run.waiting}
            size="heading"
          />
        </Row>
      </Title>
      <GateLine run={run} />
    </>
  );
}

/** The times at which a run meets: one, two, or how many there are. */
function timesText(dates: Run["dates"]): string {
  const times = [...new Set(dates.map((d) => `${clock(d.start)} to ${clock(d.end)}`))];
  if (times.length === 0) return "";
  return times.length < 3 ? `, ${times.join(" or ")}` : `, at ${times.length} different times`;
}

/** Who teaches a run: those of its meetings, the usual one first. */
function teachers(run: Run): string[] {
  const every = new Set(run.dates.map((d) => d.instructor).filter((n) => n !== null));
  if (every.size === 0 && run.instructor) return [run.instructor];
  const names = [...every].sort((a, b) => Number(b === run.instructor) - Number(a === run.instructor));
  return names.length < 4 ? names : [...names.slice(0, 3), `${names.length - 3} more`];
}

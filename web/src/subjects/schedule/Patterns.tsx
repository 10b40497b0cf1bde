import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, asTyped, keyHeader } from "../../app/server";
import { Field } from "../../form/Field";
import { useProposedForm } from "../../form/useProposedForm";
import { Grow, Row, Ruled } from "../../parts/layout";
import { count, day, length, weekdays } from "../../parts/text";
import { P, T } from "../../parts/words";
import { PATTERN, patternFormOf, patternOf, type PatternForm } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";
import { Inside, see } from "./DateForms";
import { PatternFields } from "./PatternFields";

type Pattern = Run["patterns"][number];
type Given = { run: Run; propose: Propose };
type Open = { n: number | null; act: "change" | "end" } | null;

/** What the dates were made from: each pattern can become another from now on, end earlier, and one more can be added. */
export function Patterns({ run, propose, frozen }: Given & { frozen: boolean }) {
  const [open, setOpen] = useState<Open>(null);
  const close = () => setOpen(null);
  return (
    <>
      <Ruled aria-label="Meeting patterns">
        {run.patterns.map((p, i) => (
          <li key={p.n}>
            <Row mid sx={{ padding: "4px 0" }}>
              <Grow as="span">
                <T tone="slate">{patternText(p, i === 0)}</T>
              </Grow>
              {!frozen && open?.n !== p.n && (
                <>
                  {i === run.patterns.length - 1 && open === null && (
                    <Button variant="text" onClick={() => setOpen({ n: null, act: "change" })}>
                      add a pattern
                    </Button>
                  )}
                  <Button
                    variant="text"
                    aria-label={`Change pattern ${i + 1}`}
                    onClick={() => setOpen({ n: p.n, act: "change" })}
                  >
                    change
                  </Button>
                  <Button
                    variant="text"
                    color="secondary"
                    aria-label={`end earlier, pattern ${i + 1}`}
                    onClick={() => setOpen({ n: p.n, act: "end" })}
                  >
                    end earlier
                  </Button>
                </>
              )}
            </Row>
            {open?.n === p.n && open.act === "change" && (
              <PatternEdit run={run} pattern={p} propose={propose} onClose={close} />
            )}
            {open?.n === p.n && open.act === "end" && (
              <PatternEnds run={run} pattern={p} propose={propose} onClose={close} />
            )}
          </li>
        ))}
      </Ruled>
      {open?.n === null && <PatternEdit run={run} propose={propose} onClose={close} />}
      {!frozen && open === null && run.patterns.length === 0 && (
        <Button variant="text" onClick={() => setOpen({ n: null, act: "change" })}>
          add a pattern
        </Button>
      )}
    </>
  );
}

/** A pattern in one line. */
function patternText(p: Pattern, first: boolean): string {
  const rhythm = `${weekdays(p.weekdays)}${p.every_weeks > 1 ? ` every ${p.every_weeks} weeks` : ""}`;
  const ends = p.until
    ? `through ${day(p.until)}`
    : p.count
      ? count(p.count, "meeting")
      : count(1, "meeting");
  return [
    `${first ? "Planned as " : "and "}${rhythm} at ${p.start.slice(0, 5)}, ${length(p.minutes)} each`,
    `from ${day(p.first)}, ${ends}`,
    p.room ? `in ${p.room}` : "",
    p.instructor ? `with ${p.instructor}` : "",
  ]
    .filter(Boolean)
    .join(", ");
}

/** A new pattern, or one that becomes another for everything that is ahead. */
function PatternEdit({ run, pattern, propose, onClose }: Given & { pattern?: Pattern; onClose: () => void }) {
  const start: PatternForm = pattern ? patternFormOf(pattern) : { ...PATTERN, start: "", hours: "" };
  const of = useProposedForm({
    draft: `pattern-${run.id}-${pattern?.n ?? "new"}`,
    start: { pattern: start },
    propose,
    what: ({ pattern: p }) =>
      `${pattern ? "Change the pattern to" : "Add"} ${weekdays(p.weekdays) || "a pattern"}`,
    send: (form, { preview, key }) =>
      pattern
        ? ask(
            api.PUT("/api/v1/runs/{run_id}/patterns/{n}", {
              params: { path: { run_id: run.id, n: pattern.n }, query: { preview } },
              body: asTyped<"PatternForm">(patternOf(form.pattern)),
            }),
          )
        : ask(
            api.POST("/api/v1/runs/{run_id}/patterns", {
              params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
              body: asTyped<"PatternForm">(patternOf(form.pattern)),
            }),
          ),
    saved: onClose,
  });
  const faults = Object.fromEntries(
    Object.entries(of.faults).map(([at, said]) => [at.startsWith("/") ? `/patterns/0${at}` : at, said]),
  );
  const close = () => (of.forget(), onClose());
  return (
    <Inside of={of} onClose={onClose}>
      <div>
        <PatternFields
          n={0}
          many={false}
          own
          pattern={of.values.pattern}
          onChange={(change) => of.set({ pattern: { ...of.values.pattern, ...change } })}
          onRemove={() => undefined}
          faults={faults}
        />
        {pattern && (
          <P tone="slate">
            Meetings that were held stand and count toward the number; what is ahead follows the new pattern,
            also what was changed by hand.
          </P>
        )}
        <Row sx={{ marginTop: 8 }}>
          <Button type="submit" variant="contained" disabled={of.busy}>
            {see(run)}
          </Button>
          <Button onClick={close}>Keep as it was</Button>
        </Row>
      </div>
    </Inside>
  );
}

/** A pattern that ends with a day: what comes after it falls out. */
function PatternEnds({ run, pattern, propose, onClose }: Given & { pattern: Pattern; onClose: () => void }) {
  const of = useProposedForm({
    draft: `pattern-end-${run.id}-${pattern.n}`,
    start: { last: "" },
    propose,
    what: ({ last }) => `End this pattern with ${day(last)}`,
    send: ({ last }, { preview }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/patterns/{n}/end", {
          params: { path: { run_id: run.id, n: pattern.n }, query: { preview } },
          body: asTyped<"EndPatternCommand">({ last: last || null }),
        }),
      ),
    saved: onClose,
  });
  return (
    <Inside of={of} onClose={onClose}>
      <Field label="Last day of this pattern" type="date" width={190} {...of.field("last")} autoFocus />
      <Button type="submit" variant="contained" disabled={of.busy}>
        {see(run)}
      </Button>
      <Button onClick={() => (of.forget(), onClose())}>Keep as it was</Button>
    </Inside>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, newKey } from "../../app/server";
import { useKept } from "../../app/session";
import { Field } from "../../parts/Field";
import { clock, count, day, length, weekdays } from "../../parts/text";
import { whole } from "./form";
import type { Propose, Run } from "./RunPage";

type Meeting = Run["dates"][number];

/** All dates of a run; any one of them can be moved or taken out, and one added. */
export function RunDates({ run, propose }: { run: Run; propose: Propose }) {
  const [open, setOpen] = useKept<number | "new" | null>(`run-dates-${run.id}`, null);
  const pattern = run.patterns[0];
  return (
    <>
      <p className="slate" style={{ margin: "14px 0 0" }}>
        {pattern &&
          `Planned as ${weekdays(pattern.weekdays)}${pattern.every_weeks > 1 ? ` every ${pattern.every_weeks} weeks` : ""} at ${pattern.start.slice(0, 5)}, ${length(pattern.minutes)} each. `}
        {count(run.weeks, "calendar week")} from first to last, times of {run.time_zone.replace(/_/g, " ")}.
      </p>
      <ol className="datelist" aria-label="Dates of this run">
        {run.dates.map((m) =>
          open === m.id ? (
            <Edit key={m.id} run={run} meeting={m} propose={propose} onClose={() => setOpen(null)} />
          ) : (
            <li key={m.id}>
              <span className="slate n">{m.n}</span>
              <span className="date">{day(m.date)}</span>
              <span className="nowrap">
                {clock(m.start)} to {clock(m.end)}
              </span>
              {m.by_hand && <span className="slate">by hand</span>}
              <button
                className="plainly acts"
                aria-label={`Change meeting ${m.n}`}
                onClick={() => setOpen(m.id)}
              >
                change
              </button>
              {m.warnings.map((w) => (
                <span key={w} className="ochre">
                  {w}
                </span>
              ))}
            </li>
          ),
        )}
        {open === "new" && <Edit run={run} propose={propose} onClose={() => setOpen(null)} />}
      </ol>
      {open !== "new" && (
        <p style={{ marginTop: 14 }}>
          <Button onClick={() => setOpen("new")}>Add a meeting</Button>
        </p>
      )}
    </>
  );
}

function Edit({
  run,
  meeting,
  propose,
  onClose,
}: {
  run: Run;
  meeting?: Meeting;
  propose: Propose;
  onClose: () => void;
}) {
  const last = run.dates[run.dates.length - 1];
  const now = {
    date: meeting?.date ?? "",
    start: clock(meeting?.start ?? last?.start ?? ""),
    minutes: meeting?.minutes ?? last?.minutes ?? 120,
  };
  const [form, setForm, forget] = useKept(`meeting-${meeting?.id ?? `new-${run.id}`}`, {
    date: now.date,
    start: now.start,
    minutes: String(now.minutes),
    seen: now,
  });
  const { date, start, minutes, seen } = form;
  const close = () => {
    forget();
    onClose();
  };
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [key] = useState(newKey);
  const send = async () => {
    const set = { date: date || null, start: start || null, minutes: whole(minutes) };
    const found = await propose(
      meeting
        ? `Move meeting ${meeting.n} to ${day(date)}, ${start}`
        : `Add a meeting on ${day(date)}, ${start}`,
      (preview, over) =>
        meeting
          ? ask(
              api.PATCH("/api/v1/meetings/{meeting_id}", {
                params: { path: { meeting_id: meeting.id }, query: { preview } },
                body: { seen: { ...seen, ...over }, set },
              }),
            )
          : ask(
              api.POST("/api/v1/runs/{run_id}/meetings", {
                params: { path: { run_id: run.id }, query: { preview }, header: { "Idempotency-Key": key } },
                body: set,
              }),
            ),
    );
    if (found === null) close();
    else setFaults(found);
  };
  const remove = async () => {
    if (!meeting) return;
    const found = await propose(`Take out meeting ${meeting.n} on ${day(meeting.date)}`, (preview) =>
      ask(
        api.DELETE("/api/v1/meetings/{meeting_id}", {
          params: { path: { meeting_id: meeting.id }, query: { preview } },
        }),
      ),
    );
    if (found === null) close();
  };
  const fault = (name: string) => faults[`/set/${name}`] ?? faults[`/${name}`];
  return (
    <li style={{ columnSpan: "all", paddingBottom: 12 }}>
      <form
        className="row wrap"
        style={{ alignItems: "flex-end" }}
        noValidate
        onSubmit={(e) => {
          e.preventDefault();
          void send();
        }}
        onKeyDown={(e) => e.key === "Escape" && onClose()}
      >
        <Field
          label="Date"
          type="date"
          value={date}
          onChange={(v) => setForm({ ...form, date: v })}
          width={160}
          fault={fault("date")}
          autoFocus
        />
        <Field
          label="Starts at"
          type="time"
          value={start}
          onChange={(v) => setForm({ ...form, start: v })}
          width={120}
          fault={fault("start")}
        />
        <Field
          label="Minutes"
          value={minutes}
          onChange={(v) => setForm({ ...form, minutes: v })}
          width={86}
          fault={fault("minutes")}
          input={{ inputMode: "numeric" }}
        />
        <Button type="submit" variant="contained">
          {run.status === "draft" ? "Save" : "See what moves"}
        </Button>
        <Button onClick={close}>Leave as it was</Button>
        {meeting && (
          <Button color="error" onClick={() => void remove()}>
            Take it out
          </Button>
        )}
      </form>
    </li>
  );
}

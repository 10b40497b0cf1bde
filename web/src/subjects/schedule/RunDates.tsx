import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { Link, useLocation, useNavigate } from "react-router";

import { api, ask, keyHeader, newKey } from "../../app/server";
import { useKept } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { Named, useNames } from "../../parts/Named";
import { clock, count, day, length, weekdays } from "../../parts/text";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/RunPage";
import { AcceptClash } from "./AcceptClash";
import { FeedAddress } from "./FeedAddress";

type Meeting = Run["dates"][number];
type Open = number | "new" | "move" | "extend" | null;

/** All dates of a run; any of them, those after it, or all can be changed, cancelled, moved, and more added. */
export function RunDates({ run, propose }: { run: Run; propose: Propose }) {
  const [open, setOpen] = useKept<Open>(`run-dates-${run.id}`, null);
  const { hash } = useLocation();
  useEffect(() => {
    const held = /^#meeting-(\d+)$/.exec(hash);
    if (held) setOpen(Number(held[1]));
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [hash]);
  const close = () => setOpen(null);
  const frozen = run.status === "cancelled" || run.status === "archived";
  const differs = (m: Meeting) =>
    [
      m.room !== (run.place || null) ? m.room : null,
      m.instructor !== (run.instructor || null) ? m.instructor : null,
    ]
      .filter(Boolean)
      .join(", ");
  return (
    <>
      <p className="slate" style={{ margin: "14px 0 0" }}>
        {run.patterns.map((p, i) => (
          <span key={i}>
            {i === 0 ? "Planned as " : "and "}
            {weekdays(p.weekdays)}
            {p.every_weeks > 1 && ` every ${p.every_weeks} weeks`} at {p.start.slice(0, 5)},{" "}
            {length(p.minutes)} each{p.room && ` in ${p.room}`}
            {p.instructor && ` with ${p.instructor}`}
            {"; "}
          </span>
        ))}
        {run.kind === "open"
          ? `No dates: ${count(run.access_days ?? 0, "day")} of access from enrollment.`
          : `${count(run.weeks, "calendar week")} from first to last meeting, times of ${run.time_zone.replace(/_/g, " ")}.`}
      </p>
      {!frozen && run.kind !== "open" && (
        <div className="row wrap" style={{ margin: "12px 0 0" }}>
          {open !== "new" && <Button onClick={() => setOpen("new")}>Add a meeting</Button>}
          {open !== "move" && <Button onClick={() => setOpen("move")}>Move the run</Button>}
          {open !== "extend" && (run.patterns.length > 0 || run.kind === "cohort") && (
            <Button onClick={() => setOpen("extend")}>Extend the end</Button>
          )}
          <Button component={Link} to={`/copy?run=${run.id}`}>
            Copy the run
          </Button>
        </div>
      )}
      {open === "move" && <MoveRun run={run} propose={propose} onClose={close} />}
      {open === "extend" && <Extend run={run} propose={propose} onClose={close} />}
      {open === "new" && <Edit run={run} propose={propose} onClose={close} />}
      <Clashes run={run} onOpen={setOpen} />
      <ol className="datelist wide" aria-label="Dates of this run">
        {run.dates.map((m) =>
          open === m.id ? (
            <Edit key={m.id} run={run} meeting={m} propose={propose} onClose={close} />
          ) : (
            <li key={m.id} id={`meeting-${m.id}`}>
              <span className="slate n">{m.n}</span>
              <span className="date">{day(m.date)}</span>
              <span className="nowrap">
                {clock(m.start)} to {clock(m.end)}
              </span>
              {differs(m) && <span>{differs(m)}</span>}
              {m.online && (
                <span className="slate">
                  {m.link ? (
                    <>
                      <a href={m.link}>link</a>, host key {m.host_key}
                    </>
                  ) : (
                    "link is being made"
                  )}
                </span>
              )}
              {m.by_hand && <span className="slate">by hand</span>}
              {!frozen && (
                <button
                  className="plainly acts"
                  aria-label={`Change meeting ${m.n}`}
                  onClick={() => setOpen(m.id)}
                >
                  change
                </button>
              )}
              {m.warnings.map((w) => (
                <span key={w} className="ochre">
                  {w}
                </span>
              ))}
              {run.clashes.some(
                (c) => c.accepted === null && (c.meeting_id === m.id || c.other_meeting_id === m.id),
              ) && <span className="clash">clashes</span>}
            </li>
          ),
        )}
      </ol>
      {run.named_weeks.length > 0 && (
        <>
          <h2 style={{ marginTop: 22 }}>Weeks</h2>
          <ol className="datelist">
            {run.named_weeks.map((w) => (
              <li key={w.from}>
                <span className="date">{w.name}</span>
                <span className="slate">
                  {day(w.from, false)} to {day(w.to, false)}
                  {w.meetings > 0 && `, ${count(w.meetings, "meeting")}`}
                </span>
              </li>
            ))}
          </ol>
        </>
      )}
      {run.cancelled.length > 0 && (
        <>
          <h2 style={{ marginTop: 22 }}>Not held</h2>
          <ul className="ruled">
            {run.cancelled.map((m) => (
              <li key={m.id} className="row mid" style={{ padding: "6px 0" }}>
                <span className="slate" style={{ textDecoration: "line-through" }}>
                  {day(m.date)}, {m.start}
                </span>
                <span className="grow">{m.why}</span>
                <Link to={`/calls/${m.id}`}>call list</Link>
              </li>
            ))}
          </ul>
        </>
      )}
      {run.status !== "draft" && (
        <p style={{ marginTop: 20 }}>
          <FeedAddress kind="run" id={run.id} />
        </p>
      )}
    </>
  );
}

/** The clashes of a run, each with ways to solve it. */
function Clashes({ run, onOpen }: { run: Run; onOpen: (open: Open) => void }) {
  if (run.clashes.length === 0) return null;
  return (
    <ul className="ruled clashes" aria-label="Clashes">
      {run.clashes.map((c) => (
        <li key={c.key}>
          <span className={c.accepted === null ? "clash" : "slate"}>{day(c.date)}</span>
          <span className="grow">
            {c.text}
            {c.accepted !== null && <span className="slate"> Accepted: {c.accepted}</span>}
          </span>
          {c.kind === "too small" ? (
            <Link to={`/runs/${run.id}/terms#place`}>another room</Link>
          ) : (
            <button
              className="plainly"
              onClick={() => onOpen(c.run?.id === run.id ? c.meeting_id : c.other_meeting_id)}
            >
              change it
            </button>
          )}
          {[c.run, c.other].map(
            (r) =>
              r &&
              r.id !== run.id && (
                <Link key={r.id} to={`/runs/${r.id}/dates`}>
                  {r.code}
                </Link>
              ),
          )}
          <AcceptClash clash={c} />
        </li>
      ))}
    </ul>
  );
}

function Box({
  children,
  onSubmit,
  onClose,
}: {
  children: ReactNode;
  onSubmit: () => void;
  onClose: () => void;
}) {
  return (
    <form
      className="row wrap inset"
      style={{ alignItems: "flex-end", marginTop: 14 }}
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        onSubmit();
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      {children}
    </form>
  );
}

const see = (run: Run) => (run.status === "draft" ? "Save" : "See what moves");

function MoveRun({ run, propose, onClose }: { run: Run; propose: Propose; onClose: () => void }) {
  const [form, setForm, forget] = useKept(`run-move-${run.id}`, { how: "first", value: "" });
  const [key] = useState(newKey);
  const [faults, setFaults] = useState<Record<string, string>>({});
  const close = () => {
    forget();
    onClose();
  };
  const send = async () => {
    const body = form.how === "first" ? { first: form.value || null } : { [form.how]: whole(form.value) };
    const found = await propose(
      form.how === "first"
        ? `Move the run to ${day(form.value)}`
        : `Move the run by ${form.value} ${form.how}`,
      (preview) =>
        ask(
          api.POST("/api/v1/runs/{run_id}/move", {
            params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
            body,
          }),
        ),
      close,
    );
    setFaults(found ?? {});
  };
  return (
    <Box onSubmit={() => void send()} onClose={onClose}>
      <Choice
        label="Move the run"
        value={form.how}
        width={190}
        onChange={(how) => setForm({ how, value: "" })}
        options={[
          { value: "first", text: "to a new first date" },
          { value: "weeks", text: "by weeks" },
          { value: "days", text: "by days" },
        ]}
      />
      <Field
        label={
          form.how === "first"
            ? "New first date"
            : form.how === "weeks"
              ? "Weeks, minus for earlier"
              : "Days, minus for earlier"
        }
        type={form.how === "first" ? "date" : "text"}
        width={180}
        value={form.value}
        onChange={(value) => setForm({ ...form, value })}
        fault={faults["/first"] ?? faults["/weeks"] ?? faults["/days"] ?? faults[""]}
        autoFocus
      />
      <Button type="submit" variant="contained">
        {see(run)}
      </Button>
      <Button onClick={close}>Leave as it was</Button>
    </Box>
  );
}

function Extend({ run, propose, onClose }: { run: Run; propose: Propose; onClose: () => void }) {
  const cohort = run.kind === "cohort";
  const [key] = useState(newKey);
  const [how, setHow] = useState(cohort ? "ends_on" : "meetings");
  const [value, setValue] = useState(cohort ? (run.ends_on ?? "") : "1");
  const [faults, setFaults] = useState<Record<string, string>>({});
  const send = async () => {
    const found = await propose(
      how === "meetings" ? `Extend by ${count(Number(value), "meeting")}` : `Extend to ${day(value)}`,
      (preview) =>
        ask(
          api.POST("/api/v1/runs/{run_id}/extend", {
            params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
            body: how === "meetings" ? { meetings: whole(value) } : { ends_on: value || null },
          }),
        ),
      onClose,
    );
    setFaults(found ?? {});
  };
  return (
    <Box onSubmit={() => void send()} onClose={onClose}>
      {cohort && run.patterns.length > 0 && (
        <Choice
          label="Extend"
          value={how}
          width={170}
          onChange={(v) => {
            setHow(v);
            setValue(v === "meetings" ? "1" : (run.ends_on ?? ""));
          }}
          options={[
            { value: "ends_on", text: "the last day" },
            { value: "meetings", text: "by meetings" },
          ]}
        />
      )}
      <Field
        label={how === "meetings" ? "Further meetings" : "New last day"}
        type={how === "meetings" ? "text" : "date"}
        width={160}
        value={value}
        onChange={setValue}
        fault={faults["/meetings"] ?? faults["/ends_on"] ?? faults[""]}
        help={how === "meetings" ? "by the pattern, closed days left out" : undefined}
        autoFocus
      />
      <Button type="submit" variant="contained">
        {see(run)}
      </Button>
      <Button onClick={onClose}>Leave as it was</Button>
    </Box>
  );
}

type MeetingForm = { date: string; start: string; minutes: string; room: string; instructor: string };

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
  const names = useNames();
  const go = useNavigate();
  const last = run.dates[run.dates.length - 1];
  const now = {
    date: meeting?.date ?? "",
    start: clock(meeting?.start ?? last?.start ?? ""),
    minutes: meeting?.minutes ?? last?.minutes ?? 120,
    room: meeting?.room ?? (meeting ? "" : run.place),
    instructor: meeting?.instructor ?? (meeting ? "" : run.instructor),
  };
  const [kept, setKept, forget] = useKept(`meeting-${meeting?.id ?? `new-${run.id}`}`, {
    form: { ...now, minutes: String(now.minutes) } as MeetingForm,
    seen: now,
    scope: "this",
  });
  const { form, seen, scope } = kept;
  const set = (change: Partial<MeetingForm>) => setKept({ ...kept, form: { ...form, ...change } });
  const [cancelling, setCancelling] = useState(false);
  const close = () => {
    forget();
    onClose();
  };
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [key] = useState(newKey);
  const others = meeting?.pattern_n
    ? run.dates.filter((m) => m.pattern_n === meeting.pattern_n && m.id !== meeting.id)
    : [];
  const send = async () => {
    const set = {
      date: form.date || null,
      start: form.start || null,
      minutes: whole(form.minutes),
      room: form.room,
      instructor: form.instructor,
    };
    const which = scope === "later" ? " and all later ones" : scope === "all" ? " and all others" : "";
    const found = await propose(
      meeting
        ? `Change meeting ${meeting.n}${which} to ${day(form.date)}, ${form.start}`
        : `Add a meeting on ${day(form.date)}, ${form.start}`,
      (preview, over) =>
        meeting
          ? ask(
              api.PATCH("/api/v1/meetings/{meeting_id}", {
                params: { path: { meeting_id: meeting.id }, query: { preview } },
                body: { seen: { ...seen, ...over }, set, scope },
              }),
            )
          : ask(
              api.POST("/api/v1/runs/{run_id}/meetings", {
                params: { path: { run_id: run.id }, query: { preview }, header: { "Idempotency-Key": key } },
                body: set,
              }),
            ),
      close,
    );
    setFaults(found ?? {});
  };
  const fault = (name: string) => faults[`/set/${name}`] ?? faults[`/${name}`];
  const content =
    cancelling && meeting ? (
      <Cancel
        run={run}
        meeting={meeting}
        propose={propose}
        onClose={() => setCancelling(false)}
        onDone={(calls) => {
          close();
          if (calls) void go(`/calls/${meeting.id}`);
        }}
      />
    ) : (
      <Box onSubmit={() => void send()} onClose={onClose}>
        <Field
          label="Date"
          type="date"
          value={form.date}
          onChange={(v) => set({ date: v })}
          width={160}
          fault={fault("date")}
          autoFocus
        />
        <Field
          label="Starts at"
          type="time"
          value={form.start}
          onChange={(v) => set({ start: v })}
          width={120}
          fault={fault("start")}
        />
        <Field
          label="Minutes"
          value={form.minutes}
          onChange={(v) => set({ minutes: v })}
          width={86}
          fault={fault("minutes")}
          input={{ inputMode: "numeric" }}
        />
        <Named
          label="Room"
          names={names.places}
          value={form.room}
          onChange={(v) => set({ room: v })}
          width={170}
          fault={fault("room")}
        />
        <Named
          label="Instructor"
          names={names.instructors}
          value={form.instructor}
          onChange={(v) => set({ instructor: v })}
          width={170}
          fault={fault("instructor")}
        />
        {others.length > 0 && (
          <Choice
            label="Which meetings"
            value={scope}
            width={190}
            onChange={(v) => setKept({ ...kept, scope: v })}
            options={[
              { value: "this", text: "this one" },
              {
                value: "later",
                text: `this and ${others.filter((m) => m.n > meeting!.n).length} later`,
              },
              { value: "all", text: `all ${others.length + 1}` },
            ]}
          />
        )}
        <Button type="submit" variant="contained">
          {see(run)}
        </Button>
        <Button onClick={close}>Leave as it was</Button>
        {meeting && (
          <Button color="error" onClick={() => setCancelling(true)}>
            {run.status === "draft" ? "Take it out" : "Cancel it"}
          </Button>
        )}
      </Box>
    );
  return meeting ? <li style={{ columnSpan: "all", display: "block" }}>{content}</li> : content;
}

/** Cancel one meeting: not held, or held on a free day that is suggested. */
function Cancel({
  run,
  meeting,
  propose,
  onClose,
  onDone,
}: {
  run: Run;
  meeting: Meeting;
  propose: Propose;
  onClose: () => void;
  onDone: (calls: boolean) => void;
}) {
  const free = useQuery({
    queryKey: ["free", meeting.id],
    queryFn: () =>
      ask(api.GET("/api/v1/meetings/{meeting_id}/free", { params: { path: { meeting_id: meeting.id } } })),
  });
  const [why, setWhy] = useState("");
  const [instead, setInstead] = useState("");
  const [own, setOwn] = useState({ date: "", start: clock(meeting.start) });
  const [faults, setFaults] = useState<Record<string, string>>({});
  const slot = instead === "own" ? own : free.data?.find((s) => s.date === instead);
  const calls = useRef(false);
  const send = async () => {
    const found = await propose(
      `${run.status === "draft" ? "Take out" : "Cancel"} meeting ${meeting.n} on ${day(meeting.date)}${slot?.date ? `, held on ${day(slot.date)} instead` : ""}`,
      async (preview) => {
        const done = await ask(
          api.POST("/api/v1/meetings/{meeting_id}/cancel", {
            params: { path: { meeting_id: meeting.id }, query: { preview } },
            body: { why, replacement: slot ? { date: slot.date || null, start: slot.start || null } : null },
          }),
        );
        calls.current = !preview && done.call_list !== null;
        return done;
      },
      () => onDone(calls.current),
    );
    setFaults(found ?? {});
  };
  return (
    <Box onSubmit={() => void send()} onClose={onClose}>
      <Field
        label="Why"
        value={why}
        onChange={setWhy}
        width={230}
        placeholder="the instructor is ill"
        autoFocus
      />
      <Choice
        label="Held instead"
        value={instead}
        width={330}
        onChange={setInstead}
        options={[
          { value: "", text: "not at all" },
          ...(free.data ?? []).map((s) => ({
            value: s.date,
            text: `${day(s.date)}, ${s.start}: ${s.why}`,
          })),
          { value: "own", text: "on another day" },
        ]}
      />
      {instead === "own" && (
        <>
          <Field
            label="On"
            type="date"
            width={160}
            value={own.date}
            onChange={(v) => setOwn({ ...own, date: v })}
            fault={faults["/replacement/date"]}
          />
          <Field
            label="At"
            type="time"
            width={120}
            value={own.start}
            onChange={(v) => setOwn({ ...own, start: v })}
            fault={faults["/replacement/start"]}
          />
        </>
      )}
      <Button type="submit" variant="contained">
        {run.status === "draft" ? "Take it out" : "See what it touches"}
      </Button>
      <Button onClick={onClose}>Back</Button>
    </Box>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";

import { $api, api, ask, asTyped, newKey } from "../../app/server";
import { useKept } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { clock, day } from "../../parts/text";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";
import { Inside, see } from "./DateForms";

type Meeting = Run["dates"][number];
type MeetingForm = { date: string; start: string; minutes: string; room: string; instructor: string };

/** One meeting, with those after it or all where wanted; or a new one. */
export function MeetingEdit({
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
                body: asTyped<"MeetingPatch">({ seen: { ...seen, ...over }, set, scope }),
              }),
            )
          : ask(
              api.POST("/api/v1/runs/{run_id}/meetings", {
                params: { path: { run_id: run.id }, query: { preview }, header: { "Idempotency-Key": key } },
                body: asTyped<"OneOffForm">(set),
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
      <Inside onSubmit={() => void send()} onClose={onClose}>
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
        <Button onClick={close}>Keep as it was</Button>
        {meeting && (
          <Button color="error" onClick={() => setCancelling(true)}>
            {run.status === "draft" ? "Take it out" : "Cancel the meeting"}
          </Button>
        )}
      </Inside>
    );
  return meeting ? (
    <Box component="li" sx={{ columnSpan: "all", display: "block" }}>
      {content}
    </Box>
  ) : (
    content
  );
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
  const free = $api.useQuery("get", "/api/v1/meetings/{meeting_id}/free", {
    params: { path: { meeting_id: meeting.id } },
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
            body: asTyped<"CancelMeetingCommand">({
              why,
              replacement: slot ? { date: slot.date || null, start: slot.start || null } : null,
            }),
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
    <Inside onSubmit={() => void send()} onClose={onClose}>
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
    </Inside>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, ask, asTyped, keyHeader } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { useProposedForm } from "../../form/useProposedForm";
import { day } from "../../parts/text";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";
import { CancelMeeting } from "./CancelMeeting";
import { Inside, see } from "./DateForms";

export type Meeting = Run["dates"][number];
type MeetingForm = {
  date: string;
  start: string;
  minutes: string;
  room: string;
  instructor: string;
  scope: string;
};
type Given = { run: Run; meeting?: Meeting; propose: Propose };

/** What a meeting's form begins from: the meeting, or for a new one the last meeting's time and what the run says. */
function startOf(run: Run, meeting?: Meeting): MeetingForm {
  return {
    date: meeting?.date ?? "",
    // The time that was meant, also where the clocks skip it that day; a new one takes no time by itself.
    start: meeting?.clock.slice(0, 5) ?? "",
    minutes: meeting ? String(meeting.minutes) : "",
    room: meeting?.room ?? (meeting ? "" : run.place),
    instructor: meeting?.instructor ?? (meeting ? "" : run.instructor),
    scope: "this",
  };
}

/** What of a form is the meeting's own, as it is sent. */
const sentOf = (form: MeetingForm) => ({
  date: form.date || null,
  start: form.start || null,
  minutes: whole(form.minutes),
  room: form.room,
  instructor: form.instructor,
});

const WHICH: Record<string, string> = { this: "", later: " and all later ones", all: " and all others" };

function useMeetingForm({ run, meeting, propose, onClose }: Given & { onClose: () => void }) {
  return useProposedForm({
    draft: `meeting-${meeting?.id ?? `new-${run.id}`}`,
    start: startOf(run, meeting),
    propose,
    what: ({ date, start, scope }) =>
      meeting
        ? `Change meeting ${meeting.n}${WHICH[scope]} to ${day(date)}, ${start}`
        : `Add a meeting on ${day(date)}, ${start}`,
    send: (form, { preview, key, seen, over }) =>
      meeting
        ? ask(
            api.PATCH("/api/v1/meetings/{meeting_id}", {
              params: { path: { meeting_id: meeting.id }, query: { preview } },
              body: asTyped<"MeetingPatch">({
                seen: { ...sentOf(seen), ...over },
                set: sentOf(form),
                scope: form.scope,
              }),
            }),
          )
        : ask(
            api.POST("/api/v1/runs/{run_id}/meetings", {
              params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
              body: asTyped<"OneOffForm">(sentOf(form)),
            }),
          ),
    saved: onClose,
  });
}

/** One meeting, with those after it or all where wanted; or a new one. */
export function MeetingEdit({ run, meeting, propose, onClose }: Given & { onClose: () => void }) {
  const go = useNavigate();
  const [cancelling, setCancelling] = useState(false);
  const of = useMeetingForm({ run, meeting, propose, onClose });
  const close = () => {
    of.forget();
    onClose();
  };
  const content =
    cancelling && meeting ? (
      <CancelMeeting
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
      <Inside of={of} onClose={onClose}>
        <MeetingFields of={of} at={meeting ? "/set" : ""} />
        {meeting && <Which run={run} meeting={meeting} of={of} />}
        <Button type="submit" variant="contained" disabled={of.busy}>
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

type Of = ReturnType<typeof useMeetingForm>;

function MeetingFields({ of, at }: { of: Of; at: string }) {
  const names = useNames();
  const number = { inputMode: "numeric" } as const;
  return (
    <>
      <Field label="Date" type="date" width={160} {...of.field("date", `${at}/date`)} autoFocus />
      <Field label="Starts at" type="time" width={120} {...of.field("start", `${at}/start`)} />
      <Field label="Minutes" width={86} {...of.field("minutes", `${at}/minutes`)} input={number} />
      <Named label="Room" names={names.places} width={170} {...of.field("room", `${at}/room`)} />
      <Named
        label="Instructor"
        several
        names={names.instructors}
        width={170}
        {...of.field("instructor", `${at}/instructor`)}
      />
    </>
  );
}

/** Whether the change is for this meeting alone, or for others of its pattern too. */
function Which({ run, meeting, of }: { run: Run; meeting: Meeting; of: Of }) {
  if (!meeting.pattern_n) return null;
  const others = run.dates.filter((m) => m.pattern_n === meeting.pattern_n && m.id !== meeting.id);
  if (others.length === 0) return null;
  const later = others.filter((m) => m.n > meeting.n).length;
  return (
    <Choice
      label="Which meetings"
      value={of.values.scope}
      width={190}
      onChange={(scope) => of.set({ scope })}
      options={[
        { value: "this", text: "this one" },
        { value: "later", text: `this and ${later} later` },
        { value: "all", text: `all ${others.length + 1}` },
      ]}
    />
  );
}

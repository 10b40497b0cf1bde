import Button from "@mui/material/Button";
import { useRef } from "react";

import { $api, api, ask, asTyped } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { useProposedForm } from "../../form/useProposedForm";
import { clock, day } from "../../parts/text";
import type { Propose, Run } from "../courses/runTypes";
import { Inside } from "./DateForms";

type Meeting = Run["dates"][number];

/** Cancel one meeting: not held, or held on a free day that is suggested. */
export function CancelMeeting({
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
  const calls = useRef(false);
  const draft = run.status === "draft";
  const start = { why: "", instead: "", date: "", start: clock(meeting.start) };
  const slotOf = (form: typeof start) =>
    form.instead === "own" ? form : free.data?.find((s) => s.date === form.instead);
  const of = useProposedForm({
    draft: `cancel-meeting-${meeting.id}`,
    start,
    propose,
    what: (form) => {
      const date = slotOf(form)?.date;
      const instead = date ? `, held on ${day(date)} instead` : "";
      return `${draft ? "Take out" : "Cancel"} meeting ${meeting.n} on ${day(meeting.date)}${instead}`;
    },
    send: async (form, { preview }) => {
      const slot = slotOf(form);
      const done = await ask(
        api.POST("/api/v1/meetings/{meeting_id}/cancel", {
          params: { path: { meeting_id: meeting.id }, query: { preview } },
          body: asTyped<"CancelMeetingCommand">({
            why: form.why,
            replacement: slot ? { date: slot.date || null, start: slot.start || null } : null,
          }),
        }),
      );
      calls.current = !preview && done.call_list !== null;
      return done;
    },
    saved: () => onDone(calls.current),
  });
  return (
    <Inside of={of} onClose={onClose}>
      <Field label="Why" width={230} placeholder="the instructor is ill" {...of.field("why")} autoFocus />
      <Choice
        label="Held instead"
        value={of.values.instead}
        width={330}
        onChange={(instead) => of.set({ instead })}
        options={[
          { value: "", text: "not at all" },
          ...(free.data ?? []).map((s) => ({
            value: s.date,
            text: `${day(s.date)}, ${s.start}: ${s.why}`,
          })),
          { value: "own", text: "on another day" },
        ]}
      />
      {of.values.instead === "own" && (
        <>
          <Field label="On" type="date" width={160} {...of.field("date", "/replacement/date")} />
          <Field label="At" type="time" width={120} {...of.field("start", "/replacement/start")} />
        </>
      )}
      <Button type="submit" variant="contained" disabled={of.busy}>
        {draft ? "Take it out" : "See what it touches"}
      </Button>
      <Button onClick={onClose}>Back</Button>
    </Inside>
  );
}

import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";

import { api, ask, asTyped, keyHeader, newKey } from "../../app/server";
import { useKept } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { count, day } from "../../parts/text";
import { whole } from "../courses/form";
import type { Propose, Run } from "../courses/runTypes";

/** A form in the line of dates; Esc closes it and keeps what was typed. */
export function Inside({
  children,
  onSubmit,
  onClose,
}: {
  children: ReactNode;
  onSubmit: () => void;
  onClose: () => void;
}) {
  return (
    <Form
      look="row inset"
      sx={{ alignItems: "flex-end", marginTop: 14 }}
      onSend={() => onSubmit()}
      onLeave={onClose}
    >
      {children}
    </Form>
  );
}

export const see = (run: Run) => (run.status === "draft" ? "Save" : "See what moves");

/** The whole run, by days, by weeks or to a new first date. */
export function MoveRun({ run, propose, onClose }: { run: Run; propose: Propose; onClose: () => void }) {
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
    <Inside onSubmit={() => void send()} onClose={onClose}>
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
      <Button onClick={close}>Keep as it was</Button>
    </Inside>
  );
}

/** The end of a run: further meetings, or a cohort's later last day. */
export function Extend({ run, propose, onClose }: { run: Run; propose: Propose; onClose: () => void }) {
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
            body: asTyped<"ExtendCommand">(
              how === "meetings" ? { meetings: whole(value) } : { ends_on: value || null },
            ),
          }),
        ),
      onClose,
    );
    setFaults(found ?? {});
  };
  return (
    <Inside onSubmit={() => void send()} onClose={onClose}>
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
      <Button onClick={onClose}>Keep as it was</Button>
    </Inside>
  );
}

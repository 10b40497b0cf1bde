import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { Choice, Field } from "../../parts/Field";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { whole } from "../courses/form";

/** An extra for somebody who is in already: the installments before and after, then the act. */
export function AddExtra({
  enrollmentId,
  run,
  acts,
  onClose,
}: {
  enrollmentId: number;
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  onClose: () => void;
}) {
  const [form, setForm] = useState({ extra: String(run.extras[0]?.id ?? ""), count: "1" });
  const [error, setError] = useState<unknown>(null);
  const [key] = useState(newKey);
  const body = { extra_id: Number(form.extra), count: whole(form.count) };
  const query = useQuery({
    queryKey: ["add-extra", enrollmentId, body],
    queryFn: () =>
      ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/extras", {
          params: { path: { enrollment_id: enrollmentId }, query: { preview: true } },
          body,
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const found = query.error ? undefined : query.data;
  const faults = faultsOf(error ?? query.error);
  const add = async () => {
    if (!found || query.isPlaceholderData) return;
    try {
      const done = await ask(
        api.POST("/api/v1/enrollments/{enrollment_id}/extras", {
          params: { path: { enrollment_id: enrollmentId }, header: { "Idempotency-Key": key } },
          body: { ...body, total: found.total },
        }),
      );
      acts.say({ text: `Added for ${done.name}; the sign-up comes to ${money(done.total, done.currency)}.` });
      onClose();
    } catch (problem) {
      setError(problem);
      void query.refetch();
    }
  };
  return (
    <form
      className="note due"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void add();
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      <div className="row wrap">
        <Choice
          label="Extra"
          value={form.extra}
          width={280}
          onChange={(extra) => setForm({ ...form, extra })}
          fault={faults["/extra_id"]}
          options={run.extras.map((x) => ({
            value: String(x.id),
            text: `${x.label}, ${money(x.amount, run.currency)}`,
          }))}
        />
        <Field
          label="How many"
          value={form.count}
          width={90}
          onChange={(count) => setForm({ ...form, count })}
          fault={faults["/count"]}
          input={{ inputMode: "numeric" }}
        />
      </div>
      {(error ?? query.error) != null && Object.keys(faults).length === 0 && (
        <p className="fault">{messageOf(error ?? query.error)}</p>
      )}
      {found && (
        <p aria-live="polite">
          The sign-up comes to <strong>{money(found.total, found.currency)}</strong>:{" "}
          {found.after
            .map((r, i) => {
              const old = found.before[i];
              const moved =
                old && old.amount !== r.amount ? ` (was ${money(old.amount, found.currency)})` : "";
              return `${money(r.amount, found.currency)} on ${day(r.due)}${moved}`;
            })
            .join(", ")}
          . What is paid or due stands.
        </p>
      )}
      <div className="row mid" style={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={!found}>
          Add it
        </Button>
        <button type="button" className="plainly" onClick={onClose}>
          leave it
        </button>
      </div>
    </form>
  );
}

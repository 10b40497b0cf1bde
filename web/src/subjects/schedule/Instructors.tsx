import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, asTyped, faultsOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../parts/Field";
import { NotYet } from "../../parts/Page";
import { KeptForm, KeptList, type Acts } from "./Kept";
import { DAY_NAMES, DAYS } from "./PatternFields";

type Instructor = Schemas["InstructorOut"];

/** Instructors with the weekly hours at which they can teach. */
export function Instructors({ acts }: { acts: Acts }) {
  const query = useQuery({ queryKey: ["instructors"], queryFn: () => ask(api.GET("/api/v1/instructors")) });
  if (!query.data)
    return <NotYet title="Instructors" error={query.error} retry={() => void query.refetch()} />;
  return (
    <KeptList
      kind="instructor"
      items={query.data}
      acts={acts}
      form={(held, close, saved) => <InstructorForm instructor={held} onSaved={saved} onClose={close} />}
      line={(i) => (
        <>
          <span className="grow">
            <strong>{i.name}</strong>{" "}
            <span className="slate">{[i.email, i.phone].filter(Boolean).join(", ")}</span>
          </span>
          <span className="slate">
            {i.hours.length
              ? i.hours
                  .map((h) => `${DAY_NAMES[DAYS.indexOf(h.weekday ?? "")]} ${h.from} to ${h.to}`)
                  .join("; ")
              : "at any time"}
          </span>
        </>
      )}
    />
  );
}

function InstructorForm({
  instructor,
  onSaved,
  onClose,
}: {
  instructor?: Instructor;
  onSaved: (name: string) => void;
  onClose: () => void;
}) {
  const [form, setForm] = useState({
    name: instructor?.name ?? "",
    email: instructor?.email ?? "",
    phone: instructor?.phone ?? "",
    hours: instructor?.hours ?? [],
  });
  const [error, setError] = useState<unknown>(null);
  const faults = faultsOf(error);
  const set = (change: Partial<typeof form>) => setForm({ ...form, ...change });
  const send = async () => {
    try {
      const done = instructor
        ? await ask(
            api.PATCH("/api/v1/instructors/{instructor_id}", {
              params: { path: { instructor_id: instructor.id } },
              body: asTyped<"InstructorCommand">(form),
            }),
          )
        : await ask(api.POST("/api/v1/instructors", { body: asTyped<"InstructorCommand">(form) }));
      onSaved(done.name);
    } catch (problem) {
      setError(problem);
    }
  };
  const hour = (n: number, change: Record<string, string>) =>
    set({ hours: form.hours.map((h, i) => (i === n ? { ...h, ...change } : h)) });
  return (
    <KeptForm onSend={() => void send()} onClose={onClose} error={error}>
      <div className="row wrap">
        <Field
          label="Name of the instructor"
          width={230}
          value={form.name}
          onChange={(name) => set({ name })}
          fault={faults["/name"]}
          autoFocus
        />
        <Field
          label="Email"
          width={230}
          value={form.email}
          onChange={(email) => set({ email })}
          fault={faults["/email"]}
        />
        <Field
          label="Phone"
          width={150}
          value={form.phone}
          onChange={(phone) => set({ phone })}
          fault={faults["/phone"]}
        />
      </div>
      {form.hours.map((h, n) => (
        <div className="row wrap" key={n} style={{ marginTop: 10, alignItems: "flex-end" }}>
          <Choice
            label="Can teach on"
            tail={`, hours ${n + 1}`}
            width={130}
            value={h.weekday ?? "MO"}
            onChange={(weekday) => hour(n, { weekday })}
            options={DAYS.map((d, i) => ({ value: d, text: DAY_NAMES[i]! }))}
          />
          <Field
            label="from"
            tail={`, hours ${n + 1}`}
            type="time"
            width={120}
            value={h.from ?? ""}
            onChange={(from) => hour(n, { from })}
            fault={faults[`/hours/${n}`]}
          />
          <Field
            label="to"
            tail={`, hours ${n + 1}`}
            type="time"
            width={120}
            value={h.to ?? ""}
            onChange={(to) => hour(n, { to })}
          />
          <button
            type="button"
            className="plainly quiet"
            aria-label={`Take out hours ${n + 1}`}
            onClick={() => set({ hours: form.hours.filter((_, i) => i !== n) })}
          >
            take out
          </button>
        </div>
      ))}
      <p style={{ margin: "10px 0 0" }}>
        <button
          type="button"
          className="plainly"
          onClick={() => set({ hours: [...form.hours, { weekday: "MO", from: "17:00", to: "21:00" }] })}
        >
          {form.hours.length ? "More weekly hours" : "Weekly hours"}
        </button>
      </p>
    </KeptForm>
  );
}

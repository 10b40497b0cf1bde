import Button from "@mui/material/Button";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Row } from "../../parts/layout";
import { NotYet } from "../../parts/Page";
import { P, T } from "../../parts/words";
import { type Acts, KeptForm, KeptList } from "./Kept";
import { DAY_NAMES, DAYS } from "./PatternFields";

type Instructor = Schemas["InstructorOut"];

/** Instructors with the weekly hours at which they can teach. */
export function Instructors({ acts }: { acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/instructors");
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
          <Grow as="span">
            <strong>{i.name}</strong> <T tone="slate">{[i.email, i.phone].filter(Boolean).join(", ")}</T>
          </Grow>
          <T tone="slate">
            {i.hours.length
              ? i.hours
                  .map((h) => `${DAY_NAMES[DAYS.indexOf(h.weekday ?? "")]} ${h.from} to ${h.to}`)
                  .join("; ")
              : "at any time"}
          </T>
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
  const start = {
    name: instructor?.name ?? "",
    email: instructor?.email ?? "",
    phone: instructor?.phone ?? "",
    hours: instructor?.hours ?? [],
  };
  const of = useServerForm({
    draft: `instructor-${instructor?.id ?? "new"}`,
    start,
    send: (form) => {
      const body = asTyped<"InstructorCommand">(form);
      return ask(
        instructor
          ? api.PATCH("/api/v1/instructors/{instructor_id}", {
              params: { path: { instructor_id: instructor.id } },
              body,
            })
          : api.POST("/api/v1/instructors", { body }),
      );
    },
    done: (saved) => onSaved(saved.name),
  });
  const { values: form, set, faults } = of;
  const close = () => {
    of.forget();
    onClose();
  };
  const hour = (n: number, change: Record<string, string>) =>
    set({ hours: form.hours.map((h, i) => (i === n ? { ...h, ...change } : h)) });
  return (
    <KeptForm of={of} onClose={close}>
      <Row wrap>
        <Field label="Name of the instructor" width={230} {...of.field("name")} autoFocus />
        <Field label="Email" width={230} {...of.field("email")} />
        <Field label="Phone" width={150} {...of.field("phone")} />
      </Row>
      {form.hours.map((h, n) => (
        <Row wrap key={n} sx={{ marginTop: 10, alignItems: "flex-end" }}>
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
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take out hours ${n + 1}`}
            onClick={() => set({ hours: form.hours.filter((_, i) => i !== n) })}
          >
            take out
          </Button>
        </Row>
      ))}
      <P sx={{ margin: "10px 0 0" }}>
        <Button
          variant="text"
          onClick={() => set({ hours: [...form.hours, { weekday: "MO", from: "17:00", to: "21:00" }] })}
        >
          {form.hours.length ? "More weekly hours" : "Weekly hours"}
        </Button>
      </P>
    </KeptForm>
  );
}

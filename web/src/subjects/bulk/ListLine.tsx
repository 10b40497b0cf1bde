import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { Row } from "../../parts/layout";
import { Fault, T } from "../../parts/words";
import { useServerForm } from "../../form/useServerForm";
import { useAct } from "../../form/useAct";

type Batch = Schemas["BatchOut"];
const FACTS: [string, string][] = [
  ["name", "Name"],
  ["given", "Given name"],
  ["family", "Family name"],
  ["email", "Email"],
  ["phone", "Phone"],
  ["number", "Staff number"],
  ["department", "Department"],
  ["rate", "Rate"],
  ["party", "Party"],
  ["remarks", "Remarks"],
];
/** Correct a line in place; what stands in the file stays beside it. */
export function Fix({
  batch,
  item,
  onSave,
  onClose,
}: {
  batch: Batch;
  item: Batch["items"][number];
  onSave: (body: Schemas["RowFixForm"]) => Promise<void>;
  onClose: () => void;
}) {
  const first = {
    given: item.given,
    family: item.family,
    email: item.email ?? "",
    phone: item.phone ?? "",
    rate: batch.rates.find((r) => r.label === item.rate || r.code === item.rate)?.code ?? item.rate,
    party: String(item.party || ""),
    no_email: item.no_email ? "yes" : "",
    somebody_new: item.somebody_new ? "yes" : "",
  };
  const of = useServerForm({
    draft: `list-fix-${batch.id}-${item.line}`,
    start: first,
    send: (form) => {
      const changed = Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]);
      return onSave(Object.fromEntries(changed) as Schemas["RowFixForm"]);
    },
    done: () => undefined,
  });
  const [wrong, setWrong] = useState("");
  const asInFile = useAct({ send: () => onSave({}), done: of.forget, failed: setWrong });
  const { values: form } = of;
  const field = (name: "given" | "family" | "email" | "phone" | "party", label: string, width: number) => (
    <Field label={label} width={width} {...of.field(name)} autoFocus={name === "given"} />
  );
  return (
    <Form of={of} onLeave={onClose}>
      <Row wrap sx={{ alignItems: "flex-end" }}>
        {field("given", "Given name", 122)}
        {field("family", "Family name", 122)}
        {field("email", "Email", 214)}
        {field("phone", "Phone", 100)}
        <Choice
          label="Rate"
          width={128}
          value={form.rate}
          onChange={(rate) => of.set({ rate })}
          options={[
            ...(batch.rates.some((r) => r.code === form.rate)
              ? []
              : [{ value: form.rate, text: form.rate || "usual" }]),
            ...batch.rates.map((r) => ({ value: r.code, text: r.label })),
          ]}
        />
        {field("party", "Party", 60)}
        <Tick checked={form.no_email === "yes"} onChange={(on) => of.set({ no_email: on ? "yes" : "" })}>
          has no email
        </Tick>
        <Tick
          checked={form.somebody_new === "yes"}
          onChange={(on) => of.set({ somebody_new: on ? "yes" : "" })}
        >
          is somebody new
        </Tick>
      </Row>
      <Row sx={{ marginTop: 10 }}>
        <Button type="submit" variant="contained" size="small" disabled={of.busy}>
          Check this line again
        </Button>
        <Button size="small" onClick={() => (of.forget(), onClose())}>
          Keep as it was
        </Button>
        <Button size="small" onClick={() => void asInFile.act(undefined)}>
          As in the file
        </Button>
      </Row>
      {wrong && <Fault role="alert">{wrong}</Fault>}
    </Form>
  );
}

/** Which column is which fact; found by the headings, changeable here. */
export function Columns({
  batch,
  busy,
  onChange,
}: {
  batch: Batch;
  busy: boolean;
  onChange: (columns: Record<string, number | null>) => void;
}) {
  const [open, setOpen] = useState(false);
  const used = new Set(Object.values(batch.columns));
  const found = FACTS.filter(([fact]) => fact in batch.columns);
  const unused = batch.headings.filter((_, i) => !used.has(i));
  if (!open && batch.column_faults.length === 0)
    return (
      <p>
        {found.map(([fact, label]) => `${label} from “${batch.headings[batch.columns[fact]!]}”`).join(", ")}
        {unused.length > 0 && <T tone="slate">; not used: {unused.join(", ")}</T>}.{" "}
        <Button variant="text" onClick={() => setOpen(true)}>
          Change the columns
        </Button>
      </p>
    );
  return (
    <Row wrap aria-busy={busy} sx={{ margin: "10px 0" }}>
      {FACTS.map(([fact, label]) => (
        <Choice
          key={fact}
          label={label}
          width={170}
          value={batch.columns[fact] === undefined ? "" : String(batch.columns[fact])}
          onChange={(v) => onChange({ ...batch.columns, [fact]: v === "" ? null : Number(v) })}
          options={[
            { value: "", text: "not in the list" },
            ...batch.headings.map((h, i) => ({ value: String(i), text: h || `column ${i + 1}` })),
          ]}
        />
      ))}
    </Row>
  );
}

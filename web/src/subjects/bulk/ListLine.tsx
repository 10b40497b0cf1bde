import Button from "@mui/material/Button";
import { useState } from "react";

import type { Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { count } from "../../parts/text";
import { Fault, Name, T } from "../../parts/words";
import { type Batch, type Item, useChoices } from "./batch";

type FixBody = Schemas["RowFixForm"];

/** Correct a line in place; what stands in the list stays beside it. */
export function Fix({
  batch,
  item,
  onSave,
  onClose,
}: {
  batch: Batch;
  item: Item;
  onSave: (body: FixBody) => Promise<void>;
  onClose: () => void;
}) {
  const { rates } = useChoices(batch.run_id);
  const first = {
    given: item.given,
    family: item.family,
    email: item.email ?? "",
    phone: item.phone ?? "",
    rate: item.rate_word,
    party: String(item.party || ""),
    run: batch.run_id ? "" : item.run,
    no_email: item.no_email ? "yes" : "",
    somebody_new: item.somebody_new ? "yes" : "",
  };
  const of = useServerForm({
    draft: `list-fix-${batch.id}-${item.line}`,
    start: first,
    send: (form) => {
      const changed = Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]);
      return onSave(Object.fromEntries(changed) as FixBody);
    },
    done: onClose,
  });
  const [wrong, setWrong] = useState("");
  const asInFile = useAct({
    send: () => onSave({}),
    done: () => (of.forget(), onClose()),
    failed: setWrong,
  });
  const { values: form } = of;
  const field = (
    name: "given" | "family" | "email" | "phone" | "party" | "run",
    label: string,
    width: number,
  ) => <Field label={label} width={width} {...of.field(name)} autoFocus={name === "given"} />;
  return (
    <Form of={of} onLeave={onClose} label={`Correct line ${item.line}`}>
      <Row wrap sx={{ alignItems: "flex-end" }}>
        {field("given", "Given name", 122)}
        {field("family", "Family name", 122)}
        {field("email", "Email", 214)}
        {field("phone", "Phone", 100)}
        {batch.run_id === null && field("run", "Run", 100)}
        {rates.length > 0 ? (
          <Choice
            label="Rate"
            width={128}
            value={form.rate}
            onChange={(rate) => of.set({ rate })}
            options={[
              ...(rates.some((r) => r.value === form.rate)
                ? []
                : [{ value: form.rate, text: form.rate || "usual" }]),
              ...rates,
            ]}
          />
        ) : (
          <Field label="Rate" width={100} {...of.field("rate")} />
        )}
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
        {item.fixed && (
          <Button size="small" onClick={() => void asInFile.act(undefined)}>
            As in the list
          </Button>
        )}
      </Row>
      {wrong && <Fault role="alert">{wrong}</Fault>}
    </Form>
  );
}

/** Whoever may be meant by a line, side by side with it: one of them, or somebody new. */
export function WhoIsMeant({ item, onPick }: { item: Item; onPick: (body: FixBody) => void }) {
  if (item.near.length === 0) return null;
  const facts = (email: string | null | undefined, phone: string | null | undefined) =>
    [email ?? "no email", phone ?? "no phone"].join(", ");
  return (
    <div role="group" aria-label={`Who is meant by line ${item.line}`}>
      <div>
        <T tone="slate">Here in the list:</T> {item.name}, {facts(item.email, item.phone)}{" "}
        <Button variant="text" onClick={() => onPick({ somebody_new: "yes" })}>
          add as somebody new
        </Button>
      </div>
      {item.near.map((p) => (
        <div key={p.id}>
          <T tone="slate">Known:</T> <Name to={`/people/${p.id}`}>{p.name}</Name>, {facts(p.email, p.phone)},{" "}
          {p.runs === 0 ? "on no run" : `on ${count(p.runs, "run")} so far`}{" "}
          <Button variant="text" onClick={() => onPick({ person: String(p.id) })}>
            it is {p.name}
          </Button>
        </div>
      ))}
    </div>
  );
}

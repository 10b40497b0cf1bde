import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, faultsOf, messageOf, newKey, type Schemas, ServerProblem } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { Field, type FieldProps } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { Note, Row } from "../../parts/layout";
import { Fault, P, T } from "../../parts/words";

type Person = Schemas["PersonOut"];

/** The form as it starts from what was just typed. */
function startOf(typed: string) {
  const words = typed.trim().split(/\s+/);
  const isEmail = typed.includes("@");
  return {
    typed,
    given: isEmail ? "" : words.length > 1 ? words.slice(0, -1).join(" ") : (words[0] ?? ""),
    family: !isEmail && words.length > 1 ? words[words.length - 1]! : "",
    email: isEmail ? typed.trim() : "",
    phone: "",
    invite: false,
  };
}

/**
 * Adds a person on the spot. It starts from what was typed while searching; what is typed into it since is kept through a
 * reload, with the place it belongs to (`where`), and never shown for another name.
 */
export function NewPerson({
  typed,
  where,
  onAdded,
  onCancel,
}: {
  typed: string;
  where: string;
  onAdded: (person: Person) => void;
  onCancel: () => void;
}) {
  const [kept, setForm, forget] = useKept(`new-person-${where}`, startOf(typed));
  const form = kept.typed === typed ? kept : startOf(typed);
  const [key, setKey] = useState(newKey);
  const [error, setError] = useState<unknown>(null);
  const [twin, setTwin] = useState<Person | null>(null);
  const [busy, setBusy] = useState(false);
  const faults = faultsOf(error);
  const { given, family, email, phone } = form;
  const asked = useSettled({ given, family, email, phone }, 200);
  const near = $api.useQuery(
    "get",
    "/api/v1/people/near",
    { params: { query: asked } },
    { placeholderData: keepPreviousData },
  );
  const take = (person: Person) => {
    forget();
    onAdded(person);
  };
  const add = async (anyway: boolean) => {
    setBusy(true);
    setError(null);
    try {
      take(
        await ask(
          api.POST("/api/v1/people", {
            params: { header: { "Idempotency-Key": key } },
            body: { given, family, email, phone, invite: form.invite, anyway },
          }),
        ),
      );
    } catch (problem) {
      setKey(newKey());
      if (problem instanceof ServerProblem && problem.kind === "same-person")
        setTwin(problem.extra.person as Person);
      else setError(problem);
    } finally {
      setBusy(false);
    }
  };
  const field = (
    name: "given" | "family" | "email" | "phone",
    label: string,
    autoFocus = false,
    type: FieldProps["type"] = "text",
  ) => (
    <Field
      label={label}
      type={type}
      value={form[name]}
      autoFocus={autoFocus}
      onChange={(v) => {
        setTwin(null);
        setForm({ ...form, [name]: v });
      }}
      fault={faults[`/${name}`]}
    />
  );
  return (
    <Form onSend={() => void add(false)}>
      <Row>
        {field("given", "Given name", form.given === "")}
        {field("family", "Family name", form.given !== "" && form.family === "")}
      </Row>
      <Box sx={{ margin: "10px 0" }}>
        {field("email", "Email, if any", form.given !== "" && form.family !== "", "email")}
      </Box>
      {field("phone", "Phone, if any")}
      <Tick checked={form.invite} onChange={(on) => setForm({ ...form, invite: on })}>
        invite them by message to set a password for their own page
      </Tick>
      {error !== null && Object.keys(faults).length === 0 && <Fault role="alert">{messageOf(error)}</Fault>}
      {!twin && (near.data?.length ?? 0) > 0 && (
        <Note kind="due" role="status" sx={{ marginTop: 12 }}>
          <P strong>Maybe already known:</P>
          {near.data!.map((p) => (
            <Row as="p" key={p.id} sx={{ justifyContent: "space-between" }}>
              <span>
                {p.name}
                <T tone="slate">
                  {" "}
                  {p.email ?? p.phone ?? ""} ({p.why})
                </T>
              </span>
              <Button variant="text" type="button" onClick={() => take(p)}>
                take {p.name}
              </Button>
            </Row>
          ))}
        </Note>
      )}
      {twin && (
        <Note kind="due" role="alert" sx={{ marginTop: 12 }}>
          <p>
            <strong>{twin.name}</strong> is already known{twin.email ? ` as ${twin.email}` : ""}
            {twin.phone ? `, ${twin.phone}` : ""}.
          </p>
          <Row>
            <Button onClick={() => take(twin)} autoFocus>
              Take this person
            </Button>
            <Button onClick={() => void add(true)}>Add another</Button>
          </Row>
        </Note>
      )}
      <Row sx={{ marginTop: 12 }}>
        <Button type="submit" variant="contained" disabled={busy}>
          Add this person
        </Button>
        <Button
          onClick={() => {
            forget();
            onCancel();
          }}
        >
          Back
        </Button>
      </Row>
    </Form>
  );
}

import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, faultsOf, messageOf, newKey, ServerProblem, type Schemas } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { Field } from "../../parts/Field";

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
  const near = useQuery({
    queryKey: ["near", asked],
    queryFn: () => ask(api.GET("/api/v1/people/near", { params: { query: asked } })),
    placeholderData: keepPreviousData,
  });
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
    type = "text",
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
    <form
      onSubmit={(e) => {
        e.preventDefault();
        void add(false);
      }}
      noValidate
    >
      <div className="row">
        {field("given", "Given name", form.given === "")}
        {field("family", "Family name", form.given !== "" && form.family === "")}
      </div>
      <div style={{ margin: "10px 0" }}>
        {field("email", "Email, if any", form.given !== "" && form.family !== "", "email")}
      </div>
      {field("phone", "Phone, if any")}
      <label className="tick" style={{ marginTop: 10 }}>
        <input
          type="checkbox"
          checked={form.invite}
          onChange={(e) => setForm({ ...form, invite: e.target.checked })}
        />{" "}
        invite them by message to set a password for their own page
      </label>
      {error !== null && Object.keys(faults).length === 0 && (
        <div className="fault" role="alert">
          {messageOf(error)}
        </div>
      )}
      {!twin && (near.data?.length ?? 0) > 0 && (
        <div className="note due" role="status" style={{ marginTop: 12 }}>
          <p className="strong">Maybe already known:</p>
          {near.data!.map((p) => (
            <p key={p.id} className="row" style={{ justifyContent: "space-between" }}>
              <span>
                {p.name}
                <span className="slate">
                  {" "}
                  {p.email ?? p.phone ?? ""} ({p.why})
                </span>
              </span>
              <button type="button" className="plainly nowrap" onClick={() => take(p)}>
                take {p.name}
              </button>
            </p>
          ))}
        </div>
      )}
      {twin && (
        <div className="note due" role="alert" style={{ marginTop: 12 }}>
          <p>
            <strong>{twin.name}</strong> is already known{twin.email ? ` as ${twin.email}` : ""}
            {twin.phone ? `, ${twin.phone}` : ""}.
          </p>
          <div className="row">
            <Button onClick={() => take(twin)} autoFocus>
              Take this person
            </Button>
            <Button onClick={() => void add(true)}>Add another</Button>
          </div>
        </div>
      )}
      <div className="row" style={{ marginTop: 12 }}>
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
      </div>
    </form>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";

import { $api, api, ask, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Field, type FieldProps } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Note, Row } from "../../parts/layout";
import { P, T } from "../../parts/words";

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
    note: "",
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
  const of = useServerForm({
    draft: `new-person-${where}-${typed}`,
    start: startOf(typed),
    send: ({ given, family, email, phone, note, invite }, key, how) =>
      ask(
        api.POST("/api/v1/people", {
          params: { header: { "Idempotency-Key": key } },
          body: { given, family, email, phone, note, invite, anyway: how.anyway ?? false },
        }),
      ),
    done: onAdded,
  });
  const twin = of.problem?.kind === "same-person" ? (of.problem.extra.person as Person) : null;
  const { given, family, email, phone } = of.values;
  const asked = useSettled({ given, family, email, phone }, 200);
  const near = $api.useQuery(
    "get",
    "/api/v1/people/near",
    { params: { query: asked } },
    { placeholderData: keepPreviousData },
  );
  const take = (person: Person) => {
    of.forget();
    onAdded(person);
  };
  const field = (
    name: "given" | "family" | "email" | "phone" | "note",
    label: string,
    autoFocus = false,
    type: FieldProps["type"] = "text",
  ) => (
    <Field
      label={label}
      type={type}
      {...of.field(name)}
      autoFocus={autoFocus}
      onChange={(text) => {
        of.dismiss();
        of.set({ [name]: text });
      }}
    />
  );
  return (
    <Form of={twin ? { ...of, trouble: "" } : of}>
      <Row>
        {field("given", "Given name", given === "")}
        {field("family", "Family name", given !== "" && family === "")}
      </Row>
      <Box sx={{ margin: "10px 0" }}>
        {field("email", "Email, if any", given !== "" && family !== "", "email")}
      </Box>
      {field("phone", "Phone, if any")}
      <Box sx={{ margin: "10px 0" }}>{field("note", "Note, if any")}</Box>
      <Tick checked={of.values.invite} onChange={(invite) => of.set({ invite })}>
        invite them by message to set a password for their own page
      </Tick>
      {!twin && <MaybeKnown people={near.data ?? []} onTake={take} />}
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
            <Button onClick={() => void of.submit({ anyway: true })}>Add another</Button>
          </Row>
        </Note>
      )}
      <Row sx={{ marginTop: 12 }}>
        <Button type="submit" variant="contained" disabled={of.busy}>
          Add this person
        </Button>
        <Button
          onClick={() => {
            of.forget();
            onCancel();
          }}
        >
          Back
        </Button>
      </Row>
    </Form>
  );
}

/** People whose name, email or phone is the same or nearly so, before one is added twice. */
function MaybeKnown({
  people,
  onTake,
}: {
  people: Schemas["PersonNear"][];
  onTake: (person: Schemas["PersonNear"]) => void;
}) {
  if (people.length === 0) return null;
  return (
    <Note kind="due" role="status" sx={{ marginTop: 12 }}>
      <P strong>Maybe already known:</P>
      {people.map((p) => (
        <Row as="p" key={p.id} sx={{ justifyContent: "space-between" }}>
          <span>
            {p.name}
            <T tone="slate">
              {" "}
              {p.email ?? p.phone ?? ""} ({p.why})
            </T>
          </span>
          <Button variant="text" onClick={() => onTake(p)}>
            take {p.name}
          </Button>
        </Row>
      ))}
    </Note>
  );
}

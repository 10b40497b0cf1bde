import Button from "@mui/material/Button";
import { useEffect, useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Gatelet } from "../../parts/Arch";
import { Loading, OnePage } from "../../parts/layout";
import { P } from "../../parts/words";

/** Where somebody applies to teach, while applications are open. */
export default function ApplyPage() {
  const query = $api.useQuery("get", "/api/v1/apply", {}, { retry: false });
  const [said, setSaid] = useState("");
  const page = query.data;
  useEffect(() => {
    document.title = page ? `Teach at ${page.center}` : "Apply to teach";
  }, [page]);
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {page?.center ?? "Arch Gate"}
      </P>
      {query.error ? (
        <p>{messageOf(query.error)}</p>
      ) : !page ? (
        <Loading />
      ) : said ? (
        <>
          <h1>Teach at {page.center}</h1>
          <P strong role="status">
            {said}
          </P>
        </>
      ) : !page.open ? (
        <>
          <h1>Teach at {page.center}</h1>
          <p>No applications are taken just now.</p>
        </>
      ) : (
        <Apply page={page} onSaid={setSaid} />
      )}
    </OnePage>
  );
}

function Apply({ page, onSaid }: { page: Schemas["ApplyPage"]; onSaid: (said: string) => void }) {
  const of = useServerForm({
    draft: "apply",
    start: { given: "", family: "", email: "", phone: "", answers: page.questions.map(() => "") },
    send: (body) => ask(api.POST("/api/v1/apply", { body })),
    done: ({ said }) => onSaid(said),
  });
  const { values: form, set, faults } = of;
  return (
    <>
      <h1>Teach at {page.center}</h1>
      <Form of={of} sx={{ display: "grid", gap: "12px" }}>
        <Field
          width="100%"
          label="Given name"
          {...of.field("given")}
          autoFocus
          input={{ autoComplete: "given-name" }}
        />
        <Field
          width="100%"
          label="Family name"
          {...of.field("family")}
          input={{ autoComplete: "family-name" }}
        />
        <Field
          width="100%"
          label="Email"
          type="email"
          {...of.field("email")}
          input={{ autoComplete: "email" }}
        />
        <Field
          width="100%"
          label="Phone, if you like"
          type="tel"
          {...of.field("phone")}
          input={{ autoComplete: "tel" }}
        />
        {page.questions.map((q, n) => (
          <Field
            key={q}
            width="100%"
            label={q}
            multiline
            value={form.answers[n] ?? ""}
            onChange={(text) =>
              set({ answers: page.questions.map((_, i) => (i === n ? text : (form.answers[i] ?? ""))) })
            }
            fault={faults[`/answers/${n}`]}
          />
        ))}
        <Button type="submit" variant="contained" fullWidth disabled={of.busy}>
          Apply
        </Button>
      </Form>
    </>
  );
}

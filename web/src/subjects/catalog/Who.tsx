import type { Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import type { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { P } from "../../parts/words";

export type WhoValues = {
  given: string;
  family: string;
  email: string;
  phone: string;
  answers: Record<string, string>;
};

/** What the form starts from: whoever is signed in, else nobody yet. */
export function whoOf(page: Known): WhoValues {
  const { given, family, email, phone } = page;
  return { given, family, email: email ?? "", phone: phone ?? "", answers: {} };
}

type Known = Pick<Schemas["InterestForm"], "email" | "phone" | "given" | "family">;

type Of = Pick<
  ReturnType<typeof useServerForm<WhoValues & Record<string, unknown>, unknown>>,
  "values" | "set" | "faults"
>;

/** Who somebody is; whoever is signed in is known already. */
export function Who({ of, known, onEmail }: { of: Of; known: string | null; onEmail?: () => void }) {
  const field = (name: "given" | "family" | "email" | "phone") => ({
    value: of.values[name],
    onChange: (value: string) => of.set({ [name]: value }),
    fault: of.faults[`/${name}`],
  });
  if (known !== null)
    return (
      <P>
        You are signed in as {known} ({of.values.email}).
      </P>
    );
  return (
    <>
      <Row wrap>
        <Field label="Given name" width={220} {...field("given")} input={{ autoComplete: "given-name" }} />
        <Field label="Family name" width={220} {...field("family")} input={{ autoComplete: "family-name" }} />
      </Row>
      <Row wrap>
        <Field
          label="Email"
          type="email"
          width={300}
          {...field("email")}
          onBlur={onEmail}
          input={{ autoComplete: "email" }}
          help="Your confirmation goes there."
        />
        <Field
          label="Phone, if you like"
          type="tel"
          width={180}
          {...field("phone")}
          input={{ autoComplete: "tel" }}
        />
      </Row>
    </>
  );
}

/** The questions of a run or a course, each with its answer. */
export function Questions({ of, questions }: { of: Of; questions: string[] }) {
  return questions.map((question, n) => (
    <Field
      key={question}
      width="100%"
      label={question}
      multiline
      value={of.values.answers[question] ?? ""}
      onChange={(answer) => of.set({ answers: { ...of.values.answers, [question]: answer } })}
      fault={of.faults[`/answers/${n}`]}
    />
  ));
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { TeachingTabs } from "./TeachingTabs";

type Rules = Schemas["RulesOut"];
type Acts = ReturnType<typeof useDone>;
const MINE = [
  ["rosters", "see the rosters of their own runs: names and seats, no addresses and no money"],
  ["attendance", "mark who was there"],
  ["own_availability", "change their weekly hours and say when they are away"],
  ["own_biography", "change their biography"],
  ["prepare_text", "prepare the texts of their own courses, and runs of them, for the office to publish"],
  ["prepare_pictures", "prepare pictures"],
  ["prepare_outline", "prepare the program and papers"],
  ["prepare_prices", "say what the runs cost that they prepare"],
] as const;

/** What the center says of teaching: rights, evaluations, applications, the text of agreements. */
export default function RulesPage() {
  const me = useMe();
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/teaching-rules");
  const rules = query.data;
  if (!rules)
    return <NotYet title="Rules of teaching" error={query.error} retry={() => void query.refetch()} />;
  const may = me.rights.includes("keep settings");
  return (
    <Page title="Rules of teaching" margin={null} notes={<ActNotes acts={acts} />}>
      <TeachingTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Rules and texts
      </Box>
      {!may && <P tone="slate">Only an administrator changes these.</P>}
      <fieldset disabled={!may} style={{ border: 0, padding: 0, margin: 0, minWidth: 0 }}>
        <Rights rules={rules} acts={acts} />
        <Evaluation rules={rules} acts={acts} />
        <Applications rules={rules} acts={acts} />
        <AgreementText rules={rules} acts={acts} />
      </fieldset>
    </Page>
  );
}

const patch = (set: Partial<Rules>) =>
  ask(api.PATCH("/api/v1/teaching-rules", { body: asTyped<"RulesCommand">(set) }));

/** Each tick saves at once; it touches nobody's data. */
function Rights({ rules, acts }: { rules: Rules; acts: Acts }) {
  const set = async (change: Partial<Rules>) => {
    try {
      await patch(change);
      acts.say({ text: "Saved." });
    } catch (error) {
      acts.failed(error);
    }
  };
  return (
    <Part as="div" sx={{ borderTop: 0 }}>
      <h2>On their page</h2>
      <div>
        <P tone="slate">
          The employed may all of this. Freelance and outside instructors may, on their own page:
        </P>
        <Stack>
          {MINE.map(([name, words]) => (
            <Tick key={name} checked={rules[name]} onChange={(on) => void set({ [name]: on })}>
              {words}
            </Tick>
          ))}
        </Stack>
        <P tone="slate" small>
          Never: the center’s money, other people’s runs, addresses or notes. Their own statement and what
          learners say of them they always see.
        </P>
      </div>
    </Part>
  );
}

function Evaluation({ rules, acts }: { rules: Rules; acts: Acts }) {
  const of = useServerForm({
    draft: "evaluation-questions",
    start: {
      evaluate: rules.evaluate,
      fewest: String(rules.fewest_answers),
      questions: rules.questions as { id?: number; text: string; kind: "mark" | "words" }[],
    },
    send: async (form) => {
      await patch({ evaluate: form.evaluate, fewest_answers: Number(form.fewest) });
      return ask(
        api.PUT("/api/v1/evaluation-questions", {
          body: { questions: form.questions.filter((q) => q.text.trim()) },
        }),
      );
    },
    done: () => acts.say({ text: "The questions are kept." }),
  });
  const { values: form, set, faults } = of;
  const change = (n: number, part: Partial<(typeof form.questions)[number]>) =>
    set({ questions: form.questions.map((q, i) => (i === n ? { ...q, ...part } : q)) });
  return (
    <Part as="div">
      <h2>Learners say</h2>
      <Form of={of}>
        <Tick checked={form.evaluate} onChange={(evaluate) => set({ evaluate })}>
          ask learners after the last meeting, by a link that works once
        </Tick>
        {form.questions.map((q, n) => (
          <Row end key={n} sx={{ marginTop: 6 }}>
            <Field
              label="Question"
              unseen
              tail={` ${n + 1}`}
              width={430}
              value={q.text}
              onChange={(text) => change(n, { text })}
              fault={faults[`/questions/${n}/text`]}
            />
            <Choice
              label="Answered by"
              unseen
              tail={`, question ${n + 1}`}
              width={150}
              value={q.kind}
              onChange={(kind) => change(n, { kind: kind as "mark" | "words" })}
              options={[
                { value: "mark", text: "a mark, 1 to 5" },
                { value: "words", text: "words" },
              ]}
            />
            <Button
              variant="text"
              color="secondary"
              aria-label={`Take out question ${n + 1}`}
              onClick={() => set({ questions: form.questions.filter((_, i) => i !== n) })}
            >
              take out
            </Button>
          </Row>
        ))}
        <P sx={{ margin: "6px 0" }}>
          <Button
            variant="text"
            onClick={() => set({ questions: [...form.questions, { text: "", kind: "mark" }] })}
          >
            {form.questions.length ? "One more question" : "The first question"}
          </Button>
        </P>
        <Row end>
          <Field
            label="Shown from so many answers on"
            width={220}
            value={form.fewest}
            onChange={(fewest) => set({ fewest })}
            fault={faults["/fewest_answers"]}
            input={{ inputMode: "numeric" }}
          />
          <Button type="submit" variant="contained" disabled={of.busy || of.dirty.length === 0}>
            Save
          </Button>
          {of.dirty.length > 0 && (
            <T tone="ochre" sx={{ paddingBottom: 8 }}>
              not saved yet
            </T>
          )}
        </Row>
      </Form>
    </Part>
  );
}

function Applications({ rules, acts }: { rules: Rules; acts: Acts }) {
  const of = useServerForm({
    draft: "application-questions",
    start: { open: rules.applications_open, questions: rules.application_questions.join("\n") },
    send: (form) =>
      patch({
        applications_open: form.open,
        application_questions: form.questions
          .split("\n")
          .map((q) => q.trim())
          .filter(Boolean),
      }),
    done: (saved) =>
      acts.say({ text: saved.applications_open ? "Applications are open." : "Applications are shut." }),
  });
  return (
    <Part as="div">
      <h2>Applications</h2>
      <Form of={of}>
        <Stack>
          <Tick checked={of.values.open} onChange={(open) => of.set({ open })}>
            people may apply to teach, at <a href="/apply">/apply</a>
          </Tick>
        </Stack>
        <Field
          label="Questions, one a line"
          width="100%"
          multiline
          {...of.field("questions", "/application_questions")}
        />
        <Row sx={{ marginTop: 8 }} mid>
          <Button type="submit" variant="contained" disabled={of.busy || of.dirty.length === 0}>
            Save
          </Button>
          {of.dirty.length > 0 && <T tone="ochre">not saved yet</T>}
        </Row>
      </Form>
    </Part>
  );
}

function AgreementText({ rules, acts }: { rules: Rules; acts: Acts }) {
  const of = useServerForm({
    draft: "agreement-text",
    start: { text: rules.agreement_text },
    send: (body) => ask(api.PUT("/api/v1/agreement-text", { body })),
    done: () => acts.say({ text: "A new version of the text is kept; agreements made before stand." }),
  });
  return (
    <Part as="div">
      <h2>Agreements</h2>
      <Form of={of}>
        <P tone="slate">
          {rules.agreement_version === 0
            ? "This is the text to begin with; change it to the center’s own."
            : `Version ${rules.agreement_version}.`}{" "}
          What stands in braces is filled in.
        </P>
        <Field label="Text of the teaching agreement" width="100%" multiline {...of.field("text")} />
        <P tone="slate" small sx={{ margin: "6px 0" }}>
          {rules.agreement_fields.join("; ")}
        </P>
        <Row mid>
          <Button type="submit" variant="contained" disabled={of.busy || of.dirty.length === 0}>
            Keep as a new version
          </Button>
          {of.dirty.length > 0 && <T tone="ochre">not saved yet</T>}
        </Row>
      </Form>
    </Part>
  );
}

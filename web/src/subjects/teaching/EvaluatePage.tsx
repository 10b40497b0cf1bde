import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { useParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Views } from "../../form/Views";
import { useServerForm } from "../../form/useServerForm";
import { Gatelet } from "../../parts/Arch";
import { Loading, Note, OnePage } from "../../parts/layout";
import { day } from "../../parts/text";
import { Fault, P } from "../../parts/words";

type Asked = Schemas["EvaluatePage"];

/** Behind the link of a letter: a few questions about those who taught, on the phone too. */
export default function EvaluatePage() {
  const token = useParams().token ?? "";
  const query = $api.useQuery(
    "get",
    "/api/v1/evaluate/{token}",
    { params: { path: { token } } },
    { retry: false },
  );
  const asked = query.data;
  useEffect(() => {
    document.title = asked ? `How was ${asked.title}?` : "How was it?";
  }, [asked]);
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {asked?.center ?? "Arch Gate"}
      </P>
      {query.error ? (
        <>
          <h1>This link leads nowhere</h1>
          <p>It may have been cut short on its way.</p>
        </>
      ) : !asked ? (
        <Loading />
      ) : asked.said ? (
        <>
          <h1>{asked.title}</h1>
          <P strong>{asked.said}</P>
        </>
      ) : (
        <Questions asked={asked} token={token} />
      )}
    </OnePage>
  );
}

function Questions({ asked, token }: { asked: Asked; token: string }) {
  const queries = useQueryClient();
  const of = useServerForm({
    draft: `evaluate-${token}`,
    start: { given: {} as Record<string, string> },
    send: ({ given }) =>
      ask(
        api.POST("/api/v1/evaluate/{token}", {
          params: { path: { token } },
          body: {
            answers: asked.instructors.flatMap((i) =>
              asked.questions
                .map((q) => ({ q, value: given[`${i.instructor_id}.${q.id}`] ?? "" }))
                .filter(({ value }) => value !== "")
                .map(({ q, value }) => ({
                  instructor_id: i.instructor_id,
                  question_id: q.id,
                  mark: q.kind === "mark" ? Number(value) : null,
                  words: q.kind === "mark" ? "" : value,
                })),
            ),
          },
        }),
      ),
    done: () => void queries.invalidateQueries(),
  });
  const { given } = of.values;
  const put = (key: string, value: string) =>
    of.set({ given: { ...given, [key]: given[key] === value ? "" : value } });
  return (
    <>
      <h1>How was {asked.title}?</h1>
      <P tone="slate">
        It ended on {day(asked.day)}. Your answers are kept without your name; leave out what you like.
      </P>
      <Form of={of}>
        {asked.instructors.map((i) => (
          <section key={i.instructor_id}>
            {i.picture && (
              <img
                src={`/api/v1/evaluate/${token}/${i.instructor_id}.jpg`}
                alt=""
                style={{ width: 72, display: "block", marginBottom: 6 }}
              />
            )}
            <h2>{i.name}</h2>
            {asked.questions.map((q) => {
              const key = `${i.instructor_id}.${q.id}`;
              return q.kind === "mark" ? (
                <div key={q.id} style={{ margin: "10px 0" }}>
                  <p>{q.text}</p>
                  <Views
                    label={`${q.text}, ${i.name}`}
                    value={given[key] || null}
                    onChange={(value) => put(key, value)}
                    options={["1", "2", "3", "4", "5"].map((n) => ({
                      value: n,
                      text: n,
                      title: n === "1" ? "not at all" : n === "5" ? "very much" : undefined,
                    }))}
                    sx={{ "& button": { width: 54, minHeight: 44 } }}
                  />
                </div>
              ) : (
                <Field
                  key={q.id}
                  label={q.text}
                  width="100%"
                  multiline
                  value={given[key] ?? ""}
                  onChange={(value) => of.set({ given: { ...given, [key]: value } })}
                />
              );
            })}
          </section>
        ))}
        <P tone="slate" small sx={{ marginTop: 12 }}>
          1 is not at all, 5 is very much.
        </P>
        {of.faults["/answers"] && <Fault role="alert">{of.faults["/answers"]}</Fault>}
        {Object.entries(of.faults)
          .filter(([at]) => at.startsWith("/answers/"))
          .slice(0, 1)
          .map(([at, text]) => (
            <Note kind="wrong" role="alert" key={at}>
              {text}
            </Note>
          ))}
        <Button type="submit" variant="contained" fullWidth disabled={of.busy}>
          Send
        </Button>
      </Form>
    </>
  );
}

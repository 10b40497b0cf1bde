import Button from "@mui/material/Button";
import { useState } from "react";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Loading } from "../../parts/layout";
import { P } from "../../parts/words";
import { Signed } from "./Signed";
import { Questions, Who, whoOf, type WhoValues } from "./Who";

/** The form by which somebody asks to hear of a course. */
export function InterestPage({ course, address }: { course: number; address: string }) {
  const query = $api.useQuery("get", "/api/v1/catalog/courses/{course_id}/interest", {
    params: { path: { course_id: course } },
  });
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  return (
    <Interested
      page={query.data}
      draft={`interest-course-${course}`}
      address={address}
      send={(body, key) =>
        ask(
          api.POST("/api/v1/catalog/courses/{course_id}/interest", {
            params: { path: { course_id: course }, header: keyHeader(key) },
            body: { ...body, key: "" },
          }),
        )
      }
    />
  );
}

type Page = Pick<Schemas["InterestForm"], "questions" | "person" | "email" | "phone" | "given" | "family">;

/** Who wants to hear, and what came of it; it is no sign-up, and says so. */
export function Interested({
  page,
  draft,
  address,
  send,
}: {
  page: Page;
  draft: string;
  address: string;
  send: (body: WhoValues, key: string) => Promise<Schemas["SignedUp"]>;
}) {
  const [done, setDone] = useState<Schemas["SignedUp"] | null>(null);
  const of = useServerForm<WhoValues, Schemas["SignedUp"]>({
    draft,
    start: whoOf(page),
    send: (values, key) => send(values, key),
    done: setDone,
  });
  if (done) return <Signed done={done} heading="We have your name" address={address} />;
  return (
    <Form of={of} sx={{ display: "grid", gap: "12px", maxWidth: 620 }}>
      <P>You hear when sign-up opens. This is not a sign-up, and it costs nothing.</P>
      <Who of={of} known={page.person} />
      <Questions of={of} questions={page.questions} />
      <div>
        <Button type="submit" variant="contained" disabled={of.busy}>
          Tell me
        </Button>
      </div>
    </Form>
  );
}

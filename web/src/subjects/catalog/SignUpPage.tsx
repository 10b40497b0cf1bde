import Button from "@mui/material/Button";
import { type FormEvent, useState } from "react";

import { $api, api, ask, messageOf } from "../../app/server";
import { useKept } from "../../app/session";
import { Field } from "../../form/Field";
import { Loading, Note, Row } from "../../parts/layout";
import { day } from "../../parts/text";
import { Fault, P } from "../../parts/words";
import { keyHeader, type Schemas } from "../../app/server";
import { Interested } from "./InterestPage";
import { SignUpForm } from "./SignUpForm";
import { Signed } from "./Signed";

export const HEADINGS: Record<string, string> = {
  "sign up": "Your sign-up has arrived",
  wait: "Your name is in the line",
  request: "Your request is with us",
};

/** The page on which somebody signs up for a run, waits for it, asks for a seat or to hear of it: whatever can be done now. */
export function SignUpPage({ run, link, address }: { run: number; link: string; address: string }) {
  const [code, setCode] = useKept(`code-${run}`, "");
  const [done, setDone, dropDone] = useKept<{ act: string; answer: Schemas["SignedUp"] } | null>(
    `signed-up-${run}`,
    null,
  );
  const query = $api.useQuery("get", "/api/v1/catalog/runs/{run_id}", {
    params: { path: { run_id: run }, query: { access_code: code, key: link } },
  });
  const page = query.data;
  if (done)
    return (
      <>
        <Signed done={done.answer} heading={HEADINGS[done.act] ?? "Done"} address={address} />
        <Button variant="text" onClick={dropDone}>
          Sign up somebody else
        </Button>
      </>
    );
  if (!page) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  return (
    <>
      <P>
        <strong>{page.first ? spanOf(page.first, page.last) : page.when}</strong>
        {page.first && page.when ? `, ${page.when}` : ""}
        {page.where ? `, ${page.where}` : ""}
      </P>
      {page.act === "code" ? (
        <CodeAsked run={run} link={link} onCode={setCode} />
      ) : page.act === "interest" ? (
        <Interested
          page={page}
          draft={`interest-run-${run}`}
          address={address}
          send={(body, key) =>
            ask(
              api.POST("/api/v1/catalog/runs/{run_id}/interest", {
                params: { path: { run_id: run }, header: keyHeader(key) },
                body: { ...body, key: link },
              }),
            )
          }
        />
      ) : page.act === "sign up" || page.act === "wait" || page.act === "request" ? (
        <SignUpForm
          key={page.act}
          page={page}
          act={page.act}
          code={code}
          link={link}
          onDone={(answer) => setDone({ act: page.act, answer })}
          onMoved={() => void query.refetch()}
        />
      ) : (
        <Note>
          <p>{page.said || "One cannot sign up here just now."}</p>
          <p>
            <a href={address}>Back to the course</a>
          </p>
        </Note>
      )}
    </>
  );
}

function spanOf(first: string, last: string | null): string {
  return last && last !== first ? `${day(first)} to ${day(last)}` : day(first);
}

/** A run that needs a code: one that fits is kept for this form. */
function CodeAsked({ run, link, onCode }: { run: number; link: string; onCode: (code: string) => void }) {
  const [typed, setTyped] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  const send = (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    ask(
      api.POST("/api/v1/catalog/runs/{run_id}/code", {
        params: { path: { run_id: run } },
        body: { access_code: typed, key: link },
      }),
    )
      .then((answer) => (answer.fits ? onCode(typed) : setFault(answer.said)))
      .catch((error: unknown) => setFault(messageOf(error)))
      .finally(() => setBusy(false));
  };
  return (
    <form onSubmit={send} noValidate>
      <Row sx={{ alignItems: "flex-end" }}>
        <Field label="Code" width={220} value={typed} onChange={setTyped} autoFocus />
        <Button type="submit" variant="contained" disabled={busy || typed.trim() === ""}>
          Go on
        </Button>
      </Row>
      {fault && <Fault role="alert">{fault}</Fault>}
    </form>
  );
}

import Button from "@mui/material/Button";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";

import { $api, api, ask } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Gatelet } from "../../parts/Arch";
import { Loading, OnePage } from "../../parts/layout";
import { HiddenInput, P } from "../../parts/words";

function useTitle(title: string) {
  useEffect(() => {
    document.title = `${title} · Arch Gate`;
  }, [title]);
}

/** Behind the link of a letter to the staff: set a password, once. */
export function PasswordPage() {
  const token = useParams().token ?? "";
  const [done, setDone] = useState(false);
  const query = $api.useQuery(
    "get",
    "/api/v1/password-links/{token}",
    { params: { path: { token } } },
    { retry: false },
  );
  const of = useServerForm({
    draft: null,
    start: { password: "" },
    send: (body) => ask(api.POST("/api/v1/password-links/{token}", { params: { path: { token } }, body })),
    done: () => setDone(true),
  });
  useTitle("Choose a password");
  const link = query.data;
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> {link?.center ?? "Arch Gate"}
      </P>
      {done ? (
        <>
          <h1>The password is set</h1>
          <p>
            <Link to="/">Sign in as {link?.email}</Link>
          </p>
        </>
      ) : query.error ? (
        <>
          <h1>This link leads nowhere</h1>
          <p>
            It may have been cut short on its way. <Link to="/forgot">Ask for a new one</Link>
          </p>
        </>
      ) : !link ? (
        <Loading />
      ) : !link.stands ? (
        <>
          <h1>A password for the desk</h1>
          <P strong>{link.said}</P>
          <p>
            <Link to="/">Sign in</Link> or <Link to="/forgot">ask for a new link</Link>
          </p>
        </>
      ) : (
        <>
          <h1>{link.name}, choose a password</h1>
          <p>You sign in as {link.email}. Wherever you are signed in now, you are signed out.</p>
          <Form of={of}>
            <HiddenInput
              type="text"
              autoComplete="username"
              value={link.email}
              readOnly
              tabIndex={-1}
              aria-hidden
            />
            <Field
              label="Password, at least 10 characters"
              type="password"
              {...of.field("password")}
              autoFocus
              input={{ autoComplete: "new-password" }}
            />
            <P>
              <Button type="submit" variant="contained" disabled={of.busy}>
                Set the password
              </Button>
            </P>
          </Form>
        </>
      )}
    </OnePage>
  );
}

/** A link to set a password anew; what is said is the same whoever asks. */
export function ForgotPage() {
  const [said, setSaid] = useState("");
  const of = useServerForm({
    draft: null,
    start: { email: "" },
    send: (body) => ask(api.POST("/api/v1/password-links", { body })),
    done: (answer) => setSaid(answer.said),
  });
  useTitle("A new password");
  return (
    <OnePage>
      <P tone="slate">
        <Gatelet done width={20} /> Arch Gate
      </P>
      <h1>A new password</h1>
      {said ? (
        <P strong role="status">
          {said}
        </P>
      ) : (
        <Form of={of}>
          <Field label="Your email" type="email" {...of.field("email")} autoFocus />
          <P>
            <Button type="submit" variant="contained" disabled={of.busy}>
              Send me a link
            </Button>
          </P>
        </Form>
      )}
      <p>
        <Link to="/">Back to signing in</Link>
      </p>
    </OnePage>
  );
}

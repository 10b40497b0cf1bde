import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useEffect } from "react";
import { Link } from "react-router";

import { api, ask } from "../../app/server";
import { Field } from "../../form/Field";
import { Arch } from "../../parts/Arch";
import { P } from "../../parts/words";
import { useServerForm } from "../../form/useServerForm";
import { Form } from "../../form/Form";

const SignInPage = styled("main")({
  maxWidth: 380,
  margin: "9vh auto 0",
  padding: "0 20px",
  "& form > * + *": { marginTop: 14 },
});

/** The way in. What was typed elsewhere before a session ended is kept and comes back after. */
export function SignIn({ onDone }: { onDone: () => void }) {
  const of = useServerForm({
    draft: null,
    start: { email: "", password: "", code: "" },
    send: (body) => {
      if (!body.email.trim()) throw new Error("Type your email.");
      if (!body.password) throw new Error("Type your password.");
      return ask(api.POST("/api/v1/session", { body }));
    },
    done: onDone,
  });
  const codeAsked =
    of.problem?.kind === "code-asked" || of.problem?.kind === "wrong-code" || of.values.code !== "";
  useEffect(() => {
    document.title = "Sign in · Arch Gate";
  }, []);
  return (
    <SignInPage>
      <Arch taken={7} capacity={11} smallest={5} size="hero" />
      <Box component="h1" sx={{ margin: "14px 0 4px" }}>
        Arch Gate
      </Box>
      <P tone="slate">Runs, seats, fees and rosters.</P>
      <Form of={of}>
        <Field
          label="Email"
          type="email"
          {...of.field("email")}
          autoFocus
          input={{ autoComplete: "username" }}
        />
        <Field
          label="Password"
          type="password"
          {...of.field("password")}
          input={{ autoComplete: "current-password" }}
        />
        {codeAsked && (
          <Field
            label="Code of your phone, or a recovery code"
            {...of.field("code")}
            autoFocus
            input={{ autoComplete: "one-time-code" }}
          />
        )}
        <Button type="submit" variant="contained" disabled={of.busy}>
          Sign in
        </Button>
        <P>
          <Link to="/forgot">Forgot the password?</Link>
        </P>
      </Form>
    </SignInPage>
  );
}

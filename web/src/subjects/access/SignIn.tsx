import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type FormEvent, useEffect, useState } from "react";

import { api, ask, messageOf } from "../../app/server";
import { Field } from "../../form/Field";
import { Arch } from "../../parts/Arch";
import { Fault, P } from "../../parts/words";

const SignInPage = styled("main")({
  maxWidth: 380,
  margin: "9vh auto 0",
  padding: "0 20px",
  "& form > * + *": { marginTop: 14 },
});

/** The way in. What was typed elsewhere before a session ended is kept and comes back after. */
export function SignIn({ onDone }: { onDone: () => void }) {
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [fault, setFault] = useState("");
  const [busy, setBusy] = useState(false);
  useEffect(() => {
    document.title = "Sign in · Arch Gate";
  }, []);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setFault(!email.trim() ? "Type your email." : !password ? "Type your password." : "");
    if (!email.trim() || !password) return;
    setBusy(true);
    try {
      await ask(api.POST("/api/v1/session", { body: { email, password } }));
      onDone();
    } catch (error) {
      setFault(messageOf(error));
      setPassword("");
    } finally {
      setBusy(false);
    }
  };
  return (
    <SignInPage>
      <Arch taken={7} capacity={11} smallest={5} size="hero" />
      <Box component="h1" sx={{ margin: "14px 0 4px" }}>
        Arch Gate
      </Box>
      <P tone="slate">Runs, seats, fees and rosters.</P>
      <form onSubmit={(e) => void submit(e)} noValidate>
        <Field
          label="Email"
          value={email}
          onChange={setEmail}
          type="email"
          autoFocus
          input={{ autoComplete: "username" }}
        />
        <Field
          label="Password"
          value={password}
          onChange={setPassword}
          type="password"
          input={{ autoComplete: "current-password" }}
        />
        {fault && <Fault role="alert">{fault}</Fault>}
        <Button type="submit" variant="contained" disabled={busy}>
          Sign in
        </Button>
      </form>
    </SignInPage>
  );
}

import Button from "@mui/material/Button";
import { useEffect, useState, type FormEvent } from "react";

import { api, ask, messageOf } from "../../app/server";
import { Arch } from "../../parts/Arch";
import { Field } from "../../parts/Field";

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
    <main className="signin">
      <Arch taken={7} capacity={11} smallest={5} size="hero" />
      <h1 style={{ margin: "14px 0 4px" }}>Arch Gate</h1>
      <p className="slate">Runs, seats, fees and rosters.</p>
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
        {fault && (
          <div className="fault" role="alert">
            {fault}
          </div>
        )}
        <Button type="submit" variant="contained" disabled={busy}>
          Sign in
        </Button>
      </form>
    </main>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Note, Part, Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { CenterTabs } from "./CenterTabs";
import { browserOf, SignInList } from "./StaffPage";

type Account = Schemas["OwnAccount"];
type Acts = ReturnType<typeof useDone>;

/** One's own account: password, codes at sign-in, where one is signed in. */
export default function MyAccount() {
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/me");
  const account = query.data;
  if (!account) return <NotYet title="My account" error={query.error} retry={() => void query.refetch()} />;
  const demanded = account.demanded && !account.second_factor;
  return (
    <Page title="My account" margin={null} notes={<ActNotes acts={acts} />}>
      {!demanded && <CenterTabs />}
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        {account.name}
      </Box>
      <P tone="slate">
        Signs in as {account.email}, {account.role}.
      </P>
      {demanded && (
        <Note kind="due" role="status">
          Your role needs a code at sign-in. Set it up here; everything else opens after that.
        </Note>
      )}
      <SecondFactor account={account} acts={acts} />
      <Password acts={acts} />
      <Sessions account={account} acts={acts} />
      <Part as="div">
        <h2>What you may do</h2>
        <ul style={{ margin: 0, paddingLeft: 18 }}>
          {account.rights.map((r) => (
            <li key={r.right}>{r.words}</li>
          ))}
        </ul>
      </Part>
    </Page>
  );
}

function Password({ acts }: { acts: Acts }) {
  const of = useServerForm({
    draft: null,
    start: { now: "", password: "" },
    send: (body) => ask(api.POST("/api/v1/me/password", { body })),
    done: () => acts.say({ text: "The password is changed; you are signed out everywhere else." }),
  });
  return (
    <Part as="div">
      <h2>Password</h2>
      <Form of={of} look="row" label="Change the password">
        <Field
          label="The password you have"
          type="password"
          width={240}
          {...of.field("now")}
          input={{ autoComplete: "current-password" }}
        />
        <Field
          label="The new one, at least 10 characters"
          type="password"
          width={280}
          {...of.field("password")}
          input={{ autoComplete: "new-password" }}
        />
        <Box sx={{ alignSelf: "flex-end" }}>
          <Button type="submit" disabled={of.busy}>
            Change the password
          </Button>
        </Box>
      </Form>
    </Part>
  );
}

/** Codes at sign-in: set up by a picture and a first code, with codes to keep for a lost phone. */
function SecondFactor({ account, acts }: { account: Account; acts: Acts }) {
  const queries = useQueryClient();
  const [secret, setSecret] = useState<Schemas["SecretOut"] | null>(null);
  const [codes, setCodes] = useState<string[] | null>(null);
  const [asked, setAsked] = useState<"end" | "codes" | null>(null);
  const begin = useAct({
    send: () => ask(api.POST("/api/v1/me/second-factor")),
    done: setSecret,
    failed: acts.fail,
  });
  const given = (made: { codes: string[] }) => {
    setSecret(null);
    setAsked(null);
    setCodes(made.codes);
    void queries.invalidateQueries();
  };
  if (codes)
    return (
      <Part as="div">
        <h2>Keep these codes</h2>
        <div>
          <P>
            Each works once instead of a code of the phone. They are not shown again: print them, or write
            them down.
          </P>
          <Box
            component="ul"
            sx={{
              columns: 2,
              maxWidth: 460,
              fontFamily: "monospace",
              fontSize: 16,
              listStyle: "none",
              padding: 0,
            }}
          >
            {codes.map((code) => (
              <li key={code}>{code}</li>
            ))}
          </Box>
          <Button variant="contained" onClick={() => setCodes(null)}>
            I have them
          </Button>
        </div>
      </Part>
    );
  return (
    <Part as="div" sx={{ borderTop: 0 }}>
      <h2>Code at sign-in</h2>
      {account.second_factor ? (
        <div>
          <P>
            A code of your phone is asked for after the password. {count(account.codes_left, "recovery code")}{" "}
            left.
          </P>
          {asked ? (
            <CodeForm
              label={asked === "end" ? "Take the codes off" : "New recovery codes"}
              send={(code) =>
                asked === "end"
                  ? ask(api.POST("/api/v1/me/second-factor/end", { body: { code } })).then(() => {
                      setAsked(null);
                      acts.say({ text: "You sign in by the password alone now." });
                    })
                  : ask(api.POST("/api/v1/me/recovery-codes", { body: { code } })).then(given)
              }
              onLeave={() => setAsked(null)}
            />
          ) : (
            <Row>
              <Button onClick={() => setAsked("codes")}>New recovery codes</Button>
              {!account.demanded && <Button onClick={() => setAsked("end")}>Take it off</Button>}
            </Row>
          )}
        </div>
      ) : secret ? (
        <Row wrap sx={{ gap: 24 }}>
          <img src={secret.picture} alt="The secret, for the phone to take in" width={196} height={196} />
          <div>
            <P>
              1. Take this picture in with an application for codes on your phone, or type{" "}
              <Box component="code" sx={{ overflowWrap: "anywhere" }}>
                {secret.secret}
              </Box>{" "}
              there.
            </P>
            <P>2. Type the six digits that it shows.</P>
            <CodeForm
              label="Set it up"
              send={(code) =>
                ask(api.POST("/api/v1/me/second-factor/confirm", { body: { code } })).then(given)
              }
              onLeave={() => setSecret(null)}
            />
          </div>
        </Row>
      ) : (
        <div>
          <P tone="slate">
            With it, a password alone lets nobody in: a code that your phone shows is asked for as well.
          </P>
          <Button
            variant={account.demanded ? "contained" : "outlined"}
            disabled={begin.busy}
            onClick={() => void begin.act(undefined)}
          >
            Set it up
          </Button>
        </div>
      )}
    </Part>
  );
}

function CodeForm({
  label,
  send,
  onLeave,
}: {
  label: string;
  send: (code: string) => Promise<void>;
  onLeave: () => void;
}) {
  const of = useServerForm({
    draft: null,
    start: { code: "" },
    send: ({ code }) => send(code),
    done: () => undefined,
  });
  return (
    <Form of={of} label={label} onLeave={onLeave}>
      <Field
        label="Code"
        width={200}
        {...of.field("code")}
        autoFocus
        input={{ autoComplete: "one-time-code", inputMode: "text" }}
      />
      <Ends of={of} act={label} onLeave={onLeave} />
    </Form>
  );
}

function Sessions({ account, acts }: { account: Account; acts: Acts }) {
  const ending = useAct({
    send: (handle: string) =>
      ask(api.DELETE("/api/v1/me/sessions/{handle}", { params: { path: { handle } } })),
    done: () => acts.say({ text: "That browser is signed out." }),
    failed: acts.fail,
  });
  const others = useAct({
    send: () => ask(api.DELETE("/api/v1/me/sessions")),
    done: () => acts.say({ text: "You are signed out everywhere but here." }),
    failed: acts.fail,
  });
  return (
    <Part as="div">
      <h2>Where you are signed in</h2>
      <div>
        <Ruled>
          {account.sessions.map((s) => (
            <Row as="li" mid key={s.handle} sx={{ padding: "4px 0" }}>
              <T nowrap>
                since {day(s.since)}, {clock(s.since)}
              </T>
              <T tone="slate" sx={{ flex: 1 }}>
                {browserOf(s.browser)} {s.address}
              </T>
              {s.this ? (
                <strong>this one</strong>
              ) : (
                <Button
                  variant="text"
                  aria-label={`Sign out: ${browserOf(s.browser)}, since ${clock(s.since)}`}
                  onClick={() => void ending.act(s.handle)}
                >
                  Sign out
                </Button>
              )}
            </Row>
          ))}
        </Ruled>
        {account.sessions.length > 1 && (
          <Button onClick={() => void others.act(undefined)}>Sign out everywhere else</Button>
        )}
        <Box component="h3" sx={{ marginTop: 16 }}>
          Lately
        </Box>
        <SignInList of={account.sign_ins} />
      </div>
    </Part>
  );
}

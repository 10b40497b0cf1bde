import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { styled } from "@mui/material/styles";
import { useState } from "react";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Row, Ruled, Title } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { RowMenu } from "../../parts/RowMenu";
import { clock, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { CenterTabs } from "./CenterTabs";

const Section = styled("section")({ marginTop: 28 });
type Staff = Schemas["StaffPage"];
type User = Staff["users"][number];
type Role = Staff["roles"][number];
type Acts = ReturnType<typeof useDone>;

/** Who works here, and who may do what. */
export default function StaffPage() {
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/staff");
  const page = query.data;
  if (!page) return <NotYet title="Staff" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page title="Staff" margin={null} notes={<ActNotes acts={acts} />}>
      <CenterTabs />
      <Users page={page} acts={acts} />
      <Roles page={page} acts={acts} />
      <SignIns />
    </Page>
  );
}

const STATUS = { invited: "invited", active: "at work", ended: "ended" } as const;

function Users({ page, acts }: { page: Staff; acts: Acts }) {
  const me = useMe();
  const [inviting, setInviting] = useState(false);
  const [changing, setChanging] = useState<number | null>(null);
  const link = useAct({
    send: (user: User) =>
      ask(api.POST("/api/v1/staff/{user_id}/link", { params: { path: { user_id: user.id } } })),
    done: ({ user }) => acts.say({ text: `A link to set a password is on its way to ${user.email}.` }),
    failed: acts.fail,
  });
  const status = useAct({
    send: (user: User) =>
      ask(
        api.PATCH("/api/v1/staff/{user_id}", {
          params: { path: { user_id: user.id } },
          body: { set: { active: user.status === "ended" }, seen: { active: user.status !== "ended" } },
        }),
      ),
    done: ({ user }) =>
      acts.say({
        text:
          user.status === "ended"
            ? `${user.name} is signed out everywhere and cannot come in. What they did stays in their name.`
            : `${user.name} can sign in again.`,
      }),
    failed: acts.fail,
  });
  const factor = useAct({
    send: (user: User) =>
      ask(api.DELETE("/api/v1/staff/{user_id}/second-factor", { params: { path: { user_id: user.id } } })),
    done: ({ user }) =>
      acts.say({ text: `${user.name} signs in by the password alone until they set up codes anew.` }),
    failed: acts.fail,
  });
  const columns: Column<User>[] = [
    { key: "name", label: "Name", cell: (u) => <strong>{u.name}</strong> },
    { key: "email", label: "Signs in as", cell: (u) => u.email },
    { key: "role", label: "Role", cell: (u) => u.role },
    {
      key: "status",
      label: "State",
      cell: (u) => (
        <T tone={u.status === "active" ? undefined : u.status === "invited" ? "ochre" : "slate"}>
          {STATUS[u.status]}
          {u.link_until && `, the link works through ${day(u.link_until, false)}`}
        </T>
      ),
    },
    {
      key: "code",
      label: "Code at sign-in",
      cell: (u) => (u.second_factor ? "yes" : <T tone="slate">no</T>),
    },
    {
      key: "last",
      label: "Last signed in",
      cell: (u) => (u.last ? `${day(u.last)}, ${clock(u.last)}` : <T tone="slate">never</T>),
    },
    {
      key: "acts",
      label: "Acts",
      unseen: true,
      right: true,
      cell: (u) => (
        <RowMenu
          of={u.name}
          acts={[
            { text: "Change", do: () => setChanging(u.id) },
            ...(u.status === "ended"
              ? []
              : [
                  {
                    text:
                      u.status === "invited" ? "Send the invitation again" : "Send a link for a new password",
                    do: () => void link.act(u),
                  },
                ]),
            ...(u.second_factor && u.id !== me.id
              ? [{ text: "Lost phone: take the codes off", do: () => void factor.act(u) }]
              : []),
            ...(u.id === me.id
              ? []
              : [
                  {
                    text: u.status === "ended" ? "Take back" : "End the account",
                    do: () => void status.act(u),
                  },
                ]),
          ]}
        />
      ),
    },
  ];
  return (
    <section>
      <Title sx={{ marginTop: 12 }}>
        <h1>Staff</h1>
        {!inviting && (
          <Button variant="contained" onClick={() => setInviting(true)}>
            Invite somebody
          </Button>
        )}
      </Title>
      {inviting && <Invite roles={page.roles} acts={acts} onLeave={() => setInviting(false)} />}
      <LongTable
        label="Staff"
        rows={page.users}
        columns={columns}
        rowKey={(u) => String(u.id)}
        below={(u) =>
          changing === u.id && (
            <ChangeUser user={u} roles={page.roles} acts={acts} onLeave={() => setChanging(null)} />
          )
        }
      />
    </section>
  );
}

const options = (roles: Role[]) => roles.map((r) => ({ value: String(r.id), text: r.name }));

function Invite({ roles, acts, onLeave }: { roles: Role[]; acts: Acts; onLeave: () => void }) {
  const desk = roles.find((r) => r.name === "desk") ?? roles[0];
  const of = useServerForm({
    draft: "staff-invite",
    start: { name: "", email: "", role: String(desk?.id ?? "") },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/staff", {
          params: { header: keyHeader(key) },
          body: { name: form.name, email: form.email, role_id: Number(form.role) },
        }),
      ),
    done: ({ user }) => {
      acts.say({ text: `${user.name} is invited; a letter with a link goes to ${user.email}.` });
      onLeave();
    },
  });
  return (
    <Form of={of} look="row inset" onLeave={onLeave} label="Invite somebody">
      <Field label="Name" width={220} {...of.field("name")} autoFocus />
      <Field label="Email" type="email" width={260} {...of.field("email")} />
      <Choice label="Role" width={170} options={options(roles)} {...of.field("role", "/role_id")} />
      <Ends of={of} act="Invite" onLeave={onLeave} />
    </Form>
  );
}

function ChangeUser({
  user,
  roles,
  acts,
  onLeave,
}: {
  user: User;
  roles: Role[];
  acts: Acts;
  onLeave: () => void;
}) {
  const facts = (form: { name: string; email: string; role: string }) => ({
    name: form.name,
    email: form.email,
    role_id: Number(form.role),
  });
  const of = useServerForm({
    draft: `staff-${user.id}`,
    start: { name: user.name, email: user.email, role: String(user.role_id) },
    send: (form, _key, { seen }) =>
      ask(
        api.PATCH("/api/v1/staff/{user_id}", {
          params: { path: { user_id: user.id } },
          body: { set: facts(form), seen: facts(seen) },
        }),
      ),
    done: (done) => {
      acts.say({ text: `${done.user.name} is changed; it holds from their next click on.` });
      onLeave();
    },
  });
  return (
    <Form of={of} look="row" onLeave={onLeave} label={`Change ${user.name}`}>
      <Field label="Name" width={220} {...of.field("name", "/set/name")} autoFocus />
      <Field label="Email" type="email" width={260} {...of.field("email", "/set/email")} />
      <Choice label="Role" width={170} options={options(roles)} {...of.field("role", "/set/role_id")} />
      <Ends of={of} act="Save" onLeave={onLeave} />
    </Form>
  );
}

/** Who may do what, as a table: a column a role, a tick a right; each saves at once. */
function Roles({ page, acts }: { page: Staff; acts: Acts }) {
  const [adding, setAdding] = useState(false);
  const patch = (role: Role, set: Schemas["RoleFacts"], seen: Schemas["RoleFacts"]) =>
    ask(
      api.PATCH("/api/v1/staff-roles/{role_id}", {
        params: { path: { role_id: role.id } },
        body: { set, seen },
      }),
    );
  const ticking = useAct({
    send: ({ role, right, on }: { role: Role; right: Role["rights"][number]; on: boolean }) =>
      patch(
        role,
        { rights: on ? [...role.rights, right] : role.rights.filter((r) => r !== right) },
        { rights: role.rights },
      ),
    done: ({ role }) => acts.say({ text: `Saved: what ${role.name} may do.` }),
    failed: acts.fail,
  });
  const demanding = useAct({
    send: ({ role, on }: { role: Role; on: boolean }) =>
      patch(role, { second_factor: on }, { second_factor: role.second_factor }),
    done: ({ role }) =>
      acts.say({
        text: role.second_factor
          ? `Whoever is ${role.name} needs a code to sign in; those without set one up before anything else.`
          : `${role.name} no longer needs a code.`,
      }),
    failed: acts.fail,
  });
  const removing = useAct({
    send: (role: Role) =>
      ask(api.DELETE("/api/v1/staff-roles/{role_id}", { params: { path: { role_id: role.id } } })),
    done: () => acts.say({ text: "The role is taken out." }),
    failed: acts.fail,
  });
  type Line = { key: string; words: string; right: Role["rights"][number] | null };
  const lines: Line[] = [
    ...page.rights.map((r) => ({ key: r.right, words: r.words, right: r.right })),
    { key: "code", words: "needs a code to sign in", right: null },
  ];
  const columns: Column<Line>[] = [
    { key: "what", label: "May", cell: (line) => line.words },
    ...page.roles.map((role): Column<Line> => ({
      key: String(role.id),
      label: role.name,
      cell: ({ right, words }) => (
        <Checkbox
          checked={right ? role.rights.includes(right) : role.second_factor}
          disabled={right === "read"}
          onChange={(e) =>
            void (right
              ? ticking.act({ role, right, on: e.target.checked })
              : demanding.act({ role, on: e.target.checked }))
          }
          slotProps={{ input: { "aria-label": `${role.name}: ${words}` } }}
        />
      ),
    })),
  ];
  const spare = page.roles.filter((r) => r.people === 0);
  return (
    <Section>
      <Title>
        <h2>Who may do what</h2>
        {!adding && <Button onClick={() => setAdding(true)}>A new role</Button>}
      </Title>
      {adding && <NewRole acts={acts} onLeave={() => setAdding(false)} />}
      <LongTable label="Who may do what" rows={lines} columns={columns} rowKey={(line) => line.key} />
      {spare.length > 0 && (
        <Row mid wrap sx={{ marginTop: 8 }}>
          <T tone="slate">Nobody has:</T>
          {spare.map((role) => (
            <Button key={role.id} variant="text" color="secondary" onClick={() => void removing.act(role)}>
              take out {role.name}
            </Button>
          ))}
        </Row>
      )}
    </Section>
  );
}

function NewRole({ acts, onLeave }: { acts: Acts; onLeave: () => void }) {
  const of = useServerForm({
    draft: "staff-role",
    start: { name: "", code: false },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/staff-roles", {
          params: { header: keyHeader(key) },
          body: { name: form.name, rights: ["read"], second_factor: form.code },
        }),
      ),
    done: ({ role }) => {
      acts.say({ text: `${role.name} may read so far; tick what else.` });
      onLeave();
    },
  });
  return (
    <Form of={of} look="row inset" onLeave={onLeave} label="A new role">
      <Field label="Name of the role" width={220} {...of.field("name")} autoFocus />
      <Tick checked={of.values.code} onChange={(code) => of.set({ code })}>
        needs a code to sign in
      </Tick>
      <Ends of={of} act="Add" onLeave={onLeave} />
    </Form>
  );
}

/** The newest attempts to sign in, of everybody. */
function SignIns() {
  const [open, setOpen] = useState(false);
  const query = $api.useQuery("get", "/api/v1/staff/sign-ins", {}, { enabled: open });
  return (
    <Section>
      <Button variant="text" aria-expanded={open} onClick={() => setOpen(!open)}>
        Sign-ins of everybody
      </Button>
      {open && query.data && <SignInList of={query.data.sign_ins} named />}
    </Section>
  );
}

/** Attempts to sign in, newest first. */
export function SignInList({ of, named = false }: { of: Schemas["SignInOut"][]; named?: boolean }) {
  if (of.length === 0) return <P tone="slate">Nobody has signed in yet.</P>;
  return (
    <Ruled>
      {of.map((s, n) => (
        <Row as="li" key={n} sx={{ padding: "4px 0" }}>
          <T nowrap>
            {day(s.at)}, {clock(s.at)}
          </T>
          <T tone={s.outcome.startsWith("wrong") ? "brick" : undefined} nowrap>
            {named && <strong>{s.name}: </strong>}
            {s.outcome}
          </T>
          <T tone="slate" cut sx={{ minWidth: 0 }}>
            {s.address} {browserOf(s.browser)}
          </T>
        </Row>
      ))}
    </Ruled>
  );
}

/** The name of a browser, as far as what it says of itself shows one. */
export function browserOf(said: string): string {
  const system = /Windows|Macintosh|Android|iPhone|iPad|Linux/.exec(said)?.[0] ?? "";
  const name = /Firefox|Edg|Chrome|Safari/.exec(said)?.[0].replace("Edg", "Edge") ?? "";
  return [name, system].filter(Boolean).join(" on ") || said.slice(0, 40);
}

import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Loading, Row } from "../../parts/layout";
import { RowMenu } from "../../parts/RowMenu";
import { clock, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Cell, P, T } from "../../parts/words";

type Acts = ReturnType<typeof useDone>;
type Code = Schemas["AccessCodeOut"];

/** The codes of a run, hidden until asked for, and the link that leads to it. */
export function AccessCodes({ run, asked, acts }: { run: number; asked: boolean; acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/access-codes", {
    params: { path: { run_id: run } },
  });
  const [shown, setShown] = useState<number | null>(null);
  const [editing, setEditing] = useState<Code | "new" | null>(null);
  const [copied, setCopied] = useState(false);
  const ending = useAct({
    send: ({ id, active }: { id: number; active: boolean }) =>
      ask(
        api.PATCH("/api/v1/access-codes/{access_code_id}", {
          params: { path: { access_code_id: id } },
          body: { set: { active }, seen: { active: !active } },
        }),
      ),
    done: (answer) =>
      acts.say({
        text: answer.active ? "The code lets in again." : "The code is ended; who came by it stays in.",
        change: answer.change,
      }),
    failed: acts.fail,
  });
  if (!query.data) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  const { codes, link } = query.data;
  const whole = link.startsWith("/") ? `${window.location.origin}${link}` : link;
  const copy = () => {
    void navigator.clipboard.writeText(whole).then(() => setCopied(true));
  };
  return (
    <div>
      {codes.length === 0 ? (
        <P tone="slate">
          {asked
            ? "Nobody can sign up yet: make a code."
            : "None. A code lets in whoever has it, where one is asked for."}
        </P>
      ) : (
        <Table>
          <TableHead>
            <TableRow>
              <Cell>Label</Cell>
              <Cell>Code</Cell>
              <Cell>Now</Cell>
              <Cell right>Used</Cell>
              <Cell />
            </TableRow>
          </TableHead>
          <TableBody>
            {codes.map((c) => (
              <TableRow key={c.id}>
                <Cell>{c.label}</Cell>
                <Cell>
                  {shown === c.id ? (
                    <Shown id={c.id} />
                  ) : (
                    <Button variant="text" onClick={() => setShown(c.id)}>
                      show the code
                    </Button>
                  )}
                </Cell>
                <Cell>{c.state}</Cell>
                <Cell right>
                  {c.used}
                  {c.most !== null && ` of ${c.most}`}
                </Cell>
                <Cell right>
                  <RowMenu
                    of={c.label}
                    acts={[
                      { text: "Change it", do: () => setEditing(c) },
                      c.active
                        ? { text: "End it", do: () => void ending.act({ id: c.id, active: false }) }
                        : { text: "Let it in again", do: () => void ending.act({ id: c.id, active: true }) },
                    ]}
                  />
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      {editing !== null ? (
        <Edit
          key={editing === "new" ? "new" : editing.id}
          run={run}
          code={editing === "new" ? null : editing}
          onLeave={() => setEditing(null)}
          done={(answer) => {
            setEditing(null);
            setShown(answer.id);
            acts.say({ text: `The code ${answer.label} is kept.`, change: answer.change });
          }}
        />
      ) : (
        <Row mid wrap>
          <Button onClick={() => setEditing("new")}>Make a code</Button>
          <Button onClick={copy}>{copied ? "The link is copied" : "Copy the link to it"}</Button>
          <T small>The link leads straight to this run, also where it is not in the list.</T>
        </Row>
      )}
    </div>
  );
}

/** A code as it is, once asked for, and who came by it. */
function Shown({ id }: { id: number }) {
  const query = $api.useQuery("get", "/api/v1/access-codes/{access_code_id}", {
    params: { path: { access_code_id: id } },
  });
  if (!query.data)
    return query.error ? <span role="alert">{messageOf(query.error)}</span> : <T tone="slate">…</T>;
  return (
    <>
      <strong>{query.data.code}</strong>
      {query.data.users.map((u) => (
        <div key={u.enrollment_id}>
          <Link to={`/people/${u.person_id}`}>{u.name}</Link>{" "}
          <T tone="slate">
            {day(u.at)}, {clock(u.at)}
          </T>
        </div>
      ))}
    </>
  );
}

type Values = { label: string; code: string; starts: string; ends: string; most: string };

function Edit({
  run,
  code,
  done,
  onLeave,
}: {
  run: number;
  code: Code | null;
  done: (answer: Schemas["AccessCodeDone"]) => void;
  onLeave: () => void;
}) {
  const start: Values = {
    label: code?.label ?? "",
    code: "",
    starts: code?.starts?.slice(0, 10) ?? "",
    ends: code?.ends?.slice(0, 10) ?? "",
    most: code?.most ? String(code.most) : "",
  };
  // A code lets in from the first minute of a day through the last of another.
  const kept = (day: string, was: string | null | undefined, end: boolean) =>
    day === "" ? null : was?.startsWith(day) ? was : `${day}T${end ? "23:59" : "00:00"}`;
  const of = useServerForm<Values, Schemas["AccessCodeDone"]>({
    draft: null,
    start,
    send: (v, key) => {
      const facts = {
        label: v.label,
        starts: kept(v.starts, code?.starts, false),
        ends: kept(v.ends, code?.ends, true),
        most: v.most ? Number(v.most) || (v.most as unknown as number) : null,
      };
      if (code === null)
        return ask(
          api.POST("/api/v1/runs/{run_id}/access-codes", {
            params: { path: { run_id: run }, header: keyHeader(key) },
            body: { ...facts, code: v.code },
          }),
        );
      const seen = { label: code.label, starts: code.starts, ends: code.ends, most: code.most };
      return ask(
        api.PATCH("/api/v1/access-codes/{access_code_id}", {
          params: { path: { access_code_id: code.id } },
          body: { set: facts, seen },
        }),
      );
    },
    done,
  });
  const at = code === null ? "" : "/set";
  return (
    <Form of={of} look="row inset" onLeave={onLeave} label="A code">
      <Field label="Label, for staff" width={220} autoFocus {...of.field("label", `${at}/label`)} />
      {code === null && <Field label="Code" width={150} {...of.field("code")} help="Empty: one is made." />}
      <Field label="From" type="date" width={150} {...of.field("starts", `${at}/starts`)} />
      <Field label="Through" type="date" width={150} {...of.field("ends", `${at}/ends`)} />
      <Field label="Uses" width={80} {...of.field("most", `${at}/most`)} />
      <Ends of={of} act={code === null ? "Make the code" : "Save"} onLeave={onLeave} />
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, messageOf, newKey, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { ActList, Facts, Row } from "../../parts/layout";
import { count, isZero, money } from "../../parts/text";
import { focused, type useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import type { Run } from "./DeskParts";
import { OtherRun } from "./Moving";

type Acts = ReturnType<typeof useDone>;
type Act = "tell" | "group" | "move" | "withdraw";

/** Save a file that the server made. */
export async function saveFile(runId: number, body: Schemas["PaperCommand"], name: string) {
  const { data, error, response } = await api.POST("/api/v1/runs/{run_id}/roster-file", {
    params: { path: { run_id: runId } },
    body,
    parseAs: "blob",
  });
  if (error || !response.ok) throw new Error("The file could not be made; try again.");
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data as unknown as Blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Those chosen on a roster, and what can be done with all of them at once. */
export function Chosen({
  run,
  ids,
  groups,
  acts,
  onClear,
}: {
  run: Schemas["RunOut"];
  ids: number[];
  groups: Schemas["GroupOut"][];
  acts: Acts;
  onClear: () => void;
}) {
  const [act, setAct] = useState<Act | null>(null);
  const [remarks, setRemarks] = useState(false);
  const close = () => setAct(null);
  const done = () => {
    setAct(null);
    onClear();
  };
  const file = async (kind: Schemas["PaperKind"], name: string) => {
    try {
      await saveFile(run.id, { kind, enrollment_ids: ids, remarks }, name);
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  return (
    <section aria-label="Chosen on the roster">
      <Row sx={{ justifyContent: "space-between" }}>
        <h2>{count(ids.length, "sign-up")} chosen</h2>
        <Button variant="text" color="secondary" onClick={onClear}>
          choose nobody
        </Button>
      </Row>
      {act === null && (
        <ActList>
          {(
            [
              ["tell", "write to them"],
              ["group", "put them in a group"],
              ["move", "move them to another run"],
              ["withdraw", "withdraw them"],
            ] as [Act, string][]
          ).map(([name, text]) => (
            <li key={name}>
              <Button variant="text" onClick={() => setAct(name)}>
                {text}
              </Button>
            </li>
          ))}
          <li>
            <Button variant="text" onClick={() => void file("csv", `${run.code}.csv`)}>
              save as CSV
            </Button>
          </li>
          <li>
            <Button variant="text" onClick={() => void file("xlsx", `${run.code}.xlsx`)}>
              save as XLSX
            </Button>
          </li>
          <li>
            <Button variant="text" onClick={() => void file("badges", `${run.code} badges.pdf`)}>
              name badges
            </Button>
          </li>
          <li>
            <Tick checked={remarks} onChange={setRemarks}>
              files with remarks
            </Tick>
          </li>
        </ActList>
      )}
      {act === "tell" && <Tell run={run} ids={ids} acts={acts} onClose={close} onDone={done} />}
      {act === "group" && (
        <Group run={run} ids={ids} groups={groups} acts={acts} onClose={close} onDone={done} />
      )}
      {act === "move" && <MoveAll run={run} ids={ids} acts={acts} onClose={close} onDone={done} />}
      {act === "withdraw" && <WithdrawAll run={run} ids={ids} acts={acts} onClose={close} onDone={done} />}
    </section>
  );
}

type Props = {
  run: Schemas["RunOut"];
  ids: number[];
  acts: Acts;
  onClose: () => void;
  onDone: () => void;
};

export function Tell({ run, ids, acts, onClose, onDone }: Omit<Props, "ids"> & { ids: number[] | null }) {
  const of = useServerForm({
    draft: `tell-${run.id}`,
    start: { subject: "", body: "" },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/tell", {
          params: { path: { run_id: run.id }, header: { "Idempotency-Key": key } },
          body: { ...form, enrollment_ids: ids },
        }),
      ),
    done: (told) => {
      const mute = told.without.length ? ` No email: ${told.without.join(", ")}.` : "";
      acts.say({
        text: `Goes to ${count(told.told, "person", "people")} in a minute.${mute}`,
        change: told.change,
      });
      onDone();
    },
  });
  return (
    <Form look="done" of={of} onLeave={onClose}>
      <Field label="Subject" {...of.field("subject")} autoFocus />
      <Field label="Message" {...of.field("body")} multiline />
      <Ends of={of} act="Send" onLeave={onClose} />
    </Form>
  );
}

function Buttons({
  act,
  onClose,
  lost,
  ready = true,
}: {
  act: string;
  onClose: () => void;
  lost?: boolean;
  ready?: boolean;
}) {
  return (
    <Row mid sx={{ marginTop: 8 }}>
      <Button
        type="submit"
        variant={lost ? "outlined" : "contained"}
        color={lost ? "error" : "primary"}
        disabled={!ready}
      >
        {act}
      </Button>
      <Button variant="text" onClick={onClose}>
        leave it
      </Button>
    </Row>
  );
}

function Group({ run, ids, groups, acts, onClose, onDone }: Props & { groups: Schemas["GroupOut"][] }) {
  const [name, setName] = useState("");
  const put = async (into: string | null) => {
    try {
      const done = await ask(
        api.POST("/api/v1/runs/{run_id}/groups", {
          params: { path: { run_id: run.id } },
          body: { name: into, enrollment_ids: ids },
        }),
      );
      acts.say({
        text: into
          ? `${count(done.people, "person is", "people are")} in the group ${into}.`
          : `${count(done.people, "person is", "people are")} in no group.`,
        change: done.change,
      });
      onDone();
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  return (
    <Form
      look="done"
      onSend={() => {
        if (name.trim()) void put(name.trim());
      }}
    >
      <Field label="Group, new or there" value={name} onChange={setName} autoFocus />
      {groups.length > 0 && (
        <Row wrap as="p" sx={{ gap: 12 }}>
          {groups.map((g) => (
            <Button key={g.id} variant="text" onClick={() => void put(g.name)}>
              {g.name}
            </Button>
          ))}
          <Button variant="text" color="secondary" onClick={() => void put(null)}>
            no group
          </Button>
        </Row>
      )}
      <Buttons act="Put them in" onClose={onClose} ready={name.trim() !== ""} />
    </Form>
  );
}

/** What an act on many does with the money of each. */
function Sums({ found }: { found: Schemas["ManyDone"] }) {
  return (
    <>
      <Facts>
        <dt>Kept</dt>
        <dd>{money(found.kept, found.currency)}</dd>
        <dt>Becomes credit</dt>
        <dd>{money(found.credit, found.currency)}</dd>
        <dt>Stays owed</dt>
        <dd>{money(found.owed, found.currency)}</dd>
      </Facts>
      <Facts scrolls>
        {found.people.map((p) => [
          <dt key={`${p.enrollment_id}t`}>{p.name}</dt>,
          <dd key={`${p.enrollment_id}d`}>{isZero(p.credit) ? "" : money(p.credit, found.currency)}</dd>,
          <dd key={`${p.enrollment_id}w`} className="why">
            {p.why}
          </dd>,
        ])}
      </Facts>
    </>
  );
}

/** An act on many people: what it would do, worked out beforehand, and the act itself, sent once. */
function useMany<Done extends Schemas["ManyDone"]>(
  name: unknown[],
  enabled: boolean,
  send: (how: { preview: boolean; key?: string }) => Promise<Done>,
) {
  const [key] = useState(newKey);
  const [busy, setBusy] = useState(false);
  const query = useQuery({ queryKey: name, queryFn: () => send({ preview: true }), enabled, retry: false });
  const go = async (acts: Acts, text: (done: Done) => string, onDone: () => void, onClose: () => void) => {
    setBusy(true);
    try {
      const done = await send({ preview: false, key });
      acts.say({ text: text(done), change: done.change });
      onDone();
    } catch (error) {
      acts.fail(messageOf(error));
      onClose();
    } finally {
      setBusy(false);
    }
  };
  const said = query.error ? messageOf(query.error) : "Working it out …";
  return { found: query.error ? undefined : query.data, said, busy, go };
}

function WithdrawAll({ run, ids, acts, onClose, onDone }: Props) {
  const [why, setWhy] = useState("");
  const { found, said, busy, go } = useMany(["withdraw-many", run.id, ids], true, ({ preview, key }) =>
    ask(
      api.POST("/api/v1/runs/{run_id}/withdraw-many", {
        params: { path: { run_id: run.id }, query: { preview }, header: { "Idempotency-Key": key } },
        body: { enrollment_ids: ids, why: preview ? "" : why },
      }),
    ),
  );
  const act = () => go(acts, (done) => `${count(done.people.length, "sign-up")} withdrawn.`, onDone, onClose);
  return (
    <Form
      look="due"
      onSend={() => {
        if (found && !busy) void act();
      }}
    >
      <P strong>{count(ids.length, "sign-up gives its seat", "sign-ups give their seats")} back</P>
      <Field label="Why, for the log; may stay empty" value={why} onChange={setWhy} autoFocus />
      {found ? <Sums found={found} /> : <p>{said}</p>}
      <Buttons act="Withdraw them" onClose={onClose} lost ready={found !== undefined && !busy} />
    </Form>
  );
}

function MoveAll({ run, ids, acts, onClose, onDone }: Props) {
  const [there, setThere] = useState<Run | null>(null);
  const { found, said, busy, go } = useMany(
    ["move-many", run.id, ids, there?.id],
    there !== null,
    ({ preview, key }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/move-many", {
          params: { path: { run_id: run.id }, query: { preview }, header: { "Idempotency-Key": key } },
          body: { enrollment_ids: ids, to_run_id: there!.id },
        }),
      ),
  );
  if (!there)
    return <OtherRun question="Where do they move to?" notRun={run.id} onPick={setThere} onClose={onClose} />;
  const act = () =>
    go(acts, (done) => `${count(done.people.length, "sign-up")} moved to ${done.to}.`, onDone, onClose);
  return (
    <Form
      look="due"
      onSend={() => {
        if (found && !busy) void act();
      }}
    >
      <P strong>
        {count(ids.length, "sign-up moves", "sign-ups move")} to {there.title}
      </P>
      {found ? <Sums found={found} /> : <p>{said}</p>}
      <Row mid sx={{ marginTop: 8 }}>
        <Button type="submit" variant="contained" disabled={!found || busy} ref={found && focused}>
          Move them
        </Button>
        <Button variant="text" onClick={onClose}>
          leave it
        </Button>
      </Row>
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, keyHeader, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useAct } from "../../form/useAct";
import { useForeseen } from "../../form/useForeseen";
import { useServerForm } from "../../form/useServerForm";
import { ActList, Facts, Row } from "../../parts/layout";
import { count, isZero, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Fault, P } from "../../parts/words";
import type { Run } from "./DeskParts";
import { ActOrLeave } from "./ActOrLeave";
import { Letter } from "./Letter";
import { AllTheSame, OtherRun } from "./Moving";

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
  const [health, setHealth] = useState(false);
  const close = () => setAct(null);
  const done = () => {
    setAct(null);
    onClear();
  };
  const file = async (kind: Schemas["PaperKind"], name: string) => {
    try {
      await saveFile(run.id, { kind, enrollment_ids: ids, remarks, health }, name);
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
              files with notes
            </Tick>
            <Tick checked={health} onChange={setHealth}>
              files with remarks on health
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
  const [seen, setSeen] = useState<Schemas["TellDone"] | null>(null);
  const seeing = useAct({
    send: () =>
      ask(
        api.POST("/api/v1/runs/{run_id}/tell", {
          params: { path: { run_id: run.id }, query: { preview: true } },
          body: { ...of.values, enrollment_ids: ids },
        }),
      ),
    done: setSeen,
    failed: acts.fail,
  });
  return (
    <Form look="done" of={of} onLeave={onClose}>
      <Field label="Subject" {...of.field("subject")} autoFocus />
      <Field
        label="Message"
        {...of.field("body")}
        multiline
        help="{given} and {name} become the name of whoever it goes to."
      />
      <Button
        size="small"
        sx={{ marginTop: 8 }}
        disabled={seeing.busy || !of.values.subject.trim() || !of.values.body.trim()}
        onClick={() => void seeing.act(undefined)}
      >
        See it first
      </Button>
      {seen && (
        <>
          <P>
            Would go to {count(seen.told, "person", "people")}
            {seen.without.length > 0 && `, not to ${seen.without.join(", ")}: no email`}. The first gets:
          </P>
          <Letter letter={seen.first} />
        </>
      )}
      <Ends of={of} act="Send" onLeave={onClose} />
    </Form>
  );
}

function Group({ run, ids, groups, acts, onClose, onDone }: Props & { groups: Schemas["GroupOut"][] }) {
  const [name, setName] = useState("");
  const putting = useAct({
    send: async (into: string | null) => ({
      into,
      ...(await ask(
        api.POST("/api/v1/runs/{run_id}/groups", {
          params: { path: { run_id: run.id } },
          body: { name: into, enrollment_ids: ids },
        }),
      )),
    }),
    done: ({ into, people, change }) => {
      const where = into ? `in the group ${into}` : "in no group";
      acts.say({ text: `${count(people, "person is", "people are")} ${where}.`, change });
      onDone();
    },
    failed: acts.fail,
  });
  const put = (into: string | null) => void putting.act(into);
  return (
    <Form
      look="done"
      onSend={() => {
        if (name.trim()) put(name.trim());
      }}
    >
      <Field label="Group, new or there" value={name} onChange={setName} autoFocus />
      {groups.length > 0 && (
        <Row wrap as="p" sx={{ gap: 12 }}>
          {groups.map((g) => (
            <Button key={g.id} variant="text" onClick={() => put(g.name)}>
              {g.name}
            </Button>
          ))}
          <Button variant="text" color="secondary" onClick={() => put(null)}>
            no group
          </Button>
        </Row>
      )}
      <ActOrLeave act="Put them in" onClose={onClose} ready={name.trim() !== "" && !putting.busy} />
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

function WithdrawAll({ run, ids, acts, onClose, onDone }: Props) {
  const [why, setWhy] = useState("");
  const path = { run_id: run.id };
  const many = useForeseen({
    name: ["withdraw-many", run.id],
    wish: { enrollment_ids: ids, why: "" },
    see: (body) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/withdraw-many", { params: { path, query: { preview: true } }, body }),
      ),
    send: (body, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/withdraw-many", { params: { path, header: keyHeader(key) }, body }),
      ),
    done: (done) => {
      acts.say({ text: `${count(done.people.length, "sign-up")} withdrawn.`, change: done.change });
      onDone();
    },
  });
  return (
    <Form look="due" onSend={() => void many.act()} onLeave={onClose}>
      <P strong>{count(ids.length, "sign-up gives its seat", "sign-ups give their seats")} back</P>
      <Field label="Why, for the log; may stay empty" value={why} onChange={setWhy} autoFocus />
      <Outcome many={many} />
      <ActOrLeave act="Withdraw them" onClose={onClose} lost ready={many.ready} />
    </Form>
  );
}

export function MoveAll({ run, ids, acts, onClose, onDone }: Props) {
  const [there, setThere] = useState<Run | null>(null);
  const [why, setWhy] = useState("");
  const path = { run_id: run.id };
  const many = useForeseen({
    name: ["move-many", run.id],
    wish: there && { enrollment_ids: ids, to_run_id: there.id, exception: why.trim() || null },
    see: (body) =>
      ask(api.POST("/api/v1/runs/{run_id}/move-many", { params: { path, query: { preview: true } }, body })),
    send: (body, key) =>
      ask(api.POST("/api/v1/runs/{run_id}/move-many", { params: { path, header: keyHeader(key) }, body })),
    done: (done) => {
      acts.say({ text: `${count(done.people.length, "sign-up")} moved to ${done.to}.`, change: done.change });
      onDone();
    },
    stays: () => false,
  });
  if (!there)
    return <OtherRun question="Where do they move to?" notRun={run.id} onPick={setThere} onClose={onClose} />;
  return (
    <Form look="due" onSend={() => void many.act()} onLeave={onClose}>
      <P strong>
        {count(ids.length, "sign-up moves", "sign-ups move")} to {there.title}
      </P>
      <Outcome many={many} />
      <AllTheSame trouble={many.trouble} why={why} set={setWhy} />
      <ActOrLeave act="Move them" onClose={onClose} ready={many.ready} takes />
    </Form>
  );
}

/** What an act on many people would do, or why it cannot be done. */
function Outcome({ many }: { many: { preview?: Schemas["ManyDone"]; trouble: unknown } }) {
  return (
    <>
      {many.preview && <Sums found={many.preview} />}
      {many.trouble != null ? (
        <Fault as="p">{messageOf(many.trouble)}</Fault>
      ) : (
        !many.preview && <p>Working it out …</p>
      )}
    </>
  );
}

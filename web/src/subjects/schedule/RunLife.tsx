import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { OrganizationPick } from "../../form/OrganizationPick";
import { useProposedForm } from "../../form/useProposedForm";
import { Facts, Row } from "../../parts/layout";
import { count, day, hours, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import type { useDone } from "../../parts/useUndo";
import type { Outcome, Propose, Run } from "../courses/runTypes";
import { MovePeople } from "../roster/MovePeople";
import { Reminders } from "../today/Reminders";

type Acts = ReturnType<typeof useDone>;

/** Whether a run goes ahead, and the acts that end or pause it; each shows its consequences first. */
export function RunLife({ run, propose, acts }: { run: Run; propose: Propose; acts: Acts }) {
  const over = run.teaching === "ended";
  return (
    <>
      {(run.status === "published" || run.status === "off sale") &&
        run.teaching === "before" &&
        run.kind !== "open" && <Decision run={run} propose={propose} acts={acts} />}
      <Contract run={run} propose={propose} acts={acts} />
      <section>
        <h2>Reminders</h2>
        <Reminders about={{ run_id: run.id }} />
      </section>
      <section>
        <Ends run={run} propose={propose} over={over} acts={acts} />
      </section>
    </>
  );
}

function Decision({ run, propose, acts }: { run: Run; propose: Propose; acts: Acts }) {
  const [open, setOpen] = useState(false);
  const [moving, setMoving] = useState(false);
  const decide = (decision: string, until: string | null) => (preview: boolean) =>
    ask(
      api.POST("/api/v1/runs/{run_id}/decision", {
        params: { path: { run_id: run.id }, query: { preview } },
        body: asTyped<"DecideCommand">({ decision, seen: run.decision, until }),
      }),
    );
  const going = run.decision === "going ahead";
  const said = going ? "Going ahead" : "Not decided";
  return (
    <section>
      <h2>{run.decision === "waits" ? `Waits until ${day(run.decision_until)}` : said}</h2>
      {run.decision_day && !going && <P tone="slate">Decision day is {day(run.decision_day)}.</P>}
      <DecisionFigures run={run} />
      <Row wrap sx={{ marginTop: 8 }}>
        {!going && (
          <Button onClick={() => void propose("Say that it goes ahead", decide("going ahead", null))}>
            Goes ahead
          </Button>
        )}
        {!going && !open && <Button onClick={() => setOpen(true)}>Waits …</Button>}
        {run.decision !== "undecided" && (
          <Button onClick={() => void propose("Say that it is not decided", decide("undecided", null))}>
            Not decided
          </Button>
        )}
      </Row>
      {!going && !moving && run.taken > 0 && (
        <Button variant="text" color="secondary" onClick={() => setMoving(true)}>
          move people to another run
        </Button>
      )}
      {moving && <MovePeople run={run} acts={acts} onClose={() => setMoving(false)} />}
      {open && <Waits run={run} propose={propose} decide={decide} onClose={() => setOpen(false)} />}
    </section>
  );
}

/** The decision is put off until a day. */
function Waits({
  run,
  propose,
  decide,
  onClose,
}: {
  run: Run;
  propose: Propose;
  decide: (decision: string, until: string | null) => (preview: boolean) => Promise<Outcome>;
  onClose: () => void;
}) {
  const of = useProposedForm({
    draft: `run-waits-${run.id}`,
    start: { until: "" },
    propose,
    what: ({ until }) => `Wait until ${day(until)}`,
    send: ({ until }, { preview }) => decide("waits", until || null)(preview),
    saved: onClose,
  });
  return (
    <Form look="row" sx={{ marginTop: 8, alignItems: "flex-end" }} of={of} onLeave={onClose}>
      <Field label="Waits until" type="date" width={150} {...of.field("until")} autoFocus />
      <Button type="submit" disabled={of.busy}>
        Say so
      </Button>
    </Form>
  );
}

/** Who is firm and what is at stake, on the way to a decision. */
function DecisionFigures({ run }: { run: Run }) {
  const { data: f } = $api.useQuery("get", "/api/v1/runs/{run_id}/figures", {
    params: { path: { run_id: run.id } },
  });
  const { data: teaching } = $api.useQuery("get", "/api/v1/runs/{run_id}/teaching", {
    params: { path: { run_id: run.id } },
  });
  if (!f) return null;
  return (
    <Facts>
      <dt>Seats paid in part or whole</dt>
      <dd>{f.firm}</dd>
      <dt>Seats with nothing paid</dt>
      <dd>{f.unpaid}</dd>
      {f.held > 0 && (
        <>
          <dt>Seats held for a first payment</dt>
          <dd>{f.held}</dd>
        </>
      )}
      {f.kept > 0 && (
        <>
          <dt>Places held without names</dt>
          <dd>{f.kept}</dd>
        </>
      )}
      {f.unnamed > 0 && (
        <>
          <dt>of them without a name</dt>
          <dd>{f.unnamed}</dd>
        </>
      )}
      <dt>Needs</dt>
      <dd>{f.smallest}</dd>
      <dt>Income if held</dt>
      <dd>{money(f.income, f.currency)}</dd>
      <dt>Hours not taught if not</dt>
      <dd>{hours(f.hours_saved)}</dd>
      {teaching && <Weighed teaching={teaching} />}
    </Facts>
  );
}

/** The costs of teaching against the income: what is left if the run is held, what is saved if it is not. */
function Weighed({ teaching: t }: { teaching: Schemas["RunTeaching"] }) {
  const unknown = t.trouble || (t.teachers.length === 0 ? "Nobody teaches it yet." : "");
  if (unknown)
    return (
      <>
        <dt>Pay of who teaches</dt>
        <dd>
          <T tone="ochre">{unknown}</T>
        </dd>
      </>
    );
  return (
    <>
      <dt>Pay of who teaches</dt>
      <dd>
        {money(t.pay, t.currency)}
        {!t.agreed && <T tone="ochre">, with somebody’s pay still to be agreed</T>}
      </dd>
      <dt>The center keeps if held</dt>
      <dd>
        <T tone={t.center.startsWith("-") ? "brick" : undefined} strong>
          {money(t.center, t.currency)}
        </T>
      </dd>
      <dt>Pay saved if not</dt>
      <dd>{money(t.saved_if_cancelled, t.currency)}</dd>
      <dt>Pays for itself from</dt>
      <dd>{t.break_even === null ? "no number" : count(t.break_even, "head")}</dd>
    </>
  );
}

const ENDS = {
  "off-sale": { text: "Withdraw from sale", what: "Withdraw it from sale" },
  "on-sale": { text: "Put back on sale", what: "Put it back on sale" },
  archive: { text: "Archive", what: "Archive it" },
  "bring-back": { text: "Bring back", what: "Bring it back from the archive" },
} as const;
type End = keyof typeof ENDS;

const endsOf = (run: Run, over: boolean): End[] =>
  run.status === "archived"
    ? ["bring-back"]
    : [
        ...(run.status === "published" && !over ? (["off-sale"] as const) : []),
        ...(run.status === "off sale" ? (["on-sale"] as const) : []),
        ...(run.status === "draft" || run.status === "cancelled" || over ? (["archive"] as const) : []),
      ];

function Ends({ run, propose, over, acts }: { run: Run; propose: Propose; over: boolean; acts: Acts }) {
  const [cancelling, setCancelling] = useState(false);
  const send = (end: End, preview: boolean) => {
    const at = { params: { path: { run_id: run.id }, query: { preview } } };
    if (end === "off-sale") return ask(api.POST("/api/v1/runs/{run_id}/off-sale", at));
    if (end === "on-sale") return ask(api.POST("/api/v1/runs/{run_id}/on-sale", at));
    if (end === "archive") return ask(api.POST("/api/v1/runs/{run_id}/archive", at));
    return ask(api.POST("/api/v1/runs/{run_id}/bring-back", at));
  };
  const live = (run.status === "published" || run.status === "off sale") && !over;
  return (
    <>
      <Row wrap>
        {endsOf(run, over).map((end) => (
          <Button
            variant="text"
            key={end}
            onClick={() =>
              void propose(ENDS[end].what, (preview) => send(end, preview), undefined, false, true)
            }
          >
            {ENDS[end].text}
          </Button>
        ))}
        {live && !cancelling && (
          <Button variant="text" onClick={() => setCancelling(true)}>
            Cancel the run
          </Button>
        )}
      </Row>
      {cancelling && live && (
        <CancelRun run={run} propose={propose} acts={acts} onClose={() => setCancelling(false)} />
      )}
    </>
  );
}

function CancelRun({
  run,
  propose,
  acts,
  onClose,
}: {
  run: Run;
  propose: Propose;
  acts: Acts;
  onClose: () => void;
}) {
  const [moving, setMoving] = useState(false);
  const of = useProposedForm({
    draft: `run-cancel-${run.id}`,
    start: { why: "" },
    propose,
    what: () => `Cancel ${run.code}`,
    send: ({ why }, { preview }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/cancel", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: { why },
        }),
      ),
    saved: onClose,
  });
  if (moving) return <MovePeople run={run} acts={acts} onClose={() => setMoving(false)} />;
  return (
    <Form of={of} onLeave={onClose}>
      {run.taken > 0 && (
        <P>
          {count(run.taken, "seat is", "seats are")} taken. Who moves to another run first, keeps seat and
          money there.{" "}
          <Button variant="text" onClick={() => setMoving(true)}>
            Move people first
          </Button>
        </P>
      )}
      <Field label="Why it is cancelled; people are told" {...of.field("why")} autoFocus />
      <Row sx={{ marginTop: 8 }}>
        <Button type="submit" color="error" disabled={of.busy}>
          See what it touches
        </Button>
        <Button onClick={() => (of.forget(), onClose())}>Back</Button>
      </Row>
    </Form>
  );
}

/** A contract run: its client, and the contract as a file. */
function Contract({ run, propose, acts }: { run: Run; propose: Propose; acts: Acts }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState("");
  const set = async (client: number | null) => {
    const faults = await propose(
      client ? "Make it a contract run" : "Open it to all",
      (preview, over) =>
        ask(
          api.PATCH("/api/v1/runs/{run_id}", {
            params: { path: { run_id: run.id }, query: { preview } },
            body: { seen: { client_id: run.client_id, ...over }, set: { client_id: client } },
          }),
        ),
      () => setOpen(false),
    );
    if (faults) setFault(Object.values(faults)[0] ?? "");
  };
  const taking = useAct({
    send: (file_id: number) => ask(api.DELETE("/api/v1/files/{file_id}", { params: { path: { file_id } } })),
    done: (done) => acts.say({ text: "The file is off the run.", change: done.change ?? undefined }),
    failed: acts.fail,
  });
  const attach = async (file: File | undefined) => {
    if (!file) return;
    const body = new FormData();
    body.append("file", file);
    const answer = await fetch(`/api/v1/runs/${run.id}/files`, { method: "POST", body });
    if (answer.ok) setFault("");
    else setFault(((await answer.json()) as { detail?: string }).detail ?? "The file could not be kept.");
    void queries.invalidateQueries();
  };
  if (!run.client && !open)
    return (
      <P sx={{ margin: "0 0 14px" }}>
        <Button variant="text" color="secondary" onClick={() => setOpen(true)}>
          Make it a contract run
        </Button>
      </P>
    );
  return (
    <section>
      <h2>{run.client ? `For ${run.client} alone` : "A contract run"}</h2>
      <P tone="slate">Closed roster: only staff put people on it, and the client pays for all.</P>
      {open && (
        <OrganizationPick
          label="Client"
          value={String(run.client_id ?? "")}
          onChange={(v) => void set(v ? Number(v) : null)}
          fixed={[{ value: "", text: "nobody: open to all" }]}
        />
      )}
      {run.files.map((f) => (
        <p key={f.id}>
          <a href={`/api/v1/files/${f.id}`}>{f.name}</a> <T tone="slate">{Math.ceil(f.size / 1024)} kB</T>{" "}
          <Button
            variant="text"
            color="secondary"
            aria-label={`take off ${f.name}`}
            onClick={() => void taking.act(f.id)}
          >
            take off
          </Button>
        </p>
      ))}
      {run.client && (
        <Row wrap as="p">
          <FileButton
            label="The contract"
            text="attach the contract"
            accept=".pdf,.png,.jpg,.jpeg"
            onFile={(file) => void attach(file)}
          />
          {!open && (
            <Button variant="text" color="secondary" onClick={() => setOpen(true)}>
              change the client
            </Button>
          )}
        </Row>
      )}
      {fault && <Fault as="p">{fault}</Fault>}
    </section>
  );
}

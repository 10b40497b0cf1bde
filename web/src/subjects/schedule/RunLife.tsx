import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, asTyped, messageOf } from "../../app/server";
import { Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Form } from "../../form/Form";
import { OrganizationPick } from "../../form/OrganizationPick";
import { Facts, Row } from "../../parts/layout";
import { day, hours, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import type { Propose, Run } from "../courses/runTypes";
import { Reminders } from "../today/Reminders";

/** Whether a run goes ahead, and the acts that end or pause it; each shows its consequences first. */
export function RunLife({ run, propose }: { run: Run; propose: Propose }) {
  const over = run.teaching === "ended";
  return (
    <>
      {(run.status === "published" || run.status === "off sale") &&
        run.teaching === "before" &&
        run.kind !== "open" && <Decision run={run} propose={propose} />}
      <Contract run={run} />
      <section>
        <h2>Reminders</h2>
        <Reminders runId={run.id} />
      </section>
      <section>
        <Ends run={run} propose={propose} over={over} />
      </section>
    </>
  );
}

function Decision({ run, propose }: { run: Run; propose: Propose }) {
  const [until, setUntil] = useState("");
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState("");
  const figures = $api.useQuery("get", "/api/v1/runs/{run_id}/figures", {
    params: { path: { run_id: run.id } },
  });
  const say = async (decision: string, what: string) => {
    const found = await propose(what, (preview) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/decision", {
          params: { path: { run_id: run.id }, query: { preview } },
          body: asTyped<"DecideCommand">({
            decision,
            seen: run.decision,
            until: decision === "waits" ? until || null : null,
          }),
        }),
      ),
    );
    setFault(found ? Object.values(found).join(" ") : "");
    if (!found) setOpen(false);
  };
  const f = figures.data;
  return (
    <section>
      <h2>
        {run.decision === "undecided"
          ? "Not decided"
          : run.decision === "waits"
            ? `Waits until ${day(run.decision_until)}`
            : "Going ahead"}
      </h2>
      {run.decision_day && run.decision !== "going ahead" && (
        <P tone="slate">Decision day is {day(run.decision_day)}.</P>
      )}
      {f && (
        <Facts>
          <dt>Seats paid in part or whole</dt>
          <dd>{f.firm}</dd>
          <dt>Seats with nothing paid</dt>
          <dd>{f.unpaid}</dd>
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
        </Facts>
      )}
      <Row wrap sx={{ marginTop: 8 }}>
        {run.decision !== "going ahead" && (
          <Button onClick={() => void say("going ahead", "Say that it goes ahead")}>Goes ahead</Button>
        )}
        {run.decision !== "going ahead" && !open && <Button onClick={() => setOpen(true)}>Waits …</Button>}
        {run.decision !== "undecided" && (
          <Button onClick={() => void say("undecided", "Say that it is not decided")}>Not decided</Button>
        )}
      </Row>
      {open && (
        <Form
          look="row"
          sx={{ marginTop: 8, alignItems: "flex-end" }}
          onSend={() => void say("waits", `Wait until ${day(until)}`)}
        >
          <Field label="Waits until" type="date" width={150} value={until} onChange={setUntil} autoFocus />
          <Button type="submit">Say so</Button>
        </Form>
      )}
      {fault && <Fault as="p">{fault}</Fault>}
    </section>
  );
}

const ENDS = {
  "off-sale": { text: "Withdraw from sale", what: "Withdraw it from sale" },
  "on-sale": { text: "Put back on sale", what: "Put it back on sale" },
  archive: { text: "Archive", what: "Archive it" },
  "bring-back": { text: "Bring back", what: "Bring it back from the archive" },
} as const;
type End = keyof typeof ENDS;

function Ends({ run, propose, over }: { run: Run; propose: Propose; over: boolean }) {
  const [cancelling, setCancelling] = useState(false);
  const [why, setWhy] = useState("");
  const params = (preview: boolean) => ({ path: { run_id: run.id }, query: { preview } });
  const send = (end: End, preview: boolean) => {
    const at = { params: params(preview) };
    if (end === "off-sale") return ask(api.POST("/api/v1/runs/{run_id}/off-sale", at));
    if (end === "on-sale") return ask(api.POST("/api/v1/runs/{run_id}/on-sale", at));
    if (end === "archive") return ask(api.POST("/api/v1/runs/{run_id}/archive", at));
    return ask(api.POST("/api/v1/runs/{run_id}/bring-back", at));
  };
  const ends: End[] =
    run.status === "archived"
      ? ["bring-back"]
      : [
          ...(run.status === "published" && !over ? (["off-sale"] as const) : []),
          ...(run.status === "off sale" ? (["on-sale"] as const) : []),
          ...(run.status === "draft" || run.status === "cancelled" || over ? (["archive"] as const) : []),
        ];
  const live = (run.status === "published" || run.status === "off sale") && !over;
  return (
    <>
      <Row wrap>
        {ends.map((end) => (
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
        <Form
          onSend={() =>
            void propose(
              `Cancel ${run.code}`,
              (preview) =>
                ask(api.POST("/api/v1/runs/{run_id}/cancel", { params: params(preview), body: { why } })),
              () => setCancelling(false),
            )
          }
        >
          <Field label="Why it is cancelled; people are told" value={why} onChange={setWhy} autoFocus />
          <Row sx={{ marginTop: 8 }}>
            <Button type="submit" color="error">
              See what it touches
            </Button>
            <Button onClick={() => setCancelling(false)}>Back</Button>
          </Row>
        </Form>
      )}
    </>
  );
}

/** A contract run: its client, and the contract as a file. */
function Contract({ run }: { run: Run }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState("");
  const set = async (client: number | null) => {
    try {
      await ask(
        api.PATCH("/api/v1/runs/{run_id}", {
          params: { path: { run_id: run.id }, query: { preview: false } },
          body: { seen: { client_id: run.client_id }, set: { client_id: client } },
        }),
      );
      setOpen(false);
      void queries.invalidateQueries();
    } catch (error) {
      setFault(messageOf(error));
    }
  };
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
          <a href={`/api/v1/files/${f.id}`}>{f.name}</a> <T tone="slate">{Math.ceil(f.size / 1024)} kB</T>
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

import Button from "@mui/material/Button";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api, api, ask, faultsOf, messageOf, ServerProblem } from "../../app/server";
import { useMe } from "../../app/session";
import { Asked, Facts, Note, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { stateText } from "../../parts/RunFacts";
import { count, day, money } from "../../parts/text";
import { focused, useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { RunFees } from "../fees/RunFees";
import { AttendancePage } from "../roster/Attendance";
import { Chosen } from "../roster/Chosen";
import { Roster, useRoster } from "../roster/Roster";
import { RosterActs } from "../roster/RosterActs";
import { SignUp } from "../roster/SignUp";
import { RunDates } from "../schedule/RunDates";
import { RunLife } from "../schedule/RunLife";
import { shownValue, Touched } from "../schedule/Touched";
import { RunHead } from "./RunHead";
import { RunTerms } from "./RunTerms";
import type { Pending, Propose, Run, Send } from "./runTypes";

type Both = Record<string, { seen: unknown; now: unknown; yours: unknown }>;
type Conflict = { what: string; fields: Both; send: Send; onSaved?: () => void };
const TABS = ["roster", "attendance", "dates", "fees", "terms"] as const;

/** One run: its roster, its dates, its fees, seats and gates. A published run's changes wait in the margin. */
export default function RunPage() {
  const { id, tab } = useParams();
  const go = useNavigate();
  const acts = useDone();
  const runId = Number(id);
  const [params, setParams] = useSearchParams();
  const chosen = Number(params.get("at")) || null;
  const [picked, setPicked] = useState<Set<number>>(new Set());
  const pick = (ids: number[], on: boolean) =>
    setPicked((old) => {
      const next = new Set(old);
      for (const id of ids) {
        if (on) next.add(id);
        else next.delete(id);
      }
      return next;
    });
  const pulse = usePulse(Number.isInteger(runId) ? runId : null, 3);
  const [pending, setPending] = useState<Pending | null>(null);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const query = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId } } },
    { enabled: Number.isInteger(runId) },
  );
  const run = query.data;
  if (!run)
    return (
      <NotYet
        title="Run"
        error={query.error ?? (Number.isInteger(runId) ? null : new Error("There is no such run."))}
        retry={() => void query.refetch()}
      />
    );
  const at = TABS.find((t) => t === tab) ?? (run.status === "draft" ? "dates" : "roster");

  /** Save at once on a draft; on a published run show first what it touches. Null: it went well. */
  const propose: Propose = async (what, send, onSaved, now = false, always = false) => {
    setConflict(null);
    try {
      if ((run.status === "draft" && !always) || now) {
        const outcome = await send(false);
        acts.say({ text: `${what}: done.`, change: outcome.change });
        onSaved?.();
      } else setPending({ what, outcome: await send(true), save: () => send(false), onSaved });
      return null;
    } catch (error) {
      if (error instanceof ServerProblem && error.kind === "changed-meanwhile") {
        setConflict({ what, fields: error.extra.fields as Both, send, onSaved });
        return {};
      }
      const faults = faultsOf(error);
      if (Object.keys(faults).length === 0) acts.fail(messageOf(error));
      return faults;
    }
  };
  const settle = async (mine: boolean) => {
    if (!conflict) return;
    const { what, fields, send, onSaved } = conflict;
    setConflict(null);
    if (!mine) {
      onSaved?.();
      await query.refetch();
      return;
    }
    const over = Object.fromEntries(Object.entries(fields).map(([name, both]) => [name, both.now]));
    await propose(what, (preview) => send(preview, over), onSaved);
  };

  return (
    <Page
      title={`${run.code} ${run.title}`}
      margin={
        <>
          <News pulse={pulse} />
          {conflict && <BothVersions conflict={conflict} onSettle={(mine) => void settle(mine)} />}
          {at === "roster" && picked.size > 0 ? (
            <>
              <ActNotes acts={acts} />
              <ChosenHere run={run} picked={picked} acts={acts} onClear={() => setPicked(new Set())} />
            </>
          ) : at === "roster" && chosen !== null ? (
            <>
              <ActNotes acts={acts} />
              <SignUp
                id={chosen}
                run={run}
                acts={acts}
                onClose={() =>
                  setParams(
                    (old) => {
                      const next = new URLSearchParams(old);
                      next.delete("at");
                      return next;
                    },
                    { replace: true },
                  )
                }
              />
            </>
          ) : (
            <Margin run={run} acts={acts} pending={pending} setPending={setPending} propose={propose} />
          )}
        </>
      }
    >
      <RunHead run={run} working={tab !== undefined} />
      <Tabs
        value={at}
        onChange={(_, next: string) => void go(`/runs/${run.id}/${next}`)}
        aria-label="Parts of this run"
      >
        <Tab value="roster" label="Roster" />
        <Tab value="attendance" label="Attendance" />
        <Tab value="dates" label="Dates" />
        <Tab value="fees" label="Fees" />
        <Tab value="terms" label="Seats and gates" />
      </Tabs>
      {at === "roster" && <Roster run={run} acts={acts} picked={picked} onPick={pick} />}
      {at === "attendance" && <AttendancePage run={run} acts={acts} />}
      {at === "dates" && <RunDates run={run} propose={propose} />}
      {at === "fees" && <RunFees run={run} propose={propose} acts={acts} />}
      {at === "terms" && <RunTerms run={run} propose={propose} acts={acts} />}
    </Page>
  );
}

/** Those chosen who are still on the roster. */
function ChosenHere({
  run,
  picked,
  acts,
  onClear,
}: {
  run: Run;
  picked: Set<number>;
  acts: ReturnType<typeof useDone>;
  onClear: () => void;
}) {
  const roster = useRoster(run.id);
  const here = (roster.data?.people ?? []).filter((p) => picked.has(p.id)).map((p) => p.id);
  return <Chosen run={run} ids={here} groups={roster.data?.groups ?? []} acts={acts} onClear={onClear} />;
}

/** Two people changed the same field: both versions, and whose stands. */
function BothVersions({ conflict, onSettle }: { conflict: Conflict; onSettle: (mine: boolean) => void }) {
  return (
    <Note kind="wrong" role="alertdialog" aria-label="Both versions">
      <P strong>Somebody else changed this meanwhile.</P>
      {Object.entries(conflict.fields).map(([name, both]) => (
        <Facts key={name}>
          <dt>{name.replace(/_/g, " ")}, theirs</dt>
          <dd>{plainly(both.now)}</dd>
          <dt>{name.replace(/_/g, " ")}, yours</dt>
          <dd>{plainly(both.yours)}</dd>
        </Facts>
      ))}
      <Row sx={{ marginTop: 8 }}>
        <Button variant="contained" onClick={() => onSettle(true)} autoFocus>
          Use mine
        </Button>
        <Button onClick={() => onSettle(false)}>Keep theirs</Button>
      </Row>
    </Note>
  );
}

/** A value in words, also of a list of rates or plans. */
function plainly(value: unknown): string {
  if (value === null || value === "") return "nothing";
  if (Array.isArray(value))
    return value
      .map((v: { label?: string; name?: string; amount?: string }) =>
        [v.label ?? v.name, v.amount].filter(Boolean).join(" "),
      )
      .join(", ");
  return shownValue(String(value));
}

function Margin({
  run,
  acts,
  pending,
  setPending,
  propose,
}: {
  run: Run;
  propose: Propose;
  acts: ReturnType<typeof useDone>;
  pending: Pending | null;
  setPending: (pending: Pending | null) => void;
}) {
  const [busy, setBusy] = useState(false);
  const mismatched = run.readiness.filter((f) => ["/title", "/course", "/note"].includes(f.at));
  const confirm = async () => {
    if (!pending) return;
    setBusy(true);
    try {
      const outcome = await pending.save();
      acts.say({ text: `${pending.what}: done.`, change: outcome.change });
      pending.onSaved?.();
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setPending(null);
      setBusy(false);
    }
  };
  const publish = async () => {
    setBusy(true);
    try {
      const outcome = await ask(
        api.POST("/api/v1/runs/{run_id}/publish", { params: { path: { run_id: run.id } } }),
      );
      acts.say({ text: `Published ${run.code}.`, change: outcome.change });
    } catch (error) {
      acts.fail(messageOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      {pending && (
        <Confirm
          pending={pending}
          currency={run.currency}
          busy={busy}
          onYes={() => void confirm()}
          onNo={() => setPending(null)}
        />
      )}
      <ActNotes acts={acts} />
      {run.status === "draft" ? (
        <section>
          <h2>A draft</h2>
          <Readiness run={run} />
          <Button
            variant="contained"
            fullWidth
            disabled={busy || run.readiness.some((f) => f.error)}
            onClick={() => void publish()}
          >
            Publish
          </Button>
        </section>
      ) : (
        <section>
          <h2>{stateText(run).replace(/^./, (c) => c.toUpperCase())}</h2>
          <P tone="slate">{run.sign_up_why}</P>
          {(run.sign_up === "open" || run.sign_up === "full") && (
            <Row wrap>
              <Button component={Link} to={`/desk?run=${run.id}`} variant="contained">
                {run.sign_up === "full" ? "Put somebody in line" : "Enroll somebody"}
              </Button>
              <Button component={Link} to={`/runs/${run.id}/list`}>
                Put a list on it
              </Button>
            </Row>
          )}
        </section>
      )}
      {run.status !== "draft" && mismatched.length > 0 && (
        <section>
          <h2>Does not fit the dates</h2>
          {mismatched.map((f) => (
            <P tone="ochre" key={f.message}>
              {f.message}
            </P>
          ))}
        </section>
      )}
      {run.status !== "draft" && <RosterActs run={run} acts={acts} />}
      <RunLife run={run} propose={propose} />
      <PriceNow run={run} />
      <Sums run={run} />
    </>
  );
}

const PLACES: Record<string, { tab: string; text: string }> = {
  "/dates": { tab: "dates", text: "the dates" },
  "/rates": { tab: "fees#rates", text: "the fee" },
  "/plans": { tab: "fees#plans", text: "the payment plan" },
  "/extras": { tab: "fees#extras", text: "the extras" },
  "/instructor": { tab: "terms#instructor", text: "the instructor" },
  "/place": { tab: "terms#place", text: "the place" },
  "/clashes": { tab: "dates", text: "the clashes" },
  "/sign_up_opens": { tab: "terms#sign_up_opens", text: "the day sign-up opens" },
};

/** What would stop a learner, and what is worth a look; each leads to where it is mended. */
function Readiness({ run }: { run: Run }) {
  if (run.readiness.length === 0)
    return <p>Nothing would stop somebody from signing up. Only staff see it until it is published.</p>;
  const errors = run.readiness.filter((f) => f.error);
  const warnings = run.readiness.filter((f) => !f.error);
  const line = (f: (typeof run.readiness)[number]) => {
    const place = PLACES[f.at] ?? { tab: "terms#facts", text: "the seats and place" };
    return (
      <P tone={f.error ? "brick" : undefined} key={f.message}>
        {f.message} <Link to={`/runs/${run.id}/${place.tab}`}>Go to {place.text}</Link>
      </P>
    );
  };
  return (
    <>
      {errors.length > 0 ? (
        <P strong>What would stop somebody from signing up:</P>
      ) : (
        <p>Nothing would stop somebody from signing up.</p>
      )}
      {errors.map(line)}
      {warnings.length > 0 && <P strong>Worth a look before it is public:</P>}
      {warnings.map(line)}
    </>
  );
}

function Confirm({
  pending,
  currency,
  busy,
  onYes,
  onNo,
}: {
  pending: Pending;
  currency: string;
  busy: boolean;
  onYes: () => void;
  onNo: () => void;
}) {
  return (
    <Note kind="due" role="alertdialog" aria-label="Confirm this change">
      <P strong>{pending.what}?</P>
      <Touched outcome={pending.outcome} currency={currency} />
      <Asked>
        <Button variant="contained" onClick={onYes} disabled={busy} ref={focused}>
          Save it
        </Button>
        <Button onClick={onNo}>Leave as it was</Button>
      </Asked>
    </Note>
  );
}

function PriceNow({ run }: { run: Run }) {
  if (!run.price) return null;
  const { amount, why, until, then } = run.price;
  return (
    <section>
      <h2>
        Price now {money(amount, run.currency)}
        {then && `, then ${money(then, run.currency)}`}
      </h2>
      <P tone="slate">{why}</P>
      {until && <P tone="slate">It changes when {day(until)} is over.</P>}
    </section>
  );
}

function Sums({ run }: { run: Run }) {
  const me = useMe();
  const roster = useRoster(run.id);
  if (!roster.data) return null;
  const { fees, owed, currency } = roster.data;
  const people = roster.data.people.filter((p) => p.role === "learner");
  if (people.length === 0) return null;
  const due = people.filter((p) => p.next_due && p.next_due <= me.today).length;
  return (
    <section>
      <h2>Money of this run</h2>
      <Facts>
        <dt>Fees of {count(people.length, "sign-up")}</dt>
        <dd>{money(fees, currency)}</dd>
        <dt>Owed</dt>
        <dd>{money(owed, currency)}</dd>
        <dt>With an installment due by today</dt>
        <dd>{due}</dd>
      </Facts>
      <p>
        <Link to={`/money?run=${run.id}`}>Who owes what of it</Link>
      </p>
    </section>
  );
}

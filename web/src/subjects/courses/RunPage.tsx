import Button from "@mui/material/Button";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, ask, faultsOf, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Arch } from "../../parts/Arch";
import { GateLine } from "../../parts/GateLine";
import { DoneNote, Page, Trouble } from "../../parts/Page";
import { nextText, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { clock, count, day, hours, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Roster, useRoster } from "../roster/Roster";
import { RunDates } from "./RunDates";
import { RunTerms } from "./RunTerms";

export type Run = Schemas["RunOut"];
export type Pending = { what: string; outcome: Schemas["Outcome"]; save: () => Promise<Schemas["Outcome"]> };
const TABS = ["roster", "dates", "terms"] as const;

/** One run: its roster, its dates, its seats and terms. A published run's changes wait in the margin. */
export default function RunPage() {
  const { id, tab } = useParams();
  const go = useNavigate();
  const acts = useDone();
  const runId = Number(id);
  const [pending, setPending] = useState<Pending | null>(null);
  const query = useQuery({
    queryKey: ["run", runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } })),
    enabled: Number.isInteger(runId),
  });
  const run = query.data;
  if (!run)
    return (
      <Page title="Run" margin={null}>
        {query.error || !Number.isInteger(runId) ? (
          <Trouble
            error={query.error ?? new Error("There is no such run.")}
            retry={() => void query.refetch()}
          />
        ) : (
          <div className="quiet-block" aria-busy="true" />
        )}
      </Page>
    );
  const at = TABS.find((t) => t === tab) ?? (run.status === "draft" ? "dates" : "roster");

  /** Save at once on a draft; on a published run show first what it touches. */
  const propose = async (
    what: string,
    send: (preview: boolean) => Promise<Schemas["Outcome"]>,
  ): Promise<Record<string, string> | null> => {
    try {
      if (run.status === "draft") {
        const outcome = await send(false);
        acts.say({ text: `${what}.`, change: outcome.change });
      } else setPending({ what, outcome: await send(true), save: () => send(false) });
      return null;
    } catch (error) {
      const faults = faultsOf(error);
      if (Object.keys(faults).length === 0) acts.fail(messageOf(error));
      return faults;
    }
  };

  return (
    <Page
      title={`${run.code} ${run.title}`}
      margin={<Margin run={run} acts={acts} pending={pending} setPending={setPending} />}
    >
      <div className="crumbs">
        <Link to="/planner">Runs</Link> /{" "}
        {run.course_title === run.title ? run.code : `${run.course_title} / ${run.code}`}
        {run.place && ` / ${run.place}`}
      </div>
      <div className="title">
        <div>
          <h1>{run.title}</h1>
          <div>
            {spanText(run)}
            {run.dates[0] && `, ${clock(run.dates[0].start)} to ${clock(run.dates[0].end)}`}{" "}
            <span className="slate">
              ({count(run.meetings, "meeting")}, {hours(run.hours)})
            </span>
            {run.instructor && (
              <>
                {" "}
                with <strong>{run.instructor}</strong>
              </>
            )}
          </div>
          <div className="slate">{nextText(run)}</div>
        </div>
        <div className="row mid" style={{ flex: "none" }}>
          <div className="right">
            <div className="big">{seatsText(run)} seats</div>
            <div className="slate">{smallestText(run)}</div>
          </div>
          <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} size="heading" />
        </div>
      </div>
      <GateLine run={run} />
      <Tabs
        value={at}
        onChange={(_, next: string) => void go(`/runs/${run.id}/${next}`)}
        aria-label="Parts of this run"
      >
        <Tab value="roster" label="Roster" />
        <Tab value="dates" label="Dates" />
        <Tab value="terms" label="Seats, fee and plan" />
      </Tabs>
      {at === "roster" && <Roster run={run} acts={acts} />}
      {at === "dates" && <RunDates run={run} propose={propose} />}
      {at === "terms" && <RunTerms run={run} propose={propose} />}
    </Page>
  );
}

export type Propose = (
  what: string,
  send: (preview: boolean) => Promise<Schemas["Outcome"]>,
) => Promise<Record<string, string> | null>;

function Margin({
  run,
  acts,
  pending,
  setPending,
}: {
  run: Run;
  acts: ReturnType<typeof useDone>;
  pending: Pending | null;
  setPending: (pending: Pending | null) => void;
}) {
  const [busy, setBusy] = useState(false);
  const confirm = async () => {
    if (!pending) return;
    setBusy(true);
    try {
      const outcome = await pending.save();
      acts.say({ text: `${pending.what}.`, change: outcome.change });
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
        <Confirm pending={pending} busy={busy} onYes={() => void confirm()} onNo={() => setPending(null)} />
      )}
      {acts.trouble && (
        <div className="note wrong" role="alert">
          {acts.trouble}
        </div>
      )}
      {acts.done && <DoneNote done={acts.done} onUndo={acts.undo} busy={acts.busy} />}
      {run.status === "draft" ? (
        <section>
          <h2>A draft</h2>
          {run.readiness.length ? (
            <>
              <p>What would stop somebody from signing up:</p>
              {run.readiness.map((f) => (
                <p key={f.message} className="fault">
                  {f.message}
                </p>
              ))}
            </>
          ) : (
            <p>Nothing would stop somebody from signing up. Only staff see it until it is published.</p>
          )}
          <Button
            variant="contained"
            fullWidth
            disabled={busy || run.readiness.length > 0}
            onClick={() => void publish()}
          >
            Publish
          </Button>
        </section>
      ) : (
        <section>
          <h2>{stateText(run).replace(/^./, (c) => c.toUpperCase())}</h2>
          <p className="slate">{run.sign_up_why}</p>
          {run.sign_up === "open" && (
            <div className="row wrap">
              <Button component={Link} to={`/desk?run=${run.id}`} variant="contained">
                Enroll somebody
              </Button>
              <Button component={Link} to={`/runs/${run.id}/list`}>
                Put a list on it
              </Button>
            </div>
          )}
        </section>
      )}
      <PriceNow run={run} />
      <Sums run={run} />
    </>
  );
}

function Confirm({
  pending,
  busy,
  onYes,
  onNo,
}: {
  pending: Pending;
  busy: boolean;
  onYes: () => void;
  onNo: () => void;
}) {
  const { touches, enrolled } = pending.outcome;
  return (
    <div className="note due" role="alertdialog" aria-label="Confirm this change">
      <p className="strong">{pending.what}?</p>
      {touches.length === 0 && <p>Nothing else moves.</p>}
      {touches.map((t) => (
        <p key={t.label}>
          {t.label}: {shownValue(t.before)} <span aria-hidden="true">→</span>
          <span className="sr">becomes</span> <strong>{shownValue(t.after)}</strong>
        </p>
      ))}
      <p>
        {enrolled
          ? `${count(enrolled, "person is", "people are")} enrolled; what they agreed stands.`
          : "Nobody is enrolled yet."}
      </p>
      <div className="row">
        <Button variant="contained" onClick={onYes} disabled={busy} autoFocus>
          Save it
        </Button>
        <Button onClick={onNo}>Leave as it was</Button>
      </div>
    </div>
  );
}

function shownValue(value: string | null): string {
  if (value === null) return "none";
  return /^\d{4}-\d{2}-\d{2}$/.test(value) ? day(value) : value;
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
      <p className="slate">{why}</p>
      {until && <p className="slate">It changes when {day(until)} is over.</p>}
    </section>
  );
}

function Sums({ run }: { run: Run }) {
  const me = useMe();
  const roster = useRoster(run.id);
  if (!roster.data || roster.data.people.length === 0) return null;
  const { people, fees, owed, currency } = roster.data;
  const due = people.filter((p) => p.next_due && p.next_due <= me.today).length;
  return (
    <section>
      <h2>Money of this run</h2>
      <dl className="facts">
        <dt>Fees of {count(people.length, "person", "people")}</dt>
        <dd>{money(fees, currency)}</dd>
        <dt>Owed</dt>
        <dd>{money(owed, currency)}</dd>
        <dt>With an installment due by today</dt>
        <dd>{due}</dd>
      </dl>
    </section>
  );
}

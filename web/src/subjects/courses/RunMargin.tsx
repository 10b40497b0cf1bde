import Button from "@mui/material/Button";
import { Link } from "react-router";

import { api, ask } from "../../app/server";
import { useMe } from "../../app/session";
import type { usePreviewedAct } from "../../form/usePreviewedAct";
import { Facts, Row } from "../../parts/layout";
import { ActNotes } from "../../parts/Page";
import { stateText } from "../../parts/RunFacts";
import { count, day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { useRoster } from "../roster/Roster";
import { RosterActs } from "../roster/RosterActs";
import { Confirm } from "../schedule/Confirm";
import { RunLife } from "../schedule/RunLife";
import type { Propose, Run } from "./runTypes";
import { useAct } from "../../form/useAct";

/** What can be done with a run, what waits for a confirm, and its figures. */
export function RunMargin({
  run,
  acts,
  act,
  propose,
}: {
  run: Run;
  propose: Propose;
  acts: ReturnType<typeof useDone>;
  act: ReturnType<typeof usePreviewedAct>;
}) {
  const mismatched = run.readiness.filter((f) => ["/title", "/course", "/note"].includes(f.at));
  const publishing = useAct({
    send: () => ask(api.POST("/api/v1/runs/{run_id}/publish", { params: { path: { run_id: run.id } } })),
    done: (outcome) => {
      const told = outcome.touches.find((t) => t.label === "Told that sign-up opens")?.after;
      const more = told ? ` Told that sign-up opens: ${told}.` : "";
      acts.say({ text: `Published ${run.code}.${more}`, change: outcome.change });
    },
    failed: acts.fail,
  });
  return (
    <>
      <Confirm act={act} currency={run.currency} />
      <ActNotes acts={acts} />
      {run.status === "draft" ? (
        <section>
          <h2>A draft</h2>
          <Readiness run={run} />
          <Button
            variant="contained"
            fullWidth
            disabled={publishing.busy || run.readiness.some((f) => f.error)}
            onClick={() => void publishing.act(undefined)}
          >
            Publish
          </Button>
        </section>
      ) : (
        <section>
          <h2>{stateText(run).replace(/^./, (c) => c.toUpperCase())}</h2>
          <P tone="slate">{run.sign_up_why}</P>
          {run.status === "published" && run.sign_up === "not yet" && <OpenNow run={run} propose={propose} />}
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
          <P sx={{ marginTop: 8 }}>
            <Link to={`/runs/${run.id}/groups`}>Groups</Link>,{" "}
            <Link to={`/sentences?run=${run.id}`}>standing and follow-on enrollment</Link>
          </P>
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
      <RunLife run={run} propose={propose} acts={acts} />
      <PriceNow run={run} />
      <Sums run={run} />
    </>
  );
}

/** Sign-up opens today instead of on its day; those on the interest lists are told. */
function OpenNow({ run, propose }: { run: Run; propose: Propose }) {
  const me = useMe();
  const [first, ...others] = run.windows.length ? run.windows : [{ opens: null, closes: null }];
  const windows = [{ ...first, opens: { on: me.today } }, ...others];
  return (
    <Row wrap>
      <Button
        variant="contained"
        onClick={() =>
          void propose(
            "Open sign-up now",
            (preview, over) =>
              ask(
                api.PATCH("/api/v1/runs/{run_id}", {
                  params: { path: { run_id: run.id }, query: { preview } },
                  body: { seen: { windows: run.windows, ...over }, set: { windows } },
                }),
              ),
            undefined,
            false,
            true,
          )
        }
      >
        Open sign-up now
      </Button>
    </Row>
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

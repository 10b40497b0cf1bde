import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { $api } from "../../app/server";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { RunPublic } from "../catalog/RunPublic";
import { RunFees } from "../fees/RunFees";
import { Log } from "../log/Log";
import { AttendancePage } from "../roster/Attendance";
import { Chosen } from "../roster/Chosen";
import { Roster, useRoster } from "../roster/Roster";
import { SignUp } from "../roster/SignUp";
import { RunDates } from "../schedule/RunDates";
import { RunTeaching } from "../teaching/RunTeaching";
import { RunHead } from "./RunHead";
import { RunMargin } from "./RunMargin";
import { RunTerms } from "./RunTerms";
import type { Run } from "./runTypes";
import { BothVersions, useProposing } from "./useProposing";

const TABS = ["roster", "attendance", "dates", "teaching", "fees", "terms", "public", "log"] as const;

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
  const query = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId } } },
    { enabled: Number.isInteger(runId) },
  );
  const run = query.data;
  const proposing = useProposing(acts, run?.status === "draft", () => query.refetch());
  if (!run)
    return (
      <NotYet
        title="Run"
        error={query.error ?? (Number.isInteger(runId) ? null : new Error("There is no such run."))}
        retry={() => void query.refetch()}
      />
    );
  const { propose } = proposing;
  const at = TABS.find((t) => t === tab) ?? (run.status === "draft" ? "dates" : "roster");

  return (
    <Page
      title={`${run.code} ${run.title}`}
      margin={
        <>
          <News pulse={pulse} />
          <BothVersions proposing={proposing} />
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
                      next.delete("act");
                      return next;
                    },
                    { replace: true },
                  )
                }
              />
            </>
          ) : (
            <RunMargin run={run} acts={acts} act={proposing.act} propose={propose} />
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
        <Tab value="teaching" label="Teaching" />
        <Tab value="fees" label="Fees" />
        <Tab value="terms" label="Seats and gates" />
        <Tab value="public" label="Public" />
        <Tab value="log" label="Log" />
      </Tabs>
      {at === "roster" && <Roster run={run} acts={acts} picked={picked} onPick={pick} />}
      {at === "attendance" && <AttendancePage run={run} acts={acts} />}
      {at === "dates" && <RunDates run={run} propose={propose} />}
      {at === "teaching" && <RunTeaching run={run} propose={propose} acts={acts} />}
      {at === "fees" && <RunFees run={run} propose={propose} acts={acts} />}
      {at === "public" && <RunPublic run={run} acts={acts} />}
      {at === "log" && <Log of="run" id={run.id} acts={acts} />}
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

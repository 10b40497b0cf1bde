import { useState } from "react";

import { $api, type Schemas } from "../../app/server";
import { Loading } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import type { useDone } from "../../parts/useUndo";
import type { Propose, Run } from "../courses/runTypes";
import { Agreements } from "./Agreements";
import { RunPay } from "./RunPay";
import { WhoTeaches } from "./WhoTeaches";

export type Teaching = Schemas["RunTeaching"];
export type Acts = ReturnType<typeof useDone>;

/** What somebody is chosen for: the run as usual, the meetings of a pattern, or one meeting. */
export type Place = { pattern_n?: number; meeting_id?: number };

/** Who teaches a run, what it pays, and its papers. */
export function RunTeaching({ run, propose, acts }: { run: Run; propose: Propose; acts: Acts }) {
  const [place, setPlace] = useState<Place | null>(null);
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/teaching", {
    params: { path: { run_id: run.id } },
  });
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  const teaching = query.data;
  if (!teaching) return <Loading />;
  return (
    <>
      <WhoTeaches run={run} teaching={teaching} propose={propose} place={place} onPlace={setPlace} />
      {teaching.teachers.length > 0 && (
        <>
          <RunPay run={run} teaching={teaching} acts={acts} />
          <Agreements run={run} teaching={teaching} acts={acts} />
        </>
      )}
    </>
  );
}

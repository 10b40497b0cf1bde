import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";

import { $api, api, ask } from "../../app/server";
import { Choice } from "../../form/Field";
import { Suggest } from "../../form/Suggest";
import { useAct } from "../../form/useAct";
import { Views } from "../../form/Views";
import { Crumbs, Row } from "../../parts/layout";
import { type Column, LongTable } from "../../parts/LongTable";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Name, P, T } from "../../parts/words";
import { useRoster } from "./Roster";
import type { RosterRow } from "./rosterRows";

/** The groups of a run with who is in each; moved one by one, or those ticked together. */
export default function GroupsPage() {
  const runId = Number(useParams().id);
  const acts = useDone();
  const run = $api.useQuery("get", "/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } });
  const roster = useRoster(runId);
  const [shown, setShown] = useState("");
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const [into, setInto] = useState("");
  const move = useAct({
    send: ({ ids, name }: { ids: number[]; name: string }) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/groups", {
          params: { path: { run_id: runId } },
          body: { name: name || null, enrollment_ids: ids },
        }),
      ),
    done: (answer) => {
      setPicked(new Set());
      setInto("");
      acts.say({ text: `${count(answer.people, "person", "people")} moved.`, change: answer.change });
    },
    failed: acts.fail,
  });
  const groups = roster.data?.groups;
  const moved = move.act;
  const columns = useMemo<Column<RosterRow>[]>(
    () => [
      {
        key: "pick",
        label: "Name",
        cell: (r) => (
          <Row mid sx={{ gap: 4 }}>
            <Checkbox
              checked={picked.has(r.id)}
              onChange={(e) =>
                setPicked(
                  (old) => new Set(e.target.checked ? [...old, r.id] : [...old].filter((n) => n !== r.id)),
                )
              }
              slotProps={{ input: { "aria-label": `Choose ${r.name}` } }}
            />
            <Name strong to={`/people/${r.person_id}`}>
              {r.name}
            </Name>
          </Row>
        ),
      },
      { key: "email", label: "Email", cell: (r) => r.email ?? <T tone="slate">{r.phone}</T> },
      { key: "heads", label: "Heads", right: true, cell: (r) => (r.heads > 1 ? r.heads : "") },
      {
        key: "group",
        label: "Group",
        cell: (r) => (
          <Choice
            label={`Group of ${r.name}`}
            unseen
            width={190}
            value={r.group === null ? "" : String(r.group)}
            onChange={(v) =>
              void moved({ ids: [r.id], name: groups?.find((g) => String(g.id) === v)?.name ?? "" })
            }
            options={[
              { value: "", text: "none" },
              ...(groups ?? []).map((g) => ({ value: String(g.id), text: g.name })),
            ]}
          />
        ),
      },
    ],
    [groups, picked, moved],
  );
  if (!run.data || !roster.data)
    return (
      <NotYet
        title="Groups"
        error={run.error ?? roster.error}
        retry={() => (void run.refetch(), void roster.refetch())}
      />
    );
  const people = roster.data.people;
  const rows = people.filter((r) => shown === "" || String(r.group ?? "none") === shown);
  const none = people.filter((r) => r.group === null).length;
  return (
    <Page
      title={`Groups of ${run.data.code}`}
      notes={<ActNotes acts={acts} />}
      margin={
        <section>
          <h2>{picked.size > 0 ? `${count(picked.size, "person", "people")} ticked` : "Move several"}</h2>
          <P tone="slate">Tick people, then say the group; a new one is made when it is first named.</P>
          <Suggest
            label="Into the group"
            value={into}
            onChange={setInto}
            options={roster.data.groups.map((g) => g.name)}
          />
          <Row sx={{ marginTop: 8 }}>
            <Button
              variant="contained"
              disabled={move.busy || picked.size === 0 || into.trim() === ""}
              onClick={() => void moved({ ids: [...picked], name: into.trim() })}
            >
              Put them in
            </Button>
            <Button
              disabled={move.busy || picked.size === 0}
              onClick={() => void moved({ ids: [...picked], name: "" })}
            >
              In no group
            </Button>
          </Row>
        </section>
      }
    >
      <Crumbs>
        <Link to="/planner">Runs</Link> / <Link to={`/runs/${runId}`}>{run.data.code}</Link>
      </Crumbs>
      <h1>Groups of {run.data.title}</h1>
      <Row wrap mid sx={{ margin: "10px 0" }}>
        <Views
          label="Which group"
          value={shown}
          options={[
            { value: "", text: `everybody (${people.length})` },
            ...roster.data.groups.map((g) => ({ value: String(g.id), text: `${g.name} (${g.people})` })),
            ...(none > 0 && none < people.length ? [{ value: "none", text: `in none (${none})` }] : []),
          ]}
          onChange={setShown}
        />
        <Button
          variant="text"
          onClick={() => setPicked(new Set([...picked, ...rows.map((r) => r.id)]))}
          disabled={rows.length === 0}
        >
          Tick these {rows.length}
        </Button>
        <a href={`/api/v1/runs/${runId}/groups.csv`} download>
          All groups as CSV
        </a>
      </Row>
      {people.length === 0 ? (
        <Empty>Nobody is on this run yet; groups are made when people are put into them.</Empty>
      ) : (
        <LongTable
          label="People of this run and their groups"
          rows={rows}
          columns={columns}
          rowKey={(r) => String(r.id)}
        />
      )}
    </Page>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useKept, useMe, useTyped } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Line } from "./Line";
import { COLUMNS, RosterTable, USUAL } from "./RosterTable";
import { firstSeats, MONEY, rateOf, shownRows, SORTS, type Filters, type RosterRow } from "./rosterRows";

export type { RosterRow } from "./rosterRows";

export function useRoster(runId: number) {
  return useQuery({
    queryKey: ["roster", runId],
    queryFn: async () => {
      const roster = (await ask(
        api.GET("/api/v1/runs/{run_id}/roster", { params: { path: { run_id: runId } } }),
      )) as Schemas["Roster"];
      const rows = roster.rows.map(
        (row) => Object.fromEntries(roster.columns.map((c, i) => [c, row[i]])) as unknown as RosterRow,
      );
      return { ...roster, people: rows };
    },
  });
}

const FILTERS = ["q", "way", "rate", "money", "group", "role"] as const;
const filtersOf = (params: URLSearchParams) =>
  Object.fromEntries(FILTERS.map((f) => [f, params.get(f) ?? ""])) as Filters;

/** Who holds which seat, in order, with the cut where the seats end, and those who wait below it. */
export function Roster({
  run,
  acts,
  picked,
  onPick,
}: {
  run: Schemas["RunOut"];
  acts: ReturnType<typeof useDone>;
  picked: Set<number>;
  onPick: (ids: number[], on: boolean) => void;
}) {
  const me = useMe();
  const roster = useRoster(run.id);
  const [params, setParams] = useSearchParams();
  const [columns, setColumns] = useKept<string[]>("roster-columns", USUAL);
  const [more, setMore] = useState(false);
  const filters = filtersOf(params);
  const sort = params.get("sort") ?? "";
  const at = Number(params.get("at")) || null;
  const put = (name: string, value: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value) next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );
  const [typed, setTyped] = useTyped(filters.q, (q) => put("q", q));
  const people = roster.data?.people;
  const address = params.toString();
  const shown = useMemo(
    () => shownRows(people ?? [], filtersOf(new URLSearchParams(address)), sort, me.today),
    [people, address, sort, me.today],
  );
  const seats = useMemo(() => firstSeats(people ?? []), [people]);
  const groups = new Map((roster.data?.groups ?? []).map((g) => [g.id, g.name]));
  if (roster.error && !roster.data)
    return <Trouble error={roster.error} retry={() => void roster.refetch()} />;
  if (!roster.data || !people) return <div className="quiet-block" aria-busy="true" />;
  const { waiting, withdrawn } = roster.data;

  if (people.length === 0 && waiting.length === 0)
    return (
      <div className="empty">
        <p>
          Nobody is on this roster yet.{" "}
          {run.status === "draft" ? (
            "Publish the run first; then people can be enrolled."
          ) : (
            <>
              <Link to={`/desk?run=${run.id}`}>Enroll somebody at the desk</Link>, or{" "}
              <Link to={`/runs/${run.id}/list`}>put a list on it</Link>.
            </>
          )}
        </p>
        <Cut found={roster.data} run={run} />
        <Gone withdrawn={withdrawn} />
      </div>
    );
  const filtered = FILTERS.some((f) => filters[f].trim());
  const values = (of: (row: RosterRow) => string) => [...new Set(people.map(of))].sort();
  const choice = (name: keyof Filters, label: string, options: [string, string][], width = 150) =>
    (options.length > 1 || filters[name]) && (
      <Choice
        label={label}
        width={width}
        value={filters[name]}
        onChange={(value) => put(name, value)}
        options={[{ value: "", text: "any" }, ...options.map(([value, text]) => ({ value, text }))]}
      />
    );
  const same = (of: (row: RosterRow) => string): [string, string][] => values(of).map((v) => [v, v]);
  return (
    <>
      <div className="row wrap noprint filters">
        <Field label="Name, email, phone or payer" value={typed} onChange={setTyped} width={210} />
        {choice("money", "Money", MONEY)}
        <Choice
          label="Order"
          width={140}
          value={sort}
          onChange={(value) => put("sort", value)}
          options={SORTS.map(([value, text]) => ({ value, text }))}
        />
        <button className="plainly" aria-expanded={more} onClick={() => setMore(!more)}>
          more filters, columns
        </button>
        <span className="slate how-many" aria-live="polite">
          {filtered
            ? `${shown.length} of ${count(people.length, "sign-up")}`
            : count(people.length, "sign-up")}
          {filtered && (
            <>
              {" "}
              <button
                className="plainly"
                onClick={() =>
                  setParams(
                    (old) => {
                      const next = new URLSearchParams(old);
                      FILTERS.forEach((f) => next.delete(f));
                      return next;
                    },
                    { replace: true },
                  )
                }
              >
                show all
              </button>
            </>
          )}
        </span>
      </div>
      {more && (
        <div className="inset noprint">
          <div className="row wrap">
            {choice(
              "way",
              "Came in by",
              same((r) => r.way_in),
            )}
            {choice("rate", "Rate", same(rateOf), 180)}
            {choice(
              "role",
              "Role",
              same((r) => r.role),
            )}
            {(groups.size > 0 || filters.group) &&
              choice("group", "Group", [
                ...[...groups].map(([id, name]): [string, string] => [String(id), name]),
                ["none", "no group"],
              ])}
          </div>
          <fieldset className="columns">
            <legend className="label">Columns</legend>
            {COLUMNS.map((c) => (
              <label key={c.key} className="tick">
                <input
                  type="checkbox"
                  checked={columns.includes(c.key)}
                  onChange={(e) =>
                    setColumns(e.target.checked ? [...columns, c.key] : columns.filter((k) => k !== c.key))
                  }
                />
                {c.label}
              </label>
            ))}
          </fieldset>
        </div>
      )}
      <RosterTable
        run={run}
        rows={shown}
        seats={seats}
        columns={COLUMNS.filter((c) => columns.includes(c.key))}
        groups={groups}
        today={me.today}
        at={at}
        picked={picked}
        onOpen={(id) => put("at", id === null ? "" : String(id))}
        onPick={onPick}
        acts={acts}
      />
      <Cut found={roster.data} run={run} />
      {waiting.length > 0 && <Line waiting={waiting} run={run} acts={acts} why={roster.data.chance_why} />}
      <Gone withdrawn={withdrawn} />
    </>
  );
}

/** Where the seats end: how many are free, and what keeps others from being sold. */
function Cut({ found, run }: { found: Schemas["Roster"]; run: Schemas["RunOut"] }) {
  const whole = found.capacity + run.overbook;
  const kept = [
    [found.held, "held without names"],
    [found.offered, "on offer"],
    [found.set_aside, "set aside"],
  ].filter(([n]) => n);
  return (
    <div className="cut">
      {found.free > 0 ? (
        <>
          <strong>{count(found.free, "seat")} free</strong> of {whole}.
        </>
      ) : kept.length ? (
        <strong>No seat is free.</strong>
      ) : (
        <strong>Here the {whole} seats end.</strong>
      )}{" "}
      {kept.map(([n, word]) => `${n} ${word}`).join(", ")}
      {kept.length > 0 && (
        <>
          {" "}
          <Link to={`/runs/${run.id}/terms#kept-back`}>see which</Link>.{" "}
        </>
      )}
      {found.waiting.length > 0 &&
        `Below: ${count(found.waiting.length, "party", "parties")} waiting, in order${
          found.free > 0 && !found.waiting.some((w) => w.fits) ? "; none of them fits the free seats" : ""
        }.`}
    </div>
  );
}

function Gone({ withdrawn }: { withdrawn: { name: string; at: string }[] }) {
  if (withdrawn.length === 0) return null;
  return (
    <p className="slate" style={{ marginTop: 14 }}>
      Withdrew: {withdrawn.map((g) => `${g.name} (${day(g.at, false)})`).join(", ")}.
    </p>
  );
}

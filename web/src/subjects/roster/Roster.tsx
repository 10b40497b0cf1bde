import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { useKept, useMe, useTyped } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { Inset, Loading, Row } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Empty, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { Line } from "./Line";
import { type Filters, firstSeats, MONEY, rateOf, type RosterRow, shownRows, SORTS } from "./rosterRows";
import { COLUMNS, RosterTable, USUAL } from "./RosterTable";

const Filters = styled(Row)({
  flexWrap: "wrap",
  margin: "8px 0 2px",
  alignItems: "flex-end",
  "& .how-many": { margin: "0 0 8px auto", border: 0 },
});
const Columns = styled("fieldset")({
  border: 0,
  margin: "8px 0 0",
  padding: 0,
  display: "flex",
  flexWrap: "wrap",
  gap: "2px 14px",
  "& input": { width: 18, height: 18, margin: "1px 3px", accentColor: ink.verdigris },
});
const CutLine = styled("div")({
  borderTop: `2px solid ${ink.ink}`,
  background: ink.paper,
  color: ink.slate,
  padding: "6px 12px",
});

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
  if (!roster.data || !people) return <Loading />;
  const { waiting, withdrawn } = roster.data;

  if (people.length === 0 && waiting.length === 0)
    return (
      <Empty>
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
      </Empty>
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
      <Filters className="noprint">
        <Field label="Name, email, phone or payer" value={typed} onChange={setTyped} width={210} />
        {choice("money", "Money", MONEY)}
        <Choice
          label="Order"
          width={140}
          value={sort}
          onChange={(value) => put("sort", value)}
          options={SORTS.map(([value, text]) => ({ value, text }))}
        />
        <Button variant="text" aria-expanded={more} onClick={() => setMore(!more)}>
          more filters, columns
        </Button>
        <T tone="slate" className="how-many" aria-live="polite">
          {filtered
            ? `${shown.length} of ${count(people.length, "sign-up")}`
            : count(people.length, "sign-up")}
          {filtered && (
            <>
              {" "}
              <Button
                variant="text"
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
              </Button>
            </>
          )}
        </T>
      </Filters>
      {more && (
        <Inset className="noprint">
          <Row wrap>
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
          </Row>
          <Columns>
            <T label as="legend">
              Columns
            </T>
            {COLUMNS.map((c) => (
              <Tick
                key={c.key}
                checked={columns.includes(c.key)}
                onChange={(on) => setColumns(on ? [...columns, c.key] : columns.filter((k) => k !== c.key))}
              >
                {c.label}
              </Tick>
            ))}
          </Columns>
        </Inset>
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
        onOpen={(id, act) =>
          setParams(
            (old) => {
              const next = new URLSearchParams(old);
              next.delete("act");
              if (id === null) next.delete("at");
              else next.set("at", String(id));
              if (act) next.set("act", act);
              return next;
            },
            { replace: true },
          )
        }
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
    <CutLine>
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
    </CutLine>
  );
}

function Gone({ withdrawn }: { withdrawn: { name: string; at: string }[] }) {
  if (withdrawn.length === 0) return null;
  return (
    <P tone="slate" sx={{ marginTop: 14 }}>
      Withdrew: {withdrawn.map((g) => `${g.name} (${day(g.at, false)})`).join(", ")}.
    </P>
  );
}

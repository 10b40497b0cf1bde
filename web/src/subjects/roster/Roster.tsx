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
import { NO_LIMIT } from "../../parts/RunFacts";
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

/** The filters, the order and the open row, as the address says them. */
function useRosterView() {
  const [params, setParams] = useSearchParams();
  const change = (edit: (next: URLSearchParams) => void) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        edit(next);
        return next;
      },
      { replace: true },
    );
  const put = (name: string, value: string) =>
    change((next) => (value ? next.set(name, value) : next.delete(name)));
  const filters = filtersOf(params);
  return {
    filters,
    filtered: FILTERS.some((f) => filters[f].trim()),
    sort: params.get("sort") ?? "",
    at: Number(params.get("at")) || null,
    address: params.toString(),
    put,
    showAll: () => change((next) => FILTERS.forEach((f) => next.delete(f))),
    open: (id: number | null, act?: string) =>
      change((next) => {
        next.delete("act");
        if (id === null) next.delete("at");
        else next.set("at", String(id));
        if (act) next.set("act", act);
      }),
  };
}
type RosterView = ReturnType<typeof useRosterView>;

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
  const view = useRosterView();
  const [columns, setColumns] = useKept<string[]>("roster-columns", USUAL);
  const people = roster.data?.people;
  const { address, sort } = view;
  const shown = useMemo(
    () => shownRows(people ?? [], filtersOf(new URLSearchParams(address)), sort, me.today),
    [people, address, sort, me.today],
  );
  const seats = useMemo(() => firstSeats(people ?? []), [people]);
  if (roster.error && !roster.data)
    return <Trouble error={roster.error} retry={() => void roster.refetch()} />;
  if (!roster.data || !people) return <Loading />;
  const { waiting, withdrawn } = roster.data;
  const groups = new Map(roster.data.groups.map((g) => [g.id, g.name]));
  const nobody = people.length === 0 && waiting.length === 0;
  return (
    <>
      {nobody ? (
        <NobodyYet run={run} />
      ) : (
        <>
          <RosterFilters
            view={view}
            people={people}
            shown={shown.length}
            groups={groups}
            columns={columns}
            setColumns={setColumns}
          />
          <RosterTable
            run={run}
            rows={shown}
            seats={seats}
            columns={COLUMNS.filter((c) => columns.includes(c.key))}
            groups={groups}
            today={me.today}
            at={view.at}
            picked={picked}
            onOpen={view.open}
            onPick={onPick}
            acts={acts}
          />
        </>
      )}
      <Cut found={roster.data} run={run} />
      {waiting.length > 0 && <Line waiting={waiting} run={run} acts={acts} why={roster.data.chance_why} />}
      <Gone withdrawn={withdrawn} />
    </>
  );
}

function NobodyYet({ run }: { run: Schemas["RunOut"] }) {
  return (
    <Empty as="p">
      Nobody is on this roster yet.{" "}
      {run.status === "draft" ? (
        "Publish the run first; then people can be enrolled."
      ) : (
        <>
          <Link to={`/desk?run=${run.id}`}>Enroll somebody at the desk</Link>, or{" "}
          <Link to={`/runs/${run.id}/list`}>put a list on it</Link>.
        </>
      )}
    </Empty>
  );
}

/** One filter; left out where there is nothing to choose between. */
function FilterBy({
  view,
  name,
  label,
  options,
  width = 150,
}: {
  view: RosterView;
  name: keyof Filters;
  label: string;
  options: readonly (readonly [string, string])[];
  width?: number;
}) {
  if (options.length < 2 && !view.filters[name]) return null;
  return (
    <Choice
      label={label}
      width={width}
      value={view.filters[name]}
      onChange={(value) => view.put(name, value)}
      options={[{ value: "", text: "any" }, ...options.map(([value, text]) => ({ value, text }))]}
    />
  );
}

interface FilterProps {
  view: RosterView;
  people: RosterRow[];
  groups: Map<number, string>;
  columns: string[];
  setColumns: (columns: string[]) => void;
}

function RosterFilters({ shown, ...props }: FilterProps & { shown: number }) {
  const { view, people } = props;
  const [typed, setTyped] = useTyped(view.filters.q, (q) => view.put("q", q));
  const [more, setMore] = useState(false);
  const all = count(people.length, "sign-up");
  return (
    <>
      <Filters className="noprint">
        <Field label="Name, email, phone or payer" value={typed} onChange={setTyped} width={210} />
        <FilterBy view={view} name="money" label="Money" options={MONEY} />
        <Choice
          label="Order"
          width={140}
          value={view.sort}
          onChange={(value) => view.put("sort", value)}
          options={SORTS.map(([value, text]) => ({ value, text }))}
        />
        <Button variant="text" aria-expanded={more} onClick={() => setMore(!more)}>
          more filters, columns
        </Button>
        <T tone="slate" className="how-many" aria-live="polite">
          {view.filtered ? `${shown} of ${all}` : all}
          {view.filtered && (
            <>
              {" "}
              <Button variant="text" onClick={view.showAll}>
                show all
              </Button>
            </>
          )}
        </T>
      </Filters>
      {more && <MoreFilters {...props} />}
    </>
  );
}

function MoreFilters({ view, people, groups, columns, setColumns }: FilterProps) {
  const same = (of: (row: RosterRow) => string) =>
    [...new Set(people.map(of))].sort().map((v): [string, string] => [v, v]);
  const named = [...groups].map(([id, name]): [string, string] => [String(id), name]);
  return (
    <Inset className="noprint">
      <Row wrap>
        <FilterBy view={view} name="way" label="Came in by" options={same((r) => r.way_in)} />
        <FilterBy view={view} name="rate" label="Rate" options={same(rateOf)} width={180} />
        <FilterBy view={view} name="role" label="Role" options={same((r) => r.role)} />
        {(groups.size > 0 || view.filters.group) && (
          <FilterBy view={view} name="group" label="Group" options={[...named, ["none", "no group"]]} />
        )}
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
          <strong>
            {found.capacity >= NO_LIMIT ? "No limit of seats" : `${count(found.free, "seat")} free`}
          </strong>
          {found.capacity >= NO_LIMIT ? "." : ` of ${whole}.`}
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

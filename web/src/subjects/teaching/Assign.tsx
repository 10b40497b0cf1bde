import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";

import { $api, api, ask, keyHeader, newKey, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Inset, Loading, Row } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { money } from "../../parts/text";
import { Cell, Fault, Heard, Name, P, T } from "../../parts/words";
import type { Propose, Run } from "../courses/runTypes";
import { InstructorForm } from "./InstructorForm";
import { Marks } from "./Marks";
import type { Place, Teaching } from "./RunTeaching";

type Part = "lead" | "assistant" | "substitute";
type Chosen = { instructor_id: number; name: string; part: Part };
type Candidate = Schemas["Candidate"];
const PARTS = [
  { value: "lead", text: "lead" },
  { value: "assistant", text: "assistant" },
  { value: "substitute", text: "substitute" },
];
const SHOWN = 8;

const textOf = (chosen: Chosen[]) =>
  chosen.map((c) => (c.part === "lead" ? c.name : `${c.name} (${c.part})`)).join("; ");

/** Those who teach it now, as the run says it. */
function taughtNow(teaching: Teaching, place: Place): { chosen: Chosen[]; text: string } {
  if (place.meeting_id !== undefined) {
    const m = teaching.meetings.find((held) => held.id === place.meeting_id);
    return { chosen: m?.teachers ?? [], text: m?.taught_by ?? "" };
  }
  const pattern = teaching.patterns.find((p) => p.n === place.pattern_n);
  const text = pattern?.taught_by || teaching.taught_by;
  const named = new Map(teaching.teachers.map((t) => [t.name, t]));
  const chosen = text
    .split("; ")
    .filter(Boolean)
    .map((piece) => {
      const part = PARTS.find((p) => piece.endsWith(` (${p.value})`))?.value ?? "lead";
      const name = piece.replace(/ \((assistant|substitute)\)$/, "");
      return { instructor_id: named.get(name)?.instructor_id ?? 0, name, part: part as Part };
    })
    .filter((c) => c.instructor_id);
  return { chosen, text };
}

/** Choosing who teaches: those chosen with their parts, and everybody who might, best first, each with why. */
export function Assign({
  run,
  teaching,
  place,
  propose,
  onClose,
}: {
  run: Run;
  teaching: Teaching;
  place: Place;
  propose: Propose;
  onClose: () => void;
}) {
  const now = taughtNow(teaching, place);
  const [chosen, setChosen] = useState<Chosen[]>(now.chosen);
  const [part, setPart] = useState<Part>("lead");
  const [faults, setFaults] = useState<Record<string, string>>({});
  const [key] = useState(newKey);
  const changed = textOf(chosen) !== now.text;
  const save = async () => {
    const what = `${textOf(chosen) || "Nobody"} ${chosen.length > 1 ? "teach" : "teaches"}`;
    const found = await propose(
      what,
      (preview) =>
        ask(
          api.PUT("/api/v1/runs/{run_id}/teachers", {
            params: { path: { run_id: run.id }, query: { preview }, header: keyHeader(key) },
            body: {
              teachers: chosen.map(({ instructor_id, part: as }) => ({ instructor_id, part: as })),
              ...place,
              seen: now.text,
            },
          }),
        ),
      onClose,
    );
    setFaults(found ?? {});
  };
  const add = (c: { instructor_id: number; name: string }) =>
    setChosen((old) =>
      old.some((o) => o.instructor_id === c.instructor_id)
        ? old
        : [...old, { instructor_id: c.instructor_id, name: c.name, part }],
    );
  return (
    <Inset
      onKeyDown={(e) => {
        if (e.key === "Escape") onClose();
      }}
    >
      {chosen.length === 0 && <P tone="slate">Nobody is chosen.</P>}
      {chosen.map((c, n) => (
        <Row mid key={c.instructor_id} sx={{ marginBottom: 4 }}>
          <strong>{c.name}</strong>
          <Choice
            label={`Part of ${c.name}`}
            unseen
            width={130}
            value={c.part}
            onChange={(as) =>
              setChosen((old) => old.map((o, i) => (i === n ? { ...o, part: as as Part } : o)))
            }
            options={PARTS}
            fault={faults[`/teachers/${n}`]}
          />
          <Button
            variant="text"
            color="secondary"
            aria-label={`Take off ${c.name}`}
            onClick={() => setChosen((old) => old.filter((_, i) => i !== n))}
          >
            take off
          </Button>
        </Row>
      ))}
      <Row mid sx={{ marginTop: 6 }}>
        <Button variant="contained" disabled={!changed} onClick={() => void save()}>
          {run.status === "draft" ? "Save" : "See what it touches"}
        </Button>
        <Button onClick={onClose}>Keep as it was</Button>
        {faults["/teachers"] && <Fault>{faults["/teachers"]}</Fault>}
      </Row>
      <Candidates
        run={run}
        place={place}
        part={part}
        onPart={setPart}
        chosen={new Set(chosen.map((c) => c.instructor_id))}
        onAdd={add}
      />
    </Inset>
  );
}

function Candidates({
  run,
  place,
  part,
  onPart,
  chosen,
  onAdd,
}: {
  run: Run;
  place: Place;
  part: Part;
  onPart: (part: Part) => void;
  chosen: Set<number>;
  onAdd: (c: { instructor_id: number; name: string }) => void;
}) {
  const [q, setQ] = useState("");
  const [all, setAll] = useState(false);
  const [adding, setAdding] = useState(false);
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/candidates", {
    params: { path: { run_id: run.id }, query: { ...place, part } },
  });
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  const found = query.data;
  if (!found) return <Loading />;
  const fitting = found.candidates.filter((c) => c.name.toLowerCase().includes(q.trim().toLowerCase()));
  const rows = all || q ? fitting : fitting.slice(0, SHOWN);
  return (
    <>
      <Row wrap end sx={{ marginTop: 14 }}>
        <Choice
          label="Chosen as"
          width={130}
          value={part}
          onChange={(as) => onPart(as as Part)}
          options={PARTS}
        />
        <Field label="Find by name" width={170} value={q} onChange={setQ} />
        <Button onClick={() => setAdding(true)}>Somebody new</Button>
        <T tone="slate" sx={{ paddingBottom: 8 }}>
          For {found.meetings} coming {found.meetings === 1 ? "meeting" : "meetings"}. {found.rule}
        </T>
      </Row>
      {adding && (
        <InstructorForm
          onSaved={(made) => {
            setAdding(false);
            void query.refetch();
            onAdd({ instructor_id: made.id, name: made.name });
          }}
          onClose={() => setAdding(false)}
        />
      )}
      <Scroller>
        <Table sx={{ marginTop: 6 }}>
          <TableHead>
            <TableRow>
              <Cell>Who</Cell>
              <Cell>Free</Cell>
              <Cell>Qualified</Cell>
              <Cell right>h that week</Cell>
              <Cell right>h in the season</Cell>
              <Cell right>Costs</Cell>
              <Cell>Learners say</Cell>
              <Cell>
                <Heard>Choose</Heard>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((c) => (
              <CandidateRow
                key={c.instructor_id}
                candidate={c}
                currency={found.currency}
                chosen={chosen.has(c.instructor_id)}
                onAdd={() => onAdd(c)}
              />
            ))}
          </TableBody>
        </Table>
      </Scroller>
      {rows.length < fitting.length && (
        <Button variant="text" onClick={() => setAll(true)}>
          All {fitting.length}
        </Button>
      )}
      {fitting.length === 0 && <P tone="slate">Nobody fits; add somebody new.</P>}
    </>
  );
}

function CandidateRow({
  candidate: c,
  currency,
  chosen,
  onAdd,
}: {
  candidate: Candidate;
  currency: string;
  chosen: boolean;
  onAdd: () => void;
}) {
  const fit = { qualified: undefined, "not known": "ochre", "not qualified": "brick" } as const;
  return (
    <TableRow>
      <Cell nowrap>
        <Name strong to={`/teaching/${c.instructor_id}`}>
          {c.name}
        </Name>
        {c.answer && <T tone={c.answer === "declined" ? "brick" : "slate"}> {c.answer}</T>}
      </Cell>
      <Cell>{c.free ? "free" : <T tone="brick">{c.why_not.join("; ")}</T>}</Cell>
      <Cell>
        <T tone={fit[c.fit]}>{c.fit}</T>
      </Cell>
      <Cell right tone={c.over_week ? "brick" : undefined}>
        {c.week_hours}
        {c.over_week && <T tone="brick"> over the most</T>}
      </Cell>
      <Cell right>{c.season_hours}</Cell>
      <Cell right title={c.why_cost}>
        {c.cost === null ? <T tone="ochre">to be agreed</T> : <T tone="copper">{money(c.cost, currency)}</T>}
      </Cell>
      <Cell nowrap>
        <Marks marks={c.marks} />
      </Cell>
      <Cell right>
        {chosen ? (
          <T tone="slate">chosen</T>
        ) : (
          <Button variant="text" onClick={onAdd} aria-label={`Choose ${c.name}`}>
            choose
          </Button>
        )}
      </Cell>
    </TableRow>
  );
}

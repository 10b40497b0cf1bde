import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Loading, Note, Row } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { count, day, money } from "../../parts/text";
import { Cell, Heard, P, T } from "../../parts/words";
import type { Acts } from "./CoverPage";

type Plan = Schemas["CoverPlanOut"];
type Line = Plan["lines"][number];
const WORKING = ["queued", "working"];

/** A proposal, line by line with why; taken as a whole or in part. */
export function Proposal({ id, acts, onAgain }: { id: number; acts: Acts; onAgain: () => void }) {
  const query = $api.useQuery(
    "get",
    "/api/v1/cover-plans/{cover_id}",
    { params: { path: { cover_id: id } } },
    { refetchInterval: ({ state }) => (state.data && WORKING.includes(state.data.status) ? 800 : false) },
  );
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  const plan = query.data;
  if (!plan) return <Loading />;
  if (WORKING.includes(plan.status))
    return (
      <Note kind="due" role="status" sx={{ marginTop: 14 }}>
        <P strong>A proposal is being worked out.</P>
        <p>It takes some seconds; you can leave this page and come back to it at the right.</p>
      </Note>
    );
  return <Ready plan={plan} acts={acts} onAgain={onAgain} />;
}

const open = (x: Line) => x.instructor_id !== null && !x.taken && !x.moved_on;

function Ready({ plan, acts, onAgain }: { plan: Plan; acts: Acts; onAgain: () => void }) {
  const [left, setLeft] = useState<Set<number>>(new Set());
  const takeable = plan.lines.filter(open);
  const wanted = takeable.filter((x) => !left.has(x.meeting_id));
  const taking = useAct({
    send: (_: undefined, key) =>
      ask(
        api.POST("/api/v1/cover-plans/{cover_id}/take", {
          params: { path: { cover_id: plan.id }, header: keyHeader(key) },
          body: { meeting_ids: wanted.map((x) => x.meeting_id) },
        }),
      ),
    done: (done) =>
      acts.say({
        text: `${count(done.taken, "meeting")} covered${done.left ? `, ${done.left} left out: they have moved on since` : ""}.`,
        change: done.change,
      }),
    failed: acts.fail,
  });
  const toggle = (number: number, on: boolean) =>
    setLeft((old) => {
      const next = new Set(old);
      if (on) next.delete(number);
      else next.add(number);
      return next;
    });
  return (
    <>
      <P sx={{ marginTop: 14 }}>
        <strong>{plan.instructor ? `Cover for ${plan.instructor}` : "For meetings that had nobody"}</strong>,{" "}
        {day(plan.first)} to {day(plan.last)}. {plan.said}
      </P>
      {plan.covered > 0 && plan.greedy !== plan.total && (
        <P tone="slate">Taking the best for each meeting in turn would come to {plan.greedy}.</P>
      )}
      <Scroller>
        <Table>
          <TableHead>
            <TableRow>
              <Cell>
                <Heard>Take</Heard>
              </Cell>
              <Cell>Meeting</Cell>
              <Cell>Run</Cell>
              <Cell>Takes it</Cell>
              <Cell right>Costs</Cell>
              <Cell>Why</Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {plan.lines.map((x) => (
              <TableRow key={x.meeting_id}>
                <Cell>
                  {open(x) && (
                    <Checkbox
                      checked={!left.has(x.meeting_id)}
                      onChange={(e) => toggle(x.meeting_id, e.target.checked)}
                      slotProps={{ input: { "aria-label": `Take ${x.instructor}, ${day(x.day)}` } }}
                    />
                  )}
                </Cell>
                <Cell nowrap>
                  {day(x.day)}, {x.start.slice(0, 5)}
                </Cell>
                <Cell nowrap>
                  <Link to={`/runs/${x.run_id}/teaching`}>{x.code}</Link>
                </Cell>
                <Cell nowrap>
                  {x.instructor ? <strong>{x.instructor}</strong> : <T tone="brick">nobody</T>}
                  {x.taken && <T tone="slate"> taken</T>}
                  {x.moved_on && x.instructor && <T tone="ochre"> moved on since</T>}
                </Cell>
                <Cell right>
                  {x.cost !== null && <T tone="copper">{money(x.cost, plan.currency)}</T>}
                  {x.instructor && x.cost === null && <T tone="ochre">to be agreed</T>}
                </Cell>
                <Cell>{x.why}</Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Scroller>
      <Row mid sx={{ marginTop: 10 }}>
        {takeable.length > 0 && (
          <Button
            variant="contained"
            disabled={wanted.length === 0 || taking.busy}
            onClick={() => void taking.act(undefined)}
          >
            {wanted.length === takeable.length
              ? wanted.length === 1
                ? "Take it"
                : `Take all ${wanted.length}`
              : `Take ${wanted.length} of ${takeable.length}`}
          </Button>
        )}
        <Button onClick={onAgain}>{takeable.length > 0 ? "Leave it" : "Back to what is uncovered"}</Button>
        <T tone="slate">Those who teach are told, learners only where a date moves.</T>
      </Row>
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import { Link, useParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { api, ask, type Schemas } from "../../app/server";
import { useKept } from "../../app/session";
import { useAct } from "../../form/useAct";
import { Crumbs, Note, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count, day, whole } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { useNotice } from "../roster/DeskCalls";
import { atWork, type Batch, STATES, useBatch, useBatchActs } from "./batch";
import { Decisions, HowRead } from "./ListHead";
import { ListLines } from "./ListLines";
import { ListProgress } from "./ListProgress";
import { ForAll, total, WhatItDoes, WhoIsTold, WhoPays } from "./ListTotals";

/** A list that goes onto runs: read, judged line by line, confirmed with seats and money, enrolled, taken back. */
export default function ListPage() {
  const batchId = Number(useParams().batch);
  const query = useBatch(batchId);
  if (!query.data) return <NotYet title="List" error={query.error} retry={() => void query.refetch()} />;
  return <TheList batch={query.data} />;
}

/** Where this list stands among others. */
export function ListCrumbs({ runId, code }: { runId?: number | null; code?: string }) {
  return (
    <Crumbs>
      <Link to="/lists">Lists</Link>
      {runId && (
        <>
          {" "}
          / <Link to={`/runs/${runId}`}>{code ?? "run"}</Link>
        </>
      )}
    </Crumbs>
  );
}

function TheList({ batch }: { batch: Batch }) {
  const done = useDone();
  const acts = useBatchActs(batch.id, done);
  const pulse = usePulse(batch.run_id, 3);
  const [kept, setOnly] = useKept(`list-only-${batch.id}`, "");
  const only = isThere(batch, kept) ? kept : "";
  const [told, setTold] = useState<Schemas["Told"][] | null>(batch.told);
  const path = { batch_id: batch.id };
  const taken = useTakenBack(batch, acts, done);
  const begin = useAct({
    send: (how: "enroll" | "resume", key) =>
      ask(
        api.POST(`/api/v1/batches/{batch_id}/${how}`, {
          params: { path, header: { "Idempotency-Key": key } },
          body: { people: batch.people, total: batch.total, told },
        }),
      ),
    done: (answer) => {
      acts.put(answer);
      if (answer.status === "enrolled") done.say(enrolled(answer));
      else done.say(null);
    },
    failed: acts.failed,
  });
  useFinished(batch, done);
  const notice = useNotice(batch.status === "judged" ? batch.run_id : null);
  const title = batch.run_code ? `${batch.file_name} for ${batch.run_code}` : batch.file_name;
  return (
    <Page
      title={title}
      notes={<ActNotes acts={done} />}
      margin={
        <>
          {batch.status === "judged" && <News pulse={pulse} />}
          <ListProgress batch={batch} busy={acts.stop.busy} onStop={() => void acts.stop.act(undefined)} />
          <section aria-label="What holds for all of this list">
            <WhoPays batch={batch} acts={acts} />
            <ForAll batch={batch} acts={acts} />
            <WhoIsTold batch={batch} told={told} onTold={setTold} />
          </section>
          <WhatItDoes batch={batch} />
          {notice.shown}
          <WhatNext
            batch={batch}
            unread={notice.unread}
            busy={begin.busy || acts.judge.busy}
            onBegin={(how) => void begin.act(how)}
            onJudge={() => void acts.judge.act(undefined)}
            onTakeBack={() => void taken.act({})}
          />
        </>
      }
    >
      <ListCrumbs runId={batch.run_id} code={batch.run_code} />
      <Box component="h1" sx={{ marginBottom: 4 }}>
        {batch.file_name} <T tone="slate">{batch.run_title && `for ${batch.run_title}`}</T>
      </Box>
      <P tone="slate">
        {batch.source === "people" ? "Chosen: " : "Read as "}
        {batch.reading}, by {batch.by}; {STATES[batch.status]}
        {batch.enrolled_at && batch.status === "enrolled" && ` on ${day(batch.enrolled_at)}`}.
        {batch.earlier && ` This very list was enrolled here on ${day(batch.earlier)}.`}{" "}
        <a href={`/api/v1/batches/${batch.id}/report.csv`} download>
          Every line as CSV
        </a>
        ,{" "}
        <a href={`/api/v1/batches/${batch.id}/report.xlsx`} download>
          as XLSX
        </a>
      </P>
      <HowRead batch={batch} acts={acts} />
      <Decisions batch={batch} acts={acts} onShow={setOnly} />
      <ListLines
        batch={batch}
        only={only}
        onOnly={setOnly}
        on={{ fix: acts.fix, takeBack: (which) => void taken.act(which), failed: acts.failed }}
      />
    </Page>
  );
}

function enrolled(answer: Batch) {
  const waiting = answer.counts.waiting ?? 0;
  const one = answer.runs.length === 1 ? answer.runs[0]! : null;
  const seats = one ? ` ${whole(one.taken)} of ${whole(one.capacity)} seats are taken now.` : "";
  return {
    text: `${count(answer.counts.enrolled ?? 0, "sign-up")} enrolled${waiting ? `, ${whole(waiting)} waiting` : ""}.${seats}`,
    change: answer.change,
    link: one && <Link to={`/runs/${one.id}/roster`}>See the roster</Link>,
  };
}

/** Whether there are lines of a filter; once all of a kind are decided on, all lines are shown. */
function isThere(batch: Batch, only: string): boolean {
  if (only === "odd") return batch.odd > 0;
  return only in batch.counts || batch.kinds.some((k) => `kind:${k.kind}` === only);
}

/** Says what came of it when a list that was worked on comes to rest while somebody looks. */
function useFinished(batch: Batch, done: ReturnType<typeof useDone>) {
  const before = useRef(batch.status);
  const say = useEffectEvent((was: Batch["status"]) => {
    if (was === "running" && batch.status === "enrolled") done.say(enrolled(batch));
    if (was === "taking back" && !atWork(batch.status)) done.say(takenBack(batch));
  });
  useEffect(() => {
    if (before.current !== batch.status) say(before.current);
    before.current = batch.status;
  }, [batch.status]);
}

function takenBack(answer: Batch) {
  const left = answer.can_take_back;
  const still = left > 0 ? ` ${count(left, "line still stands", "lines still stand")}.` : "";
  return { text: `Taken back.${still}` };
}

function useTakenBack(batch: Batch, acts: ReturnType<typeof useBatchActs>, done: ReturnType<typeof useDone>) {
  return useAct({
    send: (which: { lines?: number[]; only?: string; q?: string }, key) =>
      ask(
        api.POST("/api/v1/batches/{batch_id}/take-back", {
          params: { path: { batch_id: batch.id }, header: { "Idempotency-Key": key } },
          body: { lines: which.lines ?? null, only: which.only ?? "", q: which.q ?? "" },
        }),
      ),
    done: (answer) => {
      acts.put(answer);
      done.say(answer.status === "taking back" ? null : takenBack(answer));
    },
    failed: acts.failed,
  });
}

/** What can be done with the list now: begin, go on, judge again, take back. */
function WhatNext({
  batch,
  unread,
  busy,
  onBegin,
  onJudge,
  onTakeBack,
}: {
  batch: Batch;
  /** The run has a desk notice that this user has not read. */
  unread: boolean;
  busy: boolean;
  onBegin: (how: "enroll" | "resume") => void;
  onJudge: () => void;
  onTakeBack: () => void;
}) {
  const [sure, setSure] = useState(false);
  const open = batch.status === "judged" || batch.status === "stopped";
  const what = `${count(batch.people, "sign-up")}, ${count(batch.seats, "seat")}, ${total(batch)}`;
  return (
    <section>
      {open && batch.moved && (
        <Note kind="due">
          <P>
            People, seats or terms have changed since this was judged. Each line is judged once more when its
            turn comes.
          </P>
          <Button variant="text" disabled={busy} onClick={onJudge}>
            Judge again
          </Button>
        </Note>
      )}
      {open && !batch.can_enroll && (
        <P tone="slate">{batch.why || "Nobody on this list would be enrolled; nothing changes."}</P>
      )}
      {open && (
        <Button
          variant="contained"
          fullWidth
          disabled={!batch.can_enroll || busy || unread}
          onClick={() => onBegin(batch.status === "judged" ? "enroll" : "resume")}
        >
          {batch.status === "judged" ? `Enroll ${what}` : `Go on with ${what}`}
        </Button>
      )}
      {batch.status === "taken back" && (
        <Button fullWidth disabled={busy} onClick={onJudge}>
          Judge this list anew
        </Button>
      )}
      {(batch.status === "enrolled" || batch.status === "stopped") && batch.can_take_back > 0 && (
        <Box sx={{ marginTop: 10 }}>
          {sure ? (
            <>
              <P>
                Takes back {count(batch.can_take_back, "line")}: seats, places in line, charges and letters
                that wait. What has moved on since stays and is named; people added by this list go where
                nothing else holds them.
              </P>
              <Row>
                <Button
                  color="error"
                  variant="outlined"
                  disabled={busy}
                  autoFocus
                  onClick={() => (setSure(false), onTakeBack())}
                >
                  Take it back
                </Button>
                <Button onClick={() => setSure(false)}>Leave it</Button>
              </Row>
            </>
          ) : (
            <Button variant="text" onClick={() => setSure(true)}>
              Take the list back
            </Button>
          )}
        </Box>
      )}
    </section>
  );
}

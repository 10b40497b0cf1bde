import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueries, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { ActList, Note, Picks, Row, Ruled } from "../../parts/layout";
import { clock, count, money } from "../../parts/text";
import { Fault, NoteLine, P, T } from "../../parts/words";
import { useAct } from "../../form/useAct";
import { type Call, type SoFar, TOLD } from "./deskCall";
import { Letter } from "./Letter";
import { lettersOf } from "./useEnroll";

const AGAIN = 20_000;

/** How many calls are parked, for the frame. */
export function useParkedCount(): number {
  const query = $api.useQuery("get", "/api/v1/parked-calls", {}, { refetchInterval: AGAIN });
  return query.data?.length ?? 0;
}

/** Calls put aside, on whichever screen. */
export function Parked({ onTake }: { onTake: (id: number) => void }) {
  const parked = $api.useQuery("get", "/api/v1/parked-calls", {}, { refetchInterval: AGAIN }).data ?? [];
  if (parked.length === 0) return null;
  return (
    <section aria-label="Parked calls">
      <h2>{count(parked.length, "parked call")}</h2>
      <ActList>
        {parked.map((p) => (
          <li key={p.id}>
            <Button variant="text" onClick={() => onTake(p.id)}>
              {p.about}
              <T tone="slate"> since {clock(p.at)}</T>
            </Button>
          </li>
        ))}
      </ActList>
    </section>
  );
}

/** What staff must know of a run while enrolling; each version is read once, and only then can somebody be enrolled. */
export function Notice({ run }: { run: Schemas["RunOut"] }) {
  const queries = useQueryClient();
  const [trouble, setTrouble] = useState("");
  const { text, version, seen } = run.notice;
  if (!text) return null;
  const read = async () => {
    try {
      await ask(
        api.POST("/api/v1/runs/{run_id}/notice/read", {
          params: { path: { run_id: run.id } },
          body: { version },
        }),
      );
      setTrouble("");
    } catch (error) {
      setTrouble(messageOf(error));
    }
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/runs/{run_id}"] });
  };
  return (
    <Note kind={seen ? "due" : "wrong"} aria-label="Desk notice">
      <NoteLine as="p">
        <strong>Notice:</strong> {text}
      </NoteLine>
      {!seen && <Button onClick={() => void read()}>I have read it</Button>}
      {trouble && <Fault as="p">{trouble}</Fault>}
    </Note>
  );
}

/** The desk notice of a run wherever somebody is seated on it: what stands in view, and whether it has to be read first. */
export function useNotice(runId: number | null): { shown: ReactNode; unread: boolean } {
  const { data: run } = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId ?? 0 } } },
    { enabled: runId !== null },
  );
  if (!run) return { shown: null, unread: false };
  return { shown: <Notice run={run} />, unread: run.notice.text !== "" && !run.notice.seen };
}

/** What was done in this call so far, what is due for it, and how it goes on: the same person, or the same run. */
export function CallSoFar({
  lines,
  currency,
  onAgain,
  onOther,
  onEnd,
}: {
  lines: SoFar[];
  currency: string;
  onAgain: (line: SoFar) => void;
  onOther: (line: SoFar) => void;
  onEnd: () => void;
}) {
  const me = useMe();
  const last = lines[lines.length - 1];
  const held = useQueries({
    queries: lines.map((l) =>
      $api.queryOptions(
        "get",
        "/api/v1/enrollments/{enrollment_id}",
        { params: { path: { enrollment_id: l.enrollmentId ?? 0 } } },
        { enabled: l.enrollmentId !== null },
      ),
    ),
  });
  if (!last) return null;
  // What is due as it stands now: a payment taken since is counted.
  const known = held.every((h, n) => lines[n]!.enrollmentId === null || h.data !== undefined);
  const open = held.flatMap((h) => h.data?.plan ?? []).filter((p) => p.due <= me.today);
  const due = open.reduce((sum, p) => sum + Number(p.left), 0);
  const digits = open[0]?.left.split(".")[1]?.length ?? 2;
  return (
    <section aria-label="This call so far">
      <h2>This call so far</h2>
      <Ruled>
        {lines.map((l) => (
          <Box component="li" key={l.change} sx={{ padding: "5px 0" }}>
            <Link to={`/people/${l.person.id}`}>{l.person.name}</Link>,{" "}
            <Link to={`/runs/${l.runId}/roster`}>{l.run}</Link>
          </Box>
        ))}
      </Ruled>
      <p>
        {known ? (
          <>
            <T tone="copper" as="strong">
              {money(due.toFixed(digits), currency)}
            </T>{" "}
            due now.
          </>
        ) : (
          "Working out what is due …"
        )}
      </p>
      <ActList>
        <li>
          <Button variant="text" onClick={() => onAgain(last)}>
            another run for {last.person.name}
          </Button>
        </li>
        <li>
          <Button variant="text" onClick={() => onOther(last)}>
            somebody else on {last.run}, {last.payerName} pays
          </Button>
        </li>
        <li>
          <Button variant="text" color="secondary" onClick={onEnd}>
            the call is over
          </Button>
        </li>
      </ActList>
    </section>
  );
}

/** The letters that go out of this sign-up, as they would be written now. */
function SeeLetters({ asked }: { asked: Parameters<typeof lettersOf>[0] }) {
  const [letters, setLetters] = useState<Schemas["LetterOut"][] | null>(null);
  const seeing = useAct({
    send: () => lettersOf(asked),
    done: setLetters,
    failed: (why) => setLetters([{ to: "", email: null, subject: why, text: "" }]),
  });
  return (
    <Box sx={{ marginTop: 8 }}>
      <Button size="small" disabled={seeing.busy} onClick={() => void seeing.act(undefined)}>
        See the letters
      </Button>
      {letters?.length === 0 && <P tone="slate">Nobody is written to.</P>}
      {letters?.map((letter, n) => (
        <Letter key={n} letter={letter} />
      ))}
    </Box>
  );
}

/** What is out of the ordinary: an earlier day of receipt, a sign-up after the close, a seat for nothing, who is told. */
export function DeskExceptions({
  call,
  set,
  run,
  quote,
  faults,
}: {
  call: Call;
  set: (change: Partial<Call>) => void;
  run: Schemas["RunOut"];
  quote?: Schemas["RunQuoteView"];
  faults: Record<string, string>;
}) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const used =
    call.received !== "" ||
    call.exception !== "" ||
    call.waive !== null ||
    call.hold !== null ||
    call.told !== null ||
    call.word !== "";
  const asks = quote?.can_wait ? run.questions : [];
  const late = quote?.late || faults["/exception"] !== undefined;
  return (
    <Box sx={{ marginTop: 10 }}>
      {asks.map((q) => (
        <Field
          key={q}
          label={q}
          value={call.answers[q] ?? ""}
          onChange={(text) => set({ answers: { ...call.answers, [q]: text } })}
        />
      ))}
      {late && (
        <Field
          label={quote?.late ? "Why somebody comes in all the same" : "Why the earlier day counts"}
          value={call.exception}
          onChange={(exception) => set({ exception })}
          fault={faults["/exception"]}
        />
      )}
      {open || used ? (
        <Picks sx={{ marginTop: 8 }}>
          <T label as="legend">
            Out of the ordinary
          </T>
          <Row wrap>
            <Field
              label="Form came in on"
              type="date"
              width={150}
              value={call.received}
              onChange={(received) => set({ received })}
              fault={faults["/received_on"]}
            />
            {!late && (
              <Field
                label="Reason"
                value={call.exception}
                onChange={(exception) => set({ exception })}
                fault={faults["/exception"]}
              />
            )}
          </Row>
          <Tick checked={call.waive !== null} onChange={(on) => set({ waive: on ? "" : null })}>
            the seat costs nothing
          </Tick>
          {call.waive !== null && (
            <Field
              label="Why it costs nothing"
              value={call.waive}
              onChange={(waive) => set({ waive })}
              fault={faults["/waive"]}
              autoFocus
            />
          )}
          <Tick checked={call.hold ?? run.hold_hours !== null} onChange={(on) => set({ hold: on })}>
            only held until the first payment
            {(call.hold ?? run.hold_hours !== null) && `, ${run.hold_hours ?? 48} hours`}
          </Tick>
          <T label as="div" sx={{ marginTop: 8 }}>
            Who is told
          </T>
          {TOLD.map(([who, text]) => {
            const told = call.told ?? run.told ?? me.told;
            return (
              <Tick
                key={who}
                checked={told.includes(who)}
                onChange={(on) => set({ told: on ? [...told, who] : told.filter((w) => w !== who) })}
              >
                {text}
              </Tick>
            );
          })}
          <Field
            label="A line of your own in the learner’s letter"
            value={call.word}
            onChange={(word) => set({ word })}
          />
          {call.person && quote?.can_enroll && <SeeLetters asked={{ call, quote, run, payerName: "" }} />}
        </Picks>
      ) : (
        <Button variant="text" onClick={() => setOpen(true)}>
          Out of the ordinary
        </Button>
      )}
    </Box>
  );
}

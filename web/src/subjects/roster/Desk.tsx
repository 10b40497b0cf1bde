import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useSearchParams } from "react-router";

import { News, usePulse } from "../../app/pulse";
import { api, ask, messageOf, newKey, type Schemas, ServerProblem } from "../../app/server";
import { useKept, useMe, useSettled } from "../../app/session";
import { OrganizationPick } from "../../form/OrganizationPick";
import { PickList } from "../../form/PickList";
import { Tick } from "../../form/Tick";
import { Gatelet } from "../../parts/Arch";
import { Note, Title } from "../../parts/layout";
import { Page } from "../../parts/Page";
import { day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import { ink } from "../../theme/palette";
import { digitsOf } from "../courses/form";
import { NewPerson } from "../people/NewPerson";
import { CallSoFar, Notice, Parked, type SoFar, useParked } from "./DeskCalls";
import { DeskMargin } from "./DeskMargin";
import {
  askOf,
  type Call,
  headsOf,
  namesOf,
  payerOf,
  PersonLine,
  Picked,
  RunLine,
  seatsOf,
} from "./DeskParts";
import { DeskTerms } from "./DeskTerms";

const KeysLine = styled("div")({ color: ink.slate, display: "flex", gap: 12, flexWrap: "wrap" });
const DeskGrid = styled("div")({
  display: "grid",
  gridTemplateColumns: "repeat(3, minmax(0, 1fr))",
  gap: 26,
  "& > section > h2": {
    display: "flex",
    alignItems: "center",
    gap: 10,
    paddingBottom: 6,
    marginBottom: 12,
    borderBottom: `1px solid ${ink.ink}`,
  },
});

/** The terms of a call before anything is said. */
const FRESH = {
  rateId: null,
  planId: null,
  heads: "1",
  mixed: null,
  extras: {},
  code: "",
  names: "",
  agreed: null,
  keptId: null,
  received: "",
  exception: "",
  waive: null,
  hold: null,
  told: null,
  answers: {},
  heldId: null,
};
const blank = (): Call => ({
  who: "",
  person: null,
  adding: false,
  what: "",
  runId: null,
  payer: "",
  ...FRESH,
  note: "",
  goesOn: false,
  id: newKey(),
  key: newKey(),
});

/** The desk, for the phone call: who, what, terms from left to right, the quote in the margin. */
export default function Desk() {
  const me = useMe();
  const [params, setParams] = useSearchParams();
  const [call, setCall] = useKept<Call>("call", blank());
  const [soFar, setSoFar] = useKept<SoFar[]>("call-so-far", []);
  const [parked, setParked] = useParked();
  const acts = useDone();
  const pulse = usePulse(null, 3);
  const [changed, setChanged] = useState<{ shown: string; now: string } | null>(null);
  const [busy, setBusy] = useState(false);
  const whoRef = useRef<HTMLInputElement>(null);
  const whatRef = useRef<HTMLInputElement>(null);
  const termsRef = useRef<HTMLDivElement>(null);
  const set = (change: Partial<Call>) => {
    setChanged(null);
    setCall((old) => ({ ...old, ...change, key: newKey() }));
  };
  const focus = (ref: React.RefObject<HTMLElement | null>) => setTimeout(() => ref.current?.focus(), 0);

  // A link from a run's page brings the run along.
  const asked = Number(params.get("run"));
  useEffect(() => {
    if (!asked) return;
    const heldId = Number(params.get("held")) || null;
    setCall((old) => ({ ...old, ...FRESH, runId: asked, heldId, what: "", key: newKey() }));
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [asked, setCall, setParams]);

  // A kept quote brings person, run and terms along.
  const askedQuote = params.get("quote");
  useEffect(() => {
    if (!askedQuote) return;
    setParams({}, { replace: true });
    void (async () => {
      const every = await ask(api.GET("/api/v1/quotes", { params: { query: { every: true } } }));
      const kept = every.find((q) => q.id === Number(askedQuote));
      if (!kept) return;
      const p = await ask(
        api.GET("/api/v1/people/{person_id}", { params: { path: { person_id: kept.person_id } } }),
      );
      setCall({
        ...blank(),
        person: { ...p, runs: p.enrollments.filter((e) => e.status === "seated").length },
        payer: kept.organization_id ? String(kept.organization_id) : "",
        runId: kept.run_id,
        keptId: kept.id,
        note: kept.note,
      });
    })();
  }, [askedQuote, setCall, setParams]);

  // A link from a person's page brings the person along.
  const askedPerson = params.get("person");
  useEffect(() => {
    if (!askedPerson) return;
    setParams({}, { replace: true });
    void ask(
      api.GET("/api/v1/people/{person_id}", { params: { path: { person_id: Number(askedPerson) } } }),
    ).then((p) =>
      setCall((old) => ({
        ...old,
        person: { ...p, runs: p.enrollments.filter((e) => e.status === "seated").length },
        adding: false,
        key: newKey(),
      })),
    );
  }, [askedPerson, setCall, setParams]);

  const who = useSettled(call.who.trim(), 120);
  const what = useSettled(call.what.trim(), 120);
  const [late, setLate] = useState(false);
  const found = useQuery({
    queryKey: ["people", who],
    queryFn: ({ queryKey }) =>
      ask(api.GET("/api/v1/people", { params: { query: { q: queryKey[1] as string, limit: 5 } } })),
    enabled: call.who.trim().length > 0,
    placeholderData: keepPreviousData,
  });
  const runs = useQuery({
    queryKey: ["desk-runs", what, late],
    queryFn: ({ queryKey }) =>
      ask(
        api.GET("/api/v1/runs", {
          params: {
            query: {
              q: queryKey[1] as string,
              teaching: late ? "" : "before",
              status: "published",
              limit: 10,
            },
          },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const run = useQuery({
    queryKey: ["run", call.runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: call.runId! } } })),
    enabled: call.runId !== null,
  });
  const heads = headsOf(call);
  const typed = JSON.stringify({
    ...askOf(call, digitsOf(run.data?.currency ?? me.currency)),
    person_id: call.person?.id ?? null,
    organization_id: payerOf(call).organization_id,
    names: heads > 1 ? namesOf(call) : [],
    received_on: call.received || null,
    exception: call.exception.trim() || null,
    held_place_id: call.heldId,
  });
  const wished = useSettled(typed, 120);
  const quote = useQuery({
    queryKey: ["quote", call.runId, call.keptId, wished],
    queryFn: () =>
      call.keptId !== null
        ? ask(api.GET("/api/v1/quotes/{quote_id}", { params: { path: { quote_id: call.keptId } } }))
        : ask(
            api.POST("/api/v1/runs/{run_id}/quote", {
              params: { path: { run_id: call.runId! } },
              body: JSON.parse(wished) as Schemas["QuoteCommand"],
            }),
          ),
    enabled: call.runId !== null,
    placeholderData: (old) => (old?.run_id === call.runId ? old : undefined),
    retry: false,
  });
  const settled = typed === wished && quote.data !== undefined && !quote.isPlaceholderData && !quote.error;
  const ready =
    call.person !== null &&
    settled &&
    (quote.data.can_enroll || (quote.data.can_wait && call.keptId === null)) &&
    !quote.data.names.some((n) => n.error) &&
    !(quote.data.details_needed && !quote.data.details && quote.data.can_enroll) &&
    (!run.data?.notice.text || run.data.notice.seen);
  const payers = [
    { value: "", text: "the learner" },
    ...[...new Map(soFar.filter((l) => l.payer.startsWith("p")).map((l) => [l.payer, l.payerName]))]
      .filter(([value]) => value !== `p${call.person?.id}`)
      .map(([value, name]) => ({ value, text: `${name}, of this call` })),
  ];
  const payer = useQuery({
    queryKey: ["organizations", "", Number(call.payer)],
    queryFn: () =>
      ask(api.GET("/api/v1/organizations", { params: { query: { include: Number(call.payer) } } })),
    enabled: /^\d+$/.test(call.payer),
  });
  const park = () => {
    if (!call.person && call.runId === null && !call.who.trim() && soFar.length === 0) return;
    const about = [call.person?.name ?? call.who.trim(), run.data?.title].filter(Boolean).join(", ");
    setParked((old) => [...old, { call, soFar, about: about || "a call", at: new Date().toISOString() }]);
    setCall(blank());
    setSoFar([]);
    setChanged(null);
    acts.say({ text: `Parked: ${about || "a call"}.` });
    focus(whoRef);
  };
  const takeUp = (n: number) => {
    const held = parked[n];
    if (!held) return;
    setParked((old) => old.filter((_, i) => i !== n));
    setCall({ ...blank(), ...held.call, key: newKey() });
    setSoFar(held.soFar);
    setChanged(null);
  };
  const done = (text: string, change: string, runId: number, enrollmentId: number | null) => {
    const line = {
      text,
      change,
      runId,
      enrollmentId,
      person: call.person!,
      run: run.data!.title,
      payer: call.payer || `p${call.person!.id}`,
      payerName: call.payer
        ? (payers.find((p) => p.value === call.payer)?.text ?? payer.data?.[0]?.name ?? "").replace(
            ", of this call",
            "",
          )
        : call.person!.name,
    };
    setSoFar((old) => [...old, line]);
    setCall(blank());
    setChanged(null);
    acts.say({ text, change, link: <Link to={`/runs/${runId}/roster`}>See the roster</Link> });
    focus(whoRef);
  };
  const enroll = async () => {
    if (!ready || !call.person || !quote.data || !run.data || busy) return;
    const asked = {
      ...askOf(call, digitsOf(run.data.currency)),
      run_id: quote.data.run_id,
      person_id: call.person.id,
      plan_id: quote.data.plan_id,
      ...payerOf(call),
      note: call.note,
      received_on: call.received || null,
      exception: call.exception.trim(),
      ...(call.mixed || call.agreed ? {} : { rate_id: quote.data.rate_id }),
    };
    const params = { header: { "Idempotency-Key": call.key } };
    setBusy(true);
    acts.say(null);
    try {
      if (quote.data.can_wait) {
        const lined = await ask(
          api.POST("/api/v1/waiting", { params, body: { ...asked, head_start: 0, answers: call.answers } }),
        );
        const said = `${lined.name} waits for ${run.data.title} as number ${lined.place} in line.`;
        done(said, lined.change, lined.run_id, null);
        return;
      }
      const total = changed?.now ?? quote.data.total;
      const held = await ask(
        api.POST("/api/v1/enrollments", {
          params,
          body: {
            ...asked,
            total,
            names: heads > 1 ? namesOf(call) : [],
            kept_quote_id: call.keptId,
            hold: call.hold,
            told: call.told,
            held_place_id: call.heldId,
          },
        }),
      );
      const now = money(held.quote.due_now, held.quote.currency);
      const seats = `${seatsOf(held.seat, held.heads)} of ${held.capacity}`;
      const until = held.held_until
        ? `; held until ${day(held.held_until, false)}, ${held.held_until.slice(11, 16)}, for the payment`
        : "";
      done(
        `${held.name} has ${seats} on ${run.data.title}; ${now} is due now${until}.`,
        held.change,
        held.run_id,
        held.enrollment_id,
      );
    } catch (error) {
      if (error instanceof ServerProblem && error.kind === "total-changed") {
        setChanged({ shown: String(error.extra.shown), now: String(error.extra.now) });
        setCall((old) => ({ ...old, key: newKey() }));
      } else acts.fail(messageOf(error));
      void quote.refetch();
    } finally {
      setBusy(false);
    }
  };
  const enrollRef = useRef(enroll);
  const parkRef = useRef(park);
  useEffect(() => {
    enrollRef.current = enroll;
    parkRef.current = park;
  });
  useEffect(() => {
    const keys = (e: KeyboardEvent) => {
      if (e.key === "F8") {
        e.preventDefault();
        parkRef.current();
      } else if (e.key === "Enter" && e.ctrlKey) {
        e.preventDefault();
        void enrollRef.current();
      } else if (e.key === "F4") {
        e.preventDefault();
        (whoRef.current ?? whatRef.current ?? termsRef.current)?.focus();
      }
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, []);

  /** Whoever is picked without saying that the call goes on is somebody else's call. */
  const begin = () => {
    if (!call.goesOn) setSoFar([]);
  };
  const people = call.who.trim() && !call.person ? (found.data ?? []) : [];
  const pickPerson = (key: string) => {
    if (key === "new") return set({ adding: true });
    const person = people.find((p) => String(p.id) === key) ?? null;
    begin();
    set({ person, adding: false });
    focus(call.runId === null ? whatRef : termsRef);
  };
  return (
    <Page
      title="Desk"
      margin={
        <>
          <News pulse={pulse} />
          <Parked parked={parked} onTake={takeUp} />
          {run.data && <Notice run={run.data} />}
          <DeskMargin
            call={call}
            run={run.data}
            quote={quote.data}
            quoteError={quote.error}
            changed={changed}
            acts={acts}
            ready={ready}
            busy={busy}
            onEnroll={() => void enroll()}
          />
          <CallSoFar
            lines={soFar}
            currency={me.currency}
            onAgain={(line) => {
              setCall({
                ...blank(),
                person: line.person,
                payer: line.payer === `p${line.person.id}` ? "" : line.payer,
                goesOn: true,
              });
              focus(whatRef);
            }}
            onOther={(line) => {
              setCall({ ...blank(), runId: line.runId, payer: line.payer, goesOn: true });
              focus(whoRef);
            }}
            onEnd={() => setSoFar([])}
          />
        </>
      }
    >
      <Title>
        <h1>Desk</h1>
        <KeysLine>
          <span>
            <kbd>Tab</kbd> next
          </span>
          <span>
            <kbd>↑</kbd> <kbd>↓</kbd> <kbd>Enter</kbd> pick
          </span>
          <span>
            <kbd>F4</kbd> who
          </span>
          <span>
            <kbd>F8</kbd> park
          </span>
          <span>
            <kbd>Ctrl Enter</kbd> enroll
          </span>
          <Button
            variant="text"
            color="secondary"
            onClick={() => (setCall(blank()), setSoFar([]), setChanged(null), focus(whoRef))}
          >
            new call
          </Button>
        </KeysLine>
      </Title>
      <DeskGrid>
        <section aria-labelledby="who" className="live">
          <h2 id="who">
            <Gatelet done={call.person !== null} /> Who
          </h2>
          {call.person ? (
            <Picked
              onChange={() => (set({ person: null, payer: "", keptId: null }), focus(whoRef))}
              what="the person"
            >
              <PersonLine person={call.person} />
            </Picked>
          ) : call.adding ? (
            <NewPerson
              typed={call.who}
              where={`desk-${call.id}`}
              onCancel={() => (set({ adding: false }), focus(whoRef))}
              onAdded={(person) => {
                begin();
                set({
                  person: { runs: 0, owed: null, credit: null, next_due: null, ...person },
                  adding: false,
                });
                focus(call.runId === null ? whatRef : termsRef);
              }}
            />
          ) : (
            <PickList
              label="Name, email or phone"
              placeholder="name, email or phone"
              typed={call.who}
              inputRef={whoRef}
              autoFocus
              busy={found.isFetching}
              fresh={
                who === call.who.trim() && !found.isPlaceholderData && (found.data !== undefined || !who)
              }
              onType={(who) => set({ who })}
              onPick={pickPerson}
              options={[
                ...people.map((p) => ({
                  key: String(p.id),
                  content: <PersonLine person={p} />,
                })),
                ...(call.who.trim()
                  ? [
                      {
                        key: "new",
                        content: (
                          <>
                            <u>New person</u> named “{call.who.trim()}”
                          </>
                        ),
                      },
                    ]
                  : []),
              ]}
              empty={
                <P tone="slate" sx={{ marginTop: 10 }}>
                  Type a part of the name. A run may also come first.
                </P>
              }
            />
          )}
          {call.person && (
            <Box sx={{ marginTop: 14 }}>
              <OrganizationPick
                label="Pays"
                value={call.payer}
                onChange={(payer) => set({ payer })}
                fixed={payers}
              />
            </Box>
          )}
          {call.person?.owed && (
            <Note kind="due" sx={{ marginTop: 14 }}>
              <p>
                <strong>Owes {money(call.person.owed, me.currency)}</strong>
                {call.person.next_due &&
                  `, the next ${money(call.person.next_due.amount, me.currency)} by ${day(call.person.next_due.due)}`}
                .
              </p>
            </Note>
          )}
        </section>

        <section aria-labelledby="what">
          <h2 id="what">
            <Gatelet done={call.runId !== null} /> What
          </h2>
          {call.runId !== null && run.data ? (
            <>
              <Picked onChange={() => (set({ ...FRESH, runId: null }), focus(whatRef))} what="the run">
                <RunLine run={run.data} />
              </Picked>
              {run.data.note && (
                <Note kind="wrong" sx={{ marginTop: 12 }}>
                  <p>
                    <strong>Note:</strong> {run.data.note}
                  </p>
                </Note>
              )}
            </>
          ) : (
            <PickList
              label="Course, run or place"
              placeholder="course, run or place"
              typed={call.what}
              inputRef={whatRef}
              busy={runs.isFetching}
              fresh={what === call.what.trim() && !runs.isPlaceholderData && runs.data !== undefined}
              onType={(what) => set({ what })}
              onPick={(key) => {
                set({ ...FRESH, runId: Number(key) });
                focus(call.person ? termsRef : whoRef);
              }}
              options={(runs.data?.items ?? []).map((r) => ({
                key: String(r.id),
                content: <RunLine run={r} />,
              }))}
              empty={
                runs.data && (
                  <P tone="slate" sx={{ marginTop: 10 }}>
                    {late ? "No published run fits." : "No published run that has not begun fits."}
                  </P>
                )
              }
            />
          )}
          {call.runId === null && (
            <Tick checked={late} onChange={(on) => setLate(on)}>
              also runs that have begun
            </Tick>
          )}
        </section>

        <Box component="section" aria-labelledby="terms" ref={termsRef} tabIndex={-1} sx={{ outline: 0 }}>
          <h2 id="terms">
            <Gatelet done={ready} /> Terms
          </h2>
          {run.data ? (
            <>
              {call.heldId !== null && (
                <Note>
                  From the places held without names.{" "}
                  <Button variant="text" type="button" onClick={() => set({ heldId: null })}>
                    not from them
                  </Button>
                </Note>
              )}
              {call.keptId !== null ? (
                <Note>
                  <p>
                    On the terms of the quote that was kept for {call.person?.name}, whatever became of the
                    fees since.
                  </p>
                  <Button variant="text" type="button" onClick={() => set({ keptId: null })}>
                    use today’s terms instead
                  </Button>
                </Note>
              ) : (
                <DeskTerms call={call} set={set} run={run.data} quote={quote.data} error={quote.error} />
              )}
            </>
          ) : (
            <P tone="slate">Pick a run; its fee and payment plan stand here.</P>
          )}
        </Box>
      </DeskGrid>
    </Page>
  );
}

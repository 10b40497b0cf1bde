import Button from "@mui/material/Button";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { Link, useSearchParams } from "react-router";

import { api, ask, messageOf, newKey, ServerProblem, type Schemas } from "../../app/server";
import { useKept, useSettled } from "../../app/session";
import { Arch, Gatelet } from "../../parts/Arch";
import { Choice } from "../../parts/Field";
import { DoneNote, Page } from "../../parts/Page";
import { PickList } from "../../parts/PickList";
import { Quote } from "../../parts/Quote";
import { nextText, Price, seatsText, smallestText, spanText, stateText } from "../../parts/RunFacts";
import { count, day, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { NewPerson } from "../people/NewPerson";

type Person = Schemas["PersonFound"];
type Run = Schemas["RunLine"];
type Call = {
  who: string;
  person: Person | null;
  adding: boolean;
  what: string;
  runId: number | null;
  payer: string;
  key: string;
};

const blank = (): Call => ({
  who: "",
  person: null,
  adding: false,
  what: "",
  runId: null,
  payer: "",
  key: newKey(),
});

/** The desk, for the phone call: who, what, terms from left to right, the quote in the margin. */
export default function Desk() {
  const [params, setParams] = useSearchParams();
  const [call, setCall] = useKept<Call>("desk-call", blank());
  const acts = useDone();
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
    setCall((old) => ({ ...old, runId: asked, what: "", key: newKey() }));
    setParams({}, { replace: true });
  }, [asked, setCall, setParams]);

  const found = useQuery({
    queryKey: ["people", useSettled(call.who.trim(), 120)],
    queryFn: ({ queryKey }) =>
      ask(api.GET("/api/v1/people", { params: { query: { q: queryKey[1] as string, limit: 5 } } })),
    enabled: call.who.trim().length > 0,
    placeholderData: keepPreviousData,
  });
  const runs = useQuery({
    queryKey: ["desk-runs", useSettled(call.what.trim(), 120)],
    queryFn: ({ queryKey }) =>
      ask(
        api.GET("/api/v1/runs", {
          params: { query: { q: queryKey[1] as string, teaching: "before", status: "published", limit: 6 } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
  const run = useQuery({
    queryKey: ["run", call.runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: call.runId! } } })),
    enabled: call.runId !== null,
  });
  const quote = useQuery({
    queryKey: ["quote", call.runId],
    queryFn: () => ask(api.GET("/api/v1/runs/{run_id}/quote", { params: { path: { run_id: call.runId! } } })),
    enabled: call.runId !== null,
  });
  const organizations = useQuery({
    queryKey: ["organizations"],
    queryFn: () => ask(api.GET("/api/v1/organizations")),
  });

  const ready = call.person !== null && quote.data !== undefined && quote.data.can_enroll;
  const enroll = async () => {
    if (!call.person || !quote.data || !run.data || busy) return;
    setBusy(true);
    acts.say(null);
    try {
      const result = await ask(
        api.POST("/api/v1/enrollments", {
          params: { header: { "Idempotency-Key": call.key } },
          body: {
            run_id: quote.data.run_id,
            person_id: call.person.id,
            total: changed?.now ?? quote.data.total,
            rate_id: quote.data.rate_id,
            plan_id: quote.data.plan_id,
            organization_id: call.payer ? Number(call.payer) : null,
          },
        }),
      );
      const now = result.quote.due_now;
      setCall(blank());
      setChanged(null);
      acts.say({
        text: `${result.name} has seat ${result.seat} of ${result.capacity} on ${run.data.title}; ${money(now, result.quote.currency)} is due now.`,
        change: result.change,
        link: <Link to={`/runs/${result.run_id}/roster`}>See the roster</Link>,
      });
      focus(whoRef);
    } catch (error) {
      if (error instanceof ServerProblem && error.kind === "total-changed") {
        setChanged({ shown: String(error.extra.shown), now: String(error.extra.now) });
        setCall((old) => ({ ...old, key: newKey() }));
        void quote.refetch();
      } else acts.fail(messageOf(error));
    } finally {
      setBusy(false);
    }
  };
  const enrollRef = useRef(enroll);
  useEffect(() => {
    enrollRef.current = enroll;
  });
  useEffect(() => {
    const keys = (e: KeyboardEvent) => {
      if (e.key === "Enter" && e.ctrlKey) {
        e.preventDefault();
        void enrollRef.current();
      } else if (e.key === "F2") {
        e.preventDefault();
        whoRef.current?.focus();
      }
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, []);

  const people = call.who.trim() && !call.person ? (found.data ?? []) : [];
  const pickPerson = (key: string) => {
    if (key === "new") return set({ adding: true });
    const person = people.find((p) => String(p.id) === key) ?? null;
    set({ person, adding: false });
    focus(call.runId === null ? whatRef : termsRef);
  };
  return (
    <Page
      title="Desk"
      margin={
        <Margin
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
      }
    >
      <div className="title">
        <h1>Desk</h1>
        <div className="keys">
          <span>
            <kbd>Tab</kbd> next
          </span>
          <span>
            <kbd>↑</kbd> <kbd>↓</kbd> <kbd>Enter</kbd> pick
          </span>
          <span>
            <kbd>F2</kbd> who
          </span>
          <span>
            <kbd>Ctrl Enter</kbd> enroll
          </span>
          <button
            className="plainly quiet"
            onClick={() => (setCall(blank()), setChanged(null), focus(whoRef))}
          >
            new call
          </button>
        </div>
      </div>
      <div className="desk">
        <section aria-labelledby="who">
          <h2 id="who">
            <Gatelet done={call.person !== null} /> Who
          </h2>
          {call.person ? (
            <Picked onChange={() => (set({ person: null, payer: "" }), focus(whoRef))} what="the person">
              <PersonLine person={call.person} />
            </Picked>
          ) : call.adding ? (
            <NewPerson
              typed={call.who}
              onCancel={() => (set({ adding: false }), focus(whoRef))}
              onAdded={(person) => {
                set({ person: { runs: 0, owed: null, next_due: null, ...person }, adding: false });
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
              onType={(who) => set({ who })}
              onPick={pickPerson}
              options={[
                ...people.map((p) => ({
                  key: String(p.id),
                  label: p.name,
                  content: <PersonLine person={p} />,
                })),
                ...(call.who.trim()
                  ? [
                      {
                        key: "new",
                        label: `New person named ${call.who.trim()}`,
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
                <p className="slate" style={{ marginTop: 10 }}>
                  Type a part of the name. A run may also come first.
                </p>
              }
            />
          )}
          {call.person && (
            <div style={{ marginTop: 14 }}>
              <Choice
                label="Pays"
                value={call.payer}
                onChange={(payer) => set({ payer })}
                options={[
                  { value: "", text: "the learner" },
                  ...(organizations.data ?? []).map((o) => ({ value: String(o.id), text: o.name })),
                ]}
              />
            </div>
          )}
          {call.person?.owed && (
            <div className="note due" style={{ marginTop: 14 }}>
              <p>
                <strong>Owes {money(call.person.owed, quote.data?.currency ?? "USD")}</strong>
                {call.person.next_due &&
                  `, the next ${money(call.person.next_due.amount, quote.data?.currency ?? "USD")} by ${day(call.person.next_due.due)}`}
                .
              </p>
            </div>
          )}
        </section>

        <section aria-labelledby="what">
          <h2 id="what">
            <Gatelet done={call.runId !== null} /> What
          </h2>
          {call.runId !== null && run.data ? (
            <Picked onChange={() => (set({ runId: null }), focus(whatRef))} what="the run">
              <RunLine run={run.data} />
            </Picked>
          ) : (
            <PickList
              label="Course, run or place"
              placeholder="course, run or place"
              typed={call.what}
              inputRef={whatRef}
              busy={runs.isFetching}
              onType={(what) => set({ what })}
              onPick={(key) => {
                set({ runId: Number(key) });
                focus(call.person ? termsRef : whoRef);
              }}
              options={(runs.data?.items ?? []).map((r) => ({
                key: String(r.id),
                label: `${r.title}, ${seatsText(r)}`,
                content: <RunLine run={r} />,
              }))}
              empty={
                runs.data && (
                  <p className="slate" style={{ marginTop: 10 }}>
                    No published run that has not begun fits.
                  </p>
                )
              }
            />
          )}
        </section>

        <section aria-labelledby="terms" ref={termsRef} tabIndex={-1} style={{ outline: 0 }}>
          <h2 id="terms">
            <Gatelet done={ready} /> Terms
          </h2>
          {run.data && quote.data ? (
            <>
              <div className="label">Rate</div>
              <div className="option picked" style={{ cursor: "default" }}>
                <div className="row" style={{ justifyContent: "space-between" }}>
                  <span>
                    {quote.data.lines[0]?.label}
                    {quote.data.lines[0]?.early ? ", early" : ""}
                  </span>
                  <strong>{money(quote.data.total, quote.data.currency)}</strong>
                </div>
              </div>
              <div className="label" style={{ marginTop: 14 }}>
                Payment plan
              </div>
              <div className="option picked" style={{ cursor: "default" }}>
                {run.data.plans[0]?.name}
                {run.data.plans[0]?.lines.map((l) => (
                  <div className="slate" key={l.text}>
                    {l.text}
                  </div>
                ))}
              </div>
            </>
          ) : (
            <p className="slate">Pick a run; its fee and payment plan stand here.</p>
          )}
        </section>
      </div>
    </Page>
  );
}

function Picked({ children, onChange, what }: { children: ReactNode; onChange: () => void; what: string }) {
  return (
    <div className="option picked" style={{ cursor: "default" }}>
      {children}
      <button className="plainly" aria-label={`Change ${what}`} onClick={onChange}>
        change
      </button>
    </div>
  );
}

function PersonLine({ person }: { person: Person }) {
  return (
    <>
      <div className="row" style={{ justifyContent: "space-between" }}>
        <strong>{person.name}</strong>
        <span className="slate nowrap">{person.runs ? count(person.runs, "run") : ""}</span>
      </div>
      <div className="slate">{person.email ?? "no email"}</div>
      <div className="slate">
        {person.phone}
        {person.owed && <span className="ochre"> owes {money(person.owed, "USD")}</span>}
      </div>
    </>
  );
}

function RunLine({ run }: { run: Run }) {
  return (
    <div className="row" style={{ justifyContent: "space-between" }}>
      <div className="grow">
        <strong>{run.title}</strong>
        <div className="slate">
          {spanText(run)}
          {run.next_meeting && `, ${run.next_meeting.start}`}
          {run.place && `, ${run.place}`}
        </div>
        <div className="slate">{nextText(run)}</div>
        <div>
          <span className={run.sign_up === "open" ? "" : "ochre strong"}>{stateText(run)}</span>
          <span className="slate">{run.smallest ? `; ${smallestText(run)}` : ""}</span>
        </div>
        <Price run={run} />
      </div>
      <div style={{ textAlign: "center", flex: "none" }}>
        <Arch taken={run.taken} capacity={run.capacity} smallest={run.smallest} />
        <div className="strong nowrap">{seatsText(run)}</div>
      </div>
    </div>
  );
}

function Margin({
  call,
  run,
  quote,
  quoteError,
  changed,
  acts,
  ready,
  busy,
  onEnroll,
}: {
  call: Call;
  run?: Schemas["RunOut"];
  quote?: Schemas["RunQuote"];
  quoteError: unknown;
  changed: { shown: string; now: string } | null;
  acts: ReturnType<typeof useDone>;
  ready: boolean;
  busy: boolean;
  onEnroll: () => void;
}) {
  return (
    <>
      {acts.trouble && (
        <div className="note wrong" role="alert">
          {acts.trouble}
        </div>
      )}
      {acts.done && <DoneNote done={acts.done} onUndo={acts.undo} busy={acts.busy} />}
      {quoteError !== null && quoteError !== undefined && (
        <div className="note wrong">{messageOf(quoteError)}</div>
      )}
      {run && quote ? (
        <section>
          <h2>{call.person ? `Quote for ${call.person.name}` : "Quote"}</h2>
          {changed && (
            <div className="note due" role="alert">
              <p>
                The total was {money(changed.shown, quote.currency)} when it was shown and is{" "}
                <strong>{money(changed.now, quote.currency)}</strong> now. Nothing was written.
              </p>
            </div>
          )}
          <Quote quote={quote} />
          {!quote.can_enroll && <p className="fault">{quote.why}</p>}
          <Button
            variant="contained"
            fullWidth
            disabled={!ready || busy}
            onClick={onEnroll}
            style={{ marginTop: 8 }}
          >
            {changed
              ? `Enroll at ${money(changed.now, quote.currency)}`
              : quote.seat
                ? `Enroll, seat ${quote.seat} of ${quote.capacity}`
                : "No seat"}
          </Button>
          {!call.person && quote.can_enroll && <p className="slate">Pick who it is for.</p>}
        </section>
      ) : (
        <section>
          <h2>Quote</h2>
          <p className="slate">
            The price with every line’s reason, and what is due when, stand here as soon as a run is picked.
          </p>
        </section>
      )}
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type RefObject, useState } from "react";

import { messageOf, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { OrganizationNew } from "../../form/OrganizationNew";
import { OrganizationPick } from "../../form/OrganizationPick";
import { PickList } from "../../form/PickList";
import { Tick } from "../../form/Tick";
import { Note, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import { P } from "../../parts/words";
import { NewPerson } from "../people/NewPerson";
import type { Call, DeskEvent, Person } from "./deskCall";
import { PersonLine, PersonPick } from "../people/PersonPick";
import { Picked, RunLine } from "./DeskParts";
import { DeskTerms } from "./DeskTerms";
import { usePeople, useRuns } from "./useDesk";

type Column = {
  call: Call;
  tell: (event: DeskEvent) => void;
  field: RefObject<HTMLInputElement | null>;
  /** Takes the focus to what comes next, once somebody or something is picked. */
  next: () => void;
  back: () => void;
};

/** Who the seat is for, and who pays. */
export function Who({
  call,
  tell,
  field,
  next,
  back,
  payers,
}: Column & { payers: { value: string; text: string }[] }) {
  const pick = (person: Person) => {
    tell({ type: "picked a person", person });
    next();
  };
  const say = (change: Partial<Call>) => tell({ type: "said", change });
  return (
    <>
      {call.person ? (
        <Picked onChange={() => (say({ person: null, payer: "", keptId: null }), back())} what="the person">
          <PersonLine person={call.person} />
        </Picked>
      ) : call.adding ? (
        <NewPerson
          typed={call.who}
          where={`desk-${call.id}`}
          onCancel={() => (say({ adding: false }), back())}
          onAdded={(person) => pick({ runs: 0, owed: null, credit: null, next_due: null, ...person })}
        />
      ) : (
        <FindPerson call={call} field={field} say={say} pick={pick} />
      )}
      {call.person && (
        <>
          <Box sx={{ marginTop: 14 }}>
            <Payer call={call} say={say} payers={payers} />
          </Box>
          <Owes person={call.person} />
        </>
      )}
    </>
  );
}

/** Who pays: the learner, an organization, somebody of this call, or somebody else who takes no seat; made on the spot. */
function Payer({
  call,
  say,
  payers,
}: {
  call: Call;
  say: (change: Partial<Call>) => void;
  payers: { value: string; text: string }[];
}) {
  const [open, setOpen] = useState<"person" | "organization" | null>(null);
  const take = (payer: string) => {
    say({ payer });
    setOpen(null);
  };
  if (open === "organization")
    return (
      <OrganizationNew
        draft={`desk-payer-${call.id}`}
        onMade={(id) => take(String(id))}
        onLeave={() => setOpen(null)}
      />
    );
  if (open === "person")
    return (
      <PersonPick
        label="Who pays"
        adds={`desk-payer-${call.id}`}
        not={call.person?.id}
        onPick={(id) => take(`p${id}`)}
        onLeave={() => setOpen(null)}
        leave="the learner pays after all"
      />
    );
  return (
    <>
      <OrganizationPick label="Pays" value={call.payer} onChange={(payer) => say({ payer })} fixed={payers} />
      <Row wrap sx={{ gap: 14, marginTop: 4 }}>
        <Button variant="text" color="secondary" onClick={() => setOpen("person")}>
          somebody else pays
        </Button>
        <Button variant="text" color="secondary" onClick={() => setOpen("organization")}>
          a new organization
        </Button>
      </Row>
    </>
  );
}

function FindPerson({
  call,
  field,
  say,
  pick,
}: {
  call: Call;
  field: RefObject<HTMLInputElement | null>;
  say: (change: Partial<Call>) => void;
  pick: (person: Person) => void;
}) {
  const { people, fresh, busy, error } = usePeople(call);
  const typed = call.who.trim();
  return (
    <PickList
      label="Name, email or phone"
      placeholder="name, email or phone"
      typed={call.who}
      inputRef={field}
      autoFocus
      busy={busy}
      fresh={fresh}
      trouble={error ? messageOf(error) : undefined}
      onType={(who) => say({ who })}
      onPick={(key) => {
        const person = people.find((p) => String(p.id) === key);
        if (person) pick(person);
        else if (key === "new") say({ adding: true });
      }}
      options={[
        ...people.map((p) => ({ key: String(p.id), content: <PersonLine person={p} /> })),
        ...(typed
          ? [
              {
                key: "new",
                content: (
                  <>
                    <u>New person</u> named “{typed}”
                  </>
                ),
              },
            ]
          : []),
      ]}
      empty={
        <P tone="slate" sx={{ marginTop: 10 }}>
          Type the beginning of a name. A run may also come first.
        </P>
      }
    />
  );
}

function Owes({ person }: { person: Person }) {
  const { currency } = useMe();
  if (!person.owed) return null;
  return (
    <Note kind="due" sx={{ marginTop: 14 }}>
      <p>
        <strong>Owes {money(person.owed, currency)}</strong>
        {person.next_due &&
          `, the next ${money(person.next_due.amount, currency)} by ${day(person.next_due.due)}`}
        .
      </p>
    </Note>
  );
}

/** Which run it is about. */
export function What({ call, tell, field, next, back, run }: Column & { run?: Schemas["RunOut"] }) {
  const [late, setLate] = useState(false);
  const { runs, fresh, busy, error } = useRuns(call, late);
  const say = (change: Partial<Call>) => tell({ type: "said", change });
  if (call.runId !== null && run)
    return (
      <>
        <Picked onChange={() => (tell({ type: "left the run" }), back())} what="the run">
          <RunLine run={run} />
        </Picked>
        {run.note && (
          <Note kind="wrong" sx={{ marginTop: 12 }}>
            <p>
              <strong>Note:</strong> {run.note}
            </p>
          </Note>
        )}
      </>
    );
  return (
    <>
      <PickList
        label="Course, run or place"
        placeholder="course, run or place"
        typed={call.what}
        inputRef={field}
        busy={busy}
        fresh={fresh}
        trouble={error ? messageOf(error) : undefined}
        onType={(what) => say({ what })}
        onPick={(key) => {
          tell({ type: "picked a run", run: Number(key) });
          next();
        }}
        options={(runs ?? []).map((r) => ({ key: String(r.id), content: <RunLine run={r} /> }))}
        empty={
          runs && (
            <P tone="slate" sx={{ marginTop: 10 }}>
              {late ? "No published run fits." : "No published run that has not begun fits."}
            </P>
          )
        }
      />
      <Tick checked={late} onChange={setLate}>
        also runs that have begun
      </Tick>
    </>
  );
}

/** On which terms: those of a kept quote, or rate, heads, extras, code and plan of today. */
export function Terms({
  call,
  tell,
  run,
  quote,
  error,
}: {
  call: Call;
  tell: (event: DeskEvent) => void;
  run?: Schemas["RunOut"];
  quote?: Schemas["RunQuoteView"];
  error: unknown;
}) {
  const say = (change: Partial<Call>) => tell({ type: "said", change });
  if (!run) return <P tone="slate">Pick a run; its fee and payment plan stand here.</P>;
  return (
    <>
      {call.heldId !== null && (
        <Note>
          From the places held without names.{" "}
          <Button variant="text" onClick={() => say({ heldId: null })}>
            not from them
          </Button>
        </Note>
      )}
      {call.keptId !== null ? (
        <Note>
          <p>
            On the terms of the quote that was kept for {call.person?.name}, whatever became of the fees
            since.
          </p>
          <Button variant="text" onClick={() => say({ keptId: null })}>
            use today’s terms instead
          </Button>
        </Note>
      ) : (
        <DeskTerms call={call} set={say} run={run} quote={quote} error={error} />
      )}
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, keyHeader, type Schemas } from "../../app/server";
import { useKept, useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { ActList, Note, Row } from "../../parts/layout";
import { count } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";
import { Tell } from "./Chosen";
import { useAct } from "../../form/useAct";
import { PersonPick } from "../people/PersonPick";

type Acts = ReturnType<typeof useDone>;
type Open = "tell" | "role" | "compare" | null;

/** What can be done with the whole roster: write to all, papers, others than learners, another list beside it. */
export function RosterActs({ run, acts }: { run: Schemas["RunOut"]; acts: Acts }) {
  const [open, setOpen] = useState<Open>(null);
  const close = () => setOpen(null);
  const [remarks, setRemarks] = useState(false);
  const [health, setHealth] = useState(false);
  const paper = (kind: string) => `/api/v1/runs/${run.id}/papers/${kind}?remarks=${remarks}&health=${health}`;
  return (
    <section aria-label="The whole roster">
      <h2>The whole roster</h2>
      {open === null && (
        <ActList>
          <li>
            <Button variant="text" onClick={() => setOpen("tell")}>
              write to everybody on it
            </Button>
          </li>
          <li>
            <Button variant="text" onClick={() => setOpen("role")}>
              add an assistant, instructor or observer
            </Button>
          </li>
          <li>
            <Button variant="text" onClick={() => setOpen("compare")}>
              compare it with another list
            </Button>
          </li>
          <li className="links">
            <a href={paper("roster.csv")} download>
              CSV
            </a>{" "}
            <a href={paper("roster.xlsx")} download>
              XLSX
            </a>{" "}
            <a href={paper("contacts.pdf")} target="_blank" rel="noreferrer">
              contact list
            </a>{" "}
            <a href={paper("badges.pdf")} target="_blank" rel="noreferrer">
              badges
            </a>{" "}
            <a href={paper("sign-in.pdf")} target="_blank" rel="noreferrer">
              sign-in sheets
            </a>
          </li>
          <li>
            <Tick checked={remarks} onChange={setRemarks}>
              with notes
            </Tick>
            <Tick checked={health} onChange={setHealth}>
              with remarks on health
            </Tick>
          </li>
          <li className="links">
            <Link to={`/interest?run=${run.id}`}>interest list</Link>
          </li>
        </ActList>
      )}
      {open === "tell" && <Tell run={run} ids={null} acts={acts} onClose={close} onDone={close} />}
      {open === "role" && <AddRole run={run} acts={acts} onClose={close} />}
      {open === "compare" && <Compare run={run} onClose={close} />}
    </section>
  );
}

const ROLES = ["assistant", "observer", "instructor"];

function AddRole({ run, acts, onClose }: { run: Schemas["RunOut"]; acts: Acts; onClose: () => void }) {
  const me = useMe();
  const [role, setRole] = useState<Schemas["Role"]>(run.usual_role);
  const adding = useAct({
    send: (person_id: number, key) =>
      ask(
        api.POST("/api/v1/runs/{run_id}/roles", {
          params: { path: { run_id: run.id }, header: keyHeader(key) },
          body: { person_id, role },
        }),
      ),
    done: (done) => {
      acts.say({ text: `${done.name} is ${done.role} on ${run.code}.`, change: done.change });
      onClose();
    },
    failed: acts.fail,
  });
  return (
    <Note>
      <Choice
        label="As"
        value={role}
        onChange={(r) => setRole(r as Schemas["Role"])}
        options={ROLES.filter((r) => r !== "instructor" || me.rights.includes("add instructors")).map(
          (r) => ({
            value: r,
            text: r,
          }),
        )}
      />
      <P tone="slate">Takes no seat and pays nothing.</P>
      <PersonPick
        label="Who"
        adds={`role-${run.id}`}
        onPick={(id) => void adding.act(id)}
        onLeave={onClose}
      />
    </Note>
  );
}

function Compare({ run, onClose }: { run: Schemas["RunOut"]; onClose: () => void }) {
  const [found, setFound] = useState<Schemas["RosterCompared"] | null>(null);
  const [compared, setCompared] = useKept(`compared-${run.id}`, "");
  const of = useServerForm({
    draft: `compare-${run.id}`,
    start: { text: compared },
    send: (body) =>
      ask(api.POST("/api/v1/runs/{run_id}/compare", { params: { path: { run_id: run.id } }, body })),
    done: (answer, { text }) => {
      setFound(answer);
      setCompared(text);
    },
  });
  return (
    <Form look="done" of={of} onLeave={onClose}>
      <Field label="Names or emails, one a line" {...of.field("text")} multiline autoFocus />
      <Row mid sx={{ marginTop: 8 }}>
        <Button type="submit" variant="contained">
          Compare
        </Button>
        <Button variant="text" onClick={onClose}>
          close
        </Button>
      </Row>
      {found && (
        <Box role="status" sx={{ marginTop: 10 }}>
          <p>{count(found.both, "person is", "people are")} on both.</p>
          <P strong>{found.without.length} on the roster only</P>
          {found.without.map((p) => (
            <div key={p.person_id}>
              <Link to={`/people/${p.person_id}`}>{p.name}</Link> <T tone="slate">came in by {p.way_in}</T>
            </div>
          ))}
          <P strong>{found.missing.length} on the list only</P>
          {found.missing.slice(0, 200).map((line) => (
            <div key={line}>{line}</div>
          ))}
        </Box>
      )}
    </Form>
  );
}

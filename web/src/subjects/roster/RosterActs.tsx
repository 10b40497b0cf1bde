import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, faultsOf, messageOf, newKey, type Schemas } from "../../app/server";
import { useKept, useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../parts/Field";
import { PickList } from "../../parts/PickList";
import { count } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { Tell } from "./Chosen";
import { PersonLine } from "./DeskParts";

type Acts = ReturnType<typeof useDone>;
type Open = "tell" | "role" | "compare" | null;

/** What can be done with the whole roster: write to all, papers, others than learners, another list beside it. */
export function RosterActs({ run, acts }: { run: Schemas["RunOut"]; acts: Acts }) {
  const [open, setOpen] = useState<Open>(null);
  const close = () => setOpen(null);
  const [remarks, setRemarks] = useState(false);
  const paper = (kind: string) => `/api/v1/runs/${run.id}/papers/${kind}?remarks=${remarks}`;
  return (
    <section aria-label="The whole roster">
      <h2>The whole roster</h2>
      {open === null && (
        <ul className="actlist">
          <li>
            <button className="plainly" onClick={() => setOpen("tell")}>
              write to everybody on it
            </button>
          </li>
          <li>
            <button className="plainly" onClick={() => setOpen("role")}>
              add an assistant, instructor or observer
            </button>
          </li>
          <li>
            <button className="plainly" onClick={() => setOpen("compare")}>
              compare it with another list
            </button>
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
            <label className="tick">
              <input type="checkbox" checked={remarks} onChange={(e) => setRemarks(e.target.checked)} />
              with remarks
            </label>
          </li>
          <li className="links">
            <Link to={`/interest?run=${run.id}`}>interest list</Link>
          </li>
        </ul>
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
  const [role, setRole] = useState<Schemas["Role"]>("assistant");
  const [typed, setTyped] = useState("");
  const [key, setKey] = useState(newKey);
  const q = useSettled(typed.trim(), 120);
  const found = useQuery({
    queryKey: ["people", q],
    queryFn: () => ask(api.GET("/api/v1/people", { params: { query: { q, limit: 5 } } })),
    enabled: q.length > 0,
  });
  const add = async (person_id: number) => {
    try {
      const done = await ask(
        api.POST("/api/v1/runs/{run_id}/roles", {
          params: { path: { run_id: run.id }, header: { "Idempotency-Key": key } },
          body: { person_id, role },
        }),
      );
      acts.say({ text: `${done.name} is ${done.role} on ${run.code}.`, change: done.change });
      onClose();
    } catch (error) {
      acts.fail(messageOf(error));
      setKey(newKey());
    }
  };
  return (
    <div className="note">
      <Choice
        label="As"
        value={role}
        onChange={(r) => setRole(r as Schemas["Role"])}
        options={ROLES.filter((r) => r !== "instructor" || me.role === "administrator").map((r) => ({
          value: r,
          text: r,
        }))}
      />
      <p className="slate">Takes no seat and pays nothing.</p>
      <PickList
        label="Who"
        placeholder="name, email or phone"
        typed={typed}
        onType={setTyped}
        autoFocus
        fresh={q === typed.trim() && (found.data !== undefined || !q)}
        onPick={(id) => void add(Number(id))}
        options={(q ? (found.data ?? []) : []).map((p) => ({
          key: String(p.id),
          content: <PersonLine person={p} />,
        }))}
      />
      <button className="plainly" onClick={onClose}>
        leave it
      </button>
    </div>
  );
}

function Compare({ run, onClose }: { run: Schemas["RunOut"]; onClose: () => void }) {
  const [text, setText] = useKept(`compare-${run.id}`, "");
  const [found, setFound] = useState<Schemas["RosterCompared"] | null>(null);
  const [fault, setFault] = useState("");
  const compare = async () => {
    try {
      setFound(
        await ask(
          api.POST("/api/v1/runs/{run_id}/compare", {
            params: { path: { run_id: run.id } },
            body: { text },
          }),
        ),
      );
      setFault("");
    } catch (error) {
      setFault(Object.values(faultsOf(error))[0] ?? messageOf(error));
    }
  };
  return (
    <form
      className="note"
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void compare();
      }}
    >
      <Field
        label="Names or emails, one a line"
        value={text}
        onChange={setText}
        multiline
        autoFocus
        fault={fault}
      />
      <div className="row mid" style={{ marginTop: 8 }}>
        <Button type="submit" variant="contained">
          Compare
        </Button>
        <button type="button" className="plainly" onClick={onClose}>
          close
        </button>
      </div>
      {found && (
        <div role="status" style={{ marginTop: 10 }}>
          <p>{count(found.both, "person is", "people are")} on both.</p>
          <p className="strong">{found.without.length} on the roster only</p>
          {found.without.map((p) => (
            <div key={p.person_id}>
              <Link to={`/people/${p.person_id}`}>{p.name}</Link>{" "}
              <span className="slate">came in by {p.way_in}</span>
            </div>
          ))}
          <p className="strong">{found.missing.length} on the list only</p>
          {found.missing.slice(0, 200).map((line) => (
            <div key={line}>{line}</div>
          ))}
        </div>
      )}
    </form>
  );
}

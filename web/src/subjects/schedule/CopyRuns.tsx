import Button from "@mui/material/Button";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import {
  api,
  ask,
  asTyped,
  faultsOf,
  keyHeader,
  messageOf,
  newKey,
  type Typed,
  type Schemas,
} from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { ClashList } from "../../parts/ClashList";
import { Choice, Field } from "../../parts/Field";
import { ActNotes, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { whole } from "../courses/form";
import { addDays } from "./plan";
import { PlannerTabs } from "./PlannerTabs";

/** Copy a run, a course's runs or a season to new dates: old and new side by side, and what is left behind. */
export default function CopyRuns() {
  const me = useMe();
  const queries = useQueryClient();
  const acts = useDone();
  const [params] = useSearchParams();
  const runId = Number(params.get("run")) || null;
  const [what, setWhat] = useState(runId ? "run" : "season");
  const [form, setForm] = useState({
    first: "",
    weeks: "52",
    course: "",
    since: addDays(me.today, -90),
    until: addDays(me.today, 90),
  });
  const [key, setKey] = useState(newKey);
  const [made, setMade] = useState<Schemas["Copied"] | null>(null);
  const courses = useQuery({ queryKey: ["courses"], queryFn: () => ask(api.GET("/api/v1/courses")) });
  const body: Typed<Schemas["CopyCommand"]> | null =
    what === "run"
      ? runId && form.first
        ? { runs: [{ id: runId, first: form.first }] }
        : null
      : what === "course"
        ? form.course
          ? { course_id: Number(form.course), weeks: whole(form.weeks) }
          : null
        : { since: form.since || null, until: form.until || null, weeks: whole(form.weeks) };
  const settled = useSettled(body);
  const preview = useQuery({
    queryKey: ["copies", settled],
    queryFn: () =>
      ask(
        api.POST("/api/v1/copies", {
          body: asTyped<"CopyCommand">(settled!),
          params: { query: { preview: true } },
        }),
      ),
    enabled: settled !== null && made === null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const faults = faultsOf(preview.error);
  const runs = made?.runs ?? (settled && !preview.error ? preview.data?.runs : undefined) ?? [];
  const save = async () => {
    if (!body) return;
    try {
      const done = await ask(
        api.POST("/api/v1/copies", {
          body: asTyped<"CopyCommand">(body),
          params: { query: { preview: false }, header: keyHeader(key) },
        }),
      );
      setMade(done);
      setKey(newKey());
      acts.say({ text: `${count(done.runs.length, "run")} copied as drafts.`, change: done.change });
      void queries.invalidateQueries({ queryKey: ["runs"] });
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  const set = (change: Partial<typeof form>) => {
    setMade(null);
    setForm({ ...form, ...change });
  };
  return (
    <Page
      title="Copy runs"
      margin={
        <>
          <ActNotes acts={acts} />
          <section aria-live="polite">
            <h2>{runs.length ? count(runs.length, "run") : "To be copied"}</h2>
            <p className="slate">
              Meetings, gates, prices and plans move by the same shift, weekdays stay. Every copy is a draft.
            </p>
            {runs.length > 0 && (
              <dl className="facts">
                <dt>Meetings</dt>
                <dd>{runs.reduce((n, r) => n + r.after.length, 0)}</dd>
                <dt>Dates lost to closed days</dt>
                <dd>{runs.reduce((n, r) => n + r.dropped.length, 0)}</dd>
                <dt>Runs with clashes</dt>
                <dd>{runs.filter((r) => r.clashes.length).length}</dd>
              </dl>
            )}
            {!made && (
              <p style={{ marginTop: 10 }}>
                <Button
                  variant="contained"
                  fullWidth
                  disabled={runs.length === 0 || preview.isFetching}
                  onClick={() => void save()}
                >
                  Copy as drafts
                </Button>
              </p>
            )}
          </section>
        </>
      }
    >
      <PlannerTabs />
      <h1 style={{ margin: "12px 0 10px" }}>Copy to new dates</h1>
      <div className="row wrap" style={{ marginBottom: 16 }}>
        <Choice
          label="What to copy"
          width={180}
          value={what}
          onChange={(v) => {
            setMade(null);
            setWhat(v);
          }}
          options={[
            ...(runId ? [{ value: "run", text: "this run" }] : []),
            { value: "course", text: "a course’s runs" },
            { value: "season", text: "a season’s runs" },
          ]}
        />
        {what === "run" && (
          <Field
            label="New first date"
            type="date"
            width={170}
            value={form.first}
            onChange={(first) => set({ first })}
            fault={faults["/runs/0/first"] ?? faults["/first"]}
            help="on or after it, on the run’s own weekday"
            autoFocus
          />
        )}
        {what === "course" && (
          <Choice
            label="Course"
            width={280}
            value={form.course}
            onChange={(course) => set({ course })}
            options={[
              { value: "", text: "which course?" },
              ...(courses.data ?? []).map((c) => ({ value: String(c.id), text: c.title })),
            ]}
          />
        )}
        {what === "season" && (
          <>
            <Field
              label="Beginning from"
              type="date"
              width={160}
              value={form.since}
              onChange={(since) => set({ since })}
              fault={faults["/since"]}
            />
            <Field
              label="through"
              type="date"
              width={160}
              value={form.until}
              onChange={(until) => set({ until })}
              fault={faults["/until"]}
            />
          </>
        )}
        {what !== "run" && (
          <Field
            label="Weeks later"
            width={110}
            value={form.weeks}
            onChange={(weeks) => set({ weeks })}
            fault={faults["/weeks"]}
            help={form.weeks === "52" ? "the same weekdays a year on" : undefined}
          />
        )}
      </div>
      {preview.error && !made && <p className="fault">{messageOf(preview.error)}</p>}
      {runs.map((r) => (
        <section key={r.from_id} className="copied">
          <h2>
            {r.title}{" "}
            <span className="slate">
              {r.code} → {made ? <Link to={`/runs/${r.run_id}`}>{r.new_code}</Link> : r.new_code}
            </span>
          </h2>
          <div className="sides">
            <Side title="Now" dates={r.before} />
            <Side title="Copy" dates={r.after} />
            <div>
              {r.dropped.map((d) => (
                <p key={d} className="ochre">
                  {d}
                </p>
              ))}
              <ClashList clashes={r.clashes} />
              {r.left_behind.length > 0 && <p className="slate">Left behind: {r.left_behind.join("; ")}.</p>}
              {r.gates.map((g) => (
                <div key={g.label} className="slate">
                  {g.label}: {day(g.day)}
                </div>
              ))}
            </div>
          </div>
        </section>
      ))}
      {runs.length === 0 && !preview.error && (
        <p className="empty">
          Give a date, and the copy stands here beside what it is copied from, before anything is saved.
        </p>
      )}
    </Page>
  );
}

function Side({ title, dates }: { title: string; dates: string[] }) {
  return (
    <div>
      <div className="slate">{title}</div>
      {dates.map((d, i) => (
        <div key={i} className="nowrap">
          {day(d)} <span className="slate">{clock(d)}</span>
        </div>
      ))}
      {dates.length === 0 && <div className="slate">no meetings</div>}
    </div>
  );
}

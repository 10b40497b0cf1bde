import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import {
  $api,
  api,
  ask,
  asTyped,
  faultsOf,
  keyHeader,
  messageOf,
  newKey,
  type Schemas,
  type Typed,
} from "../../app/server";
import { useMe, useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { ClashList } from "../../parts/ClashList";
import { addDays } from "../../parts/dates";
import { Facts, Row } from "../../parts/layout";
import { ActNotes, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Fault, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { whole } from "../courses/form";
import { PlannerTabs } from "./PlannerTabs";

const Copied = styled("section")({
  borderTop: `1px solid ${ink.line}`,
  padding: "14px 0",
  "& .sides": { display: "grid", gridTemplateColumns: "210px 210px minmax(0, 1fr)", gap: 20, marginTop: 8 },
});

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
  const courses = $api.useQuery("get", "/api/v1/courses");
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
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/runs"] });
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
            <P tone="slate">
              Meetings, gates, prices and plans move by the same shift, weekdays stay. Every copy is a draft.
            </P>
            {runs.length > 0 && (
              <Facts>
                <dt>Meetings</dt>
                <dd>{runs.reduce((n, r) => n + r.after.length, 0)}</dd>
                <dt>Dates lost to closed days</dt>
                <dd>{runs.reduce((n, r) => n + r.dropped.length, 0)}</dd>
                <dt>Runs with clashes</dt>
                <dd>{runs.filter((r) => r.clashes.length).length}</dd>
              </Facts>
            )}
            {!made && (
              <P sx={{ marginTop: 10 }}>
                <Button
                  variant="contained"
                  fullWidth
                  disabled={runs.length === 0 || preview.isFetching}
                  onClick={() => void save()}
                >
                  Copy as drafts
                </Button>
              </P>
            )}
          </section>
        </>
      }
    >
      <PlannerTabs />
      <Box component="h1" sx={{ margin: "12px 0 10px" }}>
        Copy to new dates
      </Box>
      <Row wrap sx={{ marginBottom: 16 }}>
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
      </Row>
      {preview.error && !made && <Fault as="p">{messageOf(preview.error)}</Fault>}
      {runs.map((r) => (
        <Copied key={r.from_id}>
          <h2>
            {r.title}{" "}
            <T tone="slate">
              {r.code} → {made ? <Link to={`/runs/${r.run_id}`}>{r.new_code}</Link> : r.new_code}
            </T>
          </h2>
          <div className="sides">
            <Side title="Now" dates={r.before} />
            <Side title="Copy" dates={r.after} />
            <div>
              {r.dropped.map((d) => (
                <P tone="ochre" key={d}>
                  {d}
                </P>
              ))}
              <ClashList clashes={r.clashes} />
              {r.left_behind.length > 0 && <P tone="slate">Left behind: {r.left_behind.join("; ")}.</P>}
              {r.gates.map((g) => (
                <T tone="slate" as="div" key={g.label}>
                  {g.label}: {day(g.day)}
                </T>
              ))}
            </div>
          </div>
        </Copied>
      ))}
      {runs.length === 0 && !preview.error && (
        <Empty as="p">
          Give a date, and the copy stands here beside what it is copied from, before anything is saved.
        </Empty>
      )}
    </Page>
  );
}

function Side({ title, dates }: { title: string; dates: string[] }) {
  return (
    <div>
      <T tone="slate" as="div">
        {title}
      </T>
      {dates.map((d, i) => (
        <T nowrap as="div" key={i}>
          {day(d)} <T tone="slate">{clock(d)}</T>
        </T>
      ))}
      {dates.length === 0 && (
        <T tone="slate" as="div">
          no meetings
        </T>
      )}
    </div>
  );
}

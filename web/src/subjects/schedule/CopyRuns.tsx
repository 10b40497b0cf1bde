import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
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
  type Schemas,
  type Typed,
} from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Named, useNames } from "../../form/Named";
import { useForeseen } from "../../form/useForeseen";
import { ClashList } from "../../parts/ClashList";
import { addDays } from "../../parts/dates";
import { Facts, Row } from "../../parts/layout";
import { ActNotes, Page } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Fault, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { whole } from "../courses/form";
import { Weekdays } from "./PatternFields";
import { PlannerTabs } from "./PlannerTabs";

const Copied = styled("section")({
  borderTop: `1px solid ${ink.line}`,
  padding: "14px 0",
  "& .sides": { display: "grid", gridTemplateColumns: "210px 210px minmax(0, 1fr)", gap: 20, marginTop: 8 },
});

type What = "run" | "course" | "season";
type Other = {
  weekdays: string[];
  every: string;
  count: string;
  start: string;
  minutes: string;
  place: string;
  instructor: string;
};
type Given = {
  first: string;
  weeks: string;
  course: string;
  since: string;
  until: string;
  /** What is other in the copy of one run; empty is as it was. */
  other: Other;
};
const AS_IT_WAS: Other = {
  weekdays: [],
  every: "",
  count: "",
  start: "",
  minutes: "",
  place: "",
  instructor: "",
};

/** What is to be copied, as far as it is said; null as long as something is missing. */
function commandOf(what: What, runId: number | null, given: Given): Typed<Schemas["CopyCommand"]> | null {
  const weeks = whole(given.weeks);
  if (what === "season") return { since: given.since || null, until: given.until || null, weeks };
  if (what === "course") return given.course ? { course_id: Number(given.course), weeks } : null;
  if (!runId || !given.first) return null;
  const { other } = given;
  const said = {
    ...(other.weekdays.length ? { weekdays: other.weekdays } : {}),
    ...(other.every.trim() ? { every_weeks: whole(other.every) } : {}),
    ...(other.count.trim() ? { count: whole(other.count) } : {}),
    ...(other.start ? { start: other.start } : {}),
    ...(other.minutes.trim() ? { minutes: whole(other.minutes) } : {}),
    ...(other.place.trim() ? { place: other.place.trim() } : {}),
    ...(other.instructor.trim() ? { instructor: other.instructor.trim() } : {}),
  };
  return {
    runs: [{ id: runId, first: given.first }],
    ...(Object.keys(said).length ? { changes: said } : {}),
  };
}

/** What copying would make, as it is typed, and the copies once they are made. */
function useCopies(wish: Typed<Schemas["CopyCommand"]> | null, acts: ReturnType<typeof useDone>) {
  const [made, setMade] = useState<Schemas["Copied"] | null>(null);
  const copies = (body: Typed<Schemas["CopyCommand"]>, preview: boolean, key?: string) =>
    ask(
      api.POST("/api/v1/copies", {
        body: asTyped<"CopyCommand">(body),
        params: { query: { preview }, header: key ? keyHeader(key) : {} },
      }),
    );
  const foreseen = useForeseen({
    name: ["copies"],
    wish: made ? null : wish,
    see: (body) => copies(body, true),
    send: (body, key) => copies(body, false, key),
    done: (done) => {
      setMade(done);
      acts.say({ text: `${count(done.runs.length, "run")} copied as drafts.`, change: done.change });
    },
  });
  return {
    runs: (made ?? foreseen.preview)?.runs ?? [],
    made: made !== null,
    error: foreseen.trouble,
    ready: foreseen.ready,
    save: foreseen.act,
    begin: () => setMade(null),
  };
}
type Copies = ReturnType<typeof useCopies>;

/** Copy a run, a course's runs or a season to new dates: old and new side by side, and what is left behind. */
export default function CopyRuns() {
  const me = useMe();
  const acts = useDone();
  const [params] = useSearchParams();
  const runId = Number(params.get("run")) || null;
  const [what, setWhat] = useState<What>(runId ? "run" : "season");
  const [given, setGiven] = useState<Given>({
    first: "",
    weeks: "52",
    course: "",
    since: addDays(me.today, -90),
    until: addDays(me.today, 90),
    other: AS_IT_WAS,
  });
  const copies = useCopies(commandOf(what, runId, given), acts);
  const { runs } = copies;
  return (
    <Page
      title="Copy runs"
      margin={
        <>
          <ActNotes acts={acts} />
          <Sum copies={copies} />
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
            copies.begin();
            setWhat(v as What);
          }}
          options={[
            ...(runId ? [{ value: "run", text: "this run" }] : []),
            { value: "course", text: "a course’s runs" },
            { value: "season", text: "a season’s runs" },
          ]}
        />
        <Fields
          what={what}
          given={given}
          faults={faultsOf(copies.error)}
          set={(change) => {
            copies.begin();
            setGiven({ ...given, ...change });
          }}
        />
      </Row>
      {copies.error && <Fault as="p">{messageOf(copies.error)}</Fault>}
      {runs.map((r) => (
        <Copy key={r.from_id} run={r} made={copies.made} />
      ))}
      {runs.length === 0 && !copies.error && (
        <Empty as="p">
          Give a date, and the copy stands here beside what it is copied from, before anything is saved.
        </Empty>
      )}
    </Page>
  );
}

function Sum({ copies: { runs, made, ready, save } }: { copies: Copies }) {
  return (
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
            disabled={runs.length === 0 || !ready}
            onClick={() => void save()}
          >
            Copy as drafts
          </Button>
        </P>
      )}
    </section>
  );
}

function Fields({
  what,
  given,
  set,
  faults,
}: {
  what: What;
  given: Given;
  set: (change: Partial<Given>) => void;
  faults: Record<string, string>;
}) {
  const courses = $api.useQuery("get", "/api/v1/courses");
  const date = (key: "first" | "since" | "until", label: string, at = faults[`/${key}`]) => ({
    label,
    type: "date" as const,
    width: 170,
    value: given[key],
    onChange: (v: string) => set({ [key]: v }),
    fault: at,
  });
  if (what === "run")
    return (
      <>
        <Field
          {...date("first", "New first date", faults["/runs/0/first"] ?? faults["/first"])}
          help={
            given.other.weekdays.length
              ? "from then on, on the days said"
              : "on or after it, on the run’s own weekday"
          }
          autoFocus
        />
        <OtherInCopy
          other={given.other}
          set={(change) => set({ other: { ...given.other, ...change } })}
          faults={faults}
        />
      </>
    );
  return (
    <>
      {what === "course" ? (
        <Choice
          label="Course"
          width={280}
          value={given.course}
          onChange={(course) => set({ course })}
          options={[
            { value: "", text: "which course?" },
            ...(courses.data ?? []).map((c) => ({ value: String(c.id), text: c.title })),
          ]}
        />
      ) : (
        <>
          <Field {...date("since", "Beginning from")} />
          <Field {...date("until", "through")} />
        </>
      )}
      <Field
        label="Weeks later"
        width={110}
        value={given.weeks}
        onChange={(weeks) => set({ weeks })}
        fault={faults["/weeks"]}
        help={given.weeks === "52" ? "the same weekdays a year on" : undefined}
      />
    </>
  );
}

/** What of the copy is other than in the run; what stays empty is as it was. */
function OtherInCopy({
  other,
  set,
  faults,
}: {
  other: Other;
  set: (change: Partial<Other>) => void;
  faults: Record<string, string>;
}) {
  const names = useNames();
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <Button variant="text" sx={{ alignSelf: "center" }} onClick={() => setOpen(true)}>
        Other days, number, time, room or instructor
      </Button>
    );
  const text = (name: "every" | "count" | "minutes", label: string, at: string) => (
    <Field
      label={label}
      width={130}
      value={other[name]}
      placeholder="as it was"
      onChange={(v) => set({ [name]: v })}
      fault={faults[`/changes/${at}`]}
      input={{ inputMode: "numeric" }}
    />
  );
  return (
    <>
      <div>
        <T label as="div" id="copy-days">
          On
        </T>
        <Weekdays labelledBy="copy-days" value={other.weekdays} onChange={(weekdays) => set({ weekdays })} />
        {faults["/changes/weekdays"] && <Fault>{faults["/changes/weekdays"]}</Fault>}
      </div>
      {text("every", "Every … weeks", "every_weeks")}
      {text("count", "Meetings", "count")}
      <Field
        label="Starts at"
        placeholder="as it was"
        type="time"
        width={120}
        value={other.start}
        onChange={(start) => set({ start })}
        fault={faults["/changes/start"]}
      />
      {text("minutes", "Length in minutes", "minutes")}
      <Named
        label="Room"
        names={names.places}
        width={180}
        value={other.place}
        placeholder="as it was"
        onChange={(place) => set({ place })}
        fault={faults["/changes/place"]}
      />
      <Named
        label="Instructor"
        several
        names={names.instructors}
        width={200}
        value={other.instructor}
        placeholder="as it was"
        onChange={(instructor) => set({ instructor })}
        fault={faults["/changes/instructor"]}
      />
    </>
  );
}

function Copy({ run: r, made }: { run: Copies["runs"][number]; made: boolean }) {
  return (
    <Copied>
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

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Crumbs, Part, Row } from "../../parts/layout";
import { Page } from "../../parts/Page";
import { T } from "../../parts/words";
import { Consequences } from "./Consequences";
import {
  type CourseDefaults,
  digitsOf,
  documentOf,
  EMPTY,
  fromDefaults,
  fromRun,
  type RunForm,
} from "./form";
import { CoursePart, DatesPart, SeatsPart, standing, useDates } from "./NewRunParts";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";
import { useServerForm } from "../../form/useServerForm";
import { Form } from "../../form/Form";

type Courses = Schemas["CourseOut"][];

/** What a form is asked to begin with by its address: a date and a lane drawn on the planner, or a course. */
function useWanted(
  { values: form, set }: { values: RunForm; set: (change: Partial<RunForm>) => void },
  courses: Courses | undefined,
) {
  const [params, setParams] = useSearchParams();
  const [from, setFrom] = useState<{ code: string; defaults: Partial<RunForm> } | null>(null);
  /** A course brings along its last run, all but its dates, else its defaults; they can all be changed here. */
  const choose = (courseId: string) => {
    const course = courses?.find((c) => String(c.id) === courseId);
    const defaults = course ? fromDefaults(course.defaults as CourseDefaults) : {};
    set({ courseId, ...defaults });
    setFrom(null);
    if (!course) return;
    void (async () => {
      const page = await ask(
        api.GET("/api/v1/courses/{course_id}", { params: { path: { course_id: course.id } } }),
      );
      const last = page.runs.reduce((a, b) => (b.id > a ? b.id : a), 0);
      if (!last) return;
      const run = await ask(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: last } } }));
      set({ courseId, ...fromRun(run), ...(form.patterns[0]?.first ? firstOf(fromRun(run), form) : {}) });
      setFrom({ code: run.code, defaults });
    })();
  };
  useEffect(() => {
    const [date, place, instructor] = ["date", "place", "instructor"].map((n) => params.get(n));
    if (!date) return;
    set({
      place: place ?? form.place,
      instructor: instructor ?? form.instructor,
      patterns: form.patterns.map((p, i) => (i ? p : { ...p, first: date })),
      changes: [],
    });
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const wanted = params.get("course");
  useEffect(() => {
    if (!wanted || !courses) return;
    choose(wanted);
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, courses]);
  return { choose, from, onlyDefaults: () => (set(from?.defaults ?? {}), setFrom(null)) };
}

/** A first date that was typed, or drawn on the planner, stays when a course is chosen after it. */
function firstOf(brought: Partial<RunForm>, form: RunForm): Partial<RunForm> {
  const first = form.patterns[0]?.first ?? "";
  return { patterns: (brought.patterns ?? form.patterns).map((p, i) => (i ? p : { ...p, first })) };
}

/** A new run from a flyer: dates, seats, fee, plan; every consequence in the margin before it is saved. */
export default function NewRun() {
  const me = useMe();
  const go = useNavigate();
  const queries = useQueryClient();
  const courses = $api.useQuery("get", "/api/v1/courses");
  const [sent, setSent] = useState<RunForm | null>(null);
  const of = useServerForm<RunForm, Schemas["RunOut"]>({
    draft: "new-run-2",
    start: EMPTY,
    send: (form, key) => {
      setSent(form);
      return ask(
        api.POST("/api/v1/runs", {
          body: documentOf(form, digitsOf(me.currency)),
          params: { header: keyHeader(key) },
        }),
      );
    },
    done: (run) => {
      void queries.invalidateQueries();
      void go(`/runs/${run.id}`);
    },
  });
  const { values: form, set, busy } = of;
  const { choose, from, onlyDefaults } = useWanted(of, courses.data);
  const faults = standing(of.faults, sent, form);
  const plan = useDates(form);
  const { firstDay } = plan;
  return (
    <Page
      title="New run"
      margin={
        <Consequences
          form={plan.settled}
          dates={plan.kept}
          firstDay={firstDay}
          warnings={plan.warnings}
          error={of.error}
          faults={faults}
          busy={busy}
          onSave={() => void of.submit()}
          onForget={of.forget}
          clashes={plan.clashes}
        />
      }
    >
      <Crumbs>
        <Link to="/planner">Runs</Link> / new
      </Crumbs>
      <Box component="h1" sx={{ marginBottom: 14 }}>
        New run
      </Box>
      <Form
        of={{ ...of, trouble: "" }}
        onKeyDown={(e) => {
          if (e.key === "Enter" && e.ctrlKey) void of.submit();
          else if (e.key === "Enter" && e.target instanceof HTMLInputElement) e.preventDefault();
        }}
      >
        <CoursePart
          form={form}
          set={set}
          faults={faults}
          courses={courses.data ?? []}
          onChoose={choose}
          from={from?.code ?? ""}
          onlyDefaults={onlyDefaults}
        />
        <DatesPart form={form} set={set} faults={faults} plan={plan} />
        <SeatsPart form={form} set={set} faults={faults} />
        <Part as="div">
          <h2>Fee</h2>
          <div>
            <RatesEdit
              rates={form.rates}
              onChange={(rates) => set({ rates })}
              faults={faults}
              at="/rates"
              currency={me.currency}
              firstDay={firstDay}
            />
          </div>
        </Part>

        <Part as="div">
          <h2>Payment plan</h2>
          <div>
            <PlansEdit plans={form.plans} onChange={(plans) => set({ plans })} faults={faults} at="/plans" />
          </div>
        </Part>
        <Part as="div">
          <span />
          <Row mid>
            <Button type="submit" variant="contained" disabled={busy}>
              Save as a draft
            </Button>
            <T tone="slate">
              <kbd>Ctrl Enter</kbd> saves; what you typed is kept in this window until then.
            </T>
          </Row>
        </Part>
      </Form>
    </Page>
  );
}

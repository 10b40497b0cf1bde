import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";

import { $api, api, ask, faultsOf, keyHeader } from "../../app/server";
import { useKept, useKeptKey, useMe } from "../../app/session";
import { Crumbs, Part, Row } from "../../parts/layout";
import { Page } from "../../parts/Page";
import { T } from "../../parts/words";
import { Consequences } from "./Consequences";
import { type CourseDefaults, digitsOf, documentOf, EMPTY, fromDefaults, type RunForm } from "./form";
import { CoursePart, DatesPart, SeatsPart, standing, useDates } from "./NewRunParts";
import { PlansEdit } from "./PlansEdit";
import { RatesEdit } from "./RatesEdit";

/** A new run from a flyer: dates, seats, fee, plan; every consequence in the margin before it is saved. */
export default function NewRun() {
  const me = useMe();
  const go = useNavigate();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const [form, setForm, forget] = useKept<RunForm>("new-run-2", EMPTY);
  // Drawn on the planner: the date, and whose lane it was.
  useEffect(() => {
    const [date, place, instructor] = ["date", "place", "instructor"].map((n) => params.get(n));
    if (!date) return;
    setForm((old) => ({
      ...old,
      place: place ?? old.place,
      instructor: instructor ?? old.instructor,
      patterns: old.patterns.map((p, i) => (i ? p : { ...p, first: date })),
      changes: [],
    }));
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const [key, forgetKey] = useKeptKey("new-run-key");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const sheet = useRef<HTMLFormElement>(null);
  const [sent, setSent] = useState<RunForm | null>(null);
  const faults = standing(faultsOf(error), sent, form);
  const set = (change: Partial<RunForm>) => setForm((old) => ({ ...old, ...change }));
  const digits = digitsOf(me.currency);

  const courses = $api.useQuery("get", "/api/v1/courses");
  const plan = useDates(form);
  const { firstDay } = plan;

  /** A course brings its defaults along; they can all be changed here. */
  const choose = (courseId: string) => {
    const course = courses.data?.find((c) => String(c.id) === courseId);
    set({ courseId, ...(course ? fromDefaults(course.defaults as CourseDefaults) : {}) });
  };
  // Asked for by demand: the course is chosen.
  const wanted = params.get("course");
  useEffect(() => {
    if (!wanted || !courses.data) return;
    choose(wanted);
    setParams({}, { replace: true });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [wanted, courses.data]);
  const save = async (event?: FormEvent) => {
    event?.preventDefault();
    setBusy(true);
    setError(null);
    setSent(form);
    try {
      const run = await ask(
        api.POST("/api/v1/runs", { body: documentOf(form, digits), params: { header: keyHeader(key) } }),
      );
      forget();
      forgetKey();
      void queries.invalidateQueries();
      await go(`/runs/${run.id}`);
    } catch (problem) {
      setError(problem);
      setTimeout(() => sheet.current?.querySelector<HTMLElement>("[aria-invalid=true]")?.focus(), 0);
    } finally {
      setBusy(false);
    }
  };

  return (
    <Page
      title="New run"
      margin={
        <Consequences
          form={plan.settled}
          dates={plan.kept}
          firstDay={firstDay}
          warnings={plan.warnings}
          error={error}
          faults={faults}
          busy={busy}
          onSave={() => void save()}
          onForget={forget}
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
      <form
        ref={sheet}
        onSubmit={(e) => void save(e)}
        onKeyDown={(e) => {
          if (e.key === "Enter" && e.ctrlKey) void save(e);
          else if (e.key === "Enter" && e.target instanceof HTMLInputElement) e.preventDefault();
        }}
        noValidate
      >
        <CoursePart form={form} set={set} faults={faults} courses={courses.data ?? []} onChoose={choose} />
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
      </form>
    </Page>
  );
}

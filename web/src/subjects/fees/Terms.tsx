import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useEffect } from "react";
import { useLocation } from "react-router";

import { api, ask } from "../../app/server";
import { Ends, Form } from "../../form/Form";
import { NotSaved } from "../../form/NotSaved";
import { useWaitingForm } from "../../form/useWaitingForm";
import { T } from "../../parts/words";
import type { Propose, Run } from "../courses/runTypes";

type Props = { run: Run; propose: Propose };
export type TermName = "rates" | "extras" | "group" | "taxes" | "plans";
const SAID: Record<string, string> = {
  group: "group prices",
  plans: "payment plans",
  smallest: "smallest number",
  capacity: "number of seats",
  time_zone: "time zone",
  access_days: "days of access",
  windows: "sign-up windows",
  decision_rule: "decision day",
  told: "list of who is told",
  overbook: "seats beyond the capacity",
  line_rule: "rule of the line",
  auto_offer: "way seats are offered",
  offer_hours: "hours of an offer",
  hold_hours: "hours a seat is held",
};
const TERMS: readonly string[] = ["rates", "extras", "group", "taxes", "plans"];

/** Goes to the field or the part that a link names. */
export function useHash() {
  const { hash } = useLocation();
  useEffect(() => {
    if (!hash) return;
    const name = hash.slice(1);
    const field = document.querySelector<HTMLInputElement>(`[data-name="${CSS.escape(name)}"] input`);
    if (field) field.focus();
    else document.getElementById(name)?.scrollIntoView({ block: "start" });
  }, [hash]);
}

/** Where a value comes from, and the way back to the course's. */
export function Source({ run, name, propose }: Props & { name: string }) {
  const queries = useQueryClient();
  const origin = run.origins[name];
  const said = SAID[name] ?? name;
  const keep = async () => {
    await propose(
      `Make the ${said} what new runs of ${run.course.code} start with`,
      () =>
        ask(
          api.POST("/api/v1/runs/{run_id}/defaults", {
            params: { path: { run_id: run.id } },
            body: { names: [name] },
          }),
        ),
      undefined,
      true,
    );
    void queries.invalidateQueries({ queryKey: ["get", "/api/v1/courses"] });
  };
  const takeBack = () => {
    const value = origin?.default;
    const seen = run[name as keyof typeof run];
    return propose(`Take the ${said} of the ${origin?.default_of}`, (preview, over) =>
      TERMS.includes(name)
        ? ask(
            api.PATCH("/api/v1/runs/{run_id}/terms", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: { seen: { [name]: seen, ...over }, set: { [name]: value } },
            }),
          )
        : ask(
            api.PATCH("/api/v1/runs/{run_id}", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: { seen: { [name]: seen, ...over }, set: { [name]: value } },
            }),
          ),
    );
  };
  if (!origin) return null;
  const value = run[name as keyof typeof run];
  if (!origin.default_of && Array.isArray(value) && value.length === 0) return null;
  if (origin.from === "usual") return <T tone="slate">as usual</T>;
  if (origin.from !== "own") return <T tone="slate">from the {origin.from}</T>;
  return (
    <T tone="slate">
      this run’s own{" "}
      {origin.default_of && (
        <Button
          variant="text"
          color="secondary"
          aria-label={`Take the ${origin.default_of}’s: ${said}`}
          onClick={() => void takeBack()}
        >
          take the {origin.default_of}’s
        </Button>
      )}{" "}
      <Button
        variant="text"
        color="secondary"
        aria-label={`Make it the course’s default: ${said}`}
        onClick={() => void keep()}
      >
        make it the course’s default
      </Button>
    </T>
  );
}

/** A part of a run's fees: read first; changed as a whole list, kept while it is not saved. */
export function Terms<Form>({
  run,
  propose,
  name,
  start,
  sent,
  edit,
  children,
}: Props & {
  name: TermName;
  start: () => Form;
  sent: (form: Form) => unknown;
  edit: (form: Form, setForm: (form: Form) => void, faults: Record<string, string>) => ReactNode;
  children: ReactNode;
}) {
  const of = useWaitingForm<Form, unknown>({
    draft: `run-${name}-${run.id}`,
    send: (form, seen, close) =>
      propose(
        `Change the ${SAID[name] ?? name} for new sign-ups`,
        (preview, over) =>
          ask(
            api.PATCH("/api/v1/runs/{run_id}/terms", {
              params: { path: { run_id: run.id }, query: { preview } },
              body: { seen: { [name]: seen, ...over }, set: { [name]: sent(form) } },
            }),
          ),
        close,
      ),
  });
  const { kept } = of;
  if (kept === null)
    return (
      <div>
        {children}
        <p>
          <Source run={run} name={name} propose={propose} />
        </p>
        <Button onClick={() => of.begin(start(), run[name])}>Change the {SAID[name] ?? name}</Button>
      </div>
    );
  return (
    <Form of={of}>
      {edit(kept.form, of.set, of.faults)}
      {JSON.stringify(sent(kept.form)) !== JSON.stringify(sent(start())) && (
        <NotSaved what={`the ${SAID[name] ?? name}`} then="Until then sign-ups go by what held before." />
      )}
      <Ends
        of={of}
        act={run.status === "draft" ? "Save" : "See what it touches"}
        leave="Keep as it was"
        onLeave={of.close}
      />
    </Form>
  );
}

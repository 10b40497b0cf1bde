import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form, SaveOrKeep } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Loading, Note, Part, Row } from "../../parts/layout";
import type { useDone } from "../../parts/useUndo";
import { P } from "../../parts/words";
import type { Run } from "../courses/runTypes";
import { AccessCodes } from "./AccessCodes";
import { Rehearse } from "./Rehearse";
import { RequestList } from "./Requests";

type Acts = ReturnType<typeof useDone>;
type Publication = Schemas["PublicationOut"];
export const FINDS = [
  { value: "everyone", text: "everyone" },
  { value: "account", text: "people with an account" },
  { value: "invited", text: "only people invited to it, or on it" },
];
const SIGNS = [
  { value: "everyone", text: "everyone" },
  { value: "code", text: "with an access code" },
  { value: "request", text: "on request, staff decide" },
  { value: "staff", text: "staff only" },
];
/** Where a setting is kept that another page of the run, or of its course, mends. */
const ELSEWHERE: Partial<Record<Schemas["PageSetting"], (run: Run) => [string, string]>> = {
  course: (run) => [`/courses/${run.course.id}`, "the course’s page"],
  elsewhere: (run) => [`/courses/${run.course.id}`, "the course’s page"],
  windows: (run) => [`/runs/${run.id}/terms`, "seats and gates"],
  client: (run) => [`/runs/${run.id}/terms`, "seats and gates"],
};

/** Who finds a run and who signs up for it: two questions, and a sentence that says what it comes to. */
export function RunPublic({ run, acts }: { run: Run; acts: Acts }) {
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/publication", {
    params: { path: { run_id: run.id } },
  });
  const page = query.data;
  if (!page) return query.error ? <p role="alert">{messageOf(query.error)}</p> : <Loading />;
  return (
    <>
      <Part as="div" sx={{ borderTop: 0 }}>
        <h2>Who may</h2>
        <Settings run={run} page={page} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Codes</h2>
        <AccessCodes run={run.id} asked={page.signs_up === "code"} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Requests</h2>
        <RequestList run={run.id} acts={acts} />
      </Part>
      <Part as="div">
        <h2>Rehearse</h2>
        <Rehearse run={run} />
      </Part>
    </>
  );
}

type Values = {
  found_by: string;
  signs_up: string;
  from: string;
  from_clock: string;
  until: string;
  until_clock: string;
  promoted: boolean;
};
const startOf = (page: Publication): Values => ({
  found_by: page.found_by,
  signs_up: page.signs_up,
  from: page.shown_from?.slice(0, 10) ?? "",
  from_clock: page.shown_from?.slice(11) ?? "",
  until: page.shown_until?.slice(0, 10) ?? "",
  until_clock: page.shown_until?.slice(11) ?? "",
  promoted: page.promoted,
});
const moment = (day: string, clock: string) => (day ? `${day}T${clock || "00:00"}` : null);
const factsOf = (v: Values) => ({
  found_by: v.found_by as Publication["found_by"],
  signs_up: v.signs_up as Publication["signs_up"],
  shown_from: moment(v.from, v.from_clock),
  shown_until: moment(v.until, v.until_clock),
  promoted: v.promoted,
});

function Settings({ run, page, acts }: { run: Run; page: Publication; acts: Acts }) {
  const start = startOf(page);
  const changed = (v: Values) => {
    const now = factsOf(v);
    const was = factsOf(start);
    return (Object.keys(now) as (keyof typeof now)[]).filter((name) => now[name] !== was[name]);
  };
  const send = (v: Values, seen: Values, preview: boolean) => {
    const names = changed(v);
    const some = (of: Values) => Object.fromEntries(names.map((name) => [name, factsOf(of)[name]]));
    return ask(
      api.PATCH("/api/v1/runs/{run_id}/publication", {
        params: { path: { run_id: run.id }, query: { preview } },
        body: { set: some(v), seen: some(seen) },
      }),
    );
  };
  const of = useServerForm<Values, Schemas["PublicationChanged"]>({
    draft: `publication-${run.id}`,
    start,
    send: (values, _key, { seen }) => send(values, seen, false),
    done: (answer) => acts.say({ text: "Saved. " + answer.sentence, change: answer.change }),
  });
  const waits = of.dirty.length > 0;
  const ahead = useQuery({
    queryKey: ["publication ahead", run.id, of.values],
    queryFn: () => send(of.values, start, true),
    enabled: waits && changed(of.values).length > 0,
    placeholderData: (old) => old,
    retry: false,
  });
  const shown: Publication = waits && ahead.data ? ahead.data : page;
  const field = (name: "from" | "from_clock" | "until" | "until_clock", at: string) => of.field(name, at);
  return (
    <Form of={of} label="Who may" sx={{ display: "grid", gap: "12px" }}>
      <Row wrap>
        <Choice
          label="Who can find it?"
          width={300}
          value={of.values.found_by}
          onChange={(found_by) => of.set({ found_by })}
          options={FINDS}
        />
        <Choice
          label="Who can sign up?"
          width={260}
          value={of.values.signs_up}
          onChange={(signs_up) => of.set({ signs_up })}
          options={SIGNS}
        />
      </Row>
      <Row wrap>
        <Field label="Public from" type="date" width={150} {...field("from", "/set/shown_from")} />
        <Field
          label="at"
          tail=" what time it becomes public"
          type="time"
          width={90}
          {...field("from_clock", "")}
        />
        <Field label="Public until" type="date" width={150} {...field("until", "/set/shown_until")} />
        <Field
          label="at"
          tail=" what time it stops being public"
          type="time"
          width={90}
          {...field("until_clock", "")}
        />
        <Tick checked={of.values.promoted} onChange={(promoted) => of.set({ promoted })}>
          first in the list
        </Tick>
      </Row>
      <P strong role="status">
        {shown.sentence}
      </P>
      {shown.contradictions.map((c) => (
        <Note kind="due" key={c.sentence}>
          <p>{c.sentence}</p>
          <Row wrap>
            {c.mends.map((mend) => (
              <Button
                key={mend.label}
                onClick={() =>
                  of.set({
                    ...(mend.found_by && { found_by: mend.found_by }),
                    ...(mend.signs_up && { signs_up: mend.signs_up }),
                    ...(mend.unset === "shown_from" && { from: "", from_clock: "" }),
                    ...(mend.unset === "shown_until" && { until: "", until_clock: "" }),
                  })
                }
              >
                {mend.label}
              </Button>
            ))}
            {c.mends.length === 0 && ELSEWHERE[c.setting] && (
              <Link to={ELSEWHERE[c.setting]!(run)[0]}>Mend it on {ELSEWHERE[c.setting]!(run)[1]}</Link>
            )}
          </Row>
        </Note>
      ))}
      {waits && <SaveOrKeep of={of} />}
    </Form>
  );
}

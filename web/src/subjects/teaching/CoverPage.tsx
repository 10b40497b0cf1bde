import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useEffect, useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped, keyHeader, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Views } from "../../form/Views";
import { Grow, Loading, Row, Ruled } from "../../parts/layout";
import { ActNotes, Page, Trouble } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, P, T, When } from "../../parts/words";
import { useInAddress } from "../../parts/useInAddress";
import { Ask } from "./CoverAsk";
import { Proposal } from "./CoverProposal";
import { TeachingTabs } from "./TeachingTabs";

export type Acts = ReturnType<typeof useDone>;

/** Somebody is away, or meetings have nobody: which they are, whom to call for each, and a proposal for all at once. */
export default function CoverPage() {
  const acts = useDone();
  const [params, put] = useInAddress();
  const who = params.get("who") ?? "";
  const plan = Number(params.get("plan")) || null;
  const people = $api.useQuery("get", "/api/v1/instructors");
  const found = $api.useQuery("get", "/api/v1/cover", {
    params: {
      query: {
        first: params.get("from") || undefined,
        last: params.get("through") || undefined,
        instructor_id: who ? Number(who) : undefined,
      },
    },
  });
  const first = params.get("from") ?? found.data?.first ?? "";
  const last = params.get("through") ?? found.data?.last ?? "";
  const name = people.data?.find((i) => String(i.id) === who)?.name;
  return (
    <Page
      title="Cover"
      margin={<Earlier acts={acts} plan={plan} onPlan={(id) => put({ plan: String(id) })} />}
    >
      <TeachingTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Cover
      </Box>
      <Row wrap end>
        <Choice
          label="For"
          width={220}
          value={who}
          onChange={(value) => put({ who: value, plan: "", from: "", through: "" })}
          options={[
            { value: "", text: "meetings that have nobody" },
            ...(people.data ?? [])
              .filter((i) => i.active)
              .map((i) => ({ value: String(i.id), text: `${i.name} is away` })),
          ]}
        />
        <Field
          label="From"
          type="date"
          width={165}
          value={first}
          onChange={(from) => put({ from, plan: "" })}
        />
        <Field
          label="Through"
          type="date"
          width={165}
          value={last}
          onChange={(through) => put({ through, plan: "" })}
        />
      </Row>
      {plan !== null && <Proposal key={plan} id={plan} acts={acts} onAgain={() => put({ plan: "" })} />}
      {plan === null && (
        <>
          {found.error && <Trouble error={found.error} retry={() => void found.refetch()} />}
          {!found.data && !found.error && <Loading />}
          {found.data && (
            <Uncovered
              key={`${who}.${first}.${last}`}
              found={found.data}
              name={name}
              acts={acts}
              onPlan={(id) => put({ plan: String(id), from: found.data.first, through: found.data.last })}
            />
          )}
        </>
      )}
    </Page>
  );
}

/** What is uncovered: asked for one by one, or all at once. */
function Uncovered({
  found,
  name,
  acts,
  onPlan,
}: {
  found: Schemas["Uncovered"];
  name: string | undefined;
  acts: Acts;
  onPlan: (id: number) => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  const meetings = found.meetings;
  if (meetings.length === 0)
    return (
      <Empty as="p">
        {name ? (
          <>
            {name} teaches nothing between these days; there is nothing to cover. An absence is written down{" "}
            <Link to={`/teaching/${found.instructor_id}`}>on their own page</Link>.
          </>
        ) : (
          "Every coming meeting between these days has somebody. Choose who is away above, or other days."
        )}
      </Empty>
    );
  return (
    <>
      <P sx={{ marginTop: 14 }}>
        <strong>{count(meetings.length, "meeting")}</strong>{" "}
        {name ? `of ${name} would have nobody.` : "have nobody yet."}
      </P>
      <AskForAll found={found} name={name} onPlan={onPlan} />
      <Ruled sx={{ marginTop: 12 }}>
        {meetings.map((m) => (
          <li key={m.meeting_id}>
            <Row mid sx={{ padding: "6px 0" }}>
              <When>{day(m.day)}</When>
              <T nowrap>
                {m.start.slice(0, 5)} to {m.end.slice(0, 5)}
              </T>
              <Grow as="span">
                <Link to={`/runs/${m.run_id}/teaching`}>{m.code}</Link> {m.title}
                {m.place && <T tone="slate">, {m.place}</T>}
              </Grow>
              <Button
                aria-expanded={open === m.meeting_id}
                onClick={() => setOpen(open === m.meeting_id ? null : m.meeting_id)}
              >
                Whom to call
              </Button>
            </Row>
            {open === m.meeting_id && <Ask meeting={m} away={found.instructor_id} acts={acts} />}
          </li>
        ))}
      </Ruled>
    </>
  );
}

/** One act: the absence is written down, and a proposal for all of its meetings is asked for. */
function AskForAll({
  found,
  name,
  onPlan,
}: {
  found: Schemas["Uncovered"];
  name: string | undefined;
  onPlan: (id: number) => void;
}) {
  const of = useServerForm({
    draft: null,
    start: { aim: "cost", unknown: false, write: name !== undefined && !found.away, absence: "ill" },
    send: (form, key) =>
      ask(
        api.POST("/api/v1/cover-plans", {
          params: { header: keyHeader(key) },
          body: asTyped<"CoverCommand">({
            ...(found.instructor_id ? { instructor_id: found.instructor_id } : {}),
            from: found.first,
            through: found.last,
            aim: form.aim,
            unknown: form.unknown,
            ...(name && form.write ? { absence: form.absence } : {}),
          }),
        }),
      ),
    done: (plan) => onPlan(plan.id),
  });
  const { values: form, set } = of;
  return (
    <Form look="inset" of={of}>
      <Row wrap end>
        <div>
          <P label>Best is</P>
          <Views
            label="Best is"
            value={form.aim}
            onChange={(aim) => set({ aim })}
            options={[
              { value: "cost", text: "what costs least" },
              { value: "even", text: "what is most even" },
            ]}
          />
        </div>
        {name && form.write && <Field label="Why away" width={160} {...of.field("absence")} />}
        <Button type="submit" variant="contained" disabled={of.busy}>
          {name && form.write ? "Write the absence down and propose cover" : "Propose cover for all"}
        </Button>
      </Row>
      <Row wrap sx={{ marginTop: 6 }}>
        {name && found.away && <T tone="slate">That {name} is away in these days is written down already.</T>}
        {name && !found.away && (
          <Tick checked={form.write} onChange={(write) => set({ write })}>
            write down that {name} is away in these days
          </Tick>
        )}
        <Tick checked={form.unknown} onChange={(unknown) => set({ unknown })}>
          also those of whom nothing is written down that they can teach
        </Tick>
      </Row>
    </Form>
  );
}

/** Proposals made of late. */
function Earlier({ acts, plan, onPlan }: { acts: Acts; plan: number | null; onPlan: (id: number) => void }) {
  const query = $api.useQuery(
    "get",
    "/api/v1/cover-plans",
    {},
    {
      refetchInterval: ({ state }) =>
        state.data?.plans.some((p) => p.status === "queued" || p.status === "working") ? 1500 : false,
    },
  );
  const { refetch } = query;
  useEffect(() => {
    if (plan !== null) void refetch();
  }, [plan, refetch]);
  const rows = query.data?.plans ?? [];
  return (
    <>
      <ActNotes acts={acts} />
      <section>
        <h2>Proposals of late</h2>
        {rows.length === 0 && <P tone="slate">None yet. A proposal changes nothing until it is taken.</P>}
        <Ruled>
          {rows.map((p) => (
            <li key={p.id} style={{ padding: "5px 0" }}>
              <Button variant="text" onClick={() => onPlan(p.id)} disabled={p.id === plan}>
                {p.instructor ?? "Meetings that have nobody"}
              </Button>
              <T tone="slate" as="div">
                {day(p.first, false)} to {day(p.last, false)}, {p.status}
                {p.status === "ready" || p.status === "taken" ? `, ${p.covered} covered` : ""}
              </T>
            </li>
          ))}
        </Ruled>
      </section>
    </>
  );
}

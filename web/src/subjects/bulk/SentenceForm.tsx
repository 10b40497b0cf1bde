import { keepPreviousData } from "@tanstack/react-query";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { OrganizationPick } from "../../form/OrganizationPick";
import { RunPick } from "../../form/RunPick";
import { Suggest } from "../../form/Suggest";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Note, Row } from "../../parts/layout";
import { count, isZero, money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";

type Sentence = Schemas["SentenceOut"];
const FREE = "(free)";
const BY = [
  { value: "run", text: "everyone on a run" },
  { value: "tag", text: "everyone who gets a tag" },
  { value: "organization", text: "everyone known as one of an organization" },
  { value: "all", text: "everyone who is added" },
];
const START = {
  by: "run",
  source: "",
  tag: "",
  organization: "",
  target: "",
  group: "",
  rate: FREE,
  assistants: false,
  leaves: false,
  all_now: false,
};
type Values = typeof START;

function bodyOf(v: Values): Schemas["SentenceCommand"] {
  return {
    kind: v.by === "run" ? "follow-on" : "standing",
    source_id: v.by === "run" && v.source ? Number(v.source) : null,
    tag: v.by === "tag" && v.tag.trim() ? v.tag.trim() : null,
    organization_id: v.by === "organization" && v.organization ? Number(v.organization) : null,
    target_id: Number(v.target),
    group: v.group.trim(),
    rate: v.rate === FREE ? null : v.rate,
    assistants: v.by === "run" && v.assistants,
    leaves: v.leaves,
    all_now: v.all_now,
  };
}

const whole = (v: Values) =>
  v.target !== "" &&
  (v.by === "all" ||
    (v.by === "run" && v.source !== "") ||
    (v.by === "tag" && v.tag.trim() !== "") ||
    (v.by === "organization" && v.organization !== ""));

/** Write a sentence: who, where to, and what else; how it reads and whom it reaches stands below before it is kept. */
export function SentenceForm({
  run,
  onDone,
  onLeave,
}: {
  run: string | null;
  onDone: (made: Sentence) => void;
  onLeave: () => void;
}) {
  const of = useServerForm({
    draft: `sentence-${run ?? "new"}`,
    start: { ...START, source: run ?? "" },
    send: (values, key) =>
      ask(
        api.POST("/api/v1/sentences", {
          params: { header: { "Idempotency-Key": key } },
          body: bodyOf(values),
        }),
      ),
    done: onDone,
  });
  const { values } = of;
  const ready = whole(values);
  const tags = $api.useQuery("get", "/api/v1/tags");
  const asked = useSettled(JSON.stringify(bodyOf(values)), 200);
  const seen = $api.useQuery(
    "post",
    "/api/v1/sentences/preview",
    { body: JSON.parse(asked) as Schemas["SentenceCommand"] },
    { enabled: ready, placeholderData: keepPreviousData, retry: false },
  );
  const rates = seen.data?.rates ?? [];
  return (
    <Form of={of} look="inset" onLeave={onLeave} label="A sentence">
      <Row wrap end>
        <Choice label="Who" width={260} value={values.by} onChange={(by) => of.set({ by })} options={BY} />
        {values.by === "run" && (
          <RunPick
            label="On the run"
            width={280}
            value={values.source}
            onChange={(source) => of.set({ source })}
            fault={of.faults["/source_id"]}
          />
        )}
        {values.by === "tag" && (
          <Suggest
            label="The tag"
            width={200}
            value={values.tag}
            onChange={(tag) => of.set({ tag })}
            options={tags.data ?? []}
            fault={of.faults["/tag"]}
          />
        )}
        {values.by === "organization" && (
          <OrganizationPick
            label="The organization"
            width={260}
            value={values.organization}
            onChange={(organization) => of.set({ organization })}
            fixed={[]}
            fault={of.faults["/organization_id"]}
          />
        )}
      </Row>
      <Row wrap end sx={{ marginTop: 10 }}>
        <RunPick
          label="Goes on"
          width={280}
          value={values.target}
          onChange={(target) => of.set({ target })}
          fault={of.faults["/target_id"]}
        />
        <Field label="In group" width={140} {...of.field("group")} />
        <Rate value={values.rate} rates={rates} onChange={(rate) => of.set({ rate })} />
      </Row>
      <Ticks values={values} byRun={values.by === "run"} all={values.by === "all"} set={of.set} />
      <Tick checked={values.all_now} onChange={(all_now) => of.set({ all_now })}>
        whoever fits it already goes too
      </Tick>
      <Foreseen ready={ready} seen={seen.data} error={seen.error} now={values.all_now} />
      <Ends
        of={of}
        act="Let it hold from now on"
        leave="Leave it"
        onLeave={onLeave}
        disabled={!ready || !!seen.error}
      />
    </Form>
  );
}

function Rate({
  value,
  rates,
  onChange,
}: {
  value: string;
  rates: { value: string; text: string }[];
  onChange: (rate: string) => void;
}) {
  const known = value === FREE || rates.some((r) => r.value === value);
  return (
    <Choice
      label="Price"
      width={170}
      value={value}
      onChange={onChange}
      options={[
        { value: FREE, text: "free of charge" },
        ...rates,
        ...(known ? [] : [{ value, text: value }]),
      ]}
    />
  );
}

function Ticks({
  values,
  byRun,
  all,
  set,
}: {
  values: Pick<Values, "assistants" | "leaves">;
  byRun: boolean;
  all: boolean;
  set: (change: Partial<Pick<Values, "assistants" | "leaves">>) => void;
}) {
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      {byRun && (
        <Tick checked={values.assistants} onChange={(assistants) => set({ assistants })}>
          assistants go too
        </Tick>
      )}
      {!all && (
        <Tick checked={values.leaves} onChange={(leaves) => set({ leaves })}>
          {byRun ? "who leaves the one leaves the other" : "who is it no longer is taken off again"}
        </Tick>
      )}
    </Row>
  );
}

/** How the sentence reads, and whom it reaches. */
function Foreseen({
  ready,
  seen,
  error,
  now,
}: {
  ready: boolean;
  seen: Schemas["SentenceForeseen"] | undefined;
  error: unknown;
  now: boolean;
}) {
  if (!ready) return <P tone="slate">Say who, and where they go.</P>;
  if (error) return <Fault role="alert">{messageOf(error)}</Fault>;
  if (!seen) return <P tone="slate">Reading …</P>;
  const there = count(seen.there, "person fits", "people fit");
  const come = seen.seats + seen.waits;
  return (
    <Note kind="done" role="status">
      <P strong>{seen.text}</P>
      <P>
        {there} this now; {seen.already} of them {seen.already === 1 ? "is" : "are"} on the run already.{" "}
        {now
          ? `${count(seen.seats, "gets a seat", "get a seat")}, ${seen.waits} wait in line` +
            (isZero(seen.total) ? "." : `, for ${money(seen.total, seen.currency)}.`)
          : come > 0 && `The other ${come} stay where they are.`}
      </P>
      {now && <T tone="slate">They are put there in the background, a hundred at a time.</T>}
    </Note>
  );
}

/** The terms of a sentence that holds. */
export function TermsForm({ sentence, onClose }: { sentence: Sentence; onClose: () => void }) {
  const of = useServerForm({
    draft: `sentence-terms-${sentence.id}`,
    start: {
      group: sentence.group,
      rate: sentence.rate ?? FREE,
      assistants: sentence.assistants,
      leaves: sentence.leaves,
    },
    send: ({ rate, ...rest }) =>
      ask(
        api.PATCH("/api/v1/sentences/{sentence_id}", {
          params: { path: { sentence_id: sentence.id } },
          body: { ...rest, group: rest.group.trim(), rate: rate === FREE ? null : rate },
        }),
      ),
    done: onClose,
  });
  const choices = $api.useQuery("get", "/api/v1/runs/{run_id}", {
    params: { path: { run_id: sentence.target_id } },
  });
  const rates = (choices.data?.rates ?? []).map((r) => ({ value: r.code, text: r.label }));
  return (
    <Form of={of} look="inset" onLeave={onClose} label={`Terms of: ${sentence.text}`}>
      <Row wrap end>
        <Field label="In group" width={140} {...of.field("group")} autoFocus />
        <Rate value={of.values.rate} rates={rates} onChange={(rate) => of.set({ rate })} />
      </Row>
      <Ticks
        values={of.values}
        byRun={sentence.kind === "follow-on"}
        all={sentence.kind === "standing" && !sentence.tag && !sentence.organization}
        set={of.set}
      />
      <P tone="slate">It holds from now on; whom it enrolled stays as they are.</P>
      <Ends of={of} act="Change the sentence" leave="Leave it" onLeave={onClose} />
    </Form>
  );
}

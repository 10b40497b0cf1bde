import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { Ends, Form, SaveOrKeep } from "../../form/Form";
import { NotSaved } from "../../form/NotSaved";
import { useWaitingForm } from "../../form/useWaitingForm";
import { Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count, money } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Fault, Heard, P, T } from "../../parts/words";
import {
  digitsOf,
  extraForm,
  type ExtraForm,
  extrasOf,
  groupForm,
  type GroupForm,
  groupOf,
  PLAN_STARTS,
  planForm,
  type PlanForm,
  plansOf,
  taxesOf,
  type TaxForm,
  whole,
} from "../courses/form";
import { PlansEdit } from "../courses/PlansEdit";
import { ToldTicks } from "../roster/ToldTicks";
import { HOW_OFFERED, TOO_LARGE } from "../roster/LineRules";
import { ExtrasEdit, GroupEdit, TaxesEdit } from "./LinesEdit";
import { MoneyTabs } from "./MoneyTabs";
import { type Policy, Refunds } from "./Refunds";
import { useServerForm } from "../../form/useServerForm";
import { useAct } from "../../form/useAct";

type Values = {
  taxes?: TaxForm[];
  group?: { from: number; percent: string }[];
  extras?: { code: string; label: string; amount: string }[];
  plans?: Parameters<typeof planForm>[0][];
  refunds?: Policy;
  told?: string[];
  office_email?: string;
  seats_shown?: string;
  terms?: string;
  quote_days?: number;
  access_days?: number;
  overbook?: number;
  line_rule?: string;
  auto_offer?: boolean;
  offer_hours?: number;
  hold_hours?: number;
  role?: string;
};
type Name = keyof Schemas["CenterDefaultsForm"];
type Save = (name: Name, value: unknown) => Promise<void>;

/** What new runs start from where their course says nothing. */
export default function DefaultsPage() {
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/defaults");
  if (!query.data)
    return <NotYet title="What runs start from" error={query.error} retry={() => void query.refetch()} />;
  const { values: held, currency, courses_differ: differ } = query.data;
  const values = held as Values;
  const save: Save = async (name, value) => {
    const done = await ask(
      api.PATCH("/api/v1/defaults", {
        body: { seen: { [name]: held[name] ?? null }, set: { [name]: value } },
      }),
    );
    acts.say({ text: "New runs start from this.", change: done.change });
  };
  return (
    <Page
      title="What runs start from"
      notes={<ActNotes acts={acts} />}
      help="A new run takes what its course says, and where the course says nothing what stands here. On the run each value says where it comes from, and can be taken back to it. Runs that are there already stay as they are."
      margin={null}
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        What runs start from
      </Box>
      <Lists values={values} currency={currency} save={save} differ={differ} />
      <Part as="div">
        <h2>Refunds</h2>
        <Refunds
          stored={values.refunds}
          currency={currency}
          name="defaults-refunds"
          save={(value) => save("refunds", value).then(() => null)}
        >
          {!values.refunds && <P tone="slate">No policy: everything goes back, as credit of the account.</P>}
        </Refunds>
      </Part>
      <Part as="div">
        <h2>Who is told</h2>
        <Told told={values.told ?? []} office={values.office_email ?? ""} save={save} />
      </Part>
      <Part as="div">
        <h2>Public pages</h2>
        <Public values={values} save={save} />
      </Part>
      <Part as="div">
        <h2>Seats and line</h2>
        <Rules values={values} save={save} />
      </Part>
      <Part as="div">
        <h2>Days</h2>
        <Row wrap>
          <Days
            name="quote_days"
            label="A quote is kept for, days"
            stored={values.quote_days}
            usual="14"
            save={save}
          />
          <Days
            name="access_days"
            label="Access to an open run, days"
            stored={values.access_days}
            usual="not said"
            save={save}
          />
        </Row>
      </Part>
    </Page>
  );
}

/** What is sold and how it is paid: taxes, groups, extras, plans. */
function Lists({
  values,
  currency,
  save,
  differ,
}: {
  values: Values;
  currency: string;
  save: Save;
  differ: Record<string, number>;
}) {
  const part = { save, differ };
  return (
    <>
      <Default
        {...part}
        name="taxes"
        title="Taxes"
        empty="No tax."
        stored={values.taxes}
        start={() => values.taxes ?? []}
        sent={taxesOf}
        edit={(form: TaxForm[], setForm, faults) => (
          <TaxesEdit
            value={form}
            onChange={setForm}
            faults={faults}
            at="/set/taxes"
            sold={(values.extras ?? []).map(({ code, label }) => ({ code, label }))}
          />
        )}
        line={(t) => (
          <>
            {t.name}:{" "}
            <T tone="copper" as="strong">
              {t.percent} percent
            </T>{" "}
            <T tone="slate">
              {t.included ? "in the price" : "on top"} of {t.on ? t.on.join(", ") : "everything"}
            </T>
          </>
        )}
      />
      <Default
        {...part}
        name="group"
        title="Groups"
        empty="A group pays what each person would."
        stored={values.group}
        start={() => (values.group ?? []).map(groupForm)}
        sent={groupOf}
        edit={(form: GroupForm[], setForm, faults) => (
          <GroupEdit value={form} onChange={setForm} faults={faults} at="/set/group" />
        )}
        line={(g) => (
          <>
            From {g.from} people:{" "}
            <T tone="copper" as="strong">
              {g.percent} percent
            </T>{" "}
            off each head
          </>
        )}
      />
      <Default
        {...part}
        name="extras"
        title="Extras"
        empty="Nothing beside the seat."
        stored={values.extras}
        start={() => (values.extras ?? []).map(extraForm)}
        sent={(form) => extrasOf(form, digitsOf(currency))}
        edit={(form: ExtraForm[], setForm, faults) => (
          <ExtrasEdit value={form} onChange={setForm} faults={faults} at="/set/extras" currency={currency} />
        )}
        line={(x) => (
          <>
            {x.label}:{" "}
            <T tone="copper" as="strong">
              {money(x.amount, currency)}
            </T>
          </>
        )}
      />
      <Default
        {...part}
        name="plans"
        title="Payment plans of a new run"
        empty="Whoever makes a run chooses its plan."
        stored={values.plans}
        start={() => (values.plans ?? []).map(planForm)}
        sent={(form) => plansOf(form.length ? form : [{ id: null, ...PLAN_STARTS[0]! }], digitsOf(currency))}
        edit={(form: PlanForm[], setForm, faults) => (
          <PlansEdit plans={form} onChange={setForm} faults={faults} at="/set/plans" />
        )}
        line={(p) => <>{p.name}</>}
      />
    </>
  );
}

function Default<Stored, Form>({
  name,
  title,
  empty,
  stored,
  start,
  sent,
  edit,
  line,
  save,
  differ,
}: {
  name: Name;
  title: string;
  empty: string;
  stored?: Stored[];
  start: () => Form[];
  sent: (form: Form[]) => unknown;
  edit: (form: Form[], setForm: (form: Form[]) => void, faults: Record<string, string>) => ReactNode;
  line: (held: Stored) => ReactNode;
  save: Save;
  differ: Record<string, number>;
}) {
  const of = useWaitingForm<Form[], null>({
    draft: `defaults-${name}`,
    send: async (form, _, close) => {
      await save(name, sent(form));
      close();
      return null;
    },
  });
  const form = of.kept?.form ?? null;
  return (
    <Part as="div">
      <h2>{title}</h2>
      {form === null ? (
        <div>
          {stored?.map((held, i) => (
            <div key={i}>{line(held)}</div>
          ))}
          {!stored?.length && <P tone="slate">{empty}</P>}
          {differ[name] ? (
            <P tone="slate">{count(differ[name], "course has its own", "courses have their own")}.</P>
          ) : null}
          <Button onClick={() => of.begin(start(), null)} sx={{ marginTop: 6 }}>
            Change<Heard>: {title}</Heard>
          </Button>
        </div>
      ) : (
        <Form of={of}>
          {edit(form, of.set, of.faults)}
          <NotSaved what={title.toLowerCase()} then="Until then new runs start from what stood here." />
          <Ends of={of} act="Save" leave="Keep as it was" onLeave={of.close} />
        </Form>
      )}
    </Part>
  );
}

/** How seats and the line are given on new runs, and the role of whoever comes onto a roster without a seat. */
function Rules({ values, save }: { values: Values; save: Save }) {
  const [wrong, setWrong] = useState("");
  const choosing = useAct({
    send: ({ name, value }: { name: Name; value: unknown }) => save(name, value),
    done: () => undefined,
    failed: setWrong,
  });
  const choose = (name: Name, value: unknown) => void choosing.act({ name, value });
  return (
    <div>
      <Row wrap>
        <Choice
          label="Seats that come free are offered"
          width={230}
          value={values.auto_offer === false ? "no" : "yes"}
          onChange={(v) => choose("auto_offer", v === "yes")}
          options={HOW_OFFERED}
        />
        <Choice
          label="A party too large for what is free"
          width={250}
          value={values.line_rule ?? "fit"}
          onChange={(v) => choose("line_rule", v)}
          options={TOO_LARGE}
        />
        <Choice
          label="Added without a seat"
          width={170}
          value={values.role ?? "assistant"}
          onChange={(v) => choose("role", v)}
          options={["assistant", "observer"].map((r) => ({ value: r, text: `as ${r}` }))}
        />
      </Row>
      <Row wrap>
        <Days
          name="offer_hours"
          label="An offer stands, in hours"
          stored={values.offer_hours}
          usual="36"
          save={save}
        />
        <Days
          name="hold_hours"
          label="Held for payment, in hours"
          stored={values.hold_hours}
          usual="not at all"
          save={save}
        />
        <Days
          name="overbook"
          label="Seats beyond the capacity"
          stored={values.overbook}
          usual="0"
          save={save}
        />
      </Row>
      {wrong && <Fault role="alert">{wrong}</Fault>}
    </div>
  );
}

function Days({
  name,
  label,
  stored,
  usual,
  save,
}: {
  name: Name;
  label: string;
  stored?: number;
  usual: string;
  save: Save;
}) {
  const of = useServerForm({
    draft: `defaults-${name}`,
    start: { days: String(stored ?? "") },
    send: ({ days }) => save(name, whole(days)),
    done: () => undefined,
  });
  return (
    <Form of={of}>
      <Field
        label={label}
        width={220}
        placeholder={usual}
        {...of.field("days", `/set/${name}`)}
        onBlur={() => {
          if (of.dirty.length) void of.submit();
        }}
        help="saved when you leave it"
        input={{ inputMode: "numeric" }}
      />
    </Form>
  );
}

/** How the public pages say what is left, and what people agree to when they sign up. */
function Public({ values, save }: { values: Values; save: Save }) {
  const of = useServerForm({
    draft: "defaults-public",
    start: { seats_shown: values.seats_shown ?? "number", terms: values.terms ?? "" },
    send: async ({ seats_shown, terms }) => {
      if (seats_shown !== (values.seats_shown ?? "number")) await save("seats_shown", seats_shown);
      if (terms !== (values.terms ?? "")) await save("terms", terms.trim() ? terms : null);
    },
    done: () => undefined,
  });
  return (
    <Form of={of} label="Public pages" sx={{ display: "grid", gap: "12px" }}>
      <Choice
        label="Seats left are said"
        width={240}
        value={of.values.seats_shown}
        onChange={(seats_shown) => of.set({ seats_shown })}
        options={[
          { value: "number", text: "by their number" },
          { value: "few", text: "when few are left" },
          { value: "none", text: "only when none is left" },
        ]}
      />
      <Field
        label="Terms that people agree to when they sign up"
        width="100%"
        multiline
        {...of.field("terms", "/set/terms")}
        help="Markdown. Without any, nobody is asked to agree."
      />
      {of.dirty.length > 0 && <SaveOrKeep of={of} />}
    </Form>
  );
}

/** Who hears of an enrollment, unless a run or the desk says otherwise. */
function Told({ told, office, save }: { told: string[]; office: string; save: Save }) {
  const [wrong, setWrong] = useState("");
  const ticking = useAct({
    send: (next: string[]) => save("told", next),
    done: () => undefined,
    failed: setWrong,
  });
  const of = useServerForm({
    draft: "defaults-office",
    start: { email: office },
    send: ({ email }) => save("office_email", email.trim() || null),
    done: () => undefined,
  });
  return (
    <div>
      <ToldTicks told={told} onChange={(next) => void ticking.act(next)} />
      {wrong && <Fault role="alert">{wrong}</Fault>}
      <Form look="row" of={of}>
        <Field label="The office’s email" width={260} {...of.field("email", "/set/office_email")} />
        {of.dirty.length > 0 && (
          <Button type="submit" disabled={of.busy} sx={{ alignSelf: "flex-end" }}>
            Keep it
          </Button>
        )}
      </Form>
    </div>
  );
}

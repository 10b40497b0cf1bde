import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { Acts, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { count, day, money } from "../../parts/text";
import { useArrived } from "../../parts/useArrived";
import { useDone } from "../../parts/useUndo";
import { Cell, Empty, Heard, Name, P, T } from "../../parts/words";
import { amount, digitsOf, whole } from "../courses/form";
import { KeptForm } from "../schedule/Kept";
import { MoneyTabs } from "./MoneyTabs";

type Code = Schemas["CodeOut"];

/** Discount codes: what each takes off, where and how often it holds, who used it and what that cost. */
export default function CodesPage() {
  const acts = useDone();
  const [open, setOpen] = useState<number | "new" | null>(null);
  const [seen, setSeen] = useState<number | null>(null);
  const query = $api.useQuery("get", "/api/v1/codes");
  const arrived = useArrived();
  if (!query.data)
    return <NotYet title="Discount codes" error={query.error} retry={() => void query.refetch()} />;
  const saved = (text: string, change: string) => {
    setOpen(null);
    acts.say({ text, change });
  };
  return (
    <Page
      title="Discount codes"
      notes={<ActNotes acts={acts} />}
      help="It comes off after early-bird, sale and group prices. A use is given back when the sign-up is withdrawn. Changing a code does not touch people who are in already."
      margin={seen !== null ? <Uses id={seen} onClose={() => setSeen(null)} /> : null}
    >
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Discount codes
      </Box>
      {open === "new" ? (
        <CodeForm onClose={() => setOpen(null)} onSaved={saved} />
      ) : (
        <Button onClick={() => setOpen("new")}>Make a code, or a set</Button>
      )}
      {query.data.length === 0 && open !== "new" && (
        <Empty as="p">
          No code yet. One code can be used by many; a set holds many codes that are used once each.
        </Empty>
      )}
      {query.data.length > 0 && (
        <Scroller>
          <Table sx={{ marginTop: 12 }}>
            <TableHead>
              <TableRow>
                <Cell>Code</Cell>
                <Cell>Off</Cell>
                <Cell>Holds</Cell>
                <Cell>Where</Cell>
                <Cell right>Uses</Cell>
                <Cell right>Cost so far</Cell>
                <Cell>
                  <Heard>Acts</Heard>
                </Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {query.data.map((c) => (
                <CodeRow
                  key={c.id}
                  code={c}
                  arrived={arrived(c.id)}
                  onChange={() => setOpen(c.id)}
                  onWho={() => setSeen(c.id)}
                />
              ))}
            </TableBody>
          </Table>
        </Scroller>
      )}
      {typeof open === "number" && (
        <CodeForm
          key={open}
          code={query.data.find((c) => c.id === open)}
          onClose={() => setOpen(null)}
          onSaved={saved}
        />
      )}
    </Page>
  );
}

function CodeRow({
  code: c,
  arrived,
  onChange,
  onWho,
}: {
  code: Code;
  arrived: ReturnType<ReturnType<typeof useArrived>>;
  onChange: () => void;
  onWho: () => void;
}) {
  return (
    <TableRow {...arrived}>
      <Cell>
        <strong>{c.code}</strong>
        {c.number && <T tone="slate">, a set of {c.number}</T>}
        {c.note && (
          <T tone="slate" as="div">
            {c.note}
          </T>
        )}
      </Cell>
      <Cell tone="copper">{c.percent !== null ? `${c.percent} percent` : money(c.off, c.currency)}</Cell>
      <Cell>
        <T strong={c.state === "in use"} tone={c.state === "in use" ? undefined : "slate"}>
          {c.state}
        </T>
        <T tone="slate" as="div">
          {c.from && `from ${day(c.from)} `}
          {c.to && `through ${day(c.to)}`}
        </T>
      </Cell>
      <Cell>{whereText(c)}</Cell>
      <Cell right>
        {c.uses}
        {c.limit !== null && ` of ${c.limit}`}
      </Cell>
      <Cell right tone="copper">
        {money(c.cost, c.currency)}
      </Cell>
      <Cell>
        <Row as="span" sx={{ gap: 12 }}>
          <Button variant="text" onClick={onChange}>
            change<Heard> {c.code}</Heard>
          </Button>
          <Button variant="text" color="secondary" onClick={onWho}>
            who<Heard> used {c.code}</Heard>
          </Button>
          {c.number && (
            <a href={`/api/v1/codes/${c.id}/list.csv`} download>
              CSV<Heard> of {c.code}</Heard>
            </a>
          )}
        </Row>
      </Cell>
    </TableRow>
  );
}

function whereText(c: Code): string {
  const parts = [
    c.course_ids.length ? count(c.course_ids.length, "course") : "",
    c.run_ids.length ? count(c.run_ids.length, "run") : "",
  ].filter(Boolean);
  const on = c.on === null ? "" : `, on ${c.on.join(", ")}`;
  return (parts.length ? parts.join(" and ") : "everywhere") + on;
}

const EMPTY = {
  code: "",
  note: "",
  how: "percent",
  value: "",
  from: "",
  to: "",
  most: "",
  each: "",
  courses: [] as number[],
  runs: [] as number[],
  on: "",
  number: "",
  set: false,
  active: true,
};

type CodeValues = typeof EMPTY;

const valuesOf = (code: Code): CodeValues => ({
  ...EMPTY,
  code: code.code,
  note: code.note,
  how: code.off === null ? "percent" : "off",
  value: code.off ?? code.percent ?? "",
  from: code.from ?? "",
  to: code.to ?? "",
  most: code.number ? "" : (code.most?.toString() ?? ""),
  each: code.most_each?.toString() ?? "",
  courses: code.course_ids,
  runs: code.run_ids,
  on: code.on?.join(", ") ?? "",
  set: code.number !== null,
  active: code.active,
});

function codeOf(form: CodeValues, isNew: boolean, digits: number) {
  const off = form.how === "off";
  const names = form.on.split(",").map((n) => n.trim());
  return asTyped<"CodeCommand">({
    code: form.code.trim() || null,
    note: form.note,
    percent: off ? null : form.value.trim() || null,
    off: off ? amount(form.value, digits) : null,
    from: form.from || null,
    to: form.to || null,
    most: form.set ? null : whole(form.most),
    most_each: whole(form.each),
    course_ids: form.courses,
    run_ids: form.runs,
    on: form.on.trim() ? names.filter(Boolean) : null,
    active: form.active,
    ...(form.set && isNew ? { number: whole(form.number) } : {}),
  });
}

function CodeForm({
  code,
  onClose,
  onSaved,
}: {
  code?: Code;
  onClose: () => void;
  onSaved: (text: string, change: string) => void;
}) {
  const me = useMe();
  const of = useServerForm({
    draft: `code-${code?.id ?? "new"}`,
    start: code ? valuesOf(code) : EMPTY,
    send: (form, key) => {
      const body = codeOf(form, !code, digitsOf(me.currency));
      return ask(
        code
          ? api.PUT("/api/v1/codes/{code_id}", { params: { path: { code_id: code.id } }, body })
          : api.POST("/api/v1/codes", { params: { header: { "Idempotency-Key": key } }, body }),
      );
    },
    done: (saved) =>
      onSaved(
        saved.number && !code
          ? `Made ${saved.number} codes ${saved.code}; their list is under CSV.`
          : `${saved.code} is saved; it holds for sign-ups from now on.`,
        saved.change,
      ),
  });
  const parts = { form: of.values, set: of.set, faults: of.faults, isNew: !code };
  const close = () => {
    of.forget();
    onClose();
  };
  return (
    <KeptForm of={of} onClose={close}>
      <TakesOff {...parts} currency={me.currency} />
      <Limits {...parts} />
      <HoldsOn {...parts} />
      {code && (
        <Tick checked={of.values.active} onChange={(on) => of.set({ active: on })}>
          in use
        </Tick>
      )}
    </KeptForm>
  );
}

interface CodePart {
  form: CodeValues;
  set: (change: Partial<CodeValues>) => void;
  faults: Record<string, string>;
  isNew: boolean;
}

function TakesOff({ form, set, faults, isNew, currency }: CodePart & { currency: string }) {
  return (
    <Row wrap>
      <Field
        label={form.set ? "Name of the set" : "Code"}
        width={180}
        value={form.code}
        onChange={(v) => set({ code: v.toUpperCase() })}
        fault={faults["/code"]}
        autoFocus
      />
      <Choice
        label="Takes off"
        width={140}
        value={form.how}
        onChange={(how) => set({ how, value: "" })}
        options={[
          { value: "percent", text: "a percent" },
          { value: "off", text: "an amount" },
        ]}
      />
      <Field
        label={form.how === "off" ? `Amount in ${currency}, once a sign-up` : "Percent"}
        width={190}
        value={form.value}
        onChange={(value) => set({ value })}
        fault={faults["/percent"] ?? faults["/off"] ?? faults[""]}
        input={{ inputMode: "decimal" }}
      />
      {isNew && (
        <Tick checked={form.set} onChange={(on) => set({ set: on })}>
          a numbered set of single-use codes
        </Tick>
      )}
    </Row>
  );
}

function Limits({ form, set, faults, isNew }: CodePart) {
  const number = (key: "number" | "most" | "each", label: string, width: number, fault?: string) => (
    <Field
      label={label}
      width={width}
      placeholder={key === "number" ? undefined : "any"}
      value={form[key]}
      onChange={(v) => set({ [key]: v })}
      fault={fault}
      input={{ inputMode: "numeric" }}
    />
  );
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      <Field
        label="From"
        type="date"
        width={160}
        value={form.from}
        onChange={(from) => set({ from })}
        fault={faults["/from"]}
      />
      <Field
        label="Through"
        type="date"
        width={160}
        value={form.to}
        onChange={(to) => set({ to })}
        fault={faults["/to"]}
      />
      {!form.set && number("most", "Uses in all", 110, faults["/most"])}
      {form.set && isNew && number("number", "How many codes", 130, faults["/number"])}
      {number("each", "Uses of one person", 140, faults["/most_each"])}
      <Field
        label="Only on these rates or extras"
        width={230}
        placeholder="every rate, no extra"
        value={form.on}
        onChange={(on) => set({ on })}
        fault={faults["/on"]}
        help="the codes of rates and extras, such as member, handbook"
      />
    </Row>
  );
}

function HoldsOn({ form, set, faults }: CodePart) {
  const courses = $api.useQuery("get", "/api/v1/courses");
  return (
    <Row wrap sx={{ marginTop: 10 }}>
      <Choice
        label="Holds on"
        width={300}
        value={form.runs.length ? "runs" : form.courses.length ? String(form.courses[0]) : ""}
        onChange={(v) => (v === "runs" ? undefined : set({ courses: v ? [Number(v)] : [], runs: [] }))}
        options={[
          { value: "", text: "every course" },
          ...(form.runs.length ? [{ value: "runs", text: count(form.runs.length, "single run") }] : []),
          ...(courses.data ?? []).map((c) => ({ value: String(c.id), text: c.title })),
        ]}
      />
      <AddRun
        onAdd={(id) => set({ runs: [...new Set([...form.runs, id])] })}
        held={form.runs}
        onClear={() => set({ runs: [] })}
      />
      <Field
        label="Note for staff"
        value={form.note}
        onChange={(note) => set({ note })}
        fault={faults["/note"]}
      />
    </Row>
  );
}

/** Single runs that a code holds on, chosen by name. */
function AddRun({
  held,
  onAdd,
  onClear,
}: {
  held: number[];
  onAdd: (id: number) => void;
  onClear: () => void;
}) {
  const runs = $api.useQuery("get", "/api/v1/runs", {
    params: { query: { teaching: "before", status: "published", limit: 30 } },
  });
  return (
    <>
      <Choice
        label="or on single runs"
        width={260}
        value=""
        onChange={(v) => v && onAdd(Number(v))}
        options={[
          { value: "", text: held.length ? `${count(held.length, "run")} chosen; another` : "none" },
          ...(runs.data?.items ?? [])
            .filter((r) => !held.includes(r.id))
            .map((r) => ({ value: String(r.id), text: `${r.title}, ${r.code}` })),
        ]}
      />
      {held.length > 0 && (
        <Acts>
          <Button variant="text" color="secondary" onClick={onClear}>
            no single runs
          </Button>
        </Acts>
      )}
    </>
  );
}

function Uses({ id, onClose }: { id: number; onClose: () => void }) {
  const query = $api.useQuery("get", "/api/v1/codes/{code_id}", { params: { path: { code_id: id } } });
  if (!query.data) return null;
  const c = query.data;
  return (
    <section>
      <h2>
        {c.code}: {count(c.uses, "use")}, {money(c.cost, c.currency)}
      </h2>
      {c.people.length === 0 && <P tone="slate">Nobody has used it.</P>}
      {c.people.map((p, i) => (
        <p key={i}>
          <Name to={`/people/${p.person_id}`}>{p.name}</Name>, <Link to={`/runs/${p.run_id}`}>{p.run}</Link>,{" "}
          {money(p.amount, c.currency)}
          <T tone="slate">
            {" "}
            {day(p.at)}
            {p.live ? "" : ", given back"}
            {c.number ? `, ${p.code}` : ""}
          </T>
        </p>
      ))}
      <Button variant="text" color="secondary" onClick={onClose}>
        close
      </Button>
    </section>
  );
}

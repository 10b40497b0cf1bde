import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";

import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { OrganizationNew } from "../../form/OrganizationNew";
import { OrganizationPick } from "../../form/OrganizationPick";
import { Tick } from "../../form/Tick";
import { useServerForm } from "../../form/useServerForm";
import { api, ask, type Schemas } from "../../app/server";
import { Arch } from "../../parts/Arch";
import { Facts, Row } from "../../parts/layout";
import { count, money, whole } from "../../parts/text";
import { P, T } from "../../parts/words";
import { type Batch, type useBatchActs, useChoices } from "./batch";

/** Amounts as the server says them: of one currency, or "5,040.00 USD, 90.00 EUR". */
export function total(batch: Batch): string {
  return batch.total.includes(" ") ? batch.total : money(batch.total, batch.currency);
}

/** A thing that holds for all of a list, in one line, and what changes it below while it is open. */
function Setting({
  label,
  value,
  open,
  onOpen,
  children,
}: {
  label: string;
  value: ReactNode;
  open: boolean;
  onOpen: (() => void) | null;
  children: ReactNode;
}) {
  return (
    <Box sx={{ marginBottom: 4 }}>
      <T tone="slate">{label}</T> {value}{" "}
      {onOpen && !open && (
        <Button variant="text" aria-label={`Change: ${label}`} onClick={onOpen}>
          change
        </Button>
      )}
      {open && <Box sx={{ margin: "4px 0 10px" }}>{children}</Box>}
    </Box>
  );
}

/** Who pays for everybody of a list. */
export function WhoPays({ batch, acts }: { batch: Batch; acts: ReturnType<typeof useBatchActs> }) {
  const [open, setOpen] = useState(false);
  const [adding, setAdding] = useState(false);
  const pays = (id: number | null) => {
    setAdding(false);
    setOpen(false);
    void acts.change.act({ organization_id: id });
  };
  return (
    <Setting
      label="Paid by"
      value={batch.organization?.name ?? "each learner"}
      open={open}
      onOpen={batch.status === "judged" ? () => setOpen(true) : null}
    >
      {adding ? (
        <OrganizationNew draft={`list-payer-${batch.id}`} onLeave={() => setAdding(false)} onMade={pays} />
      ) : (
        <>
          <OrganizationPick
            label="Who pays for everybody on this list"
            value={batch.organization ? String(batch.organization.id) : ""}
            onChange={(v) => pays(v ? Number(v) : null)}
            fixed={[{ value: "", text: "each learner" }]}
          />
          <Row sx={{ marginTop: 6 }}>
            <Button variant="text" onClick={() => setAdding(true)}>
              Another organization
            </Button>
            <Button variant="text" color="secondary" onClick={() => setOpen(false)}>
              leave it
            </Button>
          </Row>
        </>
      )}
    </Setting>
  );
}

const WORDS: ["rate" | "plan" | "code" | "extras" | "group_name" | "order_number" | "contact", string][] = [
  ["rate", "Rate"],
  ["plan", "Payment plan"],
  ["code", "Discount code"],
  ["extras", "Extras"],
  ["group_name", "Group"],
  ["order_number", "Purchase order"],
  ["contact", "Contact"],
];

/** What holds for every line that says nothing else: closed, its words; open, a form. */
export function ForAll({ batch, acts }: { batch: Batch; acts: ReturnType<typeof useBatchActs> }) {
  const [open, setOpen] = useState(false);
  const said = WORDS.filter(([name]) => batch[name] !== "");
  return (
    <Setting
      label="Every line"
      value={
        said.length > 0
          ? said.map(([name, label]) => `${label.toLowerCase()} ${batch[name]}`).join(", ")
          : "usual rate and plan, no code, no purchase order"
      }
      open={open}
      onOpen={batch.status === "judged" ? () => setOpen(true) : null}
    >
      <ForAllForm batch={batch} acts={acts} onClose={() => setOpen(false)} />
    </Setting>
  );
}

function ForAllForm({
  batch,
  acts,
  onClose,
}: {
  batch: Batch;
  acts: ReturnType<typeof useBatchActs>;
  onClose: () => void;
}) {
  const of = useServerForm({
    draft: `list-all-${batch.id}`,
    start: Object.fromEntries(WORDS.map(([name]) => [name, batch[name]])) as Record<
      (typeof WORDS)[number][0],
      string
    >,
    send: (body) =>
      ask(api.PATCH("/api/v1/batches/{batch_id}", { params: { path: { batch_id: batch.id } }, body })),
    done: (answer) => {
      acts.put(answer);
      onClose();
    },
  });
  const { rates, plans, extras } = useChoices(batch.run_id);
  const among = (
    name: "rate" | "plan",
    label: string,
    choices: { value: string; text: string }[],
    usual: string,
  ) => (
    <Choice
      label={label}
      value={of.values[name]}
      onChange={(v) => of.set({ [name]: v })}
      options={[{ value: "", text: usual }, ...choices]}
    />
  );
  return (
    <Form of={of} onLeave={onClose} label="For every line that says nothing else">
      {rates.length > 0 ? (
        among("rate", "Rate", rates, "the run's usual")
      ) : (
        <Field label="Rate" {...of.field("rate")} />
      )}
      {plans.length > 0 ? (
        among("plan", "Payment plan", plans, "the run's usual")
      ) : (
        <Field label="Payment plan" {...of.field("plan")} />
      )}
      <Field label="Discount code" {...of.field("code")} />
      {(batch.run_id === null || extras.length > 0) && (
        <Field
          label="Extras"
          help={
            extras.length > 0
              ? `${extras.join(", ")}; several with a semicolon, “2 x Lunch”`
              : "Several with a semicolon, “2 x Lunch”"
          }
          {...of.field("extras")}
        />
      )}
      <Field label="Group" {...of.field("group_name")} />
      <Field label="Purchase order" {...of.field("order_number")} />
      <Field label="Contact" {...of.field("contact")} />
      <Ends of={of} act="Use for every line" leave="Back" onLeave={onClose} />
    </Form>
  );
}

const HEAR: [Schemas["Told"], string][] = [
  ["learner", "each learner"],
  ["payer", "the organization that pays"],
  ["instructors", "the instructors"],
  ["office", "the office"],
];

/** Who is told when the list is confirmed: as the run, or each run, has it, or as it is said here. */
export function WhoIsTold({
  batch,
  told,
  onTold,
}: {
  batch: Batch;
  told: Schemas["Told"][] | null;
  onTold: (told: Schemas["Told"][] | null) => void;
}) {
  const [open, setOpen] = useState(false);
  const usual = told === null && batch.run_id === null;
  const hear = told ?? batch.told_usually;
  const letters = hear.includes("learner") && batch.letters > 0 ? ` (${count(batch.letters, "letter")})` : "";
  const words = HEAR.filter(([who]) => hear.includes(who)).map(([, text]) => text);
  return (
    <Setting
      label="Told"
      value={usual ? "as each run has it" : words.length > 0 ? `${words.join(", ")}${letters}` : "nobody"}
      open={open}
      onOpen={batch.status === "judged" ? () => setOpen(true) : null}
    >
      {HEAR.map(([who, text]) => (
        <div key={who}>
          <Tick
            checked={hear.includes(who)}
            onChange={(on) => onTold(on ? [...hear, who] : hear.filter((t) => t !== who))}
          >
            {text}
          </Tick>
        </div>
      ))}
      <Row>
        <Button variant="text" color="secondary" onClick={() => setOpen(false)}>
          close
        </Button>
        {told !== null && (
          <Button variant="text" color="secondary" onClick={() => onTold(null)}>
            as usual
          </Button>
        )}
      </Row>
    </Setting>
  );
}

function heading(status: Batch["status"]): string {
  if (status === "judging") return "So far";
  if (status === "judged") return "When you confirm";
  if (status === "running" || status === "stopped") return "What is left";
  return status === "taking back" ? "What still stands" : "What was done";
}

/** Sign-ups, seats by run, money by rate and payer, and what else is written; before a list is confirmed and after. */
export function WhatItDoes({ batch }: { batch: Batch }) {
  const before = !["enrolled", "taking back", "taken back"].includes(batch.status);
  const one = batch.runs.length === 1 ? batch.runs[0]! : null;
  return (
    <section>
      <h2>{heading(batch.status)}</h2>
      <Facts>
        {before && (
          <>
            <dt>Sign-ups</dt>
            <dd>{whole(batch.people)}</dd>
            <dt>Seats they take</dt>
            <dd>{whole(batch.seats)}</dd>
          </>
        )}
        {one && (
          <>
            <dt>Seats taken {batch.status === "judged" ? "then" : "now"}</dt>
            <dd>
              {whole(batch.status === "judged" ? one.taken + one.seats : one.taken)} of {whole(one.capacity)}
            </dd>
          </>
        )}
        {(before ? batch.waits : (batch.counts.waiting ?? 0)) > 0 && (
          <>
            <dt>Waiting in line</dt>
            <dd>{whole(before ? batch.waits : (batch.counts.waiting ?? 0))}</dd>
          </>
        )}
        {batch.new_people > 0 && before && (
          <>
            <dt>People added</dt>
            <dd>{whole(batch.new_people)}</dd>
          </>
        )}
        {batch.installments > 0 && before && (
          <>
            <dt>Installments</dt>
            <dd>{whole(batch.installments)}</dd>
          </>
        )}
        {batch.sums.map((sum) => [
          <dt key={`${sum.rate}${sum.currency}t`}>
            {sum.rate}, {count(sum.heads, "head")}
          </dt>,
          <dd key={`${sum.rate}${sum.currency}d`}>{money(sum.total, sum.currency)}</dd>,
        ])}
        {before && (
          <>
            <dt className="sum">Together</dt>
            <T tone="copper" as="dd" className="sum">
              {total(batch)}
            </T>
          </>
        )}
      </Facts>
      {batch.runs.length > 1 && <ByRun batch={batch} />}
      {batch.payers.length > 1 && <ByPayer batch={batch} />}
      {one && (
        <Box sx={{ marginTop: 10 }}>
          <Arch
            taken={batch.status === "judged" ? one.taken + one.seats : one.taken}
            capacity={one.capacity}
            size="heading"
          />
        </Box>
      )}
    </section>
  );
}

function ByRun({ batch }: { batch: Batch }) {
  return (
    <>
      <P label sx={{ marginTop: 10 }}>
        By run
      </P>
      <Facts scrolls>
        {batch.runs.map((r) => [
          <dt key={`${r.id}t`}>
            <Link to={`/runs/${r.id}`}>{r.code}</Link>
          </dt>,
          <dd key={`${r.id}d`}>
            {whole(batch.status === "judged" ? r.taken + r.seats : r.taken)} of {whole(r.capacity)}
            {r.waits > 0 && `, ${whole(r.waits)} wait`}
          </dd>,
        ])}
      </Facts>
    </>
  );
}

function ByPayer({ batch }: { batch: Batch }) {
  return (
    <>
      <P label sx={{ marginTop: 10 }}>
        By payer
      </P>
      <Facts scrolls>
        {batch.payers.map((p) => [
          <dt key={`${p.id}${p.currency}t`}>
            {p.name}, {whole(p.sign_ups)}
          </dt>,
          <dd key={`${p.id}${p.currency}d`}>{money(p.total, p.currency)}</dd>,
        ])}
      </Facts>
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import OutlinedInput from "@mui/material/OutlinedInput";
import { styled } from "@mui/material/styles";
import { useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useId, useState } from "react";

import { $api, api, ask, faultsOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Inset, Loading, Note, Picks, Row } from "../../parts/layout";
import { money } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import { ink } from "../../theme/palette";
import { type Call, headsOf, namesOf, payerOf } from "./deskCall";
import { CardDetails } from "../money/CardDetails";
import { DeskExceptions } from "./DeskCalls";
import { PickOne } from "./DeskParts";

const CountedLine = styled("div")({
  display: "grid",
  gridTemplateColumns: "1fr 64px",
  gap: "2px 12px",
  alignItems: "center",
  padding: "4px 0",
  borderBottom: `1px solid ${ink.line}`,
  "& .fault": { gridColumn: "1 / -1" },
});

type Choices = Schemas["Choices"];
type Faults = Record<string, string>;
type Set = (change: Partial<Call>) => void;

const near = (faults: Faults, start: string) =>
  Object.entries(faults).find(([at]) => at.startsWith(start))?.[1];

/** The terms of a call: rate or rates, heads and their names, extras, code, plan. Everything shows in the quote at once. */
export function DeskTerms({
  call,
  set,
  run,
  quote,
  error,
}: {
  call: Call;
  set: Set;
  run: Schemas["RunOut"];
  quote?: Schemas["RunQuoteView"];
  error: unknown;
}) {
  const payer = payerOf(call).organization_id;
  const choices = $api.useQuery("get", "/api/v1/runs/{run_id}/choices", {
    params: {
      path: { run_id: run.id },
      query: { person_id: call.person?.id, organization_id: payer },
    },
  });
  const faults = error ? faultsOf(error) : {};
  const offered = choices.data;
  if (!offered) return <Loading />;
  const rateId = call.rateId ?? quote?.rate_id ?? null;
  const shared = { call, set, offered, faults };
  return (
    <>
      {call.mixed ? (
        <MixedRates {...shared} currency={run.currency} />
      ) : (
        <PickOne
          legend="Rate"
          name="rate"
          value={rateId}
          options={offered.rates.map((r) => ({
            id: r.id,
            text: r.label,
            more: money(r.amount, run.currency),
            why: r.why_not ?? (r.left !== null ? `${r.left} left` : null),
          }))}
          onPick={(id) => set({ rateId: id, agreed: null })}
        />
      )}
      {near(faults, "/people") && <Fault>{near(faults, "/people")}</Fault>}
      {!call.mixed && <Heads {...shared} rateId={rateId} />}
      {call.agreed && <Agreed call={call} set={set} faults={faults} />}
      {headsOf(call) > 1 && <OtherNames call={call} set={set} faults={faults} quote={quote} />}
      {offered.extras.length > 0 && <Extras {...shared} currency={run.currency} />}
      <Box sx={{ marginTop: 12 }}>
        <PickOne
          legend="Payment plan"
          name="plan"
          value={quote?.plan_id ?? call.planId ?? offered.plans[0]?.id ?? null}
          options={offered.plans.map((p) => ({ id: p.id, text: p.name, more: "" }))}
          onPick={(planId) => set({ planId })}
        />
        {faults["/plan_id"] && <Fault>{faults["/plan_id"]}</Fault>}
      </Box>
      {quote?.details_needed && <Details call={call} words={quote.details} />}
      <CodeAndNote call={call} set={set} fault={faults["/code"]} />
      <DeskExceptions call={call} set={set} run={run} quote={quote} faults={faults} />
    </>
  );
}

interface Part {
  call: Call;
  set: Set;
  faults: Faults;
}

function MixedRates({ call, set, offered, currency }: Part & { offered: Choices; currency: string }) {
  return (
    <Picks>
      <T label as="legend">
        Heads by rate
      </T>
      {offered.rates.map((r) => (
        <Counted
          key={r.id}
          label={r.label}
          price={money(r.amount, currency)}
          more={r.why_not && <T tone="ochre">{r.why_not}</T>}
          value={call.mixed?.[r.id] ?? ""}
          placeholder="0"
          onChange={(text) => set({ mixed: { ...call.mixed, [r.id]: text } })}
        />
      ))}
      <Button
        variant="text"
        color="secondary"
        onClick={() => set({ mixed: null, heads: String(headsOf(call) || 1) })}
      >
        all at one rate
      </Button>
    </Picks>
  );
}

function Heads({ call, set, offered, faults, rateId }: Part & { offered: Choices; rateId: number | null }) {
  const chosen = offered.rates.find((r) => r.id === rateId);
  return (
    <Row wrap sx={{ margin: "10px 0 0" }}>
      <Field
        label="Heads"
        value={call.heads}
        width={70}
        onChange={(value) => set({ heads: value })}
        fault={headsOf(call) < 1 ? "A number, please." : faults["/heads"]}
        input={{ inputMode: "numeric" }}
      />
      <Row sx={{ alignSelf: "flex-end", paddingBottom: 9 }}>
        {offered.rates.length > 1 && (
          <Button
            variant="text"
            color="secondary"
            onClick={() =>
              set({ mixed: { [String(rateId ?? offered.rates[0]!.id)]: call.heads }, agreed: null })
            }
          >
            several rates
          </Button>
        )}
        {chosen?.by_agreement && !call.agreed && (
          <Button
            variant="text"
            color="secondary"
            onClick={() => set({ rateId, agreed: { amount: "", reason: "" } })}
          >
            agree an amount
          </Button>
        )}
      </Row>
    </Row>
  );
}

function Agreed({ call, set, faults }: Part) {
  return (
    <Inset>
      <Row wrap>
        <Field
          label="Agreed, a head"
          value={call.agreed!.amount}
          width={110}
          onChange={(text) => set({ agreed: { ...call.agreed!, amount: text } })}
          fault={faults["/people/0/agreed/amount"] ?? faults["/people/0/agreed"]}
          input={{ inputMode: "decimal" }}
        />
        <Field
          label="Reason"
          value={call.agreed!.reason}
          onChange={(text) => set({ agreed: { ...call.agreed!, reason: text } })}
          fault={faults["/people/0/agreed/reason"]}
        />
      </Row>
      <Button variant="text" color="secondary" onClick={() => set({ agreed: null })}>
        the rate’s own amount
      </Button>
    </Inset>
  );
}

function OtherNames({ call, set, faults, quote }: Part & { quote?: Schemas["RunQuoteView"] }) {
  return (
    <Box sx={{ marginTop: 10 }}>
      <Field
        label={`Names of the other ${headsOf(call) - 1}, one a line`}
        value={call.names}
        multiline
        placeholder="or later, on the roster"
        onChange={(names) => set({ names })}
        fault={near(faults, "/names")}
      />
      {namesOf(call).length > 0 &&
        quote?.names.map((n) => (
          <T as="div" tone={n.error ? "brick" : "slate"} key={n.text}>
            {n.text}: {n.said}
          </T>
        ))}
    </Box>
  );
}

function Extras({ call, set, offered, faults, currency }: Part & { offered: Choices; currency: string }) {
  return (
    <Picks sx={{ marginTop: 12 }}>
      <T label as="legend">
        Extras
      </T>
      {offered.extras.map((x) => (
        <Counted
          key={x.id}
          label={x.label}
          price={money(x.amount, currency)}
          more={[x.required ? "by every head" : "", x.stock === null ? "" : `${x.stock} in stock`]
            .filter(Boolean)
            .join(", ")}
          value={call.extras[x.id] ?? ""}
          placeholder={x.required ? String(headsOf(call)) : "0"}
          onChange={(text) => set({ extras: { ...call.extras, [x.id]: text } })}
          fault={extraFault(faults, call, x.id)}
        />
      ))}
    </Picks>
  );
}

function CodeAndNote({ call, set, fault }: { call: Call; set: Set; fault: string | undefined }) {
  const [open, setOpen] = useState(false);
  const empty = call.code === "" && call.note === "" && call.group === "";
  if (!open && empty)
    return (
      <Button variant="text" sx={{ marginTop: 10 }} onClick={() => setOpen(true)}>
        A code, a note or a group
      </Button>
    );
  return (
    <Box sx={{ marginTop: 10 }}>
      <Field
        label="Discount code"
        value={call.code}
        width={200}
        onChange={(code) => set({ code })}
        fault={fault}
        autoFocus={open && empty}
      />
      <Box sx={{ marginTop: 10 }}>
        <Field label="Note on this sign-up" value={call.note} onChange={(note) => set({ note })} />
      </Box>
      <Box sx={{ marginTop: 10 }}>
        <Field
          label="Group inside the run"
          width={200}
          value={call.group}
          onChange={(group) => set({ group })}
          help="Made when first named"
        />
      </Box>
    </Box>
  );
}

/** Something with its price and how many of it. */
function Counted({
  label,
  price,
  more,
  value,
  placeholder,
  onChange,
  fault,
}: {
  label: string;
  price: string;
  more: ReactNode;
  value: string;
  placeholder: string;
  onChange: (text: string) => void;
  fault?: string;
}) {
  const id = useId();
  return (
    <CountedLine>
      <label htmlFor={id}>
        {label}{" "}
        <T tone="copper" as="strong">
          {price}
        </T>{" "}
        <T tone="slate">{more}</T>
      </label>
      <OutlinedInput
        id={id}
        value={value}
        placeholder={placeholder}
        error={Boolean(fault)}
        onChange={(e) => onChange(e.target.value)}
        inputProps={{ inputMode: "numeric", "aria-describedby": fault ? `${id}-fault` : undefined }}
      />
      {fault && <Fault id={`${id}-fault`}>{fault}</Fault>}
    </CountedLine>
  );
}

function extraFault(faults: Record<string, string>, call: Call, id: number): string | undefined {
  const asked = Object.entries(call.extras).filter(([, t]) => t.trim() !== "" && t.trim() !== "0");
  const n = asked.findIndex(([key]) => Number(key) === id);
  return (n >= 0 ? faults[`/extras/${n}/count`] : undefined) ?? undefined;
}

/** Payment details: whoever pays gives them to the payment service; only its words come back. */
function Details({ call, words }: { call: Call; words: string | null }) {
  const queries = useQueryClient();
  const account = async () => {
    const payer = payerOf(call);
    const body = payer.organization_id
      ? { organization_id: payer.organization_id }
      : { person_id: payer.payer_person_id ?? call.person!.id };
    return (await ask(api.POST("/api/v1/accounts", { body }))).id;
  };
  if (words) return <P tone="slate">Payment details on file: {words}.</P>;
  return (
    <Note kind="due" sx={{ marginTop: 10 }}>
      <p>This plan takes payment details at sign-up; whoever pays has none on file.</p>
      <CardDetails
        account={account}
        disabled={!call.person}
        onKept={() => void queries.invalidateQueries({ queryKey: ["quote"] })}
      />
    </Note>
  );
}

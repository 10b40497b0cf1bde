import RadioGroup from "@mui/material/RadioGroup";

import type { Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Pick, Tick } from "../../form/Tick";
import { Note, Picks, Row } from "../../parts/layout";
import { money } from "../../parts/text";
import { T } from "../../parts/words";
import type { Call, DeskEvent, Paid } from "./deskCall";

const METHODS: [Paid["method"], string][] = [
  ["cash", "cash"],
  ["check", "check"],
  ["transfer", "transfer"],
];

/** What is paid in the call: nothing now, or what is due now, which another amount replaces. */
export function PaidNow({
  call,
  quote,
  faults,
  sameCheck,
  tell,
}: {
  call: Call;
  quote: Schemas["RunQuoteView"];
  faults: Record<string, string>;
  sameCheck: string;
  tell: (event: DeskEvent) => void;
}) {
  const { paid } = call;
  const say = (next: Paid | null) => tell({ type: "said", change: { paid: next } });
  const method = (value: string) =>
    say(
      value === "not"
        ? null
        : {
            amount: "",
            reference: "",
            receipt: true,
            ...paid,
            method: value as Paid["method"],
          },
    );
  return (
    <Picks id="paid-now" sx={{ marginTop: 10 }}>
      <T label as="legend">
        Paid now
      </T>
      <RadioGroup
        row
        value={paid?.method ?? "not"}
        onChange={(_, value) => method(value)}
        sx={{
          gap: "0 2px",
          "& .MuiFormControlLabel-root": { marginRight: "3px" },
          "& .MuiRadio-root": { padding: "2px" },
        }}
      >
        <Pick value="not">no</Pick>
        {METHODS.map(([value, text]) => (
          <Pick key={value} value={value}>
            {text}
          </Pick>
        ))}
      </RadioGroup>
      {paid && (
        <>
          <Row wrap sx={{ gap: 10, alignItems: "flex-start" }}>
            <Field
              label={`Amount, ${quote.currency}`}
              width={110}
              value={paid.amount}
              placeholder={quote.due_now}
              onChange={(text) => say({ ...paid, amount: text })}
              fault={faults["/paid/amount"]}
              input={{ inputMode: "decimal" }}
            />
            <Field
              label={paid.method === "check" ? "Number of the check" : "Reference"}
              width={140}
              value={paid.reference}
              onChange={(reference) => say({ ...paid, reference, anyway: false })}
              fault={faults["/paid/reference"]}
            />
          </Row>
          {!paid.amount.trim() && (
            <T tone="slate" as="div">
              {money(quote.due_now, quote.currency)}, all that is due now.
            </T>
          )}
          <Tick checked={paid.receipt} onChange={(receipt) => say({ ...paid, receipt })}>
            a receipt, by email where there is one
          </Tick>
          {(sameCheck || paid.anyway) && (
            <Note kind="due" role="alert">
              {sameCheck && <p>{sameCheck} Nothing was written.</p>}
              <Tick checked={paid.anyway ?? false} onChange={(anyway) => say({ ...paid, anyway })}>
                take it once more all the same
              </Tick>
            </Note>
          )}
        </>
      )}
    </Picks>
  );
}

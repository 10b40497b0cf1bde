import Button from "@mui/material/Button";
import { useState } from "react";

import { Choice } from "../../form/Field";
import { Row, Ruled } from "../../parts/layout";
import { count } from "../../parts/text";
import { Fault, P, T } from "../../parts/words";
import type { Batch, useBatchActs } from "./batch";

const FACTS: [string, string][] = [
  ["name", "Name"],
  ["given", "Given name"],
  ["family", "Family name"],
  ["email", "Email"],
  ["phone", "Phone"],
  ["number", "Staff number"],
  ["department", "Department"],
  ["run", "Run"],
  ["group", "Group"],
  ["rate", "Rate"],
  ["party", "Party"],
  ["extras", "Extras"],
  ["code", "Discount code"],
  ["plan", "Payment plan"],
  ["payer", "Payer"],
  ["order", "Purchase order"],
  ["contact", "Contact"],
  ["remarks", "Remarks"],
];

/** How a list was read: its sheet, and which column is which fact; changeable as long as nothing of it is enrolled. */
export function HowRead({ batch, acts }: { batch: Batch; acts: ReturnType<typeof useBatchActs> }) {
  return (
    <>
      {batch.sheets.length > 1 && batch.status === "judged" && (
        <Choice
          label="Sheet"
          width={240}
          value={batch.sheet}
          onChange={(sheet) => void acts.change.act({ sheet })}
          options={batch.sheets.map((s) => ({ value: s, text: s }))}
        />
      )}
      {batch.status === "judged" && batch.source !== "people" && <Columns batch={batch} acts={acts} />}
      {batch.column_faults.map((f) => (
        <Fault key={f} role="alert">
          {f}
        </Fault>
      ))}
    </>
  );
}

/** Which column is which fact; found by the headings, changeable here. */
function Columns({ batch, acts }: { batch: Batch; acts: ReturnType<typeof useBatchActs> }) {
  const [open, setOpen] = useState(false);
  const used = new Set(Object.values(batch.columns));
  const found = FACTS.filter(([fact]) => fact in batch.columns);
  const unused = batch.headings.filter((_, i) => !used.has(i));
  if (!open && batch.column_faults.length === 0)
    return (
      <p>
        {found.map(([fact, label]) => `${label} from “${batch.headings[batch.columns[fact]!]}”`).join(", ")}
        {unused.length > 0 && <T tone="slate">; not used: {unused.join(", ")}</T>}.{" "}
        <Button variant="text" onClick={() => setOpen(true)}>
          Change the columns
        </Button>
      </p>
    );
  return (
    <>
      <Row wrap aria-busy={acts.change.busy} sx={{ margin: "10px 0" }}>
        {FACTS.map(([fact, label]) => (
          <Choice
            key={fact}
            label={label}
            width={170}
            value={batch.columns[fact] === undefined ? "" : String(batch.columns[fact])}
            onChange={(v) =>
              void acts.change.act({ columns: { ...batch.columns, [fact]: v === "" ? null : Number(v) } })
            }
            options={[
              { value: "", text: "not in the list" },
              ...batch.headings.map((h, i) => ({ value: String(i), text: h || `column ${i + 1}` })),
            ]}
          />
        ))}
      </Row>
      <Button onClick={() => setOpen(false)}>Done with the columns</Button>
    </>
  );
}

/** Lines that have the same trouble, and one decision for all of them. */
export function Decisions({
  batch,
  acts,
  onShow,
}: {
  batch: Batch;
  acts: ReturnType<typeof useBatchActs>;
  onShow: (only: string) => void;
}) {
  if (batch.kinds.length === 0) return null;
  return (
    <section aria-label="What needs a decision">
      <P label sx={{ marginTop: 10 }}>
        {count(
          batch.kinds.reduce((n, k) => n + k.lines, 0),
          "line needs",
          "lines need",
        )}{" "}
        a decision; one of all of a kind, or line by line below
      </P>
      <Ruled>
        {batch.kinds.map((k) => (
          <Row as="li" key={k.kind} wrap mid sx={{ padding: "3px 0", gap: "2px 14px" }}>
            <T sx={{ minWidth: 220 }}>
              <T strong>{k.lines}</T> {k.kind}
            </T>
            {k.decisions.map((decision) => (
              <Button
                key={decision}
                variant="text"
                disabled={acts.decide.busy}
                aria-label={`${k.kind}: ${decision}, ${count(k.lines, "line")}`}
                onClick={() => void acts.decide.act({ kind: k.kind, decision })}
              >
                {decision}
              </Button>
            ))}
            <Button
              variant="text"
              color="secondary"
              aria-label={`Show the lines with this: ${k.kind}`}
              onClick={() => onShow(`kind:${k.kind}`)}
            >
              show
            </Button>
          </Row>
        ))}
      </Ruled>
    </section>
  );
}

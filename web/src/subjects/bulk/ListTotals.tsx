import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { News, type usePulse } from "../../app/pulse";
import { api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { OrganizationPick } from "../../form/OrganizationPick";
import { useServerForm } from "../../form/useServerForm";
import { Arch } from "../../parts/Arch";
import { Facts } from "../../parts/layout";
import { ActNotes } from "../../parts/Page";
import { count, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { P, T } from "../../parts/words";

type Batch = Schemas["BatchOut"];

/** Who pays, and what confirming does: people, seats and money. */
export function ListTotals({
  batch,
  acts,
  busy,
  pulse,
  onPayer,
  onEnroll,
}: {
  batch: Batch;
  acts: ReturnType<typeof useDone>;
  busy: boolean;
  pulse: ReturnType<typeof usePulse>;
  onPayer: (id: number | null) => void;
  onEnroll: () => void;
}) {
  const judged = batch.status === "judged";
  const after = judged ? batch.taken + batch.seats : batch.taken;
  return (
    <>
      <News pulse={pulse} />
      <ActNotes acts={acts} />
      <WhoPays batch={batch} onPayer={onPayer} />
      <section>
        <h2>{judged ? "When you confirm" : "What was done"}</h2>
        <WhatItDoes batch={batch} after={after} />
        <Box sx={{ marginTop: 10 }}>
          <Arch taken={after} capacity={batch.capacity} size="heading" />
        </Box>
      </section>
      {judged && (
        <section>
          {!batch.can_enroll && (
            <P tone="slate">
              {batch.people + batch.waits === 0
                ? "Nobody on this list would be enrolled; nothing changes."
                : batch.why}
            </P>
          )}
          <Button variant="contained" fullWidth disabled={!batch.can_enroll || busy} onClick={onEnroll}>
            Enroll {count(batch.people, "sign-up")}, {count(batch.seats, "seat")},{" "}
            {money(batch.total, batch.currency)}
          </Button>
        </section>
      )}
    </>
  );
}

function WhoPays({ batch, onPayer }: { batch: Batch; onPayer: (id: number | null) => void }) {
  const queries = useQueryClient();
  const [adding, setAdding] = useState(false);
  const payer = useServerForm({
    draft: `list-payer-${batch.id}`,
    start: { name: "" },
    send: (body) => ask(api.POST("/api/v1/organizations", { body })),
    done: (made) => {
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/organizations"] });
      setAdding(false);
      onPayer(made.id);
    },
  });
  const judged = batch.status === "judged";
  return (
    <section>
      <h2>{judged ? "Who pays" : "Paid by"}</h2>
      {!judged ? (
        <p>{batch.organization?.name ?? "each learner"}</p>
      ) : adding ? (
        <Form of={payer} onLeave={() => setAdding(false)}>
          <Field label="Name of the organization" {...payer.field("name")} autoFocus />
          <Ends of={payer} act="Add" leave="Back" onLeave={() => setAdding(false)} />
        </Form>
      ) : (
        <>
          <OrganizationPick
            label="For everybody on this list"
            value={batch.organization ? String(batch.organization.id) : ""}
            onChange={(v) => onPayer(v ? Number(v) : null)}
            fixed={[{ value: "", text: "each learner" }]}
          />
          <Button variant="text" onClick={() => setAdding(true)} sx={{ marginTop: 6 }}>
            Another organization
          </Button>
        </>
      )}
    </section>
  );
}

/** Sign-ups, seats and money, before the list is confirmed and after. */
function WhatItDoes({ batch, after }: { batch: Batch; after: number }) {
  const judged = batch.status === "judged";
  return (
    <Facts>
      <dt>Sign-ups</dt>
      <dd>{batch.people}</dd>
      <dt>Seats they take</dt>
      <dd>{batch.seats}</dd>
      <dt>Seats taken {judged ? "then" : "now"}</dt>
      <dd>
        {after} of {batch.capacity}
      </dd>
      {(judged ? batch.waits : (batch.counts.waiting ?? 0)) > 0 && (
        <>
          <dt>Waiting in line</dt>
          <dd>{judged ? batch.waits : batch.counts.waiting}</dd>
        </>
      )}
      {batch.sums.map((sum) => [
        <dt key={`${sum.rate}t`}>
          {sum.rate}, {count(sum.heads, "head")}
        </dt>,
        <dd key={`${sum.rate}d`}>{money(sum.total, batch.currency)}</dd>,
      ])}
      <dt className="sum">Together</dt>
      <T tone="copper" as="dd" className="sum">
        {money(batch.total, batch.currency)}
      </T>
    </Facts>
  );
}

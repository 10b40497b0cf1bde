import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { useAct } from "../../form/useAct";

/** Let a clash stand, with the reason; or take that back. */
export function AcceptClash({ clash }: { clash: Schemas["ClashOut"] }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [fault, setFault] = useState("");
  const of = useServerForm({
    draft: null,
    start: { reason: "" },
    send: ({ reason }) => ask(api.POST("/api/v1/clashes/accept", { body: { key: clash.key, reason } })),
    done: () => {
      setOpen(false);
      void queries.invalidateQueries();
    },
  });
  const reopening = useAct({
    send: () => ask(api.POST("/api/v1/clashes/reopen", { body: { key: clash.key, reason: "" } })),
    done: () => void queries.invalidateQueries(),
    failed: setFault,
  });
  if (clash.accepted !== null)
    return (
      <Button variant="text" color="secondary" onClick={() => void reopening.act(undefined)}>
        no longer accept {fault}
      </Button>
    );
  if (!open)
    return (
      <Button
        variant="text"
        color="secondary"
        aria-label={`accept: ${clash.text}`}
        onClick={() => setOpen(true)}
      >
        accept
      </Button>
    );
  return (
    <Form look="row" mid of={of} onLeave={() => setOpen(false)}>
      <Field
        label="Why this clash may stand"
        unseen
        width={190}
        placeholder="why it may stand"
        autoFocus
        {...of.field("reason")}
      />
      <Button variant="text" type="submit" disabled={of.busy}>
        accept
      </Button>
    </Form>
  );
}

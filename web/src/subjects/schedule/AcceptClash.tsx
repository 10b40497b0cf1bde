import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Fault } from "../../parts/words";

/** Let a clash stand, with the reason; or take that back. */
export function AcceptClash({ clash }: { clash: Schemas["ClashOut"] }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const [fault, setFault] = useState("");
  const send = async (accept: boolean) => {
    try {
      await ask(
        accept
          ? api.POST("/api/v1/clashes/accept", { body: { key: clash.key, reason } })
          : api.POST("/api/v1/clashes/reopen", { body: { key: clash.key, reason: "" } }),
      );
      setOpen(false);
      void queries.invalidateQueries();
    } catch (error) {
      setFault(messageOf(error));
    }
  };
  if (clash.accepted !== null)
    return (
      <Button variant="text" color="secondary" onClick={() => void send(false)}>
        no longer accept
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
    <Form look="row" mid onLeave={() => setOpen(false)} onSend={() => void send(true)}>
      <Field
        label="Why this clash may stand"
        unseen
        width={190}
        placeholder="why it may stand"
        value={reason}
        autoFocus
        onChange={setReason}
      />
      <Button variant="text" type="submit">
        accept
      </Button>
      {fault && <Fault as="span">{fault}</Fault>}
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { faultsOf, messageOf } from "../../app/server";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { Row } from "../../parts/layout";

/** A reason, asked where the act is. */
export function Reason({
  label,
  act,
  onSend,
  onClose,
}: {
  label: string;
  act: string;
  onSend: (why: string) => Promise<void>;
  onClose: () => void;
}) {
  const [why, setWhy] = useState("");
  const [error, setError] = useState<unknown>(null);
  return (
    <Form onSend={() => onSend(why).catch(setError)} onLeave={() => onClose()}>
      <Field
        label={label}
        width={220}
        value={why}
        onChange={setWhy}
        autoFocus
        fault={error ? (faultsOf(error)["/why"] ?? messageOf(error)) : undefined}
      />
      <Row sx={{ marginTop: 6 }}>
        <Button type="submit" size="small" variant="contained">
          {act}
        </Button>
        <Button size="small" onClick={onClose}>
          Leave it
        </Button>
      </Row>
    </Form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { faultsOf, messageOf } from "../../app/server";
import { Field } from "../../parts/Field";

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
    <form
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        onSend(why).catch(setError);
      }}
      onKeyDown={(e) => e.key === "Escape" && onClose()}
    >
      <Field
        label={label}
        width={220}
        value={why}
        onChange={setWhy}
        autoFocus
        fault={error ? (faultsOf(error)["/why"] ?? messageOf(error)) : undefined}
      />
      <div className="row" style={{ marginTop: 6 }}>
        <Button type="submit" size="small" variant="contained">
          {act}
        </Button>
        <Button size="small" onClick={onClose}>
          Leave it
        </Button>
      </div>
    </form>
  );
}

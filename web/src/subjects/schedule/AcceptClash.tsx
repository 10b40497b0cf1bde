import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, messageOf, type Schemas } from "../../app/server";

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
      <button className="plainly quiet" onClick={() => void send(false)}>
        no longer accept
      </button>
    );
  if (!open)
    return (
      <button className="plainly quiet" aria-label={`accept: ${clash.text}`} onClick={() => setOpen(true)}>
        accept
      </button>
    );
  return (
    <form
      className="row mid"
      onSubmit={(e) => {
        e.preventDefault();
        void send(true);
      }}
    >
      <input
        className="choice"
        aria-label="Why this clash may stand"
        placeholder="why it may stand"
        value={reason}
        autoFocus
        onChange={(e) => setReason(e.target.value)}
        onKeyDown={(e) => e.key === "Escape" && setOpen(false)}
      />
      <button type="submit" className="plainly">
        accept
      </button>
      {fault && <span className="fault">{fault}</span>}
    </form>
  );
}

import Button from "@mui/material/Button";
import { useState } from "react";

import { api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Row } from "../../parts/layout";
import { Fault, T } from "../../parts/words";

/** The secret address of a calendar, shown on request; renewing it ends the old one. */
export function FeedAddress({ kind, id }: { kind: "all" | "run" | "place" | "instructor"; id: number }) {
  const [feed, setFeed] = useState<Schemas["FeedOut"] | null>(null);
  const [said, setSaid] = useState("");
  const get = async (renew: boolean) => {
    try {
      const found = await ask(
        api.PUT("/api/v1/feeds/{kind}/{subject_id}", {
          params: { path: { kind, subject_id: id }, query: { renew } },
        }),
      );
      setFeed(found);
      setSaid(renew ? "A new address; the old one is dead." : "");
    } catch (error) {
      setSaid(messageOf(error));
    }
  };
  if (feed === null)
    return (
      <>
        <Button variant="text" color="secondary" onClick={() => void get(false)}>
          Calendar address to subscribe to
        </Button>
        {said && <Fault as="span">{said}</Fault>}
      </>
    );
  const address = window.location.origin + feed.path;
  return (
    <Row mid wrap as="span" role="status">
      <Field
        label={`Calendar address of ${feed.name}`}
        unseen
        width={420}
        value={address}
        onChange={() => undefined}
        input={{ readOnly: true, onFocus: (e) => (e.target as HTMLInputElement).select() }}
      />
      <Button variant="text" color="secondary" onClick={() => void get(true)}>
        renew
      </Button>{" "}
      <T tone="slate">{said || "Whoever knows it can read this calendar."}</T>
    </Row>
  );
}

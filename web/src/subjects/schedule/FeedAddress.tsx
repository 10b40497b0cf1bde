import { useState } from "react";

import { api, ask, messageOf, type Schemas } from "../../app/server";

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
        <button className="plainly quiet" onClick={() => void get(false)}>
          Calendar address to subscribe to
        </button>
        {said && <span className="fault">{said}</span>}
      </>
    );
  const address = window.location.origin + feed.path;
  return (
    <span role="status">
      <input
        className="choice"
        style={{ width: 420 }}
        readOnly
        aria-label={`Calendar address of ${feed.name}`}
        value={address}
        onFocus={(e) => e.target.select()}
      />{" "}
      <button className="plainly quiet" onClick={() => void get(true)}>
        renew
      </button>{" "}
      <span className="slate">{said || "Whoever knows it can read this calendar."}</span>
    </span>
  );
}

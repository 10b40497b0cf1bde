import { useId, useState } from "react";

import { $api, api, ask, messageOf, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import type { useDone } from "../../parts/useUndo";

/** What kind of person somebody is to the center: it decides which rates they may have. Saved when the field is left. */
export function Kinds({ person, acts }: { person: Schemas["PersonPage"]; acts: ReturnType<typeof useDone> }) {
  const list = useId();
  const [text, setText] = useState<string | null>(null);
  const known = $api.useQuery("get", "/api/v1/tags");
  const stored = person.tags.join(", ");
  const leave = async () => {
    if (text === null || text === stored) return;
    try {
      const done = await ask(
        api.PUT("/api/v1/people/{person_id}/tags", {
          params: { path: { person_id: person.id } },
          body: { tags: text.split(",") },
        }),
      );
      setText(null);
      acts.say({
        text: `${person.name}: ${done.tags.join(", ") || "no tag"}.`,
        change: done.change,
      });
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  return (
    <>
      <Field
        label="Tags"
        value={text ?? stored}
        width={300}
        placeholder="member, concession, staff"
        onChange={setText}
        onBlur={() => void leave()}
        help="with commas; they decide which rates this person may have"
        input={{ list }}
      />
      <datalist id={list}>
        {known.data?.map((t) => (
          <option key={t} value={t} />
        ))}
      </datalist>
    </>
  );
}

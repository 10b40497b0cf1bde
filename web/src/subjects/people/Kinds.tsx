import { useId } from "react";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import type { useDone } from "../../parts/useUndo";
import { useServerForm } from "../../form/useServerForm";
import { Form } from "../../form/Form";

/** What kind of person somebody is to the center: it decides which rates they may have. Saved when the field is left. */
export function Kinds({ person, acts }: { person: Schemas["PersonPage"]; acts: ReturnType<typeof useDone> }) {
  const list = useId();
  const known = $api.useQuery("get", "/api/v1/tags");
  const of = useServerForm({
    draft: `tags-${person.id}`,
    start: { tags: person.tags.join(", ") },
    send: ({ tags }) =>
      ask(
        api.PUT("/api/v1/people/{person_id}/tags", {
          params: { path: { person_id: person.id } },
          body: { tags: tags.split(",") },
        }),
      ),
    done: (done) =>
      acts.say({ text: `${person.name}: ${done.tags.join(", ") || "no tag"}.`, change: done.change }),
  });
  return (
    <Form of={of}>
      <Field
        label="Tags"
        width={300}
        placeholder="member, concession, staff"
        {...of.field("tags")}
        onBlur={() => {
          if (of.dirty.length) void of.submit();
        }}
        help="with commas; they decide which rates this person may have"
        input={{ list }}
      />
      <datalist id={list}>
        {known.data?.map((t) => (
          <option key={t} value={t} />
        ))}
      </datalist>
    </Form>
  );
}

import { useQueryClient } from "@tanstack/react-query";

import { api, ask } from "../app/server";
import { Field } from "./Field";
import { Ends, Form } from "./Form";
import { useServerForm } from "./useServerForm";

/** An organization made on the spot, by its name. */
export function OrganizationNew({
  draft,
  onMade,
  onLeave,
}: {
  draft: string;
  onMade: (id: number) => void;
  onLeave: () => void;
}) {
  const queries = useQueryClient();
  const of = useServerForm({
    draft,
    start: { name: "" },
    send: (body) => ask(api.POST("/api/v1/organizations", { body })),
    done: (made) => {
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/organizations"] });
      onMade(made.id);
    },
  });
  return (
    <Form of={of} onLeave={onLeave}>
      <Field label="Name of the organization" {...of.field("name")} autoFocus />
      <Ends of={of} act="Add" leave="Back" onLeave={onLeave} />
    </Form>
  );
}

import { useQueryClient } from "@tanstack/react-query";

import { api, ask } from "../app/server";
import { Row } from "../parts/layout";
import { Field } from "./Field";
import { Ends, Form } from "./Form";
import { useServerForm } from "./useServerForm";

/** An organization made on the spot: its name, and what papers need of it as far as it is known. */
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
    start: { name: "", email: "", address: "", number: "" },
    send: (body) => ask(api.POST("/api/v1/organizations", { body })),
    done: (made) => {
      void queries.invalidateQueries({ queryKey: ["get", "/api/v1/organizations"] });
      onMade(made.id);
    },
  });
  return (
    <Form of={of} onLeave={onLeave} label="A new organization">
      <Field label="Name of the organization" {...of.field("name")} autoFocus />
      <Field label="Email for papers, if any" type="email" {...of.field("email")} />
      <Field label="Address, if known" multiline {...of.field("address")} />
      <Row>
        <Field label="Its number on papers, if any" {...of.field("number")} />
      </Row>
      <Ends of={of} act="Add" leave="Back" onLeave={onLeave} />
    </Form>
  );
}

import { keepPreviousData } from "@tanstack/react-query";

import { $api, api, ask, type Schemas } from "../../app/server";
import { useSettled } from "../../app/session";
import { Choice, Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { OrganizationPick } from "../../form/OrganizationPick";
import { RunPick } from "../../form/RunPick";
import { useServerForm } from "../../form/useServerForm";
import { Row } from "../../parts/layout";
import { count } from "../../parts/text";
import { P, T } from "../../parts/words";

const ROLES = [
  { value: "", text: "anything" },
  { value: "learner", text: "learners" },
  { value: "assistant", text: "assistants" },
  { value: "instructor", text: "instructors" },
  { value: "observer", text: "observers" },
];
const NOBODY = { tag: "", organization: "", role: "", of_run: "", group: "", but_tag: "", but_run: "" };

const bodyOf = (runId: number, v: typeof NOBODY): Schemas["ChooseCommand"] => ({
  run_id: runId,
  tag: v.tag || null,
  organization_id: v.organization ? Number(v.organization) : null,
  role: (v.role || null) as Schemas["Role"] | null,
  of_run_id: v.of_run ? Number(v.of_run) : null,
  group: v.group || null,
  but_tag: v.but_tag || null,
  but_run_id: v.but_run ? Number(v.but_run) : null,
});

/** Choose people who are known instead of a file: everybody, or those of whom all that is said holds. */
export function ChoosePeople({ runId, onMade }: { runId: number; onMade: (made: { id: number }) => void }) {
  const of = useServerForm({
    draft: `list-people-${runId}`,
    start: NOBODY,
    send: (values, key) =>
      ask(
        api.POST("/api/v1/batches/people", {
          params: { header: { "Idempotency-Key": key } },
          body: bodyOf(runId, values),
        }),
      ),
    done: onMade,
  });
  const tags = $api.useQuery("get", "/api/v1/tags");
  const asked = useSettled(JSON.stringify(bodyOf(runId, of.values)), 200);
  const seen = $api.useQuery(
    "post",
    "/api/v1/batches/people/preview",
    { body: JSON.parse(asked) as Schemas["ChooseCommand"] },
    { placeholderData: keepPreviousData },
  );
  const tag = (name: "tag" | "but_tag", label: string, none: string) => (
    <Choice
      label={label}
      width={200}
      value={of.values[name]}
      onChange={(v) => of.set({ [name]: v })}
      options={[{ value: "", text: none }, ...(tags.data ?? []).map((t) => ({ value: t, text: t }))]}
    />
  );
  return (
    <Form of={of} label="People who are known">
      <P tone="slate">
        Everybody known, or those of whom all of this holds. Single names are left out in the next step.
      </P>
      <Row wrap sx={{ marginTop: 10 }}>
        {tag("tag", "With the tag", "any or none")}
        <OrganizationPick
          label="Of an organization"
          width={240}
          value={of.values.organization}
          onChange={(organization) => of.set({ organization })}
          fixed={[{ value: "", text: "any or none" }]}
        />
        <Choice
          label="On a roster as"
          width={160}
          value={of.values.role}
          onChange={(role) => of.set({ role })}
          options={ROLES}
        />
        <RunPick
          label="Of a run, past or present"
          width={240}
          value={of.values.of_run}
          onChange={(of_run) => of.set({ of_run })}
        />
        {of.values.of_run && <Field label="In its group" width={160} {...of.field("group")} />}
      </Row>
      <Row wrap sx={{ marginTop: 10 }}>
        {tag("but_tag", "But not with the tag", "nobody left out")}
        <RunPick
          label="But not who is on"
          width={240}
          value={of.values.but_run}
          onChange={(but_run) => of.set({ but_run })}
        />
      </Row>
      <P role="status" sx={{ marginTop: 14 }}>
        {seen.data ? (
          <>
            <T strong>{count(seen.data.people, "person", "people")}</T>
            {seen.data.names.length > 0 && (
              <T tone="slate">
                : {seen.data.names.slice(0, 12).join(", ")}
                {seen.data.people > 12 && ` and ${seen.data.people - 12} more`}
              </T>
            )}
          </>
        ) : (
          <T tone="slate">Counting …</T>
        )}
      </P>
      <Ends of={of} act="Make a list of them" disabled={!seen.data || seen.data.people === 0} />
    </Form>
  );
}

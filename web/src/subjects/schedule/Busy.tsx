import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { addDays } from "../../parts/dates";
import { Grow, Inset, Row, Ruled } from "../../parts/layout";
import { clock, day } from "../../parts/text";
import { T } from "../../parts/words";
import type { Acts } from "./Kept";
import { useAct } from "../../form/useAct";

/** Absences of an instructor, or times at which a place is closed. */
export function Busy({
  kind,
  owner,
  acts,
}: {
  kind: "place" | "instructor";
  owner: { id: number };
  acts: Acts;
}) {
  const me = useMe();
  const queries = useQueryClient();
  const query = $api.useQuery("get", "/api/v1/busy/{kind}/{owner_id}", {
    params: { path: { kind, owner_id: owner.id } },
  });
  const of = useServerForm({
    draft: null,
    start: { from: me.today, through: "", start: "", end: "", label: "" },
    send: (form) =>
      ask(
        api.POST("/api/v1/busy/{kind}/{owner_id}", {
          params: { path: { kind, owner_id: owner.id } },
          body: asTyped<"BusyCommand">({
            from: form.from || null,
            through: form.through || null,
            start: form.start || null,
            end: form.end || null,
            label: form.label,
          }),
        }),
      ),
    done: () => void queries.invalidateQueries(),
  });
  const word = kind === "place" ? "Closed" : "Away";
  const take = async (file: File | undefined) => {
    if (!file) return;
    const body = new FormData();
    body.append("file", file);
    const answer = await fetch(`/api/v1/busy/${kind}/${owner.id}/calendar`, { method: "POST", body });
    const said = (await answer.json()) as {
      detail?: string;
      added: number;
      replaced: number;
      window: string;
      change: string;
    };
    if (answer.ok)
      acts.say({
        text: `${said.added} times taken from ${file.name}${said.replaced ? `, ${said.replaced} replaced` : ""}, ${said.window}.`,
        change: said.change,
      });
    else acts.fail(said.detail ?? "The calendar could not be read.");
    void queries.invalidateQueries();
  };
  return (
    <Inset>
      <h2>{word}</h2>
      <Form look="row" sx={{ alignItems: "flex-end", marginTop: 8 }} of={of}>
        <Field label={`${word} from`} type="date" width={160} {...of.field("from")} />
        <Field label="through" type="date" width={160} {...of.field("through")} />
        <Field label="at" type="time" width={90} {...of.field("start")} />
        <Field label="until" type="time" width={90} {...of.field("end")} />
        <Field label="Why" width={150} {...of.field("label")} />
        <Button type="submit" disabled={of.busy}>
          Add
        </Button>
        <FileButton
          label="The calendar file"
          text="from a calendar file (.ics)"
          accept=".ics,text/calendar"
          onFile={(file) => void take(file)}
        />
      </Form>
      <Ruled>
        {query.data?.map((b) => (
          <BusyLine key={b.id} busy={b} acts={acts} />
        ))}
      </Ruled>
    </Inset>
  );
}

/** One time at which somebody is away, or a place closed, and taking it out. */
function BusyLine({ busy: b, acts }: { busy: Schemas["BusyOut"]; acts: Acts }) {
  const removing = useAct({
    send: () => ask(api.DELETE("/api/v1/busy/{busy_id}", { params: { path: { busy_id: b.id } } })),
    done: (done) => acts.say({ text: "Taken out.", change: done.change }),
    failed: acts.fail,
  });
  const last = b.all_day ? addDays(b.end.slice(0, 10), -1) : b.end.slice(0, 10);
  const same = last === b.start.slice(0, 10);
  return (
    <Row mid as="li" sx={{ padding: "4px 0" }}>
      <T nowrap>
        {day(b.start)}
        {b.all_day
          ? !same && ` through ${day(last)}`
          : `, ${clock(b.start)} to ${same ? "" : `${day(last, false)}, `}${clock(b.end)}`}
      </T>
      <Grow as="span">{b.label}</Grow>
      {b.source && <T tone="slate">from {b.source}</T>}
      <Button
        variant="text"
        color="secondary"
        aria-label={`Take out ${b.label} on ${day(b.start)}`}
        onClick={() => void removing.act(undefined)}
      >
        take out
      </Button>
    </Row>
  );
}

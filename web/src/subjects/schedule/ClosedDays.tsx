import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useSearchParams } from "react-router";

import { $api, api, ask, asTyped, messageOf } from "../../app/server";
import { useMe } from "../../app/session";
import { Field } from "../../form/Field";
import { Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Row, Ruled } from "../../parts/layout";
import { NotYet } from "../../parts/Page";
import { day } from "../../parts/text";
import { Empty, T, When } from "../../parts/words";
import type { Acts } from "./Kept";

type Touched = { change?: string | null; meetings?: number };

/** The days on which the center is closed: public holidays and its own; any of them can be taught on all the same. */
export function ClosedDays({ acts }: { acts: Acts }) {
  const me = useMe();
  const queries = useQueryClient();
  const [params, setParams] = useSearchParams();
  const year = Number(params.get("year") ?? me.today.slice(0, 4)) || Number(me.today.slice(0, 4));
  const query = $api.useQuery("get", "/api/v1/closures", { params: { query: { year } } });
  const said = (text: string, { change, meetings }: Touched) => {
    acts.say({
      text: meetings ? `${text} ${meetings} meetings stand on it; see the clashes.` : text,
      change,
    });
    void queries.invalidateQueries();
  };
  const region = useServerForm({
    draft: null,
    start: { region: query.data?.region ?? "" },
    send: (body) => ask(api.PUT("/api/v1/closures/region", { body })),
    done: () => said("The region is set.", {}),
  });
  const of = useServerForm({
    draft: "closure",
    start: { from: "", through: "", label: "" },
    send: (form) =>
      ask(
        api.POST("/api/v1/closures", {
          body: asTyped<"ClosureCommand">({
            from: form.from || null,
            through: form.through || null,
            label: form.label,
          }),
        }),
      ),
    done: (closed) => said("Closed.", closed),
  });
  if (!query.data)
    return <NotYet title="Closed days" error={query.error} retry={() => void query.refetch()} />;
  const attempt = async (what: () => Promise<Touched>, text: string) => {
    try {
      said(text, await what());
    } catch (problem) {
      acts.fail(messageOf(problem));
    }
  };
  return (
    <>
      <Form look="row" sx={{ alignItems: "flex-end" }} of={of}>
        <Field label="Close from" type="date" width={160} {...of.field("from")} />
        <Field label="through" type="date" width={160} {...of.field("through")} />
        <Field label="What it is" width={200} {...of.field("label")} />
        <Button type="submit">Close these days</Button>
      </Form>
      <Form look="row" sx={{ alignItems: "flex-end", margin: "12px 0" }} of={region}>
        <Field
          label="Public holidays of"
          width={160}
          {...region.field("region")}
          help="US, US-NY, GB-ENG, DE-BY …"
        />
        {region.dirty.length > 0 && <Button type="submit">Take these</Button>}
        <Row mid sx={{ paddingBottom: 22 }}>
          <Button onClick={() => setParams({ tab: "days", year: String(year - 1) })}>{year - 1}</Button>
          <strong>{year}</strong>
          <Button onClick={() => setParams({ tab: "days", year: String(year + 1) })}>{year + 1}</Button>
        </Row>
      </Form>
      <Ruled>
        {query.data.days.map((d) => (
          <Row mid as="li" key={d.day} sx={{ padding: "5px 0" }}>
            <When nowrap>{day(d.day)}</When>
            <Grow as="span">
              <T tone={d.closed ? undefined : "slate"}>{d.label}</T>{" "}
              {d.public && <T tone="slate">public holiday</T>}
              {!d.closed && <T tone="ochre"> taught all the same</T>}
            </Grow>
            <Button
              variant="text"
              color="secondary"
              aria-label={`${d.closed ? (d.public ? "teach all the same" : "open it") : "close it"}: ${day(d.day)}`}
              onClick={() =>
                void attempt(
                  () =>
                    ask(
                      api.PUT("/api/v1/closures/{day}", {
                        params: { path: { day: d.day } },
                        body: { closed: !d.closed },
                      }),
                    ),
                  d.closed ? `${day(d.day)} is taught on.` : `${day(d.day)} is closed.`,
                )
              }
            >
              {d.closed ? (d.public ? "teach all the same" : "open it") : "close it"}
            </Button>
          </Row>
        ))}
        {query.data.days.length === 0 && <Empty as="li">No closed day in {year}.</Empty>}
      </Ruled>
    </>
  );
}

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { keepPreviousData } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { Choice } from "../../form/Field";
import { Words } from "../../form/Views";
import { Row } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { money } from "../../parts/text";
import { Empty, P, T } from "../../parts/words";
import { MoneyTabs } from "./MoneyTabs";
import { PriceChart } from "./PriceChart";

const MOST = 6;

/** The price lines of up to six runs side by side: by the calendar, or by the days before each start. */
export default function PricesPage() {
  const [params, setParams] = useSearchParams();
  const ids = params
    .getAll("run")
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0);
  const aligned = params.get("by") === "start";
  const change = (next: number[], by = aligned) =>
    setParams(
      [
        ...next.map((n) => ["run", String(n)] as [string, string]),
        ...(by ? [["by", "start"] as [string, string]] : []),
      ],
      { replace: true },
    );
  const found = $api.useQuery(
    "get",
    "/api/v1/prices",
    { params: { query: { runs: ids } } },
    { enabled: ids.length > 0, placeholderData: keepPreviousData },
  );
  const held = ids.length > 0 ? (found.data?.runs ?? []) : [];
  const currencies = new Set(held.map((r) => r.currency));
  return (
    <Page title="Compare prices" margin={<WorthALook runs={held} />}>
      <MoneyTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        Compare prices
      </Box>
      <Row wrap mid>
        {ids.length < MOST && <AddRun ids={ids} onAdd={(id) => change([...ids, id])} />}
        <T sx={{ alignSelf: "flex-end", paddingBottom: 9 }}>
          <Words
            label="Along"
            value={aligned ? "start" : "days"}
            words={[
              ["days", "the calendar"],
              ["start", "days before the start"],
            ]}
            onPick={(v) => change(ids, v === "start")}
          />
        </T>
      </Row>
      <Row wrap as="p" sx={{ gap: "4px 18px", margin: "12px 0" }}>
        {held.map((r) => (
          <span key={r.id}>
            <Link to={`/runs/${r.id}/fees`}>
              {r.title}, {r.code}
            </Link>{" "}
            <Button
              variant="text"
              color="secondary"
              aria-label={`Take out ${r.code}`}
              onClick={() => change(ids.filter((n) => n !== r.id))}
            >
              take out
            </Button>
          </span>
        ))}
      </Row>
      {Boolean(found.error) && <Trouble error={found.error} retry={() => void found.refetch()} />}
      {currencies.size > 1 && (
        <P tone="ochre">These runs are priced in different currencies; the heights do not compare.</P>
      )}
      {held.length > 0 ? (
        <PriceChart
          key={`${ids.join()}${aligned}`}
          runs={held}
          today={found.data!.today}
          aligned={aligned && held.every((r) => r.start)}
        />
      ) : (
        <Empty as="p">
          Choose up to six runs; each is drawn as a line of what one person at its first rate pays, from the
          day sign-up opens to the last day one can sign up.
        </Empty>
      )}
    </Page>
  );
}

function AddRun({ ids, onAdd }: { ids: number[]; onAdd: (id: number) => void }) {
  const runs = $api.useQuery("get", "/api/v1/runs", {
    params: { query: { teaching: "before", status: "published", limit: 30 } },
  });
  return (
    <Choice
      label={ids.length ? "Add a run" : "Start with a run"}
      value=""
      width={340}
      onChange={(v) => v && onAdd(Number(v))}
      options={[
        { value: "", text: "choose a run" },
        ...(runs.data?.items ?? [])
          .filter((r) => !ids.includes(r.id))
          .map((r) => ({
            value: String(r.id),
            text: `${r.title}, ${r.code}${r.price ? `, ${money(r.price.amount, r.currency)}` : ""}`,
          })),
      ]}
    />
  );
}

/** What is odd about the prices of these runs. */
function WorthALook({ runs: held }: { runs: Schemas["ComparedRun"][] }) {
  return (
    <section>
      <h2>Worth a look</h2>
      {held.flatMap((r) =>
        r.warnings.map((w) => (
          <P tone="ochre" key={`${r.id}${w}`}>
            {r.code}, {w}
          </P>
        )),
      )}
      {held.every((r) => r.warnings.length === 0) && (
        <P tone="slate">
          {held.length ? "Nothing odd about these prices." : "What is odd about the prices stands here."}
        </P>
      )}
    </section>
  );
}

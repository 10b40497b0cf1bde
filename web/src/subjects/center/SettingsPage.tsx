import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, asTyped, type Schemas } from "../../app/server";
import { Choice, Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Form, SaveOrKeep } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Part, Row } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { Fault, P } from "../../parts/words";
import { Log } from "../log/Log";
import { CenterTabs } from "./CenterTabs";

type Center = Schemas["CenterOut"];
type Acts = ReturnType<typeof useDone>;
type Values = ReturnType<typeof start>;

const start = (c: Center) => ({
  name: c.name,
  address: c.address,
  time_zone: c.time_zone,
  currency: c.currency,
  region: c.region,
  first_weekday: String(c.first_weekday),
  paper_size: c.paper_size as string,
  number_format: c.number_format as string,
  confirm_above: c.confirm_above ?? "",
});

/** Only the fields that were changed; the first day of the week is a number to the server. */
const facts = (values: Values, names: (keyof Values)[]) =>
  asTyped<"CenterFacts">(
    Object.fromEntries(names.map((n) => [n, n === "first_weekday" ? Number(values[n]) : values[n]])),
  );

/** The settings of the center, with their log. */
export default function SettingsPage() {
  const acts = useDone();
  const query = $api.useQuery("get", "/api/v1/center");
  const center = query.data;
  if (!center) return <NotYet title="Settings" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page title="Settings" margin={null} notes={<ActNotes acts={acts} />}>
      <CenterTabs />
      <Box component="h1" sx={{ margin: "12px 0 6px" }}>
        {center.name}
      </Box>
      <Settings center={center} acts={acts} />
      <Logo center={center} acts={acts} />
      <Part as="div">
        <h2>Set elsewhere</h2>
        <ul style={{ margin: 0, paddingLeft: 18 }}>
          <li>
            <Link to="/money/defaults">What runs start from</Link>: who is told, access, how long quotes are
            kept, extras, taxes, plans, refunds
          </li>
          <li>
            <Link to="/places?tab=days">Closed days</Link>
          </li>
          <li>
            <Link to="/teaching/rules">What instructors may do, evaluations, agreements</Link>
          </li>
          <li>
            <Link to="/staff">Staff, roles, codes at sign-in</Link>
          </li>
        </ul>
      </Part>
      <Part as="div">
        <h2 id="log">Log</h2>
        <Log of="center" acts={acts} />
      </Part>
    </Page>
  );
}

function Settings({ center, acts }: { center: Center; acts: Acts }) {
  const of = useServerForm({
    draft: "center-settings",
    start: start(center),
    send: (values, _key, { seen }) => {
      const names = (Object.keys(values) as (keyof Values)[]).filter((n) => values[n] !== start(center)[n]);
      return ask(
        api.PATCH("/api/v1/center", { body: { set: facts(values, names), seen: facts(seen, names) } }),
      );
    },
    done: ({ change }) => acts.say({ text: "The settings are saved.", change }),
  });
  const field = (name: keyof Values) => of.field(name, `/set/${name}`);
  return (
    <Form of={of} label="Settings">
      <Part as="div" sx={{ borderTop: 0 }}>
        <h2>On papers and pages</h2>
        <Row wrap sx={{ alignItems: "flex-start" }}>
          <Field label="Name of the center" width={320} {...field("name")} />
          <Field label="Address, as on an envelope" width={320} multiline {...field("address")} />
          <Choice
            label="Paper"
            width={110}
            options={["Letter", "A4"].map((p) => ({ value: p, text: p }))}
            {...field("paper_size")}
          />
          <Choice
            label="Numbers on papers"
            width={170}
            options={center.number_formats.map((f) => ({ value: f.format, text: f.example }))}
            {...field("number_format")}
          />
        </Row>
      </Part>
      <Part as="div">
        <h2>Time and money</h2>
        <div>
          <Row wrap sx={{ alignItems: "flex-start" }}>
            <Field
              label="Time zone"
              width={240}
              {...field("time_zone")}
              input={{ disabled: center.zone_stays !== "" }}
              help={center.zone_stays ? `Stands. ${center.zone_stays}` : "Such as America/New_York."}
            />
            <Field
              label="Currency"
              width={200}
              {...field("currency")}
              input={{ disabled: center.currency_stays !== "" }}
              help={center.currency_stays ? `Stands. ${center.currency_stays}` : "Its code, such as USD."}
            />
            <Field
              label="Public holidays of"
              width={200}
              {...field("region")}
              help="A country or a part of one, such as US or US-NY; empty for none."
            />
            <Choice
              label="The week begins on"
              width={150}
              options={[
                { value: "0", text: "Monday" },
                { value: "5", text: "Saturday" },
                { value: "6", text: "Sunday" },
              ]}
              {...field("first_weekday")}
            />
            <Field
              label={`One person alone pays back or writes off up to, ${center.currency}`}
              width={330}
              {...field("confirm_above")}
              help="Above it somebody else confirms. Empty: any sum."
              input={{ inputMode: "decimal" }}
            />
          </Row>
          <SaveOrKeep of={of} />
        </div>
      </Part>
    </Form>
  );
}

/** The logo of papers; those that were issued keep theirs. */
function Logo({ center, acts }: { center: Center; acts: Acts }) {
  const [fault, setFault] = useState("");
  const [turn, setTurn] = useState(0);
  const put = async (file: File) => {
    const body = new FormData();
    body.append("file", file);
    const answer = await fetch("/api/v1/center/logo", { method: "PUT", body });
    const said = (await answer.json().catch(() => ({}))) as { detail?: string };
    setFault(answer.ok ? "" : (said.detail ?? "The logo could not be taken."));
    if (answer.ok) acts.say({ text: "The logo stands on papers from now on." });
    setTurn((n) => n + 1);
  };
  const taking = useAct({
    send: () => ask(api.DELETE("/api/v1/center/logo")),
    done: ({ change }) => acts.say({ text: "Papers have no logo from now on.", change }),
    failed: acts.fail,
  });
  return (
    <Part as="div">
      <h2>Logo</h2>
      <div>
        <Row mid wrap>
          {center.logo && (
            <img
              src={`/api/v1/center/logo.jpg?${turn}`}
              alt={`Logo of ${center.name}`}
              style={{ maxHeight: 70 }}
            />
          )}
          <FileButton
            label="The logo file"
            text={center.logo ? "Another logo" : "A logo for invoices and receipts"}
            accept="image/png,image/jpeg,image/webp"
            onFile={(file) => void put(file)}
          />
          {center.logo && (
            <Button variant="text" color="secondary" onClick={() => void taking.act(undefined)}>
              take it off
            </Button>
          )}
          {fault && <Fault>{fault}</Fault>}
        </Row>
        <P tone="slate" small>
          Papers that were issued keep the logo they were issued with.
        </P>
      </div>
    </Part>
  );
}

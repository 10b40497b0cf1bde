import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Ends, Form } from "../../form/Form";
import { useAct } from "../../form/useAct";
import { useServerForm } from "../../form/useServerForm";
import { Grow, Row } from "../../parts/layout";
import { day, money } from "../../parts/text";
import type { useDone } from "../../parts/useUndo";
import { T, When } from "../../parts/words";

type Item = Schemas["MoneyWaitsOut"];
type Acts = ReturnType<typeof useDone>;

const decide = (item: Item, confirm: boolean, said: string | null) =>
  ask(
    api.POST("/api/v1/money-waiting/{waiting_id}/decision", {
      params: { path: { waiting_id: item.id } },
      body: { confirm, said },
    }),
  );

/** A refund or write-off that waits for a second person: confirm it, refuse it with a word, or take one's own back. */
export function WaitingMoney({ item, acts }: { item: Item; acts: Acts }) {
  const [refusing, setRefusing] = useState(false);
  const what = item.kind === "refund" ? "pay back" : "write off";
  const sum = money(item.amount, item.currency);
  const deciding = useAct({
    send: (confirm: boolean) => decide(item, confirm, null),
    done: () => acts.say({ text: item.own ? "Taken back; nothing was posted." : `Posted: ${what} ${sum}.` }),
    failed: acts.fail,
  });
  const of = useServerForm({
    draft: `refuse-money-${item.id}`,
    start: { said: "" },
    send: ({ said }) => decide(item, false, said),
    done: () => acts.say({ text: `Refused; ${item.asked_by} finds it in the log of the account.` }),
  });
  return (
    <li>
      <Row mid wrap sx={{ padding: "4px 0" }}>
        <When nowrap>{day(item.asked, false)}</When>
        <Grow as="span">
          {item.asked_by} wants to {what} <T tone="copper">{sum}</T>,{" "}
          <Link to={`/accounts/${item.account_id}`}>{item.name}</Link> <T tone="slate">{item.why}</T>
        </Grow>
        {item.mine && (
          <>
            <Button
              variant="contained"
              disabled={deciding.busy}
              aria-label={`Confirm: ${what} ${sum}, ${item.name}`}
              onClick={() => void deciding.act(true)}
            >
              Confirm
            </Button>
            <Button aria-label={`Refuse: ${what} ${sum}, ${item.name}`} onClick={() => setRefusing(true)}>
              Refuse
            </Button>
          </>
        )}
        {item.own && (
          <>
            <T tone="ochre">waits for somebody else</T>
            <Button
              disabled={deciding.busy}
              aria-label={`Take it back: ${what} ${sum}, ${item.name}`}
              onClick={() => void deciding.act(false)}
            >
              Take it back
            </Button>
          </>
        )}
      </Row>
      {refusing && (
        <Form of={of} look="inset" onLeave={() => setRefusing(false)} label="Refuse">
          <Field label="Why not" width="100%" {...of.field("said")} autoFocus />
          <Ends of={of} act="Refuse it" onLeave={() => setRefusing(false)} />
        </Form>
      )}
    </li>
  );
}

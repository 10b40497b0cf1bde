import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { type RefObject, useRef } from "react";

import { News, usePulse } from "../../app/pulse";
import { $api, messageOf } from "../../app/server";
import { useMe } from "../../app/session";
import { Gatelet } from "../../parts/Arch";
import { Title } from "../../parts/layout";
import { Page } from "../../parts/Page";
import { useDone } from "../../parts/useUndo";
import { ink } from "../../theme/palette";
import { begun, type DeskEvent, type DeskState } from "./deskCall";
import { CallSoFar, Notice, Parked } from "./DeskCalls";
import { Terms, What, Who } from "./DeskColumns";
import { DeskMargin } from "./DeskMargin";
import { useBrought, useDeskKeys, useDeskState, useParking, useQuoted } from "./useDesk";
import { useEnroll } from "./useEnroll";

const KeysLine = styled("div")({ color: ink.slate, display: "flex", gap: 12, flexWrap: "wrap" });
const DeskGrid = styled("div")({
  display: "grid",
  gridTemplateColumns: "repeat(3, minmax(0, 1fr))",
  gap: 26,
  "& > section > h2": {
    display: "flex",
    alignItems: "center",
    gap: 10,
    paddingBottom: 6,
    marginBottom: 12,
    borderBottom: `1px solid ${ink.ink}`,
  },
});
const KEYS = [
  [["Tab"], "next"],
  [["↑", "↓", "Enter"], "pick"],
  [["F4"], "who"],
  [["F7"], "paid now"],
  [["F8"], "park"],
  [["Ctrl Enter"], "enroll"],
] as const;

/** Who may pay besides the learner: payers of this call. */
function usePayers({ call, soFar }: DeskState) {
  const before = soFar.filter((l) => l.payer.startsWith("p") && l.payer !== `p${call.person?.id}`);
  const other = call.payer.startsWith("p") && !before.some((l) => l.payer === call.payer) ? call.payer : "";
  const somebody = $api.useQuery(
    "get",
    "/api/v1/people/{person_id}",
    { params: { path: { person_id: Number(other.slice(1)) } } },
    { enabled: other !== "" },
  );
  const fixed = [
    { value: "", text: "the learner" },
    ...[...new Map(before.map((l) => [l.payer, l.payerName]))].map(([value, name]) => ({
      value,
      text: `${name}, of this call`,
    })),
    ...(other ? [{ value: other, text: somebody.data?.name ?? "somebody else" }] : []),
  ];
  const organization = $api.useQuery(
    "get",
    "/api/v1/organizations",
    { params: { query: { include: Number(call.payer) } } },
    { enabled: /^\d+$/.test(call.payer) },
  );
  const known = before.find((l) => l.payer === call.payer)?.payerName;
  const name = call.payer
    ? (known ?? somebody.data?.name ?? organization.data?.[0]?.name ?? "")
    : (call.person?.name ?? "");
  return { fixed, name };
}

/** The desk, for the phone call: who, what, terms from left to right, the quote in the margin. */
export default function Desk() {
  const me = useMe();
  const [state, dispatch] = useDeskState();
  const { call, soFar } = state;
  const acts = useDone();
  const pulse = usePulse(null, 3);
  const who = useRef<HTMLInputElement>(null);
  const what = useRef<HTMLInputElement>(null);
  const terms = useRef<HTMLDivElement>(null);
  const to = (ref: RefObject<HTMLElement | null>) => void setTimeout(() => ref.current?.focus(), 0);
  const { run, quote, ready } = useQuoted(call);
  const payers = usePayers(state);
  const enrolling = useEnroll(dispatch, acts, { done: () => to(who), failed: () => void quote.refetch() });
  const tell = (event: DeskEvent) => {
    enrolling.forget();
    dispatch(event);
  };
  useBrought(tell, (error) => acts.fail(messageOf(error)));
  const enroll = () => {
    if (ready && quote.data && run)
      void enrolling.enroll({ call, quote: quote.data, run, payerName: payers.name });
  };
  const about = [call.person?.name ?? call.who.trim(), run?.title].filter(Boolean).join(", ") || "a call";
  const parking = useParking(state, tell, acts);
  const park = () => {
    if (begun(state)) void parking.park(about.slice(0, 200), () => to(who));
  };
  const pay = () => document.querySelector<HTMLElement>("#paid-now input:checked")?.focus();
  useDeskKeys({ park, enroll, pay, back: () => (who.current ?? what.current ?? terms.current)?.focus() });
  const afterWho = () => to(call.runId === null ? what : terms);
  const afterWhat = () => to(call.person ? terms : who);
  return (
    <Page
      title="Desk"
      margin={
        <>
          <News pulse={pulse} />
          <Parked onTake={(id) => void parking.takeUp(id, about.slice(0, 200))} />
          {run && <Notice run={run} />}
          <DeskMargin
            call={call}
            run={run}
            quote={quote.data}
            quoteError={quote.error}
            changed={enrolling.changed}
            acts={acts}
            ready={ready}
            busy={enrolling.busy}
            faults={enrolling.faults}
            sameCheck={enrolling.sameCheck}
            tell={tell}
            onEnroll={enroll}
          />
          <CallSoFar
            lines={soFar}
            currency={me.currency}
            onAgain={(line) => (tell({ type: "the same person again", line }), to(what))}
            onOther={(line) => (tell({ type: "the same run for another", line }), to(who))}
            onEnd={() => tell({ type: "summed up" })}
          />
        </>
      }
    >
      <Title>
        <h1>Desk</h1>
        <KeysLine>
          {KEYS.map(([keys, does]) => (
            <span key={does}>
              {keys.map((k) => (
                <kbd key={k}>{k}</kbd>
              ))}{" "}
              {does}
            </span>
          ))}
          <Button variant="text" color="secondary" onClick={() => (tell({ type: "ended" }), to(who))}>
            new call
          </Button>
        </KeysLine>
      </Title>
      <DeskGrid>
        <section aria-labelledby="who" className="live">
          <h2 id="who">
            <Gatelet done={call.person !== null} /> Who
          </h2>
          <Who
            call={call}
            tell={tell}
            field={who}
            next={afterWho}
            back={() => to(who)}
            payers={payers.fixed}
          />
        </section>
        <section aria-labelledby="what">
          <h2 id="what">
            <Gatelet done={call.runId !== null} /> What
          </h2>
          <What call={call} tell={tell} field={what} next={afterWhat} back={() => to(what)} run={run} />
        </section>
        <Box component="section" aria-labelledby="terms" ref={terms} tabIndex={-1} sx={{ outline: 0 }}>
          <h2 id="terms">
            <Gatelet done={ready} /> Terms
          </h2>
          <Terms call={call} tell={tell} run={run} quote={quote.data} error={quote.error} />
        </Box>
      </DeskGrid>
    </Page>
  );
}

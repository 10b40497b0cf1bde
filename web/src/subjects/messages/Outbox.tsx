import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { Words } from "../../form/Views";
import { Facts, Grow, Note, Row, Ruled } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, Letter, P, T } from "../../parts/words";
import { useAct } from "../../form/useAct";

type Jobs = Schemas["Jobs"];
type Message = Schemas["MessageOut"];
const SHOWN: [string, string][] = [
  ["", "all"],
  ["waits", "waiting"],
  ["sent", "sent"],
  ["failed", "failed"],
  ["dropped", "dropped by an undo"],
];

/** What was sent, what waits, and work that failed and can be put in line again. */
export default function Outbox() {
  const acts = useDone();
  const [status, setStatus] = useState("");
  const [open, setOpen] = useState<number | null>(null);
  const messages = $api.useInfiniteQuery(
    "get",
    "/api/v1/messages",
    { params: { query: { status } } },
    {
      pageParamName: "before",
      initialPageParam: null as number | null,
      getNextPageParam: (last) => last.next ?? undefined,
      refetchInterval: 5000,
    },
  );
  const jobs = $api.useQuery("get", "/api/v1/jobs", {}, { refetchInterval: 5000 });
  const items = messages.data?.pages.flatMap((p) => p.items) ?? [];
  if (!messages.data)
    return <NotYet title="Outbox" error={messages.error} retry={() => void messages.refetch()} />;
  return (
    <Page
      title="Outbox"
      margin={
        <>
          <ActNotes acts={acts} />
          {jobs.data && <WorkInLine jobs={jobs.data} />}
          <P tone="slate">
            Mail goes to a stand-in here; nothing leaves this machine. A message waits a minute, so that an
            undo still stops it.
          </P>
        </>
      }
    >
      <Box component="h1" sx={{ marginBottom: 10 }}>
        Outbox
      </Box>
      {jobs.data && <Failed jobs={jobs.data} acts={acts} />}
      <Words label="Show" value={status} words={SHOWN} onPick={setStatus} />
      {items.length === 0 && (
        <Empty as="p">
          No message here. Moving a date of a published run, cancelling a meeting or saying that a run goes
          ahead writes some.
        </Empty>
      )}
      <Ruled sx={{ marginTop: 10 }}>
        {items.map((m) => (
          <Sent
            key={m.id}
            message={m}
            open={open === m.id}
            toggle={() => setOpen(open === m.id ? null : m.id)}
          />
        ))}
      </Ruled>
      {messages.hasNextPage && <Button onClick={() => void messages.fetchNextPage()}>Show more</Button>}
    </Page>
  );
}

function WorkInLine({ jobs }: { jobs: Jobs }) {
  const { counts } = jobs;
  const trying = jobs.jobs.filter((j) => j.status !== "failed");
  return (
    <>
      <section>
        <h2>Work in line</h2>
        <Facts>
          <dt>Waits</dt>
          <dd>{(counts.queued ?? 0) + (counts.running ?? 0)}</dd>
          <dt>Failed for good</dt>
          <dd>{counts.failed ?? 0}</dd>
        </Facts>
      </section>
      {trying.length > 0 && (
        <section>
          <h2>Being tried again</h2>
          {trying.slice(0, 5).map((j) => (
            <P tone="slate" key={j.id}>
              {j.about}: {j.trouble} Tried {count(j.tries, "time")}.
            </P>
          ))}
        </section>
      )}
      <section>
        <h2>By the clock</h2>
        {jobs.rounds.map((r) => (
          <P tone="slate" key={r.name}>
            {r.name}: {r.last_at ? r.found : "has not come round yet"}
          </P>
        ))}
      </section>
    </>
  );
}

function Failed({ jobs, acts }: { jobs: Jobs; acts: ReturnType<typeof useDone> }) {
  const retry = useAct({
    send: (id: number) => ask(api.POST("/api/v1/jobs/{job_id}/retry", { params: { path: { job_id: id } } })),
    done: () => acts.say({ text: "In line again." }),
    failed: acts.fail,
  });
  const failed = jobs.jobs.filter((j) => j.status === "failed");
  if (failed.length === 0) return null;
  return (
    <Note kind="wrong" component="section">
      <P strong>{count(failed.length, "piece", "pieces")} of work failed for good</P>
      {failed.slice(0, 20).map((j) => (
        <Row as="p" key={j.id}>
          <Grow as="span">
            {j.about || j.kind}: {j.trouble} <T tone="slate">Tried {count(j.tries, "time")}.</T>
          </Grow>
          <Button variant="text" aria-label={`Try again: ${j.about}`} onClick={() => void retry.act(j.id)}>
            try again
          </Button>
        </Row>
      ))}
    </Note>
  );
}

function Sent({ message: m, open, toggle }: { message: Message; open: boolean; toggle: () => void }) {
  return (
    <Box component="li" sx={{ padding: "7px 0" }}>
      <Row mid>
        <Button variant="text" sx={{ flex: 1 }} aria-expanded={open} onClick={toggle}>
          {m.subject}
        </Button>
        <span>
          {m.person_id ? <Link to={`/people/${m.person_id}`}>{m.to}</Link> : m.to}{" "}
          <T tone="slate">{m.email}</T>
        </span>
        <T tone="slate" nowrap>
          {day(m.at, false)}
        </T>
        <T
          tone={m.status === "failed" ? "brick" : m.status === "sent" ? undefined : "ochre"}
          strong={m.status === "failed" ? true : undefined}
        >
          {m.status}
        </T>
      </Row>
      {open && m.invoice_id !== null && (
        <P sx={{ margin: "6px 0 0" }}>
          <a href={`/api/v1/invoices/${m.invoice_id}/paper.pdf`} target="_blank" rel="noreferrer">
            the PDF that goes with it
          </a>
        </P>
      )}
      {open && (
        <Letter>
          {m.body}
          {m.trouble && `\n\n${m.trouble}`}
        </Letter>
      )}
    </Box>
  );
}

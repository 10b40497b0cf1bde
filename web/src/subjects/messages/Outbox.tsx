import Button from "@mui/material/Button";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, messageOf } from "../../app/server";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Words } from "../schedule/TimeLine";

/** What was sent, what waits, and work that failed and can be put in line again. */
export default function Outbox() {
  const acts = useDone();
  const [status, setStatus] = useState("");
  const [open, setOpen] = useState<number | null>(null);
  const messages = useInfiniteQuery({
    queryKey: ["messages", status],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET("/api/v1/messages", {
          params: { query: { status, ...(pageParam ? { before: pageParam } : {}) } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next ?? undefined,
    refetchInterval: 5000,
  });
  const jobs = useQuery({
    queryKey: ["jobs"],
    queryFn: () => ask(api.GET("/api/v1/jobs")),
    refetchInterval: 5000,
  });
  const items = messages.data?.pages.flatMap((p) => p.items) ?? [];
  if (!messages.data)
    return <NotYet title="Outbox" error={messages.error} retry={() => void messages.refetch()} />;
  const retry = async (id: number) => {
    try {
      await ask(api.POST("/api/v1/jobs/{job_id}/retry", { params: { path: { job_id: id } } }));
      acts.say({ text: "In line again." });
    } catch (error) {
      acts.fail(messageOf(error));
    }
  };
  const failed = jobs.data?.jobs.filter((j) => j.status === "failed") ?? [];
  const trying = jobs.data?.jobs.filter((j) => j.status !== "failed") ?? [];
  return (
    <Page
      title="Outbox"
      margin={
        <>
          <ActNotes acts={acts} />
          <section>
            <h2>Work in line</h2>
            <dl className="facts">
              <dt>Waits</dt>
              <dd>{(jobs.data?.counts.queued ?? 0) + (jobs.data?.counts.running ?? 0)}</dd>
              <dt>Done</dt>
              <dd>{jobs.data?.counts.done ?? 0}</dd>
              <dt>Failed for good</dt>
              <dd>{jobs.data?.counts.failed ?? 0}</dd>
            </dl>
          </section>
          {trying.length > 0 && (
            <section>
              <h2>Being tried again</h2>
              {trying.slice(0, 5).map((j) => (
                <p key={j.id} className="slate">
                  {j.about}: {j.trouble} Tried {count(j.tries, "time")}.
                </p>
              ))}
            </section>
          )}
          <section>
            <h2>By the clock</h2>
            {jobs.data?.rounds.map((r) => (
              <p key={r.name} className="slate">
                {r.name}: {r.last_at ? r.found : "has not come round yet"}
              </p>
            ))}
          </section>
          <p className="slate">
            Mail goes to a stand-in here; nothing leaves this machine. A message waits a minute, so that an
            undo still stops it.
          </p>
        </>
      }
    >
      <h1 style={{ marginBottom: 10 }}>Outbox</h1>
      {failed.length > 0 && (
        <section className="note wrong">
          <p className="strong">{count(failed.length, "piece", "pieces")} of work failed for good</p>
          {failed.slice(0, 20).map((j) => (
            <p key={j.id} className="row">
              <span className="grow">
                {j.about || j.kind}: {j.trouble}{" "}
                <span className="slate">Tried {count(j.tries, "time")}.</span>
              </span>
              <button
                className="plainly"
                aria-label={`Try again: ${j.about}`}
                onClick={() => void retry(j.id)}
              >
                try again
              </button>
            </p>
          ))}
        </section>
      )}
      <Words
        label="Show"
        value={status}
        words={[
          ["", "all"],
          ["waits", "waiting"],
          ["sent", "sent"],
          ["failed", "failed"],
          ["dropped", "dropped by an undo"],
        ]}
        onPick={setStatus}
      />
      {items.length === 0 && (
        <p className="empty">
          No message here. Moving a date of a published run, cancelling a meeting or saying that a run goes
          ahead writes some.
        </p>
      )}
      <ul className="ruled" style={{ marginTop: 10 }}>
        {items.map((m) => (
          <li key={m.id} style={{ padding: "7px 0" }}>
            <div className="row mid">
              <button
                className="plainly grow left"
                aria-expanded={open === m.id}
                onClick={() => setOpen(open === m.id ? null : m.id)}
              >
                {m.subject}
              </button>
              <span>
                {m.person_id ? <Link to={`/people/${m.person_id}`}>{m.to}</Link> : m.to}{" "}
                <span className="slate">{m.email}</span>
              </span>
              <span className="slate nowrap">{day(m.at, false)}</span>
              <span className={m.status === "failed" ? "brick strong" : m.status === "sent" ? "" : "ochre"}>
                {m.status}
              </span>
            </div>
            {open === m.id && m.invoice_id !== null && (
              <p style={{ margin: "6px 0 0" }}>
                <a href={`/api/v1/invoices/${m.invoice_id}/paper.pdf`} target="_blank" rel="noreferrer">
                  the PDF that goes with it
                </a>
              </p>
            )}
            {open === m.id && (
              <pre className="letter">
                {m.body}
                {m.trouble && `\n\n${m.trouble}`}
              </pre>
            )}
          </li>
        ))}
      </ul>
      {messages.hasNextPage && <Button onClick={() => void messages.fetchNextPage()}>Show more</Button>}
    </Page>
  );
}

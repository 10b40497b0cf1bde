import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";

import { $api, api, ask, type Schemas } from "../../app/server";
import { useMe } from "../../app/session";
import { useAct } from "../../form/useAct";
import { Crumbs, Loading, Row, Ruled, Title } from "../../parts/layout";
import { ActNotes, Page, Trouble } from "../../parts/Page";
import { clock, count, day } from "../../parts/text";
import { useDone } from "../../parts/useUndo";
import { Empty, P, T } from "../../parts/words";
import { SentenceForm, TermsForm } from "./SentenceForm";

type Sentence = Schemas["SentenceOut"];

/** Standing and follow-on enrollment: every sentence that puts people on runs by itself, and what it has done. */
export default function SentencesPage() {
  const [params] = useSearchParams();
  const run = params.get("run");
  const me = useMe();
  const queries = useQueryClient();
  const acts = useDone();
  const [writing, setWriting] = useState(false);
  const [open, setOpen] = useState<number | null>(null);
  const query = { run_id: run ? Number(run) : undefined, ended: true };
  const sentences = $api.useQuery(
    "get",
    "/api/v1/sentences",
    { params: { query } },
    { refetchInterval: ({ state }) => (state.data?.some((s) => s.due > 0) ? 2000 : 20_000) },
  );
  const may = me.rights.includes("keep sentences");
  const read = () => void queries.invalidateQueries({ queryKey: ["get", "/api/v1/sentences"] });
  const end = useAct({
    send: (id: number) =>
      ask(api.POST("/api/v1/sentences/{sentence_id}/end", { params: { path: { sentence_id: id } } })),
    done: () => {
      read();
      acts.say({ text: "The sentence is ended; whom it enrolled stays." });
    },
    failed: acts.fail,
  });
  return (
    <Page title="Standing and follow-on enrollment" notes={<ActNotes acts={acts} />} margin={<About />}>
      <Crumbs>
        <Link to="/lists">Lists</Link>
        {run && (
          <>
            {" "}
            / <Link to={`/runs/${run}`}>the run</Link>
          </>
        )}
      </Crumbs>
      <Title>
        <h1>Standing and follow-on enrollment</h1>
        {may && !writing && (
          <Button variant="contained" onClick={() => setWriting(true)}>
            Write a sentence
          </Button>
        )}
      </Title>
      {!may && <P tone="slate">Sentences are written by an administrator.</P>}
      {writing && (
        <SentenceForm
          run={run}
          onDone={(made) => {
            setWriting(false);
            read();
            acts.say({ text: made.text });
          }}
          onLeave={() => setWriting(false)}
        />
      )}
      {sentences.error ? (
        <Trouble error={sentences.error} retry={() => void sentences.refetch()} />
      ) : !sentences.data ? (
        <Loading />
      ) : sentences.data.length === 0 ? (
        <Empty>
          <P>No sentence so far{run ? " for this run" : ""}. One reads, for example:</P>
          <P>“Everyone who gets the tag apprentice goes on Yard safety, in group New, free of charge.”</P>
          <P>“Everyone on Timber framing also goes on Yard safety; assistants do not.”</P>
        </Empty>
      ) : (
        <Ruled>
          {sentences.data.map((s) => (
            <li key={s.id}>
              <One
                sentence={s}
                may={may}
                open={open === s.id}
                busy={end.busy}
                onOpen={() => setOpen(s.id)}
                onClose={() => (setOpen(null), read())}
                onEnd={() => void end.act(s.id)}
              />
            </li>
          ))}
        </Ruled>
      )}
    </Page>
  );
}

function About() {
  return (
    <section>
      <h2>How they work</h2>
      <p>
        A sentence acts within seconds of what it goes by: a tag that somebody gets, a number of an
        organization, a place on another run. Whoever is on the run already is left as they are; when it is
        full, people wait in its line.
      </p>
      <p>Sentences may follow one another. One that would lead back to where it began is not taken.</p>
    </section>
  );
}

function One({
  sentence: s,
  may,
  open,
  busy,
  onOpen,
  onClose,
  onEnd,
}: {
  sentence: Sentence;
  may: boolean;
  open: boolean;
  busy: boolean;
  onOpen: () => void;
  onClose: () => void;
  onEnd: () => void;
}) {
  const [sure, setSure] = useState(false);
  const did = [
    `${s.enrolled} enrolled`,
    s.lined > 0 && `${s.lined} put in line`,
    s.missed > 0 && `${s.missed} not enrolled`,
    s.due > 0 && `${s.due} still to be looked at`,
  ].filter(Boolean);
  return (
    <div>
      <P tone={s.active ? undefined : "slate"} sx={{ margin: "8px 0 2px", fontSize: 16 }}>
        {s.text}
      </P>
      <Row wrap mid sx={{ paddingBottom: 8, gap: "2px 14px" }}>
        <T tone="slate">
          {s.active ? `${s.kind}, by ${s.by} since ${day(s.made_at)}` : "ended"}; {did.join(", ")}
          {s.last_at ? `, last on ${day(s.last_at, false)} at ${clock(s.last_at)}` : ", nothing so far"}
        </T>
        <Link to={`/runs/${s.target_id}`}>{s.target_code}</Link>
        {s.source_id && <Link to={`/runs/${s.source_id}`}>{s.source_code}</Link>}
        {may && s.active && !open && !sure && (
          <>
            <Button variant="text" aria-label={`Change: ${s.text}`} onClick={onOpen}>
              change
            </Button>
            <Button
              variant="text"
              color="secondary"
              aria-label={`End: ${s.text}`}
              onClick={() => setSure(true)}
            >
              end
            </Button>
          </>
        )}
      </Row>
      {s.note && <P tone="ochre">{s.note}</P>}
      {sure && (
        <Row mid sx={{ paddingBottom: 8 }}>
          <T>
            It does nothing more from now on; {count(s.enrolled, "sign-up stays", "sign-ups stay")}
            {s.due > 0 && `, ${s.due} are not looked at any more`}.
          </T>
          <Button
            variant="outlined"
            color="error"
            autoFocus
            disabled={busy}
            onClick={() => (setSure(false), onEnd())}
          >
            End it
          </Button>
          <Button onClick={() => setSure(false)}>Leave it</Button>
        </Row>
      )}
      {open && <TermsForm sentence={s} onClose={onClose} />}
    </div>
  );
}

import Button from "@mui/material/Button";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { $api, api, ask, keyHeader, type Schemas } from "../../app/server";
import { useAct } from "../../form/useAct";
import { Grow, Inset, Loading, Row, Ruled } from "../../parts/layout";
import { Trouble } from "../../parts/Page";
import { money } from "../../parts/text";
import { P, T } from "../../parts/words";
import type { Acts } from "./CoverPage";
import { Marks } from "./Marks";

type Candidate = Schemas["Candidate"];
const SHOWN = 5;

/** A ranked list to call for one meeting: asked, declined; whoever accepts takes it. */
export function Ask({
  meeting,
  away,
  acts,
}: {
  meeting: Schemas["UncoveredMeeting"];
  away: number | null;
  acts: Acts;
}) {
  const [all, setAll] = useState(false);
  const query = $api.useQuery("get", "/api/v1/runs/{run_id}/candidates", {
    params: {
      path: { run_id: meeting.run_id },
      query: { meeting_id: meeting.meeting_id, part: away ? "substitute" : "lead" },
    },
  });
  const people = $api.useQuery("get", "/api/v1/instructors");
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading rows={2} />;
  const others = query.data.candidates.filter((c) => c.instructor_id !== away);
  const able = others.filter((c) => c.free && c.fit !== "not qualified");
  const rows = all ? others : able.slice(0, SHOWN);
  const phones = new Map((people.data ?? []).map((i) => [i.id, i.phone ?? i.email ?? "no phone"]));
  return (
    <Inset sx={{ marginBottom: 10 }}>
      {able.length === 0 && <P tone="brick">Nobody is free and qualified.</P>}
      <Ruled>
        {rows.map((c) => (
          <Called
            key={c.instructor_id}
            candidate={c}
            phone={phones.get(c.instructor_id) ?? ""}
            currency={query.data.currency}
            meeting={meeting}
            away={away}
            acts={acts}
          />
        ))}
      </Ruled>
      <Button variant="text" onClick={() => setAll(!all)} aria-expanded={all}>
        {all ? "Only those who could" : `Everybody, ${others.length}, and why not`}
      </Button>
    </Inset>
  );
}

function Called({
  candidate: c,
  phone,
  currency,
  meeting,
  away,
  acts,
}: {
  candidate: Candidate;
  phone: string;
  currency: string;
  meeting: Schemas["UncoveredMeeting"];
  away: number | null;
  acts: Acts;
}) {
  const queries = useQueryClient();
  const noting = useAct({
    send: (answer: "asked" | "declined") =>
      ask(
        api.PUT("/api/v1/meetings/{meeting_id}/cover-calls/{instructor_id}", {
          params: { path: { meeting_id: meeting.meeting_id, instructor_id: c.instructor_id } },
          body: { answer },
        }),
      ),
    done: () => void queries.invalidateQueries(),
    failed: acts.fail,
  });
  const taking = useAct({
    send: (_: undefined, key) =>
      ask(
        api.POST("/api/v1/meetings/{meeting_id}/step-in", {
          params: { path: { meeting_id: meeting.meeting_id }, header: keyHeader(key) },
          body: { instructor_id: c.instructor_id, away_id: away },
        }),
      ),
    done: (done) => acts.say({ text: `${c.name} takes it.`, change: done.change }),
    failed: acts.fail,
  });
  const tones = { asked: "ochre", declined: "brick", accepted: undefined } as const;
  return (
    <Row as="li" mid sx={{ padding: "5px 0" }}>
      <Grow>
        <strong>{c.name}</strong> {phone}
        {c.answer && <T tone={tones[c.answer]}> {c.answer}</T>}
        <T tone="slate" as="div">
          {c.why}; {c.week_hours} h that week, {c.season_hours} h in the season;{" "}
          {c.cost === null ? "pay to be agreed" : `costs ${money(c.cost, currency)}`};{" "}
          <Marks marks={c.marks} />
        </T>
      </Grow>
      <Button variant="text" onClick={() => void noting.act("asked")} aria-label={`${c.name} was asked`}>
        asked
      </Button>
      <Button variant="text" onClick={() => void noting.act("declined")} aria-label={`${c.name} declined`}>
        declined
      </Button>
      <Button
        onClick={() => void taking.act(undefined)}
        disabled={taking.busy}
        aria-label={`${c.name} accepted`}
      >
        accepted
      </Button>
    </Row>
  );
}

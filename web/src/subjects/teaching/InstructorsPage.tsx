import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { useState } from "react";
import { useNavigate } from "react-router";

import { $api, type Schemas } from "../../app/server";
import { Field } from "../../form/Field";
import { Views } from "../../form/Views";
import { Inset, Row, Title } from "../../parts/layout";
import { ActNotes, NotYet, Page } from "../../parts/Page";
import { Scroller } from "../../parts/Scroller";
import { useDone } from "../../parts/useUndo";
import { Cell, Empty, Name, T } from "../../parts/words";
import { useInAddress } from "../../parts/useInAddress";
import { PersonPick } from "../people/PersonPick";
import { hoursText } from "./hours";
import { InstructorForm } from "./InstructorForm";
import { TeachingTabs } from "./TeachingTabs";

type Instructor = Schemas["InstructorOut"];

const canText = (i: Instructor) =>
  i.qualifications
    .map((q) => `${q.course ?? `all of ${q.category}`}${q.level === "assists" ? " (assists)" : ""}`)
    .join(", ");

const fits = (i: Instructor, q: string) =>
  [i.name, i.full_name, i.email, i.phone, canText(i)].join(" ").toLowerCase().includes(q.toLowerCase());

/** Everybody who teaches here: what they can teach, when, and how they are paid. */
export default function InstructorsPage() {
  const acts = useDone();
  const go = useNavigate();
  const [params, put] = useInAddress();
  const [adding, setAdding] = useState<"new" | "known" | null>(null);
  const query = $api.useQuery("get", "/api/v1/instructors");
  if (!query.data)
    return <NotYet title="Instructors" error={query.error} retry={() => void query.refetch()} />;
  const q = params.get("q") ?? "";
  const gone = params.get("shown") === "gone";
  const rows = query.data.filter((i) => i.active !== gone && fits(i, q));
  const saved = (i: Instructor) => void go(`/teaching/${i.id}`);
  return (
    <Page title="Instructors" margin={null} notes={<ActNotes acts={acts} />}>
      <TeachingTabs />
      <Title sx={{ margin: "12px 0 6px" }}>
        <h1>Instructors</h1>
        <Row mid>
          <Field
            label="Find an instructor or a subject"
            unseen
            width={230}
            placeholder="name, course, category"
            value={q}
            onChange={(value) => put({ q: value })}
          />
          <Views
            label="Which"
            value={gone ? "gone" : "now"}
            onChange={(value) => put({ shown: value === "gone" ? "gone" : "" })}
            options={[
              { value: "now", text: "teach now" },
              { value: "gone", text: "no longer" },
            ]}
          />
          <Button variant="contained" onClick={() => setAdding("new")}>
            Add an instructor
          </Button>
          <Button onClick={() => setAdding("known")}>From people</Button>
        </Row>
      </Title>
      {adding === "new" && <InstructorForm onSaved={saved} onClose={() => setAdding(null)} />}
      {adding === "known" && <FromPeople onSaved={saved} onClose={() => setAdding(null)} />}
      {rows.length === 0 ? (
        <Empty as="p">
          {query.data.length === 0
            ? "Nobody teaches here yet. Add the first one, or name them on a run."
            : "Nobody fits. Clear the words above to see all."}
        </Empty>
      ) : (
        <Scroller>
          <Table sx={{ marginTop: 6 }}>
            <TableHead>
              <TableRow>
                <Cell>Name</Cell>
                <Cell>Is</Cell>
                <Cell>Can teach</Cell>
                <Cell>When</Cell>
                <Cell right>Most a week</Cell>
                <Cell>Usually paid</Cell>
                <Cell>Reach</Cell>
              </TableRow>
            </TableHead>
            <TableBody>
              {rows.map((i) => (
                <TableRow key={i.id}>
                  <Cell nowrap>
                    <Name strong to={`/teaching/${i.id}`}>
                      {i.name}
                    </Name>
                  </Cell>
                  <Cell>{i.employment}</Cell>
                  <Cell>{canText(i) || <T tone="ochre">nothing written down</T>}</Cell>
                  <Cell>{hoursText(i.hours)}</Cell>
                  <Cell right>{i.most_hours ? `${i.most_hours} h` : <T tone="slate">no limit</T>}</Cell>
                  <Cell nowrap>
                    {i.pay ? <T tone="copper">{i.pay.text}</T> : <T tone="slate">by agreement</T>}
                  </Cell>
                  <Cell nowrap>{i.phone ?? i.email ?? <T tone="slate">neither</T>}</Cell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Scroller>
      )}
    </Page>
  );
}

/** Somebody who is known as a learner or otherwise becomes an instructor: one record of one person. */
function FromPeople({ onSaved, onClose }: { onSaved: (i: Instructor) => void; onClose: () => void }) {
  const [id, setId] = useState<number | null>(null);
  const query = $api.useQuery(
    "get",
    "/api/v1/people/{person_id}",
    { params: { path: { person_id: id ?? 0 } } },
    { enabled: id !== null },
  );
  const person = query.data;
  if (id !== null && person)
    return <InstructorForm key={id} person={person} onSaved={onSaved} onClose={onClose} />;
  return (
    <Inset sx={{ maxWidth: 460 }}>
      <PersonPick label="Who is to teach" onPick={setId} onLeave={onClose} />
    </Inset>
  );
}

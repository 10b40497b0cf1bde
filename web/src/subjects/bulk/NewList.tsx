import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";

import { $api, api, ask, faultsOf, messageOf } from "../../app/server";
import { Field } from "../../form/Field";
import { FileButton } from "../../form/FileButton";
import { Ends, Form } from "../../form/Form";
import { useServerForm } from "../../form/useServerForm";
import { Views } from "../../form/Views";
import { Note } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { P } from "../../parts/words";
import { ink } from "../../theme/palette";
import { ChoosePeople } from "./ChoosePeople";
import { ListCrumbs } from "./ListPage";

const Drop = styled("div")({
  border: `1px dashed ${ink.edge}`,
  padding: "36px 24px",
  textAlign: "center",
  background: ink.sheet,
  "&[data-over]": { background: ink.verdigrisPale },
});

const LARGEST = 10 * 1024 * 1024;
type Way = "file" | "paste" | "people";

/** A new list: a file, pasted cells or people who are known; for a run, or with the run in each line. */
export default function NewList() {
  const { id } = useParams();
  const runId = id ? Number(id) : null;
  const run = $api.useQuery(
    "get",
    "/api/v1/runs/{run_id}",
    { params: { path: { run_id: runId ?? 0 } } },
    { enabled: runId !== null },
  );
  const [way, setWay] = useState<Way>("file");
  const go = useNavigate();
  const open = (made: { id: number }) => void go(`/lists/${made.id}`);
  if (run.error)
    return (
      <Page title="List" margin={null}>
        <Trouble error={run.error} />
      </Page>
    );
  const title = runId ? `Put a list on ${run.data?.title ?? "this run"}` : "Put a list on runs";
  return (
    <Page title={title} margin={<WhatHappens />}>
      <ListCrumbs runId={runId} code={run.data?.code} />
      <Box component="h1" sx={{ marginBottom: 4 }}>
        {title}
      </Box>
      <P tone="slate">
        {run.data && `${run.data.taken} of ${run.data.capacity} seats are taken. `}
        {runId
          ? "One sign-up a line. A column may name another run by its code."
          : "One sign-up a line, with a column that names its run by its code."}{" "}
        <a href="/api/v1/batches/template.csv" download>
          A list to fill in
        </a>
      </P>
      <Views
        label="Where the list comes from"
        sx={{ margin: "14px 0" }}
        value={way}
        options={[
          { value: "file", text: "a file" },
          { value: "paste", text: "pasted cells" },
          ...(runId ? [{ value: "people", text: "people who are known" }] : []),
        ]}
        onChange={(v) => setWay(v as Way)}
      />
      {way === "file" && <FromFile runId={runId} onMade={open} />}
      {way === "paste" && <FromCells runId={runId} onMade={open} />}
      {way === "people" && runId && <ChoosePeople runId={runId} onMade={open} />}
    </Page>
  );
}

function WhatHappens() {
  return (
    <section>
      <h2>What happens</h2>
      <p>
        Every line is judged first: who gets a seat, who waits, who is in already, who may be somebody known,
        what needs fixing and why.
      </p>
      <p>
        Nobody is enrolled until you confirm with the number of people, the seats and the money in sight. The
        same list again changes nothing.
      </p>
    </section>
  );
}

type Made = { runId: number | null; onMade: (made: { id: number }) => void };

function formOf(file: File) {
  const form = new FormData();
  form.append("file", file);
  return form;
}

function sent(runId: number | null, file: File) {
  const how = { body: { file: file as unknown as string }, bodySerializer: () => formOf(file) };
  return runId
    ? ask(api.POST("/api/v1/runs/{run_id}/batches", { params: { path: { run_id: runId } }, ...how }))
    : ask(api.POST("/api/v1/batches", how));
}

function FromFile({ runId, onMade }: Made) {
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [over, setOver] = useState(false);
  const send = async (file: File | undefined) => {
    if (!file || busy) return;
    if (file.size > LARGEST) {
      const size = Math.round(file.size / 1024 / 1024);
      setError(new Error(`${file.name} has ${size} MB; a list has at most 10 MB.`));
      return;
    }
    setBusy(true);
    setError(null);
    try {
      onMade(await sent(runId, file));
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <P tone="slate">
        CSV or XLSX; the columns are found by their headings, or picked where there are none. Up to 10 MB,
        50,000 lines, 200 cells a line and 10,000 characters a cell; reading may take 9 seconds and 300 MB of
        memory.
      </P>
      <Drop
        data-over={over || undefined}
        sx={{ marginTop: 18 }}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          void send(e.dataTransfer.files[0]);
        }}
      >
        <p>Drop the file here, or</p>
        <FileButton
          label="The list"
          text={busy ? "Reading …" : "Choose a file"}
          id="list-file"
          accept=".csv,.txt,.tsv,.xlsx,.xls,.ods,text/csv"
          variant="contained"
          disabled={busy}
          onFile={(file) => void send(file)}
        />
      </Drop>
      {error !== null && (
        <Note kind="wrong" role="alert" sx={{ marginTop: 16 }}>
          <p>{Object.values(faultsOf(error)).join(" ") || messageOf(error)}</p>
        </Note>
      )}
    </>
  );
}

function FromCells({ runId, onMade }: Made) {
  const of = useServerForm({
    draft: `list-paste-${runId ?? "runs"}`,
    start: { text: "" },
    send: ({ text }, key) =>
      ask(
        api.POST("/api/v1/batches/pasted", {
          params: { header: { "Idempotency-Key": key } },
          body: { text, run_id: runId, name: "pasted cells" },
        }),
      ),
    done: onMade,
  });
  return (
    <Form of={of} label="Pasted cells">
      <Field
        label="Cells as copied from a sheet, with or without their headings"
        multiline
        width="100%"
        input={{ style: { fontFamily: "monospace", whiteSpace: "pre", overflowX: "auto" }, wrap: "off" }}
        {...of.field("text")}
        fault={of.faults["/text"] ?? of.faults["/file"]}
        autoFocus
      />
      <Ends of={of} act="Read these cells" disabled={of.values.text.trim() === ""} />
      {of.dirty.length > 0 && (
        <Button variant="text" onClick={of.forget}>
          Clear
        </Button>
      )}
    </Form>
  );
}

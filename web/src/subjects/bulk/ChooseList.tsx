import Box from "@mui/material/Box";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { Link, useNavigate } from "react-router";

import { $api, api, ask, faultsOf, messageOf } from "../../app/server";
import { FileButton } from "../../form/FileButton";
import { Crumbs, Note } from "../../parts/layout";
import { Page, Trouble } from "../../parts/Page";
import { P } from "../../parts/words";
import { ink } from "../../theme/palette";

const Drop = styled("div")({
  border: `1px dashed ${ink.edge}`,
  padding: "36px 24px",
  textAlign: "center",
  background: ink.sheet,
  "&[data-over]": { background: ink.verdigrisPale },
});

const LARGEST = 10 * 1024 * 1024;

function useRun(runId: number) {
  return $api.useQuery("get", "/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } });
}

export function ListCrumbs({ runId, code }: { runId: number; code?: string }) {
  return (
    <Crumbs>
      <Link to="/planner">Runs</Link> / <Link to={`/runs/${runId}`}>{code ?? "run"}</Link> / a list
    </Crumbs>
  );
}

/** Choose the file of a list for a run. */
export function ChooseList({ runId }: { runId: number }) {
  const go = useNavigate();
  const run = useRun(runId);
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [over, setOver] = useState(false);
  const send = async (file: File | undefined) => {
    if (!file) return;
    if (file.size > LARGEST) {
      setError(
        new Error(`${file.name} has ${Math.round(file.size / 1024 / 1024)} MB; a list has at most 10 MB.`),
      );
      return;
    }
    setBusy(true);
    setError(null);
    try {
      const result = await ask(
        api.POST("/api/v1/runs/{run_id}/batches", {
          params: { path: { run_id: runId } },
          body: { file: file as unknown as string },
          bodySerializer: () => {
            const form = new FormData();
            form.append("file", file);
            return form;
          },
        }),
      );
      await go(`/runs/${runId}/list/${result.id}`);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };
  if (run.error)
    return (
      <Page title="List" margin={null}>
        <Trouble error={run.error} />
      </Page>
    );
  return (
    <Page
      title="Put a list on a run"
      margin={
        <section>
          <h2>What happens</h2>
          <p>Every line is judged first: who gets a seat, who is in already, what needs fixing and why.</p>
          <p>
            Nothing is written until you confirm with the number of people, the seats and the money in sight.
            The same list again changes nothing.
          </p>
        </section>
      }
    >
      <ListCrumbs runId={runId} code={run.data?.code} />
      <Box component="h1" sx={{ marginBottom: 4 }}>
        Put a list on {run.data?.title ?? "this run"}
      </Box>
      <P tone="slate">
        {run.data && `${run.data.taken} of ${run.data.capacity} seats are taken.`} A CSV or XLSX file with one
        sign-up a line; the columns are found by their headings, or picked where there are none. Up to 10 MB,
        20,000 lines, 200 cells a line and 10,000 characters a cell; reading may take 9 seconds and 300 MB of
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
    </Page>
  );
}

import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { Link } from "react-router";

import { $api } from "../../app/server";
import { NotYet, Page } from "../../parts/Page";
import { count } from "../../parts/text";
import { Cell, Heard, P, T } from "../../parts/words";

/** Courses that people wait for: those without a run they could sign up for come first, with the way to plan one. */
export default function DemandPage() {
  const query = $api.useQuery("get", "/api/v1/demand");
  if (!query.data) return <NotYet title="Demand" error={query.error} retry={() => void query.refetch()} />;
  const wanting = query.data.filter((c) => c.open.length === 0);
  return (
    <Page
      title="Demand"
      margin={null}
      help="People in line for full runs, and on interest lists. A course without an open run and with many names is worth another run."
    >
      <h1>Demand</h1>
      <P tone="slate">
        {wanting.length
          ? `${count(wanting.length, "course has", "courses have")} people waiting and no run open to them.`
          : "Nobody waits for a course without an open run."}
      </P>
      {query.data.length > 0 && (
        <Table>
          <TableHead>
            <TableRow>
              <Cell>Course</Cell>
              <Cell right>In line</Cell>
              <Cell right>Interested</Cell>
              <Cell>Runs</Cell>
              <Cell>
                <Heard>Acts</Heard>
              </Cell>
            </TableRow>
          </TableHead>
          <TableBody>
            {query.data.map((c) => (
              <TableRow key={c.course_id}>
                <Cell>
                  <strong>{c.title}</strong> <T tone="slate">{c.code}</T>
                </Cell>
                <Cell right>{c.waiting || ""}</Cell>
                <Cell right>
                  {c.interested ? (
                    <Link to={`/interest?course=${c.course_id}`}>
                      {c.interested}
                      <Heard> interested in {c.title}</Heard>
                    </Link>
                  ) : (
                    ""
                  )}
                </Cell>
                <Cell tone={c.open.length ? "slate" : "ochre"} strong={!c.open.length}>
                  {c.open.length
                    ? `open: ${c.open.join(", ")}`
                    : c.coming.length
                      ? `none open; coming: ${c.coming.join(", ")}`
                      : "none open"}
                </Cell>
                <Cell>
                  <Link to={`/runs/new?course=${c.course_id}`}>
                    plan a run<Heard> of {c.title}</Heard>
                  </Link>
                </Cell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Page>
  );
}

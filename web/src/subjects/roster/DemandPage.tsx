import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";

import { api, ask } from "../../app/server";
import { NotYet, Page } from "../../parts/Page";
import { count } from "../../parts/text";

/** Courses that people wait for: those without a run they could sign up for come first, with the way to plan one. */
export default function DemandPage() {
  const query = useQuery({ queryKey: ["demand"], queryFn: () => ask(api.GET("/api/v1/demand")) });
  if (!query.data) return <NotYet title="Demand" error={query.error} retry={() => void query.refetch()} />;
  const wanting = query.data.filter((c) => c.open.length === 0);
  return (
    <Page
      title="Demand"
      margin={
        <section>
          <h2>What this shows</h2>
          <p>
            People in line for full runs, and on interest lists. A course without an open run and with many
            names is worth another run.
          </p>
        </section>
      }
    >
      <h1>Demand</h1>
      <p className="slate">
        {wanting.length
          ? `${count(wanting.length, "course has", "courses have")} people waiting and no run open to them.`
          : "Nobody waits for a course without an open run."}
      </p>
      {query.data.length > 0 && (
        <table className="plain">
          <thead>
            <tr>
              <th>Course</th>
              <th className="right">In line</th>
              <th className="right">Interested</th>
              <th>Runs</th>
              <th>
                <span className="sr">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {query.data.map((c) => (
              <tr key={c.course_id}>
                <td>
                  <strong>{c.title}</strong> <span className="slate">{c.code}</span>
                </td>
                <td className="right">{c.waiting || ""}</td>
                <td className="right">
                  {c.interested ? (
                    <Link to={`/interest?course=${c.course_id}`}>
                      {c.interested}
                      <span className="sr"> interested in {c.title}</span>
                    </Link>
                  ) : (
                    ""
                  )}
                </td>
                <td className={c.open.length ? "slate" : "ochre strong"}>
                  {c.open.length
                    ? `open: ${c.open.join(", ")}`
                    : c.coming.length
                      ? `none open; coming: ${c.coming.join(", ")}`
                      : "none open"}
                </td>
                <td>
                  <Link to={`/runs/new?course=${c.course_id}`}>
                    plan a run<span className="sr"> of {c.title}</span>
                  </Link>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Page>
  );
}

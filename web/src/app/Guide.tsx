import Box from "@mui/material/Box";
import { type MouseEvent } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { Loading } from "../parts/layout";
import { NotYet, Page, Trouble } from "../parts/Page";
import { $api, type Schemas } from "./server";

/** The page of the guide that a screen belongs to. */
const PAGES: [RegExp, string][] = [
  [/^\/today/, "today"],
  [/^\/desk/, "desk"],
  [/^\/runs\/\d+\/(roster|attendance|groups)/, "roster"],
  [/^\/runs\/\d+\/(fees|early-bird)/, "fees"],
  [/^\/runs\/\d+\/teaching/, "teaching"],
  [/^\/runs\/\d+\/list/, "lists"],
  [/^\/runs\/\d+\/public/, "catalog"],
  [/^\/courses/, "catalog"],
  [/^\/(interest|demand)/, "lines"],
  [/^\/(runs|planner|days|clashes|season|copy|places)/, "runs"],
  [/^\/(lists|sentences)/, "lists"],
  [/^\/(people|organizations)/, "people"],
  [/^\/money\/(plans|codes|stock|prices|defaults|quotes)/, "fees"],
  [/^\/(money|accounts)/, "money"],
  [/^\/teaching/, "teaching"],
  [/^\/(outbox|calls)/, "messages"],
  [/^\/(settings|staff|me)/, "staff"],
];

export function guideFor(path: string): string | null {
  return PAGES.find(([shape]) => shape.test(path))?.[1] ?? null;
}

/** The text of a page; its links stay inside the application. */
function Text({ of, onGo }: { of: Schemas["GuidePage"]; onGo?: () => void }) {
  const go = useNavigate();
  const follow = (e: MouseEvent) => {
    const link = (e.target as HTMLElement).closest("a");
    if (!link || e.ctrlKey || e.metaKey || e.shiftKey) return;
    e.preventDefault();
    onGo?.();
    void go(link.getAttribute("href") ?? "/guide");
  };
  return (
    // The links inside are links: the click only keeps them from loading the application anew.
    <Box
      onClick={follow}
      sx={{
        maxWidth: 640,
        fontSize: 16,
        lineHeight: 1.55,
        "& h2": { marginTop: "18px" },
        "& li": { margin: "4px 0" },
      }}
      dangerouslySetInnerHTML={{ __html: of.html }}
    />
  );
}

/** What the guide says of the screen one is on, beside its keys. */
export function GuideHere({ name, onGo }: { name: string; onGo: () => void }) {
  const query = $api.useQuery("get", "/api/v1/guide/{name}", { params: { path: { name } } });
  if (query.error) return <Trouble error={query.error} retry={() => void query.refetch()} />;
  if (!query.data) return <Loading />;
  return (
    <section aria-labelledby="guide-here">
      <h2 id="guide-here">{query.data.title}</h2>
      <Text of={query.data} onGo={onGo} />
    </section>
  );
}

/** A page of the guide for the office; without a name the first. */
export default function GuidePage() {
  const name = useParams().name;
  const first = $api.useQuery("get", "/api/v1/guide", {}, { enabled: name === undefined });
  const other = $api.useQuery(
    "get",
    "/api/v1/guide/{name}",
    { params: { path: { name: name ?? "" } } },
    { enabled: name !== undefined },
  );
  const query = name === undefined ? first : other;
  if (!query.data) return <NotYet title="Guide" error={query.error} retry={() => void query.refetch()} />;
  return (
    <Page title={`Guide: ${query.data.title}`} margin={null}>
      <h1>{query.data.title}</h1>
      <Text of={query.data} />
      {name !== undefined && (
        <p>
          <Link to="/guide">All pages of the guide</Link>
        </p>
      )}
    </Page>
  );
}

import { Link } from "react-router";

import { $api } from "../../app/server";
import { T } from "../../parts/words";
import { share } from "./ListProgress";

/** The lists that are worked on just now: asked for now and then, and often while there is one. */
export function useListsAtWork() {
  const running = $api.useQuery("get", "/api/v1/batches/running", undefined, {
    refetchInterval: ({ state }) => (state.data && state.data.items.length > 0 ? 3000 : 20_000),
  });
  return running.data?.items ?? [];
}

/** How far they are, in the header of every page. */
export function ListsAtWork({ items }: { items: ReturnType<typeof useListsAtWork> }) {
  const first = items[0];
  if (!first) return null;
  const far = first.progress ? ` ${share(first.progress)} %` : "";
  return (
    <Link
      to={items.length === 1 ? `/lists/${first.id}` : "/lists"}
      title={`${first.file_name} is ${first.status}`}
    >
      <T tone="ochre" strong>
        {items.length === 1 ? `List${far}` : `${items.length} lists`}
      </T>
    </Link>
  );
}

import { useSearchParams } from "react-router";

/** The row a link led to (`?at=7`): it is brought into sight and marked, so that one sees where one has come. */
export function useArrived(): (id: number) => { "data-at"?: true; ref?: (row: HTMLElement | null) => void } {
  const [params] = useSearchParams();
  const at = Number(params.get("at")) || null;
  return (id) =>
    id === at ? { "data-at": true, ref: (row) => row?.scrollIntoView({ block: "center" }) } : {};
}

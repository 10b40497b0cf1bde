import { useSearchParams } from "react-router";

/** What the address of a page says after the question mark, and a way to change it in place; what becomes empty leaves it. */
export function useInAddress(): [URLSearchParams, (change: Record<string, string>) => void] {
  const [params, setParams] = useSearchParams();
  const put = (change: Record<string, string>) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        for (const [name, value] of Object.entries(change)) {
          if (value) next.set(name, value);
          else next.delete(name);
        }
        return next;
      },
      { replace: true },
    );
  return [params, put];
}

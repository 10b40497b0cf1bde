import { ServerProblem } from "../app/server";
import { useServerForm } from "./useServerForm";

type Send<O> = (preview: boolean, over?: Record<string, unknown>) => Promise<O>;
type Propose<O> = (
  what: string,
  send: Send<O>,
  onSaved?: () => void,
) => Promise<Record<string, string> | null>;

/**
 * A form of a run: on a draft it saves at once, else what it asks for waits in the margin until it is confirmed. Until then
 * what was typed stays, also through a reload. `seen` is what stood in each field when it was first touched; `over` what
 * stands there now, when somebody insists on their own value.
 */
export function useProposedForm<V extends Record<string, unknown>, O>({
  draft,
  start,
  propose,
  what,
  send,
  saved,
  changesOnly,
}: {
  draft: string | null;
  start: V;
  propose: Propose<O>;
  what: (values: V, changed: (keyof V)[]) => string;
  send: (
    values: V,
    how: { preview: boolean; key: string; seen: V; changed: (keyof V)[]; over?: Record<string, unknown> },
  ) => Promise<O>;
  saved?: () => void;
  /** Without a change there is nothing to send. */
  changesOnly?: boolean;
}) {
  const of = useServerForm<V, void>({
    draft,
    start,
    stays: true,
    send: async (values, key, { seen }) => {
      const changed = of.dirty;
      if (changesOnly && changed.length === 0) return;
      const faults = await propose(
        what(values, changed),
        (preview, over) => send(values, { preview, key, seen, changed, over }),
        () => {
          of.forget();
          saved?.();
        },
      );
      if (faults === null) return;
      const list = Object.entries(faults).map(([at, message]) => ({ at, message }));
      throw new ServerProblem(422, "refused", "", list, {});
    },
    done: () => undefined,
  });
  return of;
}

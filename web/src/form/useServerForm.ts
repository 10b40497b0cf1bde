import { useEffect, useRef, useState } from "react";
import { type DefaultValues, type Path, type PathValue, useForm, useWatch } from "react-hook-form";

import { faultsOf, messageOf, newKey, ServerProblem } from "../app/server";
import { dropDraft, keepDraft, readDraft } from "./drafts";

type Values = Record<string, unknown>;
/** What was typed, what stood in those fields when they were first touched, and the key it will be sent under. */
type Kept<V> = { edits: Partial<V>; seen: Partial<V>; key: string };
const nothing = <V>(): Kept<V> => ({ edits: {}, seen: {}, key: newKey() });

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

/**
 * A form whose rules are the server's. What is typed is kept under `draft` through a reload and a slip of navigation, with
 * the idempotency key it will be sent under: every change makes another key, so that one key never stands for two wishes.
 * Fields nobody touched follow what holds (`start`). What is wrong comes back by field, or as `trouble` where it belongs to
 * none; `send` is not entered twice at once. Once sent, or dropped with `forget`, the next form starts from what holds;
 * with `stays` it is not over once sent, but when `forget` is called: what was sent waits to be confirmed.
 */
export function useServerForm<V extends Values, A>({
  draft,
  start,
  send,
  done,
  stays = false,
}: {
  draft: string | null;
  start: V;
  /** `seen` is what stood in each field when it was first touched; a field nobody touched follows what holds. */
  send: (values: V, key: string, how: { anyway: boolean; seen: V }) => Promise<A>;
  done: (answer: A, values: V) => void;
  stays?: boolean;
}) {
  const [first] = useState(() => ({ ...nothing<V>(), ...(draft && readDraft<Kept<V>>(draft)) }));
  const kept = useRef(first);
  const { control, getValues, setValue, reset } = useForm<V>({
    defaultValues: { ...start, ...first.edits } as DefaultValues<V>,
  });
  const values = { ...start, ...useWatch({ control }) } as V;
  const [problem, setProblem] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const sending = useRef(false);
  const faults = problem === null ? {} : faultsOf(problem);
  const dirty = (Object.keys(values) as (keyof V)[]).filter((name) => !same(values[name], start[name]));

  const put = (name: keyof V, value: unknown) =>
    setValue(name as string as Path<V>, value as PathValue<V, Path<V>>);
  const held = JSON.stringify(start);
  useEffect(() => {
    const now = JSON.parse(held) as V;
    for (const name of Object.keys(now))
      if (!(name in kept.current.edits) && !same(getValues(name as Path<V>), now[name]))
        setValue(name as Path<V>, now[name] as PathValue<V, Path<V>>);
  }, [held, getValues, setValue]);
  useEffect(() => {
    if (draft === null || dirty.length === 0) return;
    // A draft lives as long as its tab.
    const ask = (e: BeforeUnloadEvent) => e.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [draft, dirty.length]);

  const set = (change: Partial<V>) => {
    const edits = { ...kept.current.edits, ...change };
    const seen = { ...kept.current.seen };
    for (const name of Object.keys(change) as (keyof V)[]) {
      put(name, change[name]);
      if (same(change[name], start[name])) {
        delete edits[name];
        delete seen[name];
      } else if (!(name in seen)) seen[name] = start[name];
    }
    kept.current = { edits, seen, key: newKey() };
    if (draft === null) return;
    if (Object.keys(edits).length === 0) dropDraft(draft);
    else keepDraft(draft, kept.current);
  };
  const forget = () => {
    if (draft !== null) dropDraft(draft);
    kept.current = nothing();
    reset(start);
    setProblem(null);
  };
  const submit = async (how?: { anyway: boolean }) => {
    if (sending.current) return;
    sending.current = true;
    setBusy(true);
    try {
      const seen = { ...start, ...kept.current.seen } as V;
      const answer = await send(values, kept.current.key, { anyway: false, ...how, seen });
      if (stays) setProblem(null);
      else forget();
      done(answer, values);
    } catch (error) {
      setProblem(error);
    } finally {
      sending.current = false;
      setBusy(false);
    }
  };
  return {
    values,
    set,
    submit,
    forget,
    busy,
    dirty,
    faults,
    /** Whatever went wrong, as it was thrown. */
    error: problem,
    /** The server's refusal, where a screen has something of its own to say about its kind. */
    problem: problem instanceof ServerProblem ? problem : null,
    /** What went wrong where no field is to blame. */
    trouble: problem !== null && Object.keys(faults).length === 0 ? messageOf(problem) : "",
    dismiss: () => setProblem(null),
    /** Value, change and fault of a field; `at` is where the server looks for it, if not under its name. */
    field: (
      name: { [K in keyof V]: V[K] extends string ? K : never }[keyof V] & string,
      at = `/${name}`,
    ) => ({
      value: values[name] as string,
      onChange: (value: string) => set({ [name]: value } as unknown as Partial<V>),
      fault: faults[at],
    }),
  };
}

/** What a `Form` needs to know of the form it shows. */
export type ServerForm = Pick<
  ReturnType<typeof useServerForm<Values, unknown>>,
  "submit" | "busy" | "trouble" | "faults"
>;

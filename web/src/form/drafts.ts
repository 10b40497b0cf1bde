import { useSyncExternalStore } from "react";

/** A form that was typed into and neither sent nor dropped: where it stands, and what that page is called. */
export type Draft = { name: string; at: string; title: string };

const LIST = "drafts";
const heard = new Set<() => void>();

/** What was kept under a name; null for nothing, and for what cannot be read. */
export function readDraft<T>(name: string): T | null {
  try {
    const held = sessionStorage.getItem(name);
    return held === null ? null : (JSON.parse(held) as T);
  } catch {
    return null;
  }
}

function list(next: (old: Draft[]) => Draft[]) {
  sessionStorage.setItem(LIST, JSON.stringify(next(readDraft<Draft[]>(LIST) ?? [])));
  for (const tell of heard) tell();
}

/** Whether something was typed into a form of this name that was neither sent nor dropped: it may open by itself again. */
export function hasDraft(name: string): boolean {
  return sessionStorage.getItem(name) !== null;
}

/** Keeps what was typed, through a reload and a slip of navigation, as long as this tab lives. */
export function keepDraft(name: string, value: unknown) {
  const known = hasDraft(name);
  sessionStorage.setItem(name, JSON.stringify(value));
  if (known) return;
  const { pathname, search } = window.location;
  const title = document.title.replace(/ · Arch Gate$/, "");
  list((old) => [...old.filter((d) => d.name !== name), { name, at: pathname + search, title }]);
}

export function dropDraft(name: string) {
  if (!hasDraft(name)) return;
  sessionStorage.removeItem(name);
  list((old) => old.filter((d) => d.name !== name));
}

/**
 * Every form of the office that waits to be sent or dropped, oldest first; so that whoever left its page can go back to it. What
 * somebody types into a form of the public pages waits there.
 */
export function useDrafts(): Draft[] {
  const text = useSyncExternalStore(
    (tell) => {
      heard.add(tell);
      return () => heard.delete(tell);
    },
    () => sessionStorage.getItem(LIST) ?? "[]",
  );
  return (JSON.parse(text) as Draft[]).filter((d) => hasDraft(d.name) && !d.at.startsWith("/catalog/"));
}

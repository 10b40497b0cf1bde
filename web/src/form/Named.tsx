import { $api } from "../app/server";
import { Suggest } from "./Suggest";

/** The places and instructors there are, by name. */
export function useNames() {
  const places = $api.useQuery("get", "/api/v1/places", {}, { staleTime: 30_000 });
  const instructors = $api.useQuery("get", "/api/v1/instructors", {}, { staleTime: 30_000 });
  return {
    places: places.data?.filter((p) => p.active).map((p) => p.name) ?? [],
    instructors: instructors.data?.filter((i) => i.active).map((i) => i.name) ?? [],
  };
}

const PART = /\s*\((lead|assistant|substitute)\)\s*$/i;
/** The names of a text, with semicolons between them, without their parts. */
export const namesIn = (text: string) =>
  text
    .split(";")
    .map((piece) => piece.replace(PART, "").trim())
    .filter(Boolean);

/** What is offered while the last of several names is typed: those before it, and each that may follow. */
function offered(text: string, names: string[]): string[] {
  const at = text.lastIndexOf(";");
  if (at < 0) return names;
  const before = text.slice(0, at + 1);
  const taken = new Set(namesIn(before).map((n) => n.toLowerCase()));
  return names.filter((n) => !taken.has(n.toLowerCase())).map((n) => `${before} ${n}`);
}

/**
 * A place or an instructor by name: known ones are offered, a new name is added when the form is saved. With `several`,
 * several names stand with a semicolon between them, each with its part in brackets where it is not the lead.
 */
export function Named({
  names,
  several = false,
  ...field
}: { names: string[]; several?: boolean } & Omit<Parameters<typeof Suggest>[0], "options" | "help">) {
  const typed = several ? namesIn(field.value) : [field.value.trim()].filter(Boolean);
  const fresh = typed.filter((t) => !names.some((n) => n.toLowerCase() === t.toLowerCase()));
  const help =
    fresh.length === 0
      ? undefined
      : typed.length === 1
        ? "new: asked about when saved"
        : `${fresh.join(", ")}: new, asked about when saved`;
  return <Suggest {...field} options={several ? offered(field.value, names) : names} help={help} />;
}

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

/** A place or an instructor by name: known ones are offered, a new name is added when the form is saved. */
export function Named({
  names,
  ...field
}: { names: string[] } & Omit<Parameters<typeof Suggest>[0], "options" | "help">) {
  const typed = field.value.trim();
  const fresh = typed !== "" && !names.some((n) => n.toLowerCase() === typed.toLowerCase());
  return <Suggest {...field} options={names} help={fresh ? "new: asked about when saved" : undefined} />;
}

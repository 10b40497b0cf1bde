import { useMe } from "../../app/session";
import { LinkTabs } from "../../form/Views";

/** The pages about the center itself: those that somebody may see. */
export function CenterTabs() {
  const { rights } = useMe();
  const pages: [string, string][] = [["/me", "my account"]];
  if (rights.includes("keep staff")) pages.unshift(["/staff", "staff and roles"]);
  if (rights.includes("keep settings")) pages.unshift(["/settings", "settings"]);
  return <LinkTabs label="The center" pages={pages} />;
}

import { LinkTabs } from "../../form/Views";

const VIEWS = [
  ["/teaching", "instructors"],
  ["/teaching/cover", "cover"],
  ["/teaching/preparing", "in preparation"],
  ["/teaching/pay", "pay requests"],
  ["/teaching/applications", "applications"],
  ["/teaching/rules", "rules and texts"],
] as const;

/** The views of teaching, in one line of words. */
export function TeachingTabs() {
  return <LinkTabs label="Views of teaching" pages={VIEWS} />;
}

import { LinkTabs } from "../../form/Views";

const VIEWS = [
  ["/planner", "runs"],
  ["/planner/line", "time line"],
  ["/planner/week", "week"],
  ["/planner/month", "month"],
  ["/clashes", "clashes"],
  ["/season", "season table"],
  ["/places", "places, closed days"],
] as const;

/** The views of the planner, in one line of words. */
export function PlannerTabs() {
  return <LinkTabs label="Views of the planner" pages={VIEWS} />;
}

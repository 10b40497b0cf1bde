import { NavLink } from "react-router";

const VIEWS = [
  ["/planner", "runs"],
  ["/planner/line", "time line"],
  ["/planner/week", "week"],
  ["/planner/month", "month"],
  ["/clashes", "clashes"],
  ["/season", "season table"],
  ["/places", "places and people"],
] as const;

/** The views of the planner, in one line of words. */
export function PlannerTabs() {
  return (
    <nav className="row views" aria-label="Views of the planner" style={{ gap: 20 }}>
      {VIEWS.map(([to, text]) => (
        <NavLink key={to} to={to} end className={({ isActive }) => (isActive ? "word at" : "word")}>
          {text}
        </NavLink>
      ))}
    </nav>
  );
}

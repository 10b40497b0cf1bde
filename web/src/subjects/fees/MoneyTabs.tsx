import { NavLink } from "react-router";

const VIEWS = [
  ["/money", "outstanding"],
  ["/money/till", "till"],
  ["/money/quotes", "kept quotes"],
  ["/money/plans", "payment plans"],
  ["/money/codes", "discount codes"],
  ["/money/stock", "stock"],
  ["/money/prices", "compare prices"],
  ["/money/defaults", "defaults"],
] as const;

/** The views of money, in one line of words. */
export function MoneyTabs() {
  return (
    <nav className="row views" aria-label="Views of money" style={{ gap: 20 }}>
      {VIEWS.map(([to, text]) => (
        <NavLink key={to} to={to} end className={({ isActive }) => (isActive ? "word at" : "word")}>
          {text}
        </NavLink>
      ))}
    </nav>
  );
}

import { LinkTabs } from "../../form/Views";

const VIEWS = [
  ["/money", "outstanding"],
  ["/money/till", "till"],
  ["/money/cards", "refused cards"],
  ["/money/quotes", "kept quotes"],
  ["/money/plans", "payment plans"],
  ["/money/codes", "discount codes"],
  ["/money/stock", "stock"],
  ["/money/prices", "compare prices"],
  ["/money/defaults", "defaults"],
] as const;

/** The views of money, in one line of words. */
export function MoneyTabs() {
  return <LinkTabs label="Views of money" pages={VIEWS} />;
}

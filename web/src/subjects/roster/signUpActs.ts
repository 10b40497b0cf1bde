/** What can be done with one enrollment, by the word the address has for it. */
export type Act = "withdraw" | "move" | "change" | "swap" | "absent";
export const ACTS: [Act, string][] = [
  ["withdraw", "withdraw"],
  ["move", "move to another run"],
  ["change", "change rate, price or extras"],
  ["swap", "give the seat to somebody else"],
  ["absent", "did not come"],
];

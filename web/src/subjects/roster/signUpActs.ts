/** What can be done with one enrollment, by the word the address has for it. */
export type Act = "withdraw" | "move" | "change" | "head" | "swap" | "role" | "absent";
export const ACTS: [Act, string][] = [
  ["withdraw", "withdraw"],
  ["move", "move to another run"],
  ["change", "change rate, price or extras"],
  ["head", "add a head to the party"],
  ["swap", "give the seat to somebody else"],
  ["role", "make an assistant or observer"],
  ["absent", "did not come"],
];

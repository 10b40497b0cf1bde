import { expect, test } from "vitest";

import { actsFor } from "./acts";

test("acts are found by any of their words, and all are offered for none", () => {
  expect(actsFor("new run")[0]!.to).toBe("/runs/new");
  expect(actsFor("SIGN OUT")[0]!.to).toBe("act:out");
  expect(actsFor("night")).toEqual([expect.objectContaining({ to: "act:night" })]);
  expect(actsFor("sugimoto")).toEqual([]);
  for (const word of ["refund", "invoice", "attendance", "undo", "import", "settings"])
    expect(actsFor(word), word).not.toEqual([]);
  expect(actsFor("  ").length).toBe(42);
  expect(actsFor("r").length).toBe(4);
  const all = actsFor("").map((a) => a.title);
  expect(new Set(all).size).toBe(all.length);
});

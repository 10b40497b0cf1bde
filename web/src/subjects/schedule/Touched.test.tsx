import { screen } from "@testing-library/react";
import { expect, test } from "vitest";

import type { Schemas } from "../../app/server";
import { draw } from "../../testing/render";
import { Touched } from "./Touched";

const nothing = {
  touches: [],
  dates: [],
  made: [],
  healed: [],
  installments: null,
  told: 0,
  enrolled: 0,
  due_back: [],
};

test("hours stay hours, sums have their sign, days are said in words", () => {
  const outcome = {
    ...nothing,
    touches: [
      { label: "Hours", before: "15.00", after: "14.50", money: false },
      { label: "Rate Standard", before: "none", after: "240.00", money: true },
      { label: "Sign-up closes", before: null, after: "2027-09-13", money: false },
    ],
  } as unknown as Schemas["Outcome"];
  draw(<Touched outcome={outcome} currency="USD" />);
  const said = screen.getAllByText(/./, { selector: "p" }).map((p) => p.textContent);
  expect(said[0]).toBe("Hours: 15.00 →becomes 14.50");
  expect(said[1]).toBe("Rate Standard: none →becomes $240.00");
  expect(said[2]).toBe("Sign-up closes:  →becomes Mon 13 Sep 2027");
});

import { screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import { draw } from "../testing/render";
import { DayJump } from "./DayJump";

test("a day that is typed leads there once, when it is whole", async () => {
  const go = vi.fn();
  const { person } = draw(<DayJump label="Day" value="2027-08-20" onGo={go} />);
  const field = screen.getByLabelText("Day");
  await person.clear(field);
  await person.type(field, "9/1");
  expect(go).not.toHaveBeenCalled();
  await person.type(field, "4{Enter}");
  expect(go.mock.calls).toEqual([["2027-09-14"]]);
});

test("without Enter it leads there after a while, and what is no day leads nowhere", async () => {
  const go = vi.fn();
  const { person } = draw(<DayJump label="Day" value="2027-08-20" onGo={go} />);
  const field = screen.getByLabelText<HTMLInputElement>("Day");
  await person.clear(field);
  await person.type(field, "soon{Enter}");
  await person.tab();
  expect(go).not.toHaveBeenCalled();
  expect(field.value).toBe("soon");
  await person.clear(field);
  await person.type(field, "tomorrow");
  await waitFor(() => expect(go.mock.calls).toEqual([["2027-08-21"]]), { timeout: 2000 });
});

import { screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";

import { draw } from "../testing/render";
import { Field, type FieldProps } from "./Field";

function Held({ type, first = "" }: { type: FieldProps["type"]; first?: string }) {
  const [value, setValue] = useState(first);
  return (
    <>
      <Field label="When" type={type} value={value} onChange={setValue} />
      <output>{value}</output>
      <button>elsewhere</button>
    </>
  );
}
const field = () => screen.getByLabelText<HTMLInputElement>("When");
const held = () => screen.getByRole("status").textContent;
const elsewhere = () => screen.getByRole("button", { name: "elsewhere" });

test("a date is typed as people write it, held as the server takes it, and shown in words", async () => {
  const { person } = draw(<Held type="date" />);
  await person.type(field(), "9/14");
  expect(field().value).toBe("9/14");
  expect(held()).toBe("2027-09-14");
  await person.click(elsewhere());
  expect(field().value).toBe("Tue 14 Sep 2027");
});

test("what is no date stays as typed, says so, and is not taken for none", async () => {
  const { person } = draw(<Held type="date" first="2027-09-14" />);
  await person.clear(field());
  await person.type(field(), "next week");
  await person.click(elsewhere());
  expect(field().value).toBe("next week");
  expect(held()).toBe("next week");
  expect(screen.getByText(/This is no date/)).toBeTruthy();
});

test("a date can be taken out again", async () => {
  const { person } = draw(<Held type="date" first="2027-09-14" />);
  await person.clear(field());
  await person.click(elsewhere());
  expect([field().value, held()]).toEqual(["", ""]);
  expect(screen.queryByText(/This is no date/)).toBeNull();
});

test("the calendar opens by key on the month of the date, and a day of it is taken", async () => {
  const { person } = draw(<Held type="date" first="2027-09-14" />);
  await person.click(field());
  await person.keyboard("{Alt>}{ArrowDown}{/Alt}");
  expect(await screen.findByText("September 2027", {}, { timeout: 5000 })).toBeTruthy();
  await person.click(await screen.findByRole("gridcell", { name: "23" }));
  expect(held()).toBe("2027-09-23");
});

test("a time is typed as 1830 or 6:30 pm and shown as 18:30", async () => {
  const { person } = draw(<Held type="time" />);
  await person.type(field(), "6:30 pm");
  expect(held()).toBe("18:30");
  await person.click(elsewhere());
  expect(field().value).toBe("18:30");
});

test("arrows move a time by a quarter of an hour, over midnight too", async () => {
  const { person } = draw(<Held type="time" first="23:50" />);
  await person.click(field());
  await person.keyboard("{ArrowUp}");
  expect(held()).toBe("00:05");
  await person.keyboard("{ArrowDown}{ArrowDown}");
  expect(held()).toBe("23:35");
});

test("a time the server wrote with seconds is shown without", () => {
  draw(<Held type="time" first="18:30:00" />);
  expect(field().value).toBe("18:30");
});

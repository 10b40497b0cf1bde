import RadioGroup from "@mui/material/RadioGroup";
import { act, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";

import { draw } from "../testing/render";
import { answers, problem } from "../testing/server";
import { Choice, Field } from "./Field";
import { FileButton } from "./FileButton";
import { Named } from "./Named";
import { OrganizationPick } from "./OrganizationPick";
import { PickList } from "./PickList";
import { Pick, Tick } from "./Tick";
import { LinkTabs, Views } from "./Views";

test("label, fault and help are heard together with their field", () => {
  draw(
    <Field
      label="Seats"
      tail=", window 2"
      value="x"
      onChange={vi.fn()}
      fault="Seats are a whole number."
      help="to go ahead"
    />,
  );
  const field = screen.getByLabelText("Seats, window 2");
  const described = field.getAttribute("aria-describedby")!.split(" ");
  const heard = described.map((id) => document.getElementById(id)!.textContent);
  expect(heard).toEqual(["Seats are a whole number.", "to go ahead"]);
  expect(field.getAttribute("aria-invalid")).toBe("true");
});

test("a label that is not seen is heard", () => {
  draw(<Field label="Why this clash may stand" unseen value="" onChange={vi.fn()} />);
  expect(screen.getByLabelText("Why this clash may stand")).toBeTruthy();
});

test("a choice is the browser's own list and tells its value", async () => {
  const told = vi.fn();
  const options = [
    { value: "cash", text: "cash" },
    { value: "check", text: "by check" },
  ];
  const { person } = draw(
    <Choice label="By" value="cash" onChange={told} options={options} fault="No such." />,
  );
  const field = screen.getByLabelText("By");
  expect(field.tagName).toBe("SELECT");
  expect(field.getAttribute("aria-invalid")).toBe("true");
  await person.selectOptions(field, "by check");
  expect(told).toHaveBeenCalledWith("check");
});

test("ticks and picks are reached by their words", async () => {
  const ticked = vi.fn();
  const picked = vi.fn();
  const { person } = draw(
    <>
      <Tick checked={false} onChange={ticked}>
        with remarks
      </Tick>
      <RadioGroup value="a" onChange={(_, value) => picked(value)}>
        <Pick value="a">first</Pick>
        <Pick value="b">second</Pick>
      </RadioGroup>
    </>,
  );
  await person.click(screen.getByText("with remarks"));
  await person.click(screen.getByLabelText("second"));
  expect([ticked.mock.calls, picked.mock.calls]).toEqual([[[true]], [["b"]]]);
});

test("a view says which one holds; pages of a place say where one is", async () => {
  const told = vi.fn();
  const options = [
    { value: "list", text: "list" },
    { value: "months", text: "months" },
  ];
  const { person } = draw(
    <>
      <Views label="Show the dates" value="list" onChange={told} options={options} />
      <LinkTabs
        label="Views of money"
        pages={[
          ["/money", "outstanding"],
          ["/money/till", "till"],
        ]}
      />
    </>,
    "/money/till",
  );
  expect(screen.getByRole("button", { name: "list" }).getAttribute("aria-pressed")).toBe("true");
  await person.click(screen.getByRole("button", { name: "months" }));
  expect(told).toHaveBeenCalledWith("months");
  expect(screen.getByRole("link", { name: "till" }).getAttribute("aria-current")).toBe("page");
  expect(screen.getByRole("link", { name: "outstanding" }).getAttribute("aria-current")).toBeNull();
});

test("a file is asked for by a button, and the same file can be chosen twice", async () => {
  const taken = vi.fn();
  const { person } = draw(<FileButton label="The contract" text="attach" accept=".pdf" onFile={taken} />);
  const file = new File(["x"], "contract.pdf", { type: "application/pdf" });
  const input = screen.getByLabelText<HTMLInputElement>("The contract");
  await person.upload(input, file);
  await person.upload(input, file);
  expect(taken.mock.calls.map(([f]) => (f as File).name)).toEqual(["contract.pdf", "contract.pdf"]);
});

test("a name that is not known says that it is asked about", async () => {
  function Place() {
    const [name, setName] = useState("");
    return <Named label="Place" names={["Quarry yard", "Hall 2"]} value={name} onChange={setName} />;
  }
  const { person } = draw(<Place />);
  const field = screen.getByLabelText<HTMLInputElement>("Place");
  await person.type(field, "quarry YARD");
  expect(screen.queryByText(/asked about/)).toBeNull();
  await person.type(field, " two");
  expect(screen.getByText("new: asked about when saved")).toBeTruthy();
  await person.clear(field);
  await person.type(field, "Hal");
  await person.click(await screen.findByRole("option", { name: "Hall 2" }));
  expect(field.value).toBe("Hall 2");
});

const PEOPLE = [
  { key: "1", content: "Ada Stone" },
  { key: "2", content: "Adam Slate" },
];

function Found(props: Partial<Parameters<typeof PickList>[0]>) {
  const [typed, setTyped] = useState("");
  return (
    <PickList
      label="Who"
      typed={typed}
      onType={setTyped}
      options={PEOPLE}
      onPick={vi.fn()}
      empty="nobody"
      {...props}
    />
  );
}

test("arrows move through what is offered and Enter picks where they stand", async () => {
  const picked = vi.fn();
  const { person } = draw(<Found onPick={picked} />);
  await person.type(screen.getByRole("combobox"), "ad{ArrowDown}{ArrowDown}{ArrowUp}{ArrowDown}{Enter}");
  expect(picked.mock.calls).toEqual([["2"]]);
});

test("Enter waits for the answer to what is typed now", async () => {
  const picked = vi.fn();
  const { person, rerender } = draw(<Found onPick={picked} fresh={false} />);
  await person.type(screen.getByRole("combobox"), "ad{Enter}");
  expect(picked).not.toHaveBeenCalled();
  rerender(<Found onPick={picked} fresh />);
  await waitFor(() => expect(picked.mock.calls).toEqual([["1"]]));
});

test("typing on after Enter takes the Enter back", async () => {
  const picked = vi.fn();
  const { person, rerender } = draw(<Found onPick={picked} fresh={false} />);
  await person.type(screen.getByRole("combobox"), "ad{Enter}a");
  await act(() => rerender(<Found onPick={picked} fresh />));
  expect(picked).not.toHaveBeenCalled();
});

test("the mouse picks directly, and Ctrl+Enter belongs to somebody else", async () => {
  const picked = vi.fn();
  const { person } = draw(<Found onPick={picked} />);
  await person.type(screen.getByRole("combobox"), "ad{Control>}{Enter}{/Control}");
  expect(picked).not.toHaveBeenCalled();
  await person.click(screen.getByRole("option", { name: "Adam Slate" }));
  expect(picked.mock.calls).toEqual([["2"]]);
});

test("where nothing could be looked up the field says so", () => {
  draw(<Found options={[]} trouble="The server does not answer." />);
  expect(screen.getByRole("alert").textContent).toBe("The server does not answer.");
  expect(screen.queryByText("nobody")).toBeNull();
});

test("one of many organizations is found by a part of its name", async () => {
  const asked = answers("get", "/api/v1/organizations", [{ id: 7, name: "Northgate Trust" }]);
  const told = vi.fn();
  const { person } = draw(
    <OrganizationPick label="Pays" value="" onChange={told} fixed={[{ value: "", text: "the learner" }]} />,
  );
  const field = screen.getByLabelText<HTMLInputElement>("Pays");
  await person.clear(field);
  await person.type(field, "north");
  await waitFor(() => expect(asked.some((s) => s.path.includes("q=north"))).toBe(true));
  await person.click(await screen.findByRole("option", { name: "Northgate Trust" }));
  expect(told).toHaveBeenCalledWith("7");
});

test("where organizations cannot be asked for, the field says so", async () => {
  answers("get", "/api/v1/organizations", () => problem(500, "broken", "Something went wrong on our side."));
  const { person } = draw(<OrganizationPick label="Pays" value="" onChange={vi.fn()} fixed={[]} />);
  await person.type(screen.getByLabelText("Pays"), "north");
  expect(await screen.findByText("Something went wrong on our side.", {}, { timeout: 4000 })).toBeTruthy();
});

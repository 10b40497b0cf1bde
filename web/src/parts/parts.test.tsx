import { act, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";

import type { Schemas } from "../app/server";
import { draw, run } from "../testing/render";
import { answers, problem } from "../testing/server";
import { Arch } from "./Arch";
import { ClashList } from "./ClashList";
import { GateLine } from "./GateLine";
import { Facts, Loading, Note, Row } from "./layout";
import { MonthGrid } from "./MonthGrid";
import { ActNotes, NotYet, Page } from "./Page";
import { Quote } from "./Quote";
import { useDone } from "./useUndo";
import { Fault, Heard, P, T } from "./words";

test("words keep their element and their tone; a look is no attribute", () => {
  draw(
    <>
      <T as="div" tone="copper" strong right>
        $12.00
      </T>
      <P clash>both at once</P>
      <Row as="ul" wrap mid>
        <li>one</li>
      </Row>
    </>,
  );
  const sum = screen.getByText("$12.00");
  expect(sum.tagName).toBe("DIV");
  expect([...sum.attributes].map((a) => a.name)).toEqual(["class"]);
  expect(getComputedStyle(sum).fontWeight).toBe("600");
  expect(screen.getByText("both at once").tagName).toBe("P");
  expect(screen.getByRole("list").tagName).toBe("UL");
});

test("what is only heard is in the text; a fault begins with its sign", () => {
  draw(
    <>
      <p>
        change<Heard> of meeting 3</Heard>
      </p>
      <Fault role="alert">This is no date.</Fault>
    </>,
  );
  expect(screen.getByText(/change/).textContent).toBe("change of meeting 3");
  expect(screen.getByRole("alert").textContent).toBe("This is no date.");
});

test("a note has the role it is given, and none by itself that shouts", () => {
  draw(
    <>
      <Note>by itself</Note>
      <Note kind="wrong" role="alert">
        wrong
      </Note>
      <Note kind="due" role="status" row>
        due
      </Note>
    </>,
  );
  expect(screen.getByRole("note").textContent).toBe("by itself");
  expect(screen.getByRole("alert").textContent).toBe("wrong");
  expect(screen.getByRole("status").textContent).toBe("due");
});

test("while something loads it says so, and its place stays", () => {
  draw(<Loading rows={4} />);
  const place = screen.getByRole("status");
  expect(place.getAttribute("aria-busy")).toBe("true");
  expect(place.textContent).toBe("Loading…");
  expect(place.querySelectorAll(".MuiSkeleton-root")).toHaveLength(4);
});

test("a page has its title, its sheet and its margin; without a margin the sheet has the width", () => {
  const { rerender } = draw(
    <Page title="Till" margin={<p>why</p>} help="What came in.">
      <h1>Till</h1>
    </Page>,
  );
  expect(document.title).toBe("Till · Arch Gate");
  expect(screen.getByRole("complementary", { name: /Margin/ }).textContent).toBe("why");
  expect(screen.getByRole("main").textContent).toBe("TillWhat came in.");
  rerender(
    <Page title="Codes" margin={null} notes={<p>SPRING is saved.</p>}>
      <h1>Codes</h1>
    </Page>,
  );
  expect(screen.queryByRole("complementary", { name: /Margin/ })).toBeNull();
  expect(screen.getByText("SPRING is saved.")).toBeTruthy();
});

test("a page that could not be loaded says why and can be tried again", async () => {
  const again = vi.fn();
  const { person } = draw(
    <NotYet title="Till" error={new Error("The server does not answer.")} retry={again} />,
  );
  expect(screen.getByRole("alert").textContent).toContain("The server does not answer.");
  await person.click(screen.getByRole("button", { name: "Try again" }));
  expect(again).toHaveBeenCalled();
});

function Acts({ change }: { change?: string }) {
  const acts = useDone();
  return (
    <>
      <button onClick={() => acts.say({ text: "Piotr has seat 3.", change })}>do</button>
      <ActNotes acts={acts} />
    </>
  );
}

test("what was done is said in a live region with its undo, and the undo says what it took back", async () => {
  const sent = answers("post", "/api/v1/changes/c7/undo", { summary: "Undid: Enrolled Piotr", change: null });
  const { person } = draw(<Acts change="c7" />);
  await person.click(screen.getByRole("button", { name: "do" }));
  expect(screen.getByRole("status").textContent).toContain("Piotr has seat 3.");
  await person.dblClick(screen.getByRole("button", { name: "Undo" }));
  expect(await screen.findByText("Undid: Enrolled Piotr.")).toBeTruthy();
  expect(sent).toHaveLength(1);
  expect(screen.queryByRole("button", { name: "Undo" })).toBeNull();
});

test("an undo that is refused names the later change, and nothing claims to be undone", async () => {
  answers("post", "/api/v1/changes/c7/undo", () =>
    problem(409, "moved-on", "Piotr was moved to another run since; undo that first."),
  );
  const { person } = draw(<Acts change="c7" />);
  await person.click(screen.getByRole("button", { name: "do" }));
  await person.click(screen.getByRole("button", { name: "Undo" }));
  expect((await screen.findByRole("alert")).textContent).toContain("undo that first");
});

test("what has no undo offers none", async () => {
  const { result } = run(() => useDone());
  act(() => result.current.fail("wrong"));
  expect(result.current.trouble).toBe("wrong");
  act(() => result.current.say({ text: "done" }));
  await waitFor(() => expect([result.current.trouble, result.current.done?.text]).toEqual(["", "done"]));
  act(() => result.current.failed(new Error("The run is full.")));
  expect(result.current.trouble).toBe("The run is full.");
});

const quote = {
  currency: "USD",
  lines: [
    {
      kind: "rate",
      label: "Standard",
      quantity: 2,
      amount: "420.00",
      early: true,
      why: "The early step holds.",
    },
  ],
  taxes: [
    { name: "Sales tax", amount: "25.20", included: false },
    { name: "City tax", amount: "0.00", included: false },
  ],
  subtotal: "420.00",
  total: "445.20",
  due_now: "222.60",
  due_later: "222.60",
  installments: [
    { n: 1, due: "2027-08-20", amount: "222.60", settle: "any", why: "50 percent, at sign-up." },
    { n: 2, due: "2027-09-19", amount: "222.60", settle: "any", why: "50 percent, 30 days after." },
  ],
  next_change: { at: "2027-09-01", total: "500.00" },
} as unknown as Schemas["QuoteView"];

test("a quote gives every line its reason, its taxes, what is due now and when the price changes", () => {
  draw(<Quote quote={quote} />);
  const text = document.body.textContent;
  for (const words of [
    "Standard, early × 2",
    "$420.00",
    "The early step holds.",
    "Sales tax",
    "On top, worked out on the sum.",
    "Total$445.20",
    "Now$222.60",
    "Sun 19 Sep 2027$222.60",
    "From Wed 1 Sep 2027 the total is $500.00.",
  ])
    expect(text).toContain(words);
  expect(text).not.toContain("City tax");
});

test("facts are a list of what and how much", () => {
  draw(
    <Facts>
      <dt>Seats</dt>
      <dd>14</dd>
    </Facts>,
  );
  expect(screen.getByRole("term").textContent).toBe("Seats");
  expect(screen.getByRole("definition").textContent).toBe("14");
});

test("an arch has no stone for nobody, all when full, and its mark and line where there are some", () => {
  const { container, rerender } = draw(<Arch taken={0} capacity={14} />);
  const laid = () => container.querySelectorAll("path[stroke=none]").length;
  expect([laid(), container.querySelector("line")]).toEqual([0, null]);
  rerender(<Arch taken={13} capacity={14} smallest={6} waiting={9} />);
  expect(laid()).toBeLessThan(11);
  expect(container.querySelector("line")).not.toBeNull();
  expect(container.querySelectorAll("rect")).toHaveLength(2 + 4);
  rerender(<Arch taken={14} capacity={14} />);
  expect(laid()).toBe(11);
});

test("the months of a run mark its meetings, and a free day can be picked", async () => {
  const picked = vi.fn();
  const { person } = draw(
    <MonthGrid
      marks={
        new Map([
          ["2027-09-14", 1],
          ["2027-10-05", 2],
        ])
      }
      lost={new Set(["2027-09-21"])}
      clashing={new Set(["2027-10-05"])}
      onPick={picked}
    />,
  );
  expect(screen.getAllByRole("table").map((t) => t.querySelector("caption")!.textContent)).toEqual([
    "September 2027",
    "October 2027",
  ]);
  expect(screen.getByText(/, meeting 2, clashes/)).toBeTruthy();
  await person.click(screen.getByRole("button", { name: "A one-off meeting on Tue 21 Sep 2027, closed" }));
  expect(picked).toHaveBeenCalledWith("2027-09-21");
  expect(screen.queryByRole("button", { name: /14 Sep/ })).toBeNull();
});

test("clashes are said once each, with how often, and accepted ones not at all", () => {
  const clash = (text: string, accepted: string | null = null) => ({ text, accepted });
  draw(
    <ClashList
      clashes={[
        clash("Forge is taken twice."),
        clash("Forge is taken twice."),
        clash("Let be.", "as agreed"),
      ]}
    />,
  );
  expect(screen.getAllByText(/Forge is taken twice\./)).toHaveLength(1);
  expect(document.body.textContent).toMatch(/2/);
  expect(screen.queryByText(/Let be/)).toBeNull();
});

test("each gate of a run is reached by key and says its day, its rule and what happens", async () => {
  const gate = (label: string, day: string, kind = label) => ({
    kind,
    label,
    day,
    at: `${day}T04:00:00Z`,
    rule: "",
  });
  const line = {
    now: "2027-08-20T10:00:00-04:00",
    currency: "USD",
    gates: [
      gate("Sign-up closes", "2027-09-13", "sign-up closes"),
      gate("First meeting", "2027-09-14", "starts"),
      gate("Last meeting", "2027-11-02", "ends"),
    ],
    dates: [],
    price_line: [{ rate: "Standard", steps: [{ from: "2027-08-01", to: null, amount: "240.00" }] }],
  } as unknown as Schemas["RunOut"];
  const { person } = draw(<GateLine run={line} />);
  await person.tab();
  const first = document.activeElement!;
  expect(first.getAttribute("aria-label")).toContain("Sign-up closes");
  expect(first.getAttribute("aria-label")).toContain("Sign-up ends when this day is over.");
  expect(screen.getByText("Tue 14 Sep")).toBeTruthy();
  expect(screen.getByText("today, Fri 20 Aug")).toBeTruthy();
});

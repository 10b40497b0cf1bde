"""A week at the office, walked from end to end: plan, publish, sell, line, move, cancel, refund, invoice."""

from datetime import timedelta

import pytest
from selenium.webdriver.common.keys import Keys

from archgate.actions.across import checks
from archgate.actions.enrolling import roster, waitlist
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from made import a_person, enrolled, number, taken
from screens.ahead import next_tuesday, run_ahead, shown_day

pytestmark = pytest.mark.screens


def person_at_the_desk(browser, person):
    browser.fill("Name, email or phone", person["family"])
    browser.find(f"//*[@role='option'][contains(., '{person['name']}')]").click()
    browser.sees(f"Quote for {person['name']}")


def run_of(browser):
    """The run whose page the browser is on, by its address."""
    return {
        "id": int(
            browser.until(lambda: browser.driver.current_url.split("/runs/")[1].split("/")[0].split("?")[0])
        )
    }


def test_a_week_at_the_office(at_work, now_office):
    title, first = f"Week's wall {next(number)}", next_tuesday(11)
    ada, bo, cy = (a_person(now_office, given=g, family=f"Weekly{next(number)}") for g in ("Ada", "Bo", "Cy"))
    other = run_ahead(now_office, title=f"Week's other {next(number)}")
    client = now_office.act(
        lambda d: organizations.create_organization(
            d,
            command_of(
                OrganizationCommand,
                {"name": f"Week's client {next(number)}", "email": "pay@client.example.org"},
            ),
        )
    )

    # Monday: a run is planned; one of its dates moves before it is saved, and it is published.
    at_work.open("/runs/new")
    at_work.fill("Title of the new course", title)
    at_work.fill("First date", first.isoformat())
    at_work.fill("Starts at", "17:30")
    at_work.fill("Hours", "2")
    at_work.fill("Seats", "2")
    at_work.fill("Fee in USD", "240")
    at_work.sees(shown_day(first + timedelta(weeks=7)))
    at_work.sees("no room yet, nobody teaches yet")
    at_work.click("Save as a draft")
    at_work.sees("0 of 2 seats")
    run = run_of(at_work)
    at_work.click("Publish")
    at_work.sees("Sign-up open")

    # Tuesday: two are sold, one with a deposit in the call, one paid by a client; a third waits.
    at_work.open(f"/desk?run={run['id']}")
    person_at_the_desk(at_work, ada)
    at_work.find("//*[@id='paid-now']//label[normalize-space()='cash']").click()
    at_work.click(f"Enroll {ada['name']}, seat 1 of 2")
    at_work.sees("$120.00 paid by cash; receipt")
    at_work.open(f"/desk?run={run['id']}")
    person_at_the_desk(at_work, bo)
    at_work.click(f"Enroll {bo['name']}, seat 2 of 2")
    at_work.sees(f"{bo['name']} has seat 2 of 2")
    at_work.open(f"/desk?run={run['id']}")
    person_at_the_desk(at_work, cy)
    at_work.click(f"Put {cy['name']} in line, number 1")
    at_work.sees(f"{cy['name']} waits for {title} as number 1 in line.")

    # Wednesday: the pattern becomes another from now on, with what that touches seen first.
    at_work.open(f"/runs/{run['id']}/dates")
    at_work.click("Change pattern 1")
    at_work.fill("Meetings", "6")
    at_work.click("See what moves")
    at_work.sees("Meetings: 8")
    at_work.sees("2 people are told")
    at_work.click("Save")
    at_work.sees("6 meetings")

    # Thursday: Bo moves to another run, money and all; the seat is offered to Cy, by name.
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.click(f"Open the sign-up of {bo['name']}")
    at_work.click("move to another run")
    at_work.fill("The other run", other["title"])
    at_work.find(f"//*[@role='option'][contains(., \"{other['title']}\")]").click()
    at_work.sees("Moves along")
    at_work.sees(f"{cy['name']}, next in line")
    assert at_work.axe() == []
    at_work.click("Move")
    at_work.sees(f"{bo['name']} moved to {other['title']}")
    at_work.sees("has an offer until")
    at_work.click(f"Seat {cy['name']}")
    at_work.click("Give the seat")
    at_work.sees(f"{cy['name']} has seat 2")
    assert taken(now_office, other) == 1

    # Friday: the run is cancelled; Cy is moved first, Ada's money comes back.
    at_work.open(f"/runs/{run['id']}")
    at_work.click("Cancel the run")
    at_work.click("Move people first")
    at_work.tick(ada["name"])
    at_work.click("Move 1 sign-up")
    at_work.fill("The other run", other["title"])
    at_work.find(f"//*[@role='option'][contains(., \"{other['title']}\")]").click()
    at_work.click("Move them")
    at_work.sees(f"1 sign-up moved to {other['code']}")
    at_work.open(f"/runs/{run['id']}")
    at_work.click("Cancel the run")
    at_work.fill("Why it is cancelled; people are told", "The wall fell down.")
    at_work.click("See what it touches")
    at_work.sees("Due back to payers")
    at_work.sees("$120.00")
    at_work.find("//*[@role='alertdialog']//button[normalize-space()='Cancel the run']").click()
    at_work.sees("Cancelled")
    own = now_office.act(
        lambda d: accounts.account_for(d, command_of(PayerCommand, {"person_id": ada["id"]}))
    )["id"]
    at_work.open(f"/accounts/{own}")
    at_work.sees("$120.00 came in and settles nothing yet.")
    at_work.click("Pay it back")
    at_work.fill("Reason", "The run was cancelled")
    at_work.find("//form//button[normalize-space()='Pay it back']").click()
    at_work.sees("Paid back; $0.00 of credit is left.")

    # At last the client's invoice for a seat that it pays for.
    third = a_person(now_office, family=f"Weekly{next(number)}")
    enrolled(now_office, other, third, organization_id=client["id"])
    owner = command_of(PayerCommand, {"organization_id": client["id"]})
    owed = now_office.act(lambda d: accounts.account_for(d, owner))["id"]
    at_work.open(f"/accounts/{owed}")
    at_work.sees("1 sign-up of $210.00 not invoiced yet.")
    at_work.click("Issue the invoice")
    at_work.sees("Nothing waits for an invoice.")

    def agrees(d):
        assert checks.everything(d) == "Everything agrees."
        names = [r.name for r in roster.roster(d, other["id"]).rows]
        assert {bo["name"], cy["name"]} <= set(names)

    now_office.read(agrees)
    assert at_work.console() == []


def test_a_seat_is_kept_a_head_added_and_a_pattern_ended_by_keyboard_alone(at_work, now_office):
    run = run_ahead(now_office, title=f"Keys alone {next(number)}", capacity=3, smallest=0)
    held = enrolled(now_office, run)
    party = enrolled(now_office, run)
    enter, tab = Keys.ENTER, Keys.TAB

    # One head more for a party: the money of it first.
    at_work.open(f"/runs/{run['id']}/roster?at={party['enrollment_id']}")
    at_work.sees("add a head to the party")
    at_work.tab_to("add a head to the party", 120)
    at_work.press(enter)
    at_work.sees("It was $210.00.")
    at_work.tab_to("Add the head", 120)
    at_work.press(enter)
    at_work.sees("has 2 seats; the sign-up comes to $420.00")
    assert at_work.axe() == []

    # The run is full now, somebody waits; who leaves keeps the seat for a firm.
    waits = a_person(now_office)
    ask = command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"]})
    now_office.act(lambda d: waitlist.join(d, ask))
    at_work.open(f"/runs/{run['id']}/roster?at={held['enrollment_id']}&act=withdraw")
    at_work.sees(f"{waits['name']}, next in line")
    at_work.tab_to("The seat goes to", 120)
    at_work.press("nobody")
    at_work.sees("Kept through")
    at_work.tab_to("Kept through")
    at_work.press(f"{business_day(now_office):%m%d%Y}", tab)
    at_work.tab_to("For whom")
    at_work.press("The Guild", enter)
    at_work.sees("The seat stays held through")
    at_work.sees("1 held without names")

    # Its pattern ends earlier, with what that touches seen first.
    at_work.open(f"/runs/{run['id']}/dates")
    at_work.sees("Planned as Tuesdays at 17:30")
    at_work.tab_to("end earlier", 120)
    at_work.press(enter)
    at_work.until(lambda: at_work.focused() == "Last day of this pattern")
    at_work.press(f"{next_tuesday() + timedelta(weeks=2):%m%d%Y}", enter)
    at_work.sees("Meetings: 8")
    at_work.until(lambda: "Keep as it was" in at_work.text())
    at_work.press(enter)  # the focus stands on the act
    at_work.sees("3 calendar weeks")
    assert at_work.axe() == [] and at_work.console() == []


def business_day(office):
    return office.at.astimezone().date()

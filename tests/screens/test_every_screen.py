"""Every screen, by day at 1280 x 800 in the usual run: axe finds nothing, the console is still. By night, at twice the size
and at the width of a phone in the long one."""

import pytest
from selenium.webdriver.common.keys import Keys
from sqlalchemy import select

from archgate.actions.bulk import reading
from archgate.actions.kernel.commands import command_of
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.papers.lists import read_table
from archgate.tables.roster import Enrollment
from archgate.tables.teaching import RunTeacher
from conftest import LONG
from made import a_person, enrolled, number
from screens.ahead import run_ahead

pytestmark = pytest.mark.screens

OFFICE = (
    "/today /planner /planner/line /planner/week /planner/month /days/2027-08-20 /clashes /season /copy /places?tab=places"
    " /places?tab=days /runs/{run}/teaching /teaching /teaching/{teacher} /teaching/cover /teaching/cover?who={teacher} /teaching/preparing /teaching/pay"
    " /teaching/applications /teaching/rules /outbox /runs/new /runs/{run} /runs/{run}/roster /runs/{run}/attendance"
    " /me /courses /courses/{course} /courses/{course}/runs /courses/{course}/versions /runs/{run}/public /organizations/{organization} /runs/{run}/dates /runs/{run}/fees /runs/{run}/terms /runs/{run}/log /runs/{run}/list /runs/{run}/groups /runs/{run}/early-bird"
    " /lists /lists/new /lists/{list} /sentences?run={run}"
    " /desk?run={run}&person={person} /people /people/{person} /money /money/till /money/cards /money/quotes /money/plans /money/codes"
    " /money/stock /money/prices?runs={run} /money/defaults /accounts/{account} /interest?run={run} /demand /guide /guide/desk /nowhere"
).split()


@pytest.fixture
def paths(now_office):
    run = run_ahead(now_office, title=f"Every screen {next(number)}", instructor=f"E. Screen{next(number)}")
    teacher = now_office.read(lambda d: d.session.scalars(select(RunTeacher.instructor_id).where(RunTeacher.run_id == run["id"])).one())  # fmt: skip
    somebody = a_person(now_office, family=f"Screen{next(number)}")
    held = enrolled(now_office, run, somebody)
    account = now_office.read(lambda d: d.session.get_one(Enrollment, held["enrollment_id"]).payer_id)
    text = f"Name,Email\nAnn {somebody['family']},{somebody['email']}\nBo Screen,\n".encode()
    made = now_office.act(lambda d: reading.create_batch(d, run["id"], "l.csv", text, read_table(text)).id)
    there = {"run": run["id"], "person": somebody["id"], "account": account, "list": made, "teacher": teacher}
    client = {"name": f"Client {next(number)}", "address": "1 Quay"}
    made = now_office.act(
        lambda d: organizations.create_organization(d, command_of(OrganizationCommand, client))
    )
    there |= {"course": run["course"]["id"], "organization": made["id"]}
    return [path.format(**there) for path in OFFICE]


def wrong(browser, paths):
    """What axe finds on each of these pages, once it is drawn whole."""
    found = {}
    for path in paths:
        browser.open(path)
        browser.until(lambda: browser.driver.execute_script(DRAWN))
        faults = browser.axe()
        if faults:
            found[path] = faults
    return found


def test_axe_finds_nothing_on_the_pages_of_the_center_by_day_and_by_night(browser, chief):
    browser.open("/mark.svg")
    cookie = {"name": "archgate_session", "value": chief.cookies["archgate_session"], "path": "/"}
    browser.driver.add_cookie(cookie)
    assert wrong(browser, ["/settings", "/staff", "/me"]) == {}
    browser.driver.execute_script("localStorage.setItem('colors', 'dark')")
    assert wrong(browser, ["/settings", "/staff"]) == {}
    browser.driver.execute_script("localStorage.removeItem('colors')")


DRAWN = "return document.querySelector('h1, h2') !== null && !document.querySelector('[aria-busy=true]')"


def test_axe_finds_nothing_on_any_screen(at_work, paths):
    assert wrong(at_work, paths) == {}
    assert at_work.console() == []


@pytest.mark.skipif(not LONG, reason="takes minutes; part of --long")
@pytest.mark.parametrize("how", ["by night", "at twice the size", "on a phone"])
def test_axe_finds_nothing_by_night_larger_or_narrow(at_work, paths, how):
    at_work.open("/mark.svg")
    if how == "by night":
        at_work.driver.execute_script("localStorage.setItem('colors', 'dark')")
    at_work.resize(*{"by night": (1280, 800), "at twice the size": (640, 400), "on a phone": (390, 800)}[how])
    assert wrong(at_work, paths) == {}
    at_work.open("/today")
    at_work.sees("Today")
    colors = at_work.driver.execute_script("return document.documentElement.dataset.colors")
    assert colors == ("dark" if how == "by night" else "light")


def test_the_main_acts_by_keyboard_alone(at_work, now_office):
    """A seat on the phone, a payment, a withdrawal and its undo from the log: no hand on the mouse."""
    run = run_ahead(now_office, title=f"By keys {next(number)}")
    somebody = a_person(now_office, given="Lena", family=f"Keyes{next(number)}")
    at_work.open("/today")
    at_work.sees("Today")
    at_work.press(Keys.F2)
    at_work.press("desk", Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(somebody["family"], Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Course, run or place")
    at_work.press(run["title"], Keys.ENTER)
    at_work.sees(f"Quote for {somebody['name']}")
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees(f"{somebody['name']} has seat 1 of 14")

    at_work.press(Keys.F2)
    at_work.press(somebody["family"], Keys.ENTER)
    at_work.sees("Account, or take a payment")
    at_work.tab_to("Account, or take a payment", 120)
    at_work.press(Keys.ENTER)
    at_work.sees("Take a payment")
    at_work.tab_to("Amount in USD")
    at_work.press("105", Keys.ENTER)
    at_work.sees("$105.00 by cash")

    at_work.open(f"/runs/{run['id']}/roster")
    at_work.sees(somebody["name"])
    at_work.tab_to(f"Open the sign-up of {somebody['name']}", 120)
    at_work.press(Keys.ENTER)
    at_work.sees("withdraw")
    at_work.tab_to("withdraw", 120)
    at_work.press(Keys.ENTER)
    at_work.sees("gives the seat back")
    at_work.tab_to("Withdraw")
    at_work.press(Keys.ENTER)
    at_work.sees("Nobody is on this roster yet.")

    # The page is left; the undo is still there.
    at_work.open(f"/runs/{run['id']}/log")
    at_work.sees(f"Withdrew {somebody['name']}")
    at_work.tab_to("undo: Withdrew", 120)
    at_work.press(Keys.ENTER)
    at_work.sees("Undid: Withdrew")
    assert at_work.focused() != "", "the focus is on what came of it"
    assert at_work.console() == []

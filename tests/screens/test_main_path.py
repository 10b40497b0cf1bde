"""The main path, walked as a person walks it: from a flyer to an enrolled person, by mouse and by keyboard alone."""

from datetime import UTC, date, datetime, timedelta

import pytest
from selenium.webdriver.common.keys import Keys

from made import DATA, Office, a_person, a_run, number

pytestmark = pytest.mark.screens


@pytest.fixture
def now_office(sessions, users):
    """A desk at the real moment, since the browser lives in it."""
    return Office(sessions, users["coordinator"], datetime.now(UTC))


def next_tuesday(weeks=8):
    day = date.today() + timedelta(weeks=weeks)
    return day + timedelta(days=(1 - day.weekday()) % 7)


def run_ahead(office, **changes):
    pattern = {
        "first": next_tuesday().isoformat(),
        "start": "17:30",
        "minutes": 105,
        "weekdays": ["TU"],
        "count": 8,
    }
    return a_run(office, pattern=pattern, **changes)


def shown_day(day):
    return f"{day:%a} {day.day} {day:%b %Y}"


def test_from_a_flyer_to_an_enrolled_person_with_the_mouse(browser, password, now_office):
    title, first = f"Slate roofing {next(number)}", next_tuesday()
    name = f"Orla Quill{next(number)}"
    browser.open("/runs/new")
    assert browser.axe() == []
    browser.fill("Email", "coordinator@example.org")
    browser.fill("Password", "wrong")
    browser.click("Sign in")
    browser.sees("Email and password do not fit together.")
    browser.fill("Password", password)
    browser.click("Sign in")

    # A new run from the flyer; what is wrong is named beside its field, all at once.
    browser.fill("Title of the new course", title)
    browser.click("Save as a draft")
    browser.sees("The first date is missing.")
    browser.sees("The number of seats is missing.")
    browser.fill("First date", first.isoformat())
    browser.fill("Starts at", "17:30")
    browser.fill("Hours", "1")
    browser.fill("Minutes", "45")
    browser.fill("Seats", "14")
    browser.fill("Smallest number", "6")
    browser.fill("Fee in USD", "240")
    browser.fill("Early price", "210")
    browser.sees(shown_day(first + timedelta(weeks=7)))
    browser.sees("14 h")
    assert browser.axe() == []
    browser.click("Change meeting 2")
    browser.fill("Date of meeting 2", (first + timedelta(days=8)).isoformat())
    browser.click("done")
    browser.sees(shown_day(first + timedelta(days=8)))
    browser.click("Save as a draft")

    browser.sees("Nothing would stop somebody from signing up.")
    browser.sees("0 of 14 seats")
    browser.sees(shown_day(first + timedelta(days=8)))
    browser.click("Publish")
    browser.sees("Sign-up open")
    assert browser.axe() == []

    # The desk: the run is there already, the person is new.
    browser.click("Enroll somebody")
    browser.sees("$210.00")
    browser.fill("Name, email or phone", name)
    browser.find("//*[@role='option'][contains(., 'New person')]").click()
    browser.fill("Email, if any", f"orla{next(number)}@example.org")
    browser.click("Add this person")
    browser.sees(f"Quote for {name}")
    browser.sees("The early step holds through")
    browser.sees("50 percent of the total, 30 days after sign-up.")
    assert browser.axe() == []
    browser.click("Enroll, seat 1 of 14")
    browser.sees(f"{name} has seat 1 of 14 on {title}; $105.00 is due now.")

    # The roster, a withdrawal and its undo.
    browser.click("See the roster")
    browser.sees("1 of 14 seats")
    browser.sees(name)
    assert browser.axe() == []
    browser.click(f"Withdraw {name}")
    browser.click("Withdraw")
    browser.sees("Nobody is on this roster yet.")
    browser.click("Undo")
    browser.sees("Undid: Withdrew")
    browser.sees("1 of 14 seats")
    assert browser.console() == []


def test_a_call_by_keyboard_alone(at_work, now_office):
    run = run_ahead(now_office, title=f"Leaded glass {next(number)}")
    person = a_person(now_office, given="Inés", family=f"Callowhill{next(number)}")
    at_work.open("/desk")
    at_work.sees("Terms")
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(f"ines {person['family'].lower()}")
    at_work.sees(person["name"])
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Course, run or place")
    at_work.press(run["title"])
    at_work.until(
        lambda: (
            len(
                at_work.driver.find_elements(
                    "xpath", "//section[.//h2[contains(., 'What')]]//*[@role='option']"
                )
            )
            == 1
        )
    )
    at_work.press(Keys.ENTER)
    at_work.sees(f"Quote for {person['name']}")
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees(f"{person['name']} has seat 1 of 14")
    at_work.tab_to("Undo")
    at_work.press(Keys.ENTER)
    at_work.sees(f"Undid: Enrolled {person['name']}")


def test_a_run_is_made_by_keyboard_alone(at_work):
    title, first = f"Forged iron {next(number)}", next_tuesday()
    at_work.open("/planner")
    at_work.sees("Runs")
    at_work.tab_to("New run")
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Title of the new course")
    at_work.press(title)
    at_work.tab_to("First date")
    at_work.press(f"{first:%m%d%Y}")
    at_work.tab_to("Seats")
    at_work.press("9")
    at_work.tab_to("Fee in USD")
    at_work.press("120")
    at_work.sees(shown_day(first + timedelta(weeks=7)))
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees("Nothing would stop somebody")
    at_work.tab_to("Publish")
    at_work.press(Keys.ENTER)
    at_work.sees("Sign-up open")


def test_a_clients_list_goes_onto_a_run(at_work, now_office):
    run = run_ahead(now_office, capacity=30)
    at_work.open(f"/runs/{run['id']}/list")
    at_work.sees("Choose a file")
    assert at_work.axe() == []
    at_work.driver.find_element("id", "list-file").send_keys(str(DATA / "client-list.csv"))
    at_work.sees("will enroll (24)")
    at_work.sees("Windows-1252, comma between cells, 24 lines")
    at_work.sees("Michèle Jacob")
    at_work.click("Another organization")
    at_work.fill("Name of the organization", f"Northgate {next(number)}")
    at_work.click("Add")
    at_work.sees("24 of 30")
    assert at_work.axe() == []
    at_work.click("Enroll 24 people for $5,040.00")
    at_work.sees("24 people enrolled; 24 of 30 seats are taken now.")
    at_work.click("See the roster")
    at_work.sees("24 of 30 seats")
    assert at_work.axe() == []
    assert at_work.console() == []


def test_what_was_typed_survives_a_reload_and_an_ended_session(at_work, app, password):
    at_work.open("/runs/new")
    at_work.fill("Title of the new course", "Half a flyer")
    at_work.fill("Seats", "11")
    at_work.driver.refresh()
    assert at_work.field("Title of the new course").get_attribute("value") == "Half a flyer"
    at_work.driver.delete_cookie("archgate_session")
    at_work.click("Save as a draft")
    at_work.sees("Password")
    at_work.fill("Email", "coordinator@example.org")
    at_work.fill("Password", password)
    at_work.click("Sign in")
    assert at_work.field("Title of the new course").get_attribute("value") == "Half a flyer"
    assert at_work.field("Seats").get_attribute("value") == "11"


def test_lists_of_runs_remember_their_filter_in_the_address(at_work, now_office):
    run = run_ahead(now_office, title=f"Timber framing {next(number)}")
    at_work.open(f"/planner?view=open&q={run['title'].replace(' ', '+')}")
    at_work.sees("1 run, by first meeting")
    at_work.sees("6 short of the smallest number, 6")
    assert at_work.axe() == []
    at_work.click("drafts")
    at_work.sees("No run fits.")
    assert "view=drafts" in at_work.driver.current_url

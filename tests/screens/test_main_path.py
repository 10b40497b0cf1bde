"""The main path, walked as a person walks it: from a flyer to an enrolled person, by mouse and by keyboard alone."""

from dataclasses import replace
from datetime import timedelta

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import making, showing
from archgate.actions.runs.commands import RunPatch
from made import DATA, a_draft, a_person, enrolled, number
from screens.ahead import next_tuesday, run_ahead, shown_day

pytestmark = pytest.mark.screens


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
    browser.sees(f"{first + timedelta(days=8):%a} {(first + timedelta(days=8)).day}")
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
    browser.click(f"Enroll {name}, seat 1 of 14")
    browser.sees(f"{name} has seat 1 of 14 on {title}; $105.00 is due now.")

    # The roster, a withdrawal and its undo.
    browser.click("See the roster")
    browser.sees("1 of 14 seats")
    browser.sees(name)
    assert browser.axe() == []
    browser.click(f"Open the sign-up of {name}")
    browser.click("withdraw")
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
    at_work.press(f"ines {person['family'].lower()}", Keys.ENTER)  # faster than the answer
    at_work.until(lambda: at_work.focused() == "Course, run or place")
    at_work.press(run["title"], Keys.ENTER)
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
    at_work.click("Change: Paid by")
    at_work.click("Another organization")
    at_work.fill("Name of the organization", f"Northgate {next(number)}")
    at_work.click("Add")
    at_work.sees("24 of 30")
    assert at_work.axe() == []
    at_work.click("Enroll 24 sign-ups, 24 seats, $5,040.00")
    at_work.sees("24 sign-ups enrolled. 24 of 30 seats are taken now.")
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


def test_a_form_shows_only_what_was_typed_into_it(at_work):
    def value(label):
        return at_work.field(label).get_attribute("value")

    def new_person(name):
        """Pick it from what is offered; people who are found meanwhile push it down, away from under the pointer."""
        at_work.fill("Name, email or phone", name)
        offered = "//*[@role='option'][contains(., 'New person')]"
        for option in at_work.until(lambda: at_work.driver.find_elements(By.XPATH, offered)):
            at_work.driver.execute_script("arguments[0].click()", option)

    one, two = f"Rowan Firstcall{next(number)}", f"Ilse Secondcall{next(number)}"
    at_work.open("/desk")
    new_person(one)
    at_work.fill("Phone, if any", "555-0142")
    at_work.driver.refresh()
    at_work.until(lambda: value("Phone, if any") == "555-0142")
    at_work.click("new call")
    new_person(two)
    shown = [value(label) for label in ("Given name", "Family name", "Email, if any", "Phone, if any")]
    assert shown == [*two.split(), "", ""]

    # A code that was made leaves nothing behind in the form for the next.
    code = f"ROWAN{next(number)}"
    at_work.open("/money/codes")
    at_work.click("Make a code, or a set")
    at_work.fill("Code", code)
    at_work.fill("Percent", "30")
    at_work.press(Keys.ENTER)
    at_work.sees(f"{code} is saved")
    at_work.click("Make a code, or a set")
    assert (value("Code"), value("Percent")) == ("", "")


def test_lists_of_runs_remember_their_filter_in_the_address(at_work, now_office):
    run = run_ahead(now_office, title=f"Timber framing {next(number)}")
    at_work.open(f"/planner?view=open&q={run['title'].replace(' ', '+')}")
    at_work.sees("1 run, by first meeting")
    at_work.sees("6 short of 6")
    assert at_work.axe() == []
    at_work.click("drafts")
    at_work.sees("No run fits.")
    assert "view=drafts" in at_work.driver.current_url


RATES = [
    {"label": name, "amount": fee}
    for name, fee in (("Standard", "240.00"), ("Member", "200.00"), ("Concession", "150.00"))
]


def test_the_front_desks_export_from_sign_in_to_the_roster(browser, password, now_office, at_lists):
    run = run_ahead(now_office, capacity=200, smallest=0, rates=RATES)
    browser.open(f"/runs/{run['id']}/list")
    browser.fill("Email", "coordinator@example.org")
    browser.fill("Password", password)
    browser.click("Sign in")
    browser.sees("Choose a file")
    browser.driver.find_element("id", "list-file").send_keys(str(DATA / "front-desk-export.csv"))
    browser.sees("will enroll (142)")
    browser.click("needs fixing (7)")
    browser.click("Correct line 33")
    browser.fill("Email", "ignacy@example.org")
    assert browser.axe() == []
    browser.click("Check this line again")
    browser.sees("needs fixing (6)")
    browser.click("no email: enroll without email, 1 line")
    browser.sees("needs fixing (5)")
    browser.click("all lines (151)")
    browser.click("Enroll 144 sign-ups, 177 seats, $34,550.00")
    browser.sees("144 sign-ups enrolled. 177 of 200 seats are taken now.", seconds=30)
    browser.click("See the roster")
    browser.sees("177 of 200 seats")
    browser.sees("Vegetarian lunch")
    assert browser.axe() == []
    assert browser.console() == []


def test_a_full_run_its_line_and_a_party(at_work, now_office):
    run = run_ahead(now_office, title=f"Lead roofs {next(number)}", capacity=2, smallest=0)
    held = enrolled(now_office, run)
    enrolled(now_office, run)
    person = a_person(now_office, given="Piotr", family=f"Wexford{next(number)}")
    at_work.open(f"/desk?run={run['id']}")
    at_work.sees("All 2 seats are taken.")
    at_work.fill("Name, email or phone", person["family"])
    at_work.find(f"//*[@role='option'][contains(., '{person['name']}')]").click()
    at_work.click(f"Put {person['name']} in line, number 1")
    at_work.sees(f"{person['name']} waits for {run['title']} as number 1 in line.")
    at_work.click("See the roster")
    at_work.sees("Here the 2 seats end.")
    assert at_work.axe() == []
    at_work.click(f"Open the sign-up of {held['name']}")
    at_work.click("withdraw")
    at_work.click("Withdraw")
    at_work.click(f"Seat {person['name']}")
    at_work.click("Give the seat")
    at_work.sees(f"{person['name']} has seat 2; $105.00 is due now.")
    at_work.click("Undo")
    at_work.sees("Undid: Seated")
    at_work.sees("1 party waiting")

    # A party of two on another run: one payer, the second head named on the roster.
    other = run_ahead(now_office, title=f"Stone sinks {next(number)}")
    at_work.open(f"/desk?run={other['id']}")
    at_work.fill("Name, email or phone", person["family"])
    at_work.find(f"//*[@role='option'][contains(., '{person['name']}')]").click()
    at_work.fill("Heads", "2")
    at_work.sees("$420.00")
    at_work.click(f"Enroll {person['name']}, seats 1 to 2 of 14")
    at_work.click("See the roster")
    at_work.click(f"Name head 2 of {person['name']}")
    at_work.fill("Name of head 2", f"Greta Guest{next(number)}")
    at_work.find("//*[@role='option'][contains(., 'New person')]").click()
    at_work.click("Add this person")
    at_work.sees(f"sits with {person['name']}.")
    assert at_work.axe() == []


def test_a_second_window_sees_the_first_ones_enrollment_by_itself(at_work, now_office, users):
    run = run_ahead(now_office)
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.sees("Nobody is on this roster yet.")
    person = a_person(now_office)
    enrolled(replace(now_office, user=users["administrator"]), run, person)
    at_work.sees(person["name"], seconds=15)  # asked every three seconds
    at_work.sees("1 of 14 seats")


def test_two_people_who_edit_one_run_see_both_versions(at_work, now_office):
    run, yard = run_ahead(now_office), f"North yard {next(number)}"
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.fill("Place", yard)
    change = {"seen": {"place": run["place"]}, "set": {"place": "South yard"}}
    now_office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, change)))
    at_work.click("See what it touches")
    at_work.sees("Somebody else changed this meanwhile.")
    at_work.sees("South yard")
    at_work.click("Use mine")
    at_work.click("Add it")  # nobody has used this place so far
    at_work.click("Save")
    at_work.sees("Change the place: done.")
    assert now_office.read(lambda d: showing.run_view(d, run["id"]))["place"] == yard


def test_anything_is_found_and_done_from_the_keyboard(at_work, now_office):
    person = a_person(now_office, given="Katya", family=f"Sugimoto{next(number)}")
    at_work.open("/planner")
    at_work.sees("Runs")
    at_work.press(Keys.F2)
    at_work.until(lambda: at_work.focused() == "Find or do")
    at_work.press(person["family"])
    at_work.sees(person["email"])
    at_work.press(Keys.ENTER)
    at_work.sees("Nothing on this person")
    assert at_work.axe() == []
    at_work.press(Keys.F2)
    at_work.until(lambda: at_work.focused() == "Find or do")
    at_work.press("night")
    at_work.press(Keys.ENTER)  # faster than the answer: it still picks what was typed
    at_work.until(
        lambda: at_work.driver.execute_script("return document.documentElement.dataset.colors") == "dark"
    )
    assert at_work.axe() == []
    at_work.press(Keys.F1)
    at_work.sees("Keys of this screen")
    at_work.press(Keys.ESCAPE)
    at_work.open("/planner")
    at_work.sees("Runs")
    assert at_work.axe() == []
    at_work.tab_to("Span of the season")
    at_work.press(Keys.ARROW_RIGHT)
    at_work.sees("held between")
    at_work.press(Keys.ESCAPE)
    at_work.open("/people")
    at_work.sees("The beginning of any name will do")
    assert at_work.axe() == []
    at_work.open("/desk")
    at_work.sees("Terms")
    assert at_work.axe() == []


def test_a_form_survives_a_server_that_does_not_answer(at_work, now_office):
    run = a_draft(now_office, title=f"Kept {next(number)}")
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.sees("Seats and gates")
    at_work.driver.set_network_conditions(offline=True, latency=0, throughput=0)
    at_work.fill("Place", "Typed while the server was away")
    at_work.field("Instructor").click()
    at_work.sees("The server does not answer.")
    at_work.driver.delete_network_conditions()
    at_work.driver.refresh()
    assert at_work.field("Place").get_attribute("value") == "Typed while the server was away"
    at_work.field("Place").click()
    at_work.field("Instructor").click()
    at_work.click("Add it")
    at_work.sees("Change the place: done.")


def test_a_full_run_by_keyboard_alone(at_work, now_office):
    run = run_ahead(now_office, title=f"Corbel heads {next(number)}", capacity=1, smallest=0)
    held = enrolled(now_office, run)
    person = a_person(now_office, given="Tamsin", family=f"Birchall{next(number)}")
    at_work.open("/desk")
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(person["family"], Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Course, run or place")
    at_work.press(run["title"], Keys.ENTER)
    at_work.sees(f"Put {person['name']} in line, number 1")
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees(f"{person['name']} waits for {run['title']} as number 1 in line.")
    at_work.tab_to("See the roster")
    at_work.press(Keys.ENTER)
    at_work.sees("1 party waiting")
    at_work.tab_to(f"Open the sign-up of {held['name']}")
    at_work.press(Keys.ENTER)
    at_work.sees("move to another run")
    at_work.tab_to("withdraw")
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Withdraw")
    at_work.press(Keys.ENTER)
    at_work.button(f"Seat {person['name']}")
    at_work.tab_to(f"Seat {person['name']}")
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Give the seat")
    at_work.press(Keys.ENTER)
    at_work.sees(f"{person['name']} has seat 1;")
    assert at_work.console() == []


def test_an_edit_that_is_not_saved_waits_and_the_rest_follows_what_others_do(at_work, now_office):
    run, yard = run_ahead(now_office), f"North yard {next(number)}"
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.fill("Place", yard)
    at_work.sees("Not saved yet: place.")
    at_work.open("/people")
    at_work.sees("The beginning of any name will do")
    change = {"seen": {}, "set": {"instructor": "A. Colleague", "capacity": 20}}
    now_office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, change)))
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.sees("Not saved yet: place.")
    assert at_work.field("Place").get_attribute("value") == yard
    assert at_work.field("Instructor").get_attribute("value") == "A. Colleague"
    assert at_work.field("Seats").get_attribute("value") == "20"
    at_work.click("See what it touches")
    at_work.click("Add it")
    at_work.click("Save")
    at_work.sees("Change the place: done.")
    at_work.click("Undo")
    at_work.sees("Undid: Changed place")
    at_work.until(lambda: at_work.field("Place").get_attribute("value") == run["place"])

"""A season's list in the browser: pasted, decided on, confirmed, stopped, gone on with and taken back, by mouse and by keyboard
alone; groups, and sentences."""

import pytest
from selenium.webdriver.common.keys import Keys

from archgate.actions.kernel.commands import command_of
from archgate.actions.people import people
from archgate.actions.people.commands import TagsCommand
from made import a_person, enrolled, number, roster_of, taken
from screens.ahead import run_ahead

pytestmark = pytest.mark.screens


def paste(browser, text):
    """Put cells into the field as the clipboard would; typing thousands of them is nobody's way."""
    field = browser.field("Cells as copied from a sheet, with or without their headings")
    browser.driver.execute_script(
        "const f = arguments[0]; Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set.call(f, arguments[1]);"
        "f.dispatchEvent(new Event('input', {bubbles: true}))",
        field,
        text,
    )


def test_a_long_list_is_pasted_decided_on_stopped_gone_on_with_and_taken_back(at_work, now_office, at_lists):
    word, run = f"season{number_of()}", run_ahead(now_office, capacity=500, smallest=0)
    known = a_person(now_office, given="Ann", family=f"Berg{word}", email=f"a0.{word}@example.org")
    rows = [f"Annika\tBerg{word}\ta0.{word}@example.org\tEast", f"Bo\tDahl{word}\t\tWest"]
    rows += [f"Cy{n}\tEk{word}\tc{n}.{word}@example.org\t{'East' if n % 2 else 'West'}" for n in range(238)]
    at_work.open(f"/runs/{run['id']}/list")
    at_work.click("pasted cells")
    paste(at_work, "\n".join(["First name\tLast name\tEmail\tGroup", *rows]))
    at_work.click("Read these cells")
    at_work.sees("unsure who (1)")
    at_work.sees("tab between cells, 240 lines")
    assert at_work.axe() == []
    at_work.click("Show the lines with this: same email, other name")
    at_work.sees("it is Ann Berg")
    at_work.click(f"it is {known['name']}")
    at_work.until(lambda: "unsure who" not in at_work.text())
    at_work.click("no email: leave out, 1 line")
    at_work.sees("left out (1)")
    at_work.sees("Told nobody")
    at_work.click("Change: Told")
    at_work.tick("the office")
    at_work.sees("Told the office")
    assert at_work.axe() == []
    at_work.click("Enroll 239 sign-ups, 239 seats, $50,190.00")
    at_work.sees("being enrolled")
    at_work.sees("a second, about", seconds=20)
    at_work.click("Stop here")
    at_work.sees("Stopped by you.")
    done = taken(now_office, run)
    assert 0 < done < 239
    at_work.open("/today")
    at_work.open("/lists")
    at_work.sees("pasted cells")
    at_work.find(f"//tr[contains(., '{run['code']}')]//a[contains(., 'pasted cells')]").click()
    at_work.sees("Go on with")
    at_work.find("//button[starts-with(., 'Go on with')]").click()
    at_work.sees("239 sign-ups enrolled. 239 of 500 seats are taken now.", seconds=30)
    assert taken(now_office, run) == 239
    at_work.fill("Find a line by name", "Cy17 Ek")
    at_work.click("Take back line 21")
    at_work.sees("Taken back. 238 lines still stand.")
    at_work.click("Take the list back")
    at_work.sees("Takes back 238 lines")
    at_work.click("Take it back")
    at_work.sees("Judge this list anew", seconds=40)
    assert taken(now_office, run) == 0 and at_work.axe() == [] and at_work.console() == []


def number_of():
    return next(number)


def test_a_list_by_keyboard_alone(at_work, now_office, at_lists):
    word, run = f"keys{number_of()}", run_ahead(now_office, capacity=300, smallest=0)
    rows = [f"Cy{n}\tEk{word}\tc{n}.{word}@example.org" for n in range(110)]
    at_work.open(f"/runs/{run['id']}/list")
    at_work.sees("Choose a file")
    at_work.tab_to("a file")
    at_work.press(Keys.ARROW_RIGHT)
    at_work.press(Keys.SPACE)
    at_work.tab_to("Cells as copied")
    paste(at_work, "\n".join(["First name\tLast name\tEmail", *rows]))
    at_work.tab_to("Read these cells")
    at_work.press(Keys.ENTER)
    at_work.sees("will enroll (110)")
    at_work.tab_to("More for line 2")
    at_work.press(Keys.ARROW_DOWN)
    at_work.press(Keys.ENTER)
    at_work.sees("will enroll (109)")
    at_work.press(Keys.END)
    at_work.tab_to("Enroll 109 sign-ups", most=400)
    at_work.press(Keys.ENTER)
    at_work.sees("109 sign-ups enrolled.", seconds=30)
    assert taken(now_office, run) == 109


def test_people_who_are_known_are_put_on_a_run_and_into_groups(at_work, now_office):
    past, run, tag = run_ahead(now_office), run_ahead(now_office, capacity=30), f"oak{number_of()}"
    three = [a_person(now_office, family=f"Oak{number_of()}") for _ in range(3)]
    for person in three:
        now_office.act(
            lambda d, p=person: people.tag_person(d, p["id"], command_of(TagsCommand, {"tags": [tag]}))
        )
    enrolled(now_office, past, three[0])
    at_work.open(f"/runs/{run['id']}/list")
    at_work.click("people who are known")
    at_work.find(f"//label[.='With the tag']/..//option[.='{tag}']").click()
    at_work.sees("3 people")
    assert at_work.axe() == []
    at_work.click("Make a list of them")
    at_work.sees("will enroll (3)")
    at_work.click("More for line 3")
    at_work.find("//li[.='leave out']").click()
    at_work.find("//button[starts-with(., 'Enroll 2 sign-ups')]").click()
    at_work.sees("2 sign-ups enrolled.")
    at_work.open(f"/runs/{run['id']}/groups")
    at_work.sees("everybody (2)")
    at_work.tick(f"Choose {three[0]['name']}")
    at_work.fill("Into the group", "Beams")
    at_work.press(Keys.ESCAPE)
    at_work.click("Put them in")
    at_work.sees("Beams (1)")
    at_work.click("Undo")
    at_work.until(lambda: "Beams (1)" not in at_work.text())
    assert at_work.axe() == []


def test_a_sentence_is_written_read_and_does_what_it_says(at_work, chief, now_office, at_lists):
    source = run_ahead(now_office, title=f"Framing {number_of()}")
    target = run_ahead(now_office, title=f"Safety {number_of()}")
    at_work.open("/mark.svg")
    at_work.driver.add_cookie(
        {"name": "archgate_session", "value": chief.cookies["archgate_session"], "path": "/"}
    )
    at_work.open("/sentences")
    at_work.click("Write a sentence")
    for label, run in (("On the run", source), ("Goes on", target)):
        at_work.fill(label, run["title"])
        at_work.find(f"//*[@role='option'][contains(., '{run['code']}')]").click()
    at_work.sees(f"Everyone on {source['title']}")
    at_work.sees("0 people fit this now")
    assert at_work.axe() == []
    at_work.click("Let it hold from now on")
    at_work.sees("nothing so far")
    somebody = enrolled(now_office, source)
    at_work.until(lambda: roster_of(now_office, target), seconds=20)
    assert roster_of(now_office, target)[0]["person_id"] == somebody["person_id"]
    at_work.sees("1 enrolled", seconds=30)
    at_work.open(f"/runs/{target['id']}/roster")
    at_work.click(f"Open the sign-up of {somebody['name']}")
    at_work.sees("Came by a sentence: Everyone on")
    at_work.open("/sentences")
    at_work.click(f"End: Everyone on {source['title']} ({source['code']}) also goes on {target['title']} ({target['code']}), free"
                  " of charge; assistants do not. Who leaves the one stays on the other.")  # fmt: skip
    at_work.click("End it")
    at_work.sees("The sentence is ended")
    assert at_work.console() == []

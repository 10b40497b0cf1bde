"""Teaching, walked: two who teach together, an illness covered, pay asked for, their own page on a phone, what learners say."""

from datetime import date, timedelta

import pytest
from selenium.webdriver.common.keys import Keys
from sqlalchemy import select

from archgate.actions.access import own_pages
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import showing
from archgate.actions.schedule import places
from archgate.actions.teaching import covering, evaluations, instructors, settings
from archgate.actions.teaching.commands import InstructorCommand, QuestionsCommand, RulesCommand
from archgate.core.schedule import day_text
from archgate.tables.teaching import EvaluationAsked
from made import TODAY, a_person, a_run, enrolled, number
from screens.ahead import run_ahead

pytestmark = pytest.mark.screens


def a_teacher(office, **facts):
    n = next(number)
    body = {"name": f"S. Teaches{n}", "email": f"teaches{n}@example.org", "phone": f"555-{n:04}", **facts}
    return office.act(lambda d: instructors.save(d, None, command_of(InstructorCommand, body)))


def who_teach(office, run):
    return [m["instructor"] for m in office.read(lambda d: showing.run_view(d, run["id"]))["dates"]]


def wide(browser):
    return browser.driver.execute_script("return document.documentElement.scrollWidth")


def on_the_phone(browser, office, person_id):
    """Sign somebody in to their own page by the link of an invitation, at the width of a phone."""
    office.act(lambda d: own_pages.invite(d, person_id))
    page = office.read(lambda d: own_pages.page_of(d, person_id))
    browser.resize(390, 844)
    browser.open(f"/own/{signing.token_for('p', page.id, page.turn)}")
    browser.until(lambda: browser.focused() == "Password, at least 10 characters")
    browser.press("chalk and slate", Keys.ENTER)
    browser.sees("your courses")


def test_two_are_assigned_by_keyboard_alone_and_taken_off_again(at_work, now_office):
    run = run_ahead(now_office)
    lead, helper = a_teacher(now_office, pay={"kind": "per_hour", "amount": "40.00"}), a_teacher(now_office)
    at_work.open(f"/runs/{run['id']}/teaching")
    at_work.sees("Nobody teaches this run yet.")
    at_work.tab_to("Find somebody", 200)
    at_work.press(Keys.ENTER)
    at_work.sees("For 8 coming meetings.")
    at_work.tab_to("Find by name", 200)
    at_work.press(lead["name"])
    at_work.tab_to(f"Choose {lead['name']}")
    at_work.press(Keys.ENTER)
    at_work.tab_to("Find by name", 200)
    at_work.press(Keys.CONTROL, "a")
    at_work.press(helper["name"])
    at_work.tab_to(f"Choose {helper['name']}")
    at_work.press(Keys.ENTER)
    at_work.tab_to(f"Part of {helper['name']}", 200)
    at_work.press("a")
    assert at_work.axe() == []
    at_work.tab_to("See what it touches")
    at_work.press(Keys.ENTER)
    both = f"{lead['name']}; {helper['name']} (assistant)"
    at_work.until(lambda: at_work.focused() == "Save")
    assert who_teach(now_office, run) == [None] * 8, "nothing is saved yet"
    at_work.press(Keys.ENTER)
    at_work.sees("done.")
    assert who_teach(now_office, run) == [both] * 8
    at_work.sees(both)
    at_work.sees("pay to be agreed")  # the assistant's
    at_work.sees("$560.00")  # eight meetings of 1.75 hours at 40.00
    assert at_work.axe() == []
    at_work.tab_to("Undo", 400)
    at_work.press(Keys.ENTER)
    at_work.sees("Nobody teaches this run yet.")
    assert who_teach(now_office, run) == [None] * 8


def test_somebody_ill_is_covered_by_call_and_by_proposal_and_it_is_taken_back(at_work, now_office, sessions):
    ill = a_teacher(now_office)
    run = run_ahead(now_office, instructor=ill["name"])
    can = [{"course_id": run["course"]["id"]}]
    sub = a_teacher(now_office, qualifications=can, pay={"kind": "per_hour", "amount": "30.00"})
    first = date.fromisoformat(run["first"])
    span = f"from={first}&through={first + timedelta(days=14)}"
    at_work.open(f"/teaching/cover?who={ill['id']}&{span}")
    at_work.sees(f"3 meetings of {ill['name']} would have nobody.")
    assert at_work.axe() == []
    at_work.click("Whom to call")
    at_work.sees(sub["phone"])
    at_work.click(f"{sub['name']} was asked")
    at_work.sees(f"{sub['phone']} asked")
    at_work.click(f"{sub['name']} accepted")
    at_work.sees(f"{sub['name']} takes it.")
    at_work.sees(f"2 meetings of {ill['name']} would have nobody.")
    at_work.click("Write the absence down and propose cover")
    at_work.sees("A proposal is being worked out.")
    with sessions() as s:
        plan = s.scalar(select(covering.CoverPlan.id).where(covering.CoverPlan.instructor_id == ill["id"]))
    covering.work_out(sessions, plan)
    at_work.sees("2 of 2 meetings are covered, at 105.00 USD")
    at_work.sees("the only one who can.")
    assert at_work.axe() == []
    busy = now_office.read(lambda d: places.list_busy(d, "instructor", ill["id"]))
    assert [b["label"] for b in busy] == ["ill"]
    at_work.tick(f"Take {sub['name']}, {day_text(first + timedelta(days=7))}")
    at_work.click("Take 1 of 2")
    at_work.sees("1 meeting covered.")
    step_in = f"{sub['name']} (substitute)"
    assert who_teach(now_office, run)[:4] == [step_in, ill["name"], step_in, ill["name"]]
    at_work.click("Undo")
    at_work.sees("Undid: ")
    assert who_teach(now_office, run)[:4] == [step_in, ill["name"], ill["name"], ill["name"]]


def test_a_new_instructor_is_added_paid_and_asked_for_with_what_is_wrong_said_at_its_field(
    at_work, now_office
):
    n = next(number)
    at_work.open("/teaching")
    at_work.click("Add an instructor")
    at_work.fill("Name on schedules", f"N. Newly{n}; B")
    at_work.click("Save")
    at_work.sees("semicolon")
    at_work.fill("Name on schedules", f"N. Newly{n}")
    at_work.fill("Most hours a week", "-3")
    at_work.click("Save")
    at_work.sees("hours a week")
    at_work.fill("Most hours a week", "20")
    assert at_work.axe() == []
    at_work.click("Save")
    at_work.find(f"//h1[contains(., 'N. Newly{n}')]")
    assert at_work.axe() == []
    earlier = now_office.later(days=-30)
    first = (TODAY - timedelta(days=21)).isoformat()
    run = a_run(earlier, instructor=f"N. Newly{n}", pattern={
        "first": first, "start": "10:00", "minutes": 60, "weekdays": None, "count": 2})  # fmt: skip
    at_work.open(f"/runs/{run['id']}/teaching")
    at_work.sees("pay to be agreed")
    at_work.click(f"Agree on the pay of N. Newly{n}")
    at_work.field(f"Pay of N. Newly{n}").send_keys("per meeting")
    at_work.fill("Amount", "75")
    at_work.press(Keys.ENTER)
    at_work.sees("$150.00")
    at_work.click("Pay request for this run")
    at_work.click("Make it, $150.00")
    at_work.sees("over $150.00 is made.")
    at_work.sees("$150.00 asked for so far")
    assert at_work.axe() == []
    for path in ("/teaching/pay", "/teaching/applications", "/teaching/rules"):
        at_work.open(path)
        at_work.find("//h1")
        assert at_work.axe() == [], path


def test_their_own_page_on_a_phone_marks_attendance_by_one_key_and_says_when_they_are_away(
    at_work, now_office
):
    teacher = a_teacher(now_office, pay={"kind": "per_hour", "amount": "30.00"})
    earlier = now_office.later(days=-20)
    first = (TODAY - timedelta(days=7)).isoformat()
    run = a_run(earlier, instructor=teacher["name"], pattern={
        "first": first, "start": "17:30", "minutes": 60, "weekdays": None, "count": 20})  # fmt: skip
    people = [a_person(earlier, family=f"Onroster{c}{next(number)}") for c in "AB"]
    for p in people:
        enrolled(earlier, run, p)
    on_the_phone(at_work, now_office, teacher["person_id"])
    at_work.open("/own/teaching")
    at_work.sees("Next meetings")
    at_work.sees(run["course"]["title"])
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.click("2 learners")
    at_work.tab_to(f"Mark {people[0]['name']}", 60)
    at_work.press("l")
    at_work.sees("Saved.")
    at_work.until(lambda: at_work.focused() == f"Mark {people[1]['name']}")
    at_work.press("a")
    pressed = "//button[@aria-pressed='true' and contains(., '{}')]"
    at_work.find(pressed.format("late"))
    at_work.find(pressed.format("absent"))
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.click("Time")
    at_work.fill("Away from", (TODAY + timedelta(days=9)).isoformat())
    at_work.fill("through", (TODAY + timedelta(days=8)).isoformat())
    at_work.click("Say that you are away")
    at_work.sees("before")
    at_work.fill("through", (TODAY + timedelta(days=10)).isoformat())
    at_work.click("Say that you are away")
    at_work.sees("take out")
    assert at_work.axe() == [] and wide(at_work) <= 390
    for part in ("Pay", "Learners say"):
        at_work.click(part)
        assert at_work.axe() == [] and wide(at_work) <= 390


def test_a_learner_answers_on_the_phone_and_somebody_applies_to_teach(at_work, now_office):
    teacher = a_teacher(now_office)
    earlier = now_office.later(days=-30)
    first = (TODAY - timedelta(days=10)).isoformat()
    run = a_run(earlier, instructor=teacher["name"], pattern={
        "first": first, "start": "10:00", "minutes": 60, "weekdays": None, "count": 1})  # fmt: skip
    enrolled(earlier, run)
    form = {"questions": [{"text": "Was it clear?", "kind": "mark"}, {"text": "What else?", "kind": "words"}]}
    now_office.act(lambda d: evaluations.set_questions(d, command_of(QuestionsCommand, form)))
    now_office.act(lambda d: settings.change(d, RulesCommand(applications_open=True)))
    assert now_office.act(lambda d: evaluations.ask(d, run["id"])) == 1
    asked = now_office.read(
        lambda d: d.session.scalar(select(EvaluationAsked.id).where(EvaluationAsked.run_id == run["id"]))
    )
    at_work.resize(390, 844)
    at_work.open(f"/evaluate/{signing.token_for('e', asked, 1)}")
    at_work.sees(f"How was {run['course']['title']}?")
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.click("Send")
    at_work.find("//*[@role='alert']")
    at_work.click("4")
    at_work.click("Send")
    at_work.sees("have arrived")
    told = now_office.read(lambda d: evaluations.evaluations_of(d, teacher["id"]))
    assert told["marks"]["count"] == 1
    n = next(number)
    at_work.open("/apply")
    at_work.find("//h1")
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.fill("Given name", "Ada")
    at_work.fill("Family name", f"Applies{n}")
    at_work.fill("Email", f"applies{n}@example.org")
    at_work.click("Apply")
    at_work.sees("Thank you: your application has arrived.")
    at_work.resize(1280, 800)
    at_work.open("/teaching/applications")
    at_work.sees(f"Ada Applies{n}")
    assert at_work.axe() == []


def test_an_instructor_prepares_on_the_phone_by_keyboard_and_the_office_returns_and_publishes(
    at_work, now_office
):
    title = f"Hewn steps {next(number)}"
    teacher = a_teacher(now_office, employment="outside")
    on_the_phone(at_work, now_office, teacher["person_id"])
    at_work.open("/own/teaching?at=courses")
    at_work.sees("You have no course here yet")
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.tab_to("What it is called", 40)
    at_work.press(title, Keys.ENTER)
    at_work.sees("Nobody but the office sees this yet.")
    at_work.tab_to("Summary", 40)
    at_work.press("Cut steps from rough stone.", Keys.TAB)
    at_work.sees("Changed: summary")
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.click("Prepare a run")
    at_work.tab_to("First date", 60)
    at_work.press("9 Mar 2028", Keys.TAB)
    at_work.tab_to("Prepare it", 40)
    at_work.press(Keys.ENTER)
    at_work.sees("price to be said by the office")
    at_work.tab_to("6 dates", 60)
    at_work.press(Keys.ENTER)
    at_work.tab_to("leave out", 40)
    at_work.press(Keys.ENTER)
    at_work.sees("5 dates")
    at_work.tab_to("move", 40)
    at_work.press(Keys.ENTER)
    at_work.fill("Start", "10:00 AM")
    at_work.press(Keys.ENTER)
    at_work.sees(", 10:00")
    assert at_work.axe() == [] and wide(at_work) <= 390
    at_work.fill("A word to the office", "For the spring")
    at_work.driver.refresh()
    assert at_work.field("A word to the office").get_attribute("value") == "For the spring"
    at_work.click("Hand it to the office")
    at_work.sees("It is with the office")
    assert at_work.axe() == []

    at_work.resize(1280, 800)
    at_work.open("/today")
    at_work.sees("Handed in by instructors")
    at_work.click(title)
    at_work.sees("“For the spring”")
    at_work.sees("What still keeps it from being published: The price is still to be said")
    assert at_work.axe() == []
    at_work.click("Return it with a word")
    at_work.press("Say what to wear.", Keys.TAB)
    at_work.click("Return it")
    at_work.sees("It is returned, and they are written to.")

    at_work.open("/own/teaching?at=courses")
    at_work.sees("Say what to wear.")
    at_work.click("Go on")
    at_work.fill("What one needs", "**Boots.**")
    at_work.press(Keys.TAB)
    at_work.press(Keys.ENTER)
    at_work.find("//strong[.='Boots.']")
    at_work.sees("Changed: summary, requirements")
    at_work.find("//button[starts-with(., 'change')]").click()
    at_work.click("put this run away")
    at_work.sees("No run is prepared with it.")
    at_work.click("Hand it to the office")
    at_work.sees("It is with the office")
    at_work.open("/teaching/preparing")
    at_work.click(title)
    at_work.sees("handed this course in")
    at_work.click("Publish it")
    at_work.sees("It is public, with its runs.")
    at_work.open("/own/teaching?at=courses")
    at_work.sees("public")
    assert at_work.console() == []

"""The schedule, walked: a season pasted, a run moved by keys, a meeting dragged, a cancelled morning, every new page."""

from datetime import date, timedelta

import pytest
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from archgate.actions.fees import course_defaults
from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import showing
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import PlaceCommand
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import InstructorCommand
from archgate.core.schedule import day_text
from made import TODAY, a_draft, a_person, a_run, enrolled, number
from screens.ahead import next_tuesday, run_ahead, shown_day

pytestmark = pytest.mark.screens
PASTE = (
    "const cell = document.querySelector('[data-cell=\"0.0\"]'), data = new DataTransfer();"
    "data.setData('text', arguments[0]);"
    "cell.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))"
)


def view(office, run):
    return office.read(lambda d: showing.run_view(d, run["id"]))


def test_a_season_is_pasted_mended_and_saved_in_one_go(at_work, now_office):
    run = a_draft(now_office)
    now_office.act(lambda d: course_defaults.keep_defaults(d, run["id"], ["capacity", "rates", "plans"]))
    code, room, first = run["course"]["code"], f"Season room {next(number)}", next_tuesday()
    at_work.open("/season")
    at_work.field("Course, row 1")
    sheet = (
        "Course\tFirst date\tOn\tMeetings\tStart\tLength\tRoom\n"
        f"{code}\t{first:%d %b %Y}\tTue\t3\t5:30 pm\t2:30\t{room}\n"
        f"{code}\tsoon\tTue\t3\t6pm\t2\t{room}\n"
    )
    at_work.driver.execute_script(PASTE, sheet)
    at_work.sees("1 cell to mend")
    at_work.fill("First date, row 2", first.isoformat())
    at_work.sees("2 runs with clashes")
    at_work.sees(f"{room} would hold row 1 and row 2 at once")
    at_work.field("Course, row 1").click()
    at_work.sees(day_text(first))
    assert at_work.axe() == []
    at_work.click("Save all as drafts")
    at_work.sees(f"the place “{room}”")
    assert at_work.axe() == []
    at_work.click("Add it")
    at_work.sees("2 runs saved as drafts")
    at_work.click("Undo")
    at_work.sees("Undid: Planned 2 runs as drafts")


def bar_of(at_work, run):
    """The bar of a run on the time line, which draws only the lanes in sight: it is scrolled to."""
    bar = f"//*[name()='g' and starts-with(@aria-label, '{run['code']} ')]"
    at_work.until(lambda: at_work.driver.find_elements(By.CSS_SELECTOR, ".timeline .lane"))

    def come_to():
        at_work.driver.execute_script(
            "const box = document.querySelector('.timeline .scroll');"
            " box.scrollTop = box.scrollTop + 400 < box.scrollHeight - box.clientHeight + 400 ? box.scrollTop + 400 : 0"
        )
        return at_work.driver.find_elements(By.XPATH, bar)

    if not at_work.driver.find_elements(By.XPATH, bar):
        at_work.until(come_to)
    return at_work.find(bar)


def test_a_run_is_moved_on_the_time_line_by_keyboard_alone_and_taken_back(at_work, now_office):
    run = run_ahead(now_office, title=f"Timeline {next(number)}")
    enrolled(now_office, run)
    first = date.fromisoformat(run["first"])
    at_work.open(f"/planner/line?from={first - timedelta(days=21)}&zoom=month")
    bar_of(at_work, run)
    assert at_work.axe() == []
    at_work.tab_to(run["code"], 400)
    at_work.press(Keys.ARROW_RIGHT)
    at_work.press(Keys.SHIFT, Keys.ARROW_RIGHT)
    at_work.sees(f"would begin on {day_text(first + timedelta(days=8))}")
    at_work.press(Keys.ENTER)
    at_work.sees("1 person is told")
    at_work.until(lambda: at_work.focused() == "Move it")
    assert view(now_office, run)["first"] == run["first"]  # nothing is saved yet
    at_work.press(Keys.ENTER)
    at_work.sees("done.")
    assert view(now_office, run)["first"] == (first + timedelta(days=8)).isoformat()
    at_work.tab_to("Undo", 400)
    at_work.press(Keys.ENTER)
    at_work.sees("Undid: Moved")
    assert view(now_office, run)["first"] == run["first"]


def test_a_bar_is_dragged_and_a_new_run_is_drawn_with_the_mouse(at_work, now_office):
    run = a_draft(now_office, pattern={
        "first": next_tuesday(9).isoformat(), "start": "10:00", "minutes": 60, "count": 2})  # fmt: skip
    first = date.fromisoformat(run["first"])
    at_work.open(f"/planner/line?from={first - timedelta(days=14)}&zoom=month&by=course")
    bar = bar_of(at_work, run)
    at_work.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", bar)
    lane = bar.find_element(By.XPATH, "ancestor::*[name()='svg']")
    per_day = lane.rect["width"] / 35
    left = lane.rect["x"] + 14 * per_day
    drag = ActionChains(at_work.driver, duration=40)
    drag.w3c_actions.pointer_action.move_to_location(
        int(left + per_day / 2), int(lane.rect["y"] - at_work.driver.execute_script("return scrollY") + 14)
    )
    drag.click_and_hold().move_by_offset(int(per_day), 0).move_by_offset(int(per_day), 0).release().perform()
    at_work.sees("2 days later")
    at_work.sees("done.")  # a draft moves at once
    at_work.until(lambda: view(now_office, run)["first"] == (first + timedelta(days=2)).isoformat())
    ActionChains(at_work.driver).reset_actions()
    lane = bar_of(at_work, run).find_element(By.XPATH, "ancestor::*[name()='svg']")
    draw = ActionChains(at_work.driver, duration=40)
    x, y = (
        lane.rect["x"] + 3.4 * per_day,
        lane.rect["y"] - at_work.driver.execute_script("return scrollY") + 12,
    )
    draw.w3c_actions.pointer_action.move_to_location(int(x), int(y))
    draw.click_and_hold().move_by_offset(int(per_day), 0).move_by_offset(int(per_day), 0).release().perform()
    at_work.sees("New run")
    wanted = shown_day(first - timedelta(days=11))
    at_work.until(lambda: at_work.field("First date").get_attribute("value") == wanted)


def test_a_meeting_is_moved_between_days_and_rooms_in_the_week(at_work, now_office):
    n = next(number)
    room, other = f"A week room {n}", f"B week room {n}"
    for name in (room, other):
        now_office.act(
            lambda d, name=name: places.save_place(d, None, command_of(PlaceCommand, {"name": name}))
        )
    run = run_ahead(now_office, place=room)
    day = date.fromisoformat(run["first"])
    at_work.open(f"/planner/week?week={day}")
    label = f"17:30:00 to 19:15 {run['code']}"
    entry = at_work.find(f"//button[contains(@aria-label, '{run['code']} ')]")
    assert at_work.axe() == []
    cell = at_work.find(f"//tr[th[starts-with(., '{other}')]]/td[@data-day='{day + timedelta(days=2)}']")
    at_work.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", entry)
    ActionChains(at_work.driver, duration=60).click_and_hold(entry).move_by_offset(10, 4).move_to_element(
        cell
    ).release().perform()
    at_work.sees(f"Move a meeting of {run['code']} to {day_text(day + timedelta(days=2))}, {other}?")
    at_work.click("Move it")
    at_work.sees("done.")
    moved = view(now_office, run)["dates"]
    assert next(m for m in moved if m["room"] == other)["date"] == (day + timedelta(days=2)).isoformat(), (
        label
    )
    # and back by keys
    entry = at_work.find(f"//button[contains(@aria-label, '{run['code']} ')]")
    entry.send_keys(Keys.ARROW_LEFT)
    at_work.sees(f"To {day_text(day + timedelta(days=1))}")
    at_work.press(Keys.ARROW_LEFT)  # the focus went along
    at_work.sees(f"To {day_text(day)}")
    at_work.find(f"//button[contains(@aria-label, '{run['code']} ')]").send_keys(Keys.ESCAPE)
    at_work.until(lambda: f"To {day_text(day)}" not in at_work.text())


def test_a_meeting_cancelled_this_morning_leads_to_the_call_list(at_work, now_office):
    earlier = now_office.later(days=-20)
    today = TODAY
    teacher = f"C. Calls{next(number)}"
    run = a_run(earlier, instructor=teacher, rates=[{"amount": "240.00"}], pattern={
        "first": today.isoformat(), "start": "23:00", "minutes": 50, "weekdays": None, "count": 3})  # fmt: skip
    person = a_person(earlier, phone="555-0142")
    enrolled(earlier, run, person)
    at_work.open(f"/runs/{run['id']}/dates")
    at_work.click("Change meeting 1")
    at_work.click("Cancel the meeting")
    at_work.fill("Why", "The instructor is ill")
    at_work.until(lambda: len(at_work.field("Held instead").find_elements(By.TAG_NAME, "option")) > 3)
    at_work.field("Held instead").find_elements(By.TAG_NAME, "option")[1].click()
    at_work.click("See what it touches")
    at_work.sees("not held")
    at_work.sees("1 person is told")
    at_work.click("Cancel the meeting")
    at_work.sees("1 person still to call")
    at_work.sees("555-0142")
    assert at_work.axe() == []
    at_work.click("reached")
    at_work.sees("Everybody is called")
    at_work.fill(f"What {person['name']} said", "comes next week")
    at_work.press(Keys.TAB)
    at_work.find("//div[@aria-label='Is the teaching still paid?']/button[. = 'yes']").click()
    at_work.until(
        lambda: (
            at_work.find("//div[@aria-label='Is the teaching still paid?']/button[. = 'yes']").get_attribute(
                "aria-pressed"
            )
            == "true"
        )
    )
    at_work.open("/outbox")
    at_work.sees("new dates")
    assert at_work.axe() == []


def test_a_clash_is_seen_while_typing_accepted_and_said_in_one_place(at_work, now_office):
    room = f"Clash room {next(number)}"
    first = TODAY + timedelta(
        days=11
    )  # a Tuesday before all that other tests plan: the soonest clashes are listed
    a_draft(
        now_office,
        place=room,
        pattern={"first": first.isoformat(), "start": "17:30", "minutes": 60, "count": 1},
    )
    at_work.open("/runs/new")
    at_work.fill("Title of the new course", f"Clashing {next(number)}")
    at_work.fill("Place", room)
    at_work.fill("First date", first.isoformat())
    at_work.fill("Starts at", "17:45")
    at_work.fill("Meetings", "2")
    at_work.sees("1 clash")
    at_work.sees(f"{room} would hold")
    at_work.click("months")
    at_work.click(f"A one-off meeting on {day_text(first + timedelta(days=1))}")
    at_work.fill("Starts at, one-off meeting 1", "10:00")  # it takes no time by itself
    at_work.fill("Minutes, one-off meeting 1", "60")
    at_work.sees("3 meetings")
    assert at_work.axe() == []
    at_work.fill("Seats", "9")
    at_work.fill("Fee in USD", "90")
    at_work.click("Save as a draft")
    at_work.sees("A draft")
    at_work.open("/clashes")
    at_work.sees(room)
    assert at_work.axe() == []
    row = f"//li[contains(., '{room}')]"
    at_work.find(f"{row}//button[starts-with(@aria-label, 'accept')]").click()
    at_work.press("Both fit")
    at_work.press(Keys.ENTER)
    at_work.until(lambda: room not in at_work.text())
    at_work.click("accepted")
    at_work.sees("Accepted: Both fit")


def test_a_run_is_copied_decided_and_cancelled_with_everything_shown_first(at_work, now_office):
    run = run_ahead(now_office)
    enrolled(now_office, run)
    first = date.fromisoformat(run["first"])
    at_work.open(f"/copy?run={run['id']}")
    at_work.fill("New first date", (first + timedelta(days=365)).isoformat())
    at_work.sees("Left behind: the roster, 1 seats.")
    assert at_work.axe() == []
    at_work.click("Copy as drafts")
    at_work.sees("1 run copied as drafts")
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.click("Goes ahead")
    at_work.sees("1 person is told")
    at_work.click("Save")
    at_work.sees("Going ahead")
    at_work.click("Change the gates")
    at_work.click("Another sign-up window")
    assert at_work.axe() == []
    at_work.click("Cancel the run")
    at_work.fill("Why it is cancelled; people are told", "Too few")
    at_work.find("//form[.//label[starts-with(., 'Why it is cancelled')]]//button[@type='submit']").click()
    at_work.sees("Charges taken back")
    at_work.find("//*[@role='alertdialog']//button[. = 'Cancel the run']").click()
    at_work.sees("The run is cancelled.")
    at_work.click("Undo")
    at_work.sees("Undid: Cancelled")
    assert view(now_office, run)["taken"] == 1


def test_places_absences_closed_days_and_the_sheets(at_work, now_office):
    n = next(number)
    at_work.open("/places")
    at_work.click("Add a place")
    at_work.fill("Name of the place", f"Yard {n}")
    at_work.fill("Seats", "many")
    at_work.click("Save")
    at_work.sees("The seats must be a whole number.")
    at_work.fill("Seats", "12")
    at_work.click("Save")
    at_work.sees(f"Yard {n} is saved.")
    assert at_work.axe() == []
    made = now_office.act(
        lambda d: instructors.save(d, None, command_of(InstructorCommand, {"name": f"P. Person{n}"}))
    )
    at_work.open(f"/teaching/{made['id']}")
    at_work.fill("Away from", (TODAY + timedelta(days=3)).isoformat())
    at_work.fill("through", (TODAY + timedelta(days=5)).isoformat())
    at_work.fill("Why", "ill")
    at_work.click("Add")
    at_work.sees("through")
    at_work.click("Calendar address to subscribe to")
    at_work.sees("Whoever knows it can read this calendar.")
    assert at_work.axe() == []
    year = TODAY.year + 3
    at_work.open(f"/places?tab=days&year={year}")
    at_work.fill("Close from", f"{year}-05-03")
    at_work.fill("What it is", "Quarry fair")
    at_work.click("Close these days")
    at_work.sees("Quarry fair")
    assert at_work.axe() == []
    at_work.click(f"open it: {day_text(date(year, 5, 3))}")
    at_work.until(lambda: "Quarry fair" not in at_work.text())
    for path in ("/today", f"/days/{TODAY}", "/planner/month"):
        at_work.open(path)
        at_work.find("//h1")
        assert at_work.axe() == [], path
    at_work.open("/today")
    at_work.click("A new reminder")
    at_work.fill("What to think of", f"Order lime {n}")
    at_work.click("Remind")
    at_work.sees(f"Order lime {n}")
    at_work.find(f"//button[@aria-label='done: Order lime {n}']").click()
    at_work.until(lambda: at_work.find(f"//p[contains(., 'Order lime {n}')]//button[. = 'undo']"))
    assert at_work.console() == []

"""The desk and the roster in full, walked as a person walks them: notice, parked call, offer and reply, attendance, merge."""

from datetime import timedelta

import pytest
from selenium.webdriver.common.keys import Keys

from archgate.actions.access import own_pages
from archgate.actions.enrolling import freed, interest, offers, parked, waitlist
from archgate.actions.enrolling.commands import InterestCommand, JoinCommand, QuestionsCommand
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.runs import notices, showing
from made import a_person, enrolled, number, roster_of
from screens.ahead import run_ahead

pytestmark = pytest.mark.screens


def test_a_call_with_a_notice_is_parked_taken_up_and_goes_on_for_a_second_person(at_work, now_office):
    run = run_ahead(now_office)
    now_office.act(lambda d: notices.set_notice(d, run["id"], "Ask about stairs."))
    before = len(now_office.read(parked.listed))
    parent, child = (a_person(now_office, family=f"Caller{next(number)}") for _ in range(2))
    at_work.open(f"/desk?run={run['id']}")
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(parent["family"], Keys.ENTER)
    at_work.sees("Notice: Ask about stairs.")
    at_work.sees("Quote for " + parent["name"])
    at_work.press(Keys.F8)
    at_work.sees(f"Parked: {parent['name']}")
    at_work.sees(f"{before + 1} parked")
    assert at_work.axe() == []
    at_work.find(f"//section[@aria-label='Parked calls']//button[contains(., '{parent['name']}')]").click()
    at_work.sees("Quote for " + parent["name"])
    at_work.press(Keys.CONTROL, Keys.ENTER)
    assert roster_of(now_office, run) == []  # the notice has to be read first
    at_work.click("I have read it")
    at_work.until(lambda: not at_work.driver.find_elements("xpath", "//button[.='I have read it']"))
    at_work.until(
        lambda: at_work.driver.find_elements(
            "xpath", "//button[starts-with(., 'Enroll ') and not(@disabled)]"
        )
    )
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees("This call so far")
    at_work.find(f"//button[contains(., 'somebody else on {run['title']}')]").click()
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(child["family"], Keys.ENTER)
    payer = f"{parent['name']}, of this call"
    at_work.until(lambda: at_work.field("Pays").get_attribute("value") == payer)
    at_work.until(
        lambda: at_work.driver.find_elements(
            "xpath", "//button[starts-with(., 'Enroll ') and not(@disabled)]"
        )
    )
    at_work.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees("$210.00 due now")
    assert [r["name"] for r in roster_of(now_office, run)] == [parent["name"], child["name"]]
    own = now_office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": parent["id"], "organization_id": None})
        )
    )["id"]
    now_office.act(
        lambda d: accounts.take_payment(
            d, own, command_of(PaymentCommand, {"amount": "60.00", "method": "cash"})
        )
    )
    at_work.open("/desk")
    at_work.sees("$150.00 due now")  # what was paid meanwhile is counted
    at_work.click("new call")
    at_work.until(lambda: "This call so far" not in at_work.text())
    assert at_work.axe() == [] and at_work.console() == []


def test_an_offer_is_taken_on_a_phone_and_the_roster_shows_it(at_work, now_office):
    run = run_ahead(now_office, capacity=1, smallest=0)
    held, waits = enrolled(now_office, run), a_person(now_office, family=f"Hopes{next(number)}")
    row = now_office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"]}))
    )
    now_office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    now_office.act(lambda d: offers.go_down(d, run["id"]))
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.sees("has an offer until")
    assert at_work.axe() == []
    at_work.resize(390, 844)
    at_work.open(f"/reply/{signing.token_for('o', row['waiting_id'], 1)}")
    at_work.sees("is yours until")
    wide = at_work.driver.execute_script("return document.documentElement.scrollWidth")
    assert at_work.axe() == [] and wide <= 390
    at_work.click("Decline")
    at_work.click("Keep it")
    at_work.click("Take the seat for $210.00")
    at_work.sees("You have taken it.")
    soon = (now_office.at + timedelta(days=2)).date().isoformat()
    later, keen = run_ahead(now_office, sign_up_opens=soon), a_person(now_office)
    listed = {"run_id": later["id"], "person_id": keen["id"]}
    name = now_office.act(lambda d: interest.show_interest(d, command_of(InterestCommand, listed)))
    now_office.act(
        lambda d: interest.set_questions(
            d, later["id"], None, command_of(QuestionsCommand, {"head_start_hours": 72})
        )
    )
    now_office.act(lambda d: interest.tell(d, later["id"]))
    at_work.open(f"/reply/{signing.token_for('i', name['id'], 1)}")
    at_work.sees("sign-up is open to you")
    assert at_work.axe() == []
    at_work.click("Take the seat for $210.00")
    at_work.sees("You have signed up.")
    at_work.open("/reply/o1.1.forged")
    at_work.sees("This link leads nowhere")
    assert [r["name"] for r in roster_of(now_office, run)] == [waits["name"]]


def test_attendance_takes_one_key_a_person_and_those_chosen_are_written_to(at_work, now_office):
    run = run_ahead(now_office)
    people = [a_person(now_office, family=f"Aa{next(number)}") for _ in range(3)]
    for somebody in people:
        enrolled(now_office, run, somebody)
    at_work.open(f"/runs/{run['id']}/attendance")
    at_work.sees("0 of 3 people marked")
    at_work.tab_to(people[0]["name"] + ": not marked")
    at_work.press("p")
    at_work.sees("is still ahead.")
    at_work.until(lambda: at_work.focused() == "Mark it all the same")
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == people[1]["name"] + ": not marked")
    at_work.press("l", "a")
    at_work.sees("3 of 3 people marked")
    at_work.sees("100 % attended")
    at_work.sees("0 % attended")
    at_work.press(Keys.BACKSPACE)
    at_work.sees("2 of 3 people marked")
    assert at_work.axe() == []
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.tick(f"Choose {people[0]['name']}")
    at_work.tick(f"Choose {people[1]['name']}")
    at_work.sees("2 sign-ups chosen")
    at_work.click("put them in a group")
    at_work.fill("Group, new or there", "East end")
    at_work.click("Put them in")
    at_work.sees("2 people are in the group East end.")
    at_work.tick("Choose all 3 shown")
    at_work.click("write to them")
    at_work.fill("Subject", "Boots")
    at_work.fill("Message", "Bring some.")
    at_work.click("Send")
    at_work.sees("Goes to 3 people in a minute.")
    at_work.click("more filters, columns")
    at_work.fill("Name, email, phone or payer", people[2]["family"])
    at_work.sees("1 of 3 sign-ups")
    assert at_work.axe() == [] and at_work.console() == []


def test_two_records_are_merged_after_a_look_at_what_moves(at_work, now_office):
    kept, gone = (a_person(now_office, family=f"Twin{next(number)}") for _ in range(2))
    enrolled(now_office, run_ahead(now_office), gone)
    at_work.open(f"/people/{kept['id']}")
    at_work.click("merge another record into this one")
    at_work.fill("The other record", gone["family"])
    at_work.sees(gone["email"])
    at_work.press(Keys.ENTER)
    at_work.sees("sign-ups: 1; accounts: 1")
    assert at_work.axe() == []
    at_work.click("Make them one")
    at_work.sees(f"Both records of {kept['name']} are one.")
    at_work.click("Undo")
    at_work.sees("Undid:")
    assert at_work.axe() == [] and at_work.console() == []


def test_an_interest_list_is_kept_and_demand_leads_to_a_new_run(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Keen{next(number)}")
    course = run["course"]["id"]
    at_work.open(f"/interest?course={course}")
    at_work.sees("This is not an enrollment")
    at_work.fill("Own questions, one a line", "Which evening?")
    at_work.click("Save")
    at_work.fill("Which evening?", "Tuesday")
    at_work.fill("Who wants to hear of it", somebody["family"])
    at_work.sees(somebody["email"])
    at_work.press(Keys.ENTER)
    at_work.sees(f"{somebody['name']} is on the list.")
    assert at_work.axe() == []
    at_work.open("/demand")
    at_work.sees(run["title"])
    assert at_work.axe() == [] and at_work.console() == []


def test_several_are_moved_and_withdrawn_by_keyboard_with_their_money_shown_first(at_work, now_office):
    run, there = run_ahead(now_office), run_ahead(now_office)
    people = [a_person(now_office, family=f"Many{next(number)}") for _ in range(3)]
    for somebody in people:
        enrolled(now_office, run, somebody)
    at_work.open(f"/runs/{run['id']}/roster")
    for somebody in people[:2]:
        at_work.tab_to(f"Choose {somebody['name']}", 90)
        at_work.press(Keys.SPACE)
    at_work.sees("2 sign-ups chosen")
    at_work.tab_to("move them to another run", 90)
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "The other run")
    at_work.press(there["code"])
    at_work.sees(there["title"])
    at_work.press(Keys.ENTER)
    at_work.sees(f"2 sign-ups move to {there['title']}")
    at_work.until(lambda: at_work.focused() == "Move them")
    assert at_work.axe() == []
    assert len(roster_of(now_office, run)) == 3  # shown, not done
    at_work.press(Keys.ENTER)
    at_work.sees(f"2 sign-ups moved to {there['code']}.")
    assert [r["name"] for r in roster_of(now_office, there)] == [p["name"] for p in people[:2]]
    at_work.tab_to("Undo", 90)
    at_work.press(Keys.ENTER)
    at_work.sees("Undid: Moved 2")
    assert len(roster_of(now_office, run)) == 3 and roster_of(now_office, there) == []
    at_work.tab_to("Choose all 3 shown", 90)
    at_work.press(Keys.SPACE)
    at_work.tab_to("withdraw them", 90)
    at_work.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Why, for the log; may stay empty")
    at_work.sees("3 sign-ups give their seats back")
    at_work.sees("Stays owed")
    at_work.press("The client called it off", Keys.ENTER)
    at_work.sees("3 sign-ups withdrawn.")
    assert roster_of(now_office, run) == []
    at_work.open(f"/people/{people[0]['id']}")
    at_work.sees("2 sign-ups that ended")  # moved there and taken back, then withdrawn
    assert at_work.axe() == [] and at_work.console() == []


def test_seats_are_set_aside_let_go_and_kept_again_and_typing_is_not_lost(at_work, now_office):
    run = run_ahead(now_office)
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.click("Set seats aside")
    at_work.fill("Group", "Night shift")
    at_work.fill("Seats, 0 ends it", "99")
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.click("Set seats aside")
    assert at_work.field("Group").get_attribute("value") == "Night shift"
    day = (now_office.at + timedelta(days=2)).date().isoformat()
    at_work.fill("Through", day)
    at_work.click("Set aside")
    at_work.sees("14 seats are free to set aside.")
    at_work.fill("Seats, 0 ends it", "4")
    at_work.click("Set aside")
    at_work.sees("10 are free for anybody now")
    at_work.sees("4 seats set aside for Night shift")
    at_work.click("Undo")
    at_work.sees("14 free for anybody")
    assert at_work.axe() == [] and at_work.console() == []


def test_somebody_invited_sets_a_password_on_a_phone_and_sees_their_courses(at_work, now_office):
    run, person = run_ahead(now_office), a_person(now_office, given="Paula")
    enrolled(now_office, run, person)
    at_work.open(f"/people/{person['id']}")
    at_work.click("Invite by message")
    at_work.sees(f"Wrote to {person['name']} with a link")
    at_work.sees("the link works through")
    assert at_work.axe() == []
    at_work.resize(390, 844)
    at_work.open("/own")
    at_work.sees("Send me a link for a new password")
    assert at_work.axe() == []
    row = now_office.read(lambda d: own_pages.page_of(d, person["id"]))
    at_work.open(f"/own/{signing.token_for('p', row.id, row.turn)}")
    at_work.sees("Paula, choose a password")
    at_work.until(lambda: at_work.focused() == "Password, at least 10 characters")
    at_work.press("short", Keys.ENTER)
    at_work.sees("The password needs at least 10 characters;")
    at_work.press(" and longer now", Keys.ENTER)
    at_work.sees("Paula, your courses")
    at_work.sees("5 later dates")
    at_work.sees("$210.00 still open")
    wide = at_work.driver.execute_script("return document.documentElement.scrollWidth")
    assert at_work.axe() == [] and wide <= 390
    at_work.click("Sign out")
    at_work.fill("Email", person["email"])
    at_work.fill("Password", "short and longer now")
    at_work.press(Keys.ENTER)
    at_work.sees("Paula, your courses")
    at_work.open("/own/p1.1.forged")
    at_work.sees("This link leads nowhere")


def test_what_is_not_saved_says_so_after_a_reload_and_what_holds_meanwhile(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Waiting{next(number)}")
    enrolled(now_office, run, somebody)
    at_work.open(f"/runs/{run['id']}/terms")
    at_work.fill("An offer stands, in hours", "37")
    at_work.sees("Not saved yet:")
    at_work.driver.refresh()
    at_work.sees("Not saved yet:")
    at_work.sees("It goes on as before: ")
    assert at_work.field("An offer stands, in hours").get_attribute("value") == "37"
    assert now_office.read(lambda d: showing.run_view(d, run["id"]))["offer_hours"] == run["offer_hours"]
    at_work.click("Keep as it was")
    at_work.until(lambda: "Not saved yet" not in at_work.text())

    # A withdrawal from the margin gives the margin back to the run.
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.click(f"Open the sign-up of {somebody['name']}")
    at_work.click("withdraw")
    at_work.click("Withdraw")
    at_work.sees("Nobody is on this roster yet.")
    at_work.sees("Put a list on it")
    assert "?at=" not in at_work.driver.current_url

    # Letters typed fast, while answers come in, are all there.
    at_work.open("/people")
    at_work.sees("The beginning of any name will do")
    for letter in somebody["family"]:
        at_work.press(letter)
    assert at_work.field("Name, email or phone").get_attribute("value") == somebody["family"]
    at_work.sees(somebody["email"])
    assert at_work.field("Name, email or phone").get_attribute("value") == somebody["family"]

"""The public side as a stranger meets it, on the phone and by the keyboard; and the office that publishes and decides."""

from datetime import timedelta

import pytest
from selenium.webdriver.common.keys import Keys
from sqlalchemy import select

from archgate.actions.courses import texts
from archgate.actions.courses.commands import TextPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import cards
from archgate.core.states import SignsUp
from archgate.tables.money import Account
from archgate.tables.roster import Enrollment
from made import number, published, shown_as, taken
from screens.ahead import run_ahead
from screens.test_every_screen import wrong

pytestmark = pytest.mark.screens


def on_show(office, **changes):
    run = run_ahead(office, title=f"On show {next(number)}", **changes)
    published(office, run["course"], description="**Stone** and lime.", tags=["outdoors"])
    return run


def soon(office):
    return (office.at + timedelta(days=3)).date().isoformat()


def test_a_stranger_finds_a_course_and_signs_up_on_the_phone_by_keyboard(browser, now_office):
    run = on_show(now_office)
    n = next(number)
    browser.resize(390, 844)
    browser.open(f"/catalog?q={run['course']['title'].split()[-1]}")
    browser.tab_to(run["course"]["title"], 30)
    browser.press(Keys.ENTER)
    browser.sees("14 seats left")
    browser.tab_to("Sign up", 40)
    browser.press(Keys.ENTER)
    browser.sees("How many people?")
    browser.tab_to("Given name", 40)
    browser.press(f"Pip{n}", Keys.TAB, f"Phone{n}", Keys.TAB, f"pip{n}@example.org", Keys.TAB)
    browser.sees("kept for you meanwhile")
    # A reload loses nothing of what was typed, and the seat is kept yet.
    browser.driver.refresh()
    browser.sees("minutes yet")
    assert browser.field("Email").get_attribute("value") == f"pip{n}@example.org"
    assert browser.driver.execute_script("return document.documentElement.scrollWidth") <= 390
    assert browser.axe() == []
    browser.tab_to("Sign up", 60)
    browser.press(Keys.ENTER)
    browser.sees("Your sign-up has arrived")
    browser.sees(f"pip{n}@example.org")
    assert taken(now_office, run) == 1
    browser.driver.refresh()
    browser.sees("Your sign-up has arrived")
    browser.driver.back()
    browser.driver.refresh()
    browser.sees("13 seats left")
    assert taken(now_office, run) == 1
    assert browser.console() == []


def test_a_stranger_pays_by_card_on_the_phone_by_keyboard_and_a_link_is_paid_too(
    browser, now_office, pay_pages
):
    run, n = on_show(now_office), next(number)
    browser.resize(390, 844)
    browser.open(f"{texts.address_for(run['course']['id'], run['course']['title'])}/sign-up?run={run['id']}")
    browser.tab_to("Given name", 40)
    browser.press(f"Pay{n}", Keys.TAB, f"Card{n}", Keys.TAB, f"pay{n}@example.org", Keys.TAB)
    browser.sees("kept for you meanwhile")
    browser.tab_to("Sign up", 60)
    browser.press(Keys.ENTER)
    browser.sees("is due now. Pay it by card at once")
    assert browser.axe() == []
    browser.tab_to("Pay $", 20)
    browser.press(Keys.ENTER)
    browser.sees("Practice numbers")
    assert browser.axe() == []
    assert browser.driver.execute_script("return document.documentElement.scrollWidth") <= 390
    browser.press("9999 0000 0000 0020", Keys.TAB, "Pat Payer", Keys.ENTER)
    browser.sees("there is not enough money")
    browser.press("9999 0000 0000 0046", Keys.TAB, "Pat Payer", Keys.ENTER)
    browser.sees("sure that it is you")
    assert browser.axe() == []
    browser.press("2718", Keys.ENTER)
    browser.sees("Your card was accepted")
    assert browser.axe() == []
    browser.driver.refresh()
    browser.sees("Your card was accepted")

    def account(uow):
        query = select(Account).join(Enrollment, Enrollment.payer_id == Account.id)
        return uow.session.scalar(query.where(Enrollment.run_id == run["id"]))

    link = now_office.read(lambda d: cards.link_of(account(d)))
    browser.open(link[link.index("/pay/") :])
    browser.sees(f"Pay{n} Card{n}, to pay")
    assert browser.axe() == []
    browser.tab_to("Pay $", 20)
    browser.press(Keys.ENTER)
    browser.sees("Practice numbers")
    browser.tab_to("Go back without paying", 20)
    browser.press(Keys.ENTER)
    browser.sees("Not paid yet")
    browser.tab_to("Go to the payment page", 20)
    browser.press(Keys.ENTER)
    browser.sees("Practice numbers")
    browser.press("9999 0000 0000 0012", Keys.TAB, "Pat Payer", Keys.ENTER)
    browser.sees("It is paid.")
    browser.open(link[link.index("/pay/") :])
    browser.sees("Nothing is open: all is paid.")
    assert browser.console() == []


def test_a_plan_that_takes_a_card_is_chosen_by_keyboard_left_and_taken_up_by_the_link(
    browser, now_office, pay_pages
):
    halves = {"name": "Halves", "lines": [{"percent": "50", "due": {"after_sign_up": n}} for n in (0, 30)]}
    on_the_day = {
        "name": "Nothing now",
        "details": True,
        "lines": [{"percent": "100", "due": {"before_start": 0}}],
    }
    run, n = on_show(now_office, plans=[halves, on_the_day]), next(number)
    browser.resize(390, 844)
    browser.open(f"{texts.address_for(run['course']['id'], run['course']['title'])}/sign-up?run={run['id']}")
    browser.tab_to("Given name", 40)
    browser.press(f"Later{n}", Keys.TAB, f"Card{n}", Keys.TAB, f"later{n}@example.org", Keys.TAB)
    browser.tab_to("How it is paid", 20)
    browser.press("Nothing")
    browser.sees("You give a card after signing up; it is charged by itself on that day.")
    assert browser.axe() == []
    browser.tab_to("Sign up", 60)
    browser.press(Keys.ENTER)
    browser.sees("Nothing is due now; a card is charged by itself on that day.")
    browser.sees("for the card.")
    browser.tab_to("Give the card", 20)
    browser.press(Keys.ENTER)
    browser.sees("Card details only; nothing is charged now")
    browser.tab_to("Go back without paying", 20)
    browser.press(Keys.ENTER)
    browser.sees("No card given yet")
    row = now_office.read(lambda d: d.session.scalar(of_run(run).where(Enrollment.card_first)))
    assert row.status == "held"
    link = now_office.read(lambda d: cards.link_of(d.session.get_one(Account, row.payer_id)))
    browser.open(link[link.index("/pay/") :])
    browser.sees("it is firm once a card is on file")
    assert browser.axe() == []
    browser.tab_to("Give a card", 20)
    browser.press(Keys.ENTER)
    browser.sees("Card details only")
    browser.press("9999 0000 0000 0012", Keys.TAB, "Lee Ter", Keys.ENTER)
    browser.sees("The card is on file.")
    browser.open(link[link.index("/pay/") :])
    browser.sees("there is nothing to do now")
    assert browser.axe() == []
    assert now_office.read(lambda d: d.session.scalar(of_run(run))).status == "seated"
    assert browser.console() == []


def of_run(run):
    return select(Enrollment).where(Enrollment.run_id == run["id"])


def test_axe_finds_nothing_on_the_public_pages_at_either_width(browser, now_office):
    run, full = on_show(now_office), on_show(now_office, sign_up_opens=soon(now_office))
    shown_as(now_office, run, signs_up=SignsUp.CODE)
    page = texts.address_for(run["course"]["id"], run["course"]["title"])
    pages = [
        "/catalog",
        page,
        f"{page}/sign-up?run={run['id']}",
        f"{page}/interest",
        f"{page}/sign-up?run={full['id']}",
        "/catalog/nowhere",
    ]
    assert wrong(browser, pages) == {}
    browser.resize(390, 844)
    assert wrong(browser, pages) == {}
    for path in pages:
        browser.open(path)
        assert browser.driver.execute_script("return document.documentElement.scrollWidth") <= 390, path


def test_the_office_writes_publishes_compares_and_decides(at_work, now_office):
    run = on_show(now_office)
    course = run["course"]["id"]
    at_work.open(f"/courses/{course}")
    at_work.sees("The public reads what stands here.")
    at_work.fill("Subtitle", "From the footing to the cope")
    at_work.press(Keys.TAB)
    at_work.sees("What waits: subtitle")
    # Somebody else writes meanwhile: other fields do not mind, the same one asks.
    facts = {"set": {"subtitle": "Theirs"}}
    at_work.driver.execute_script("document.activeElement.blur()")
    now_office.act(lambda d: texts.write(d, course, command_of(TextPatch, facts)))
    at_work.fill("Subtitle", "Mine")
    at_work.press(Keys.TAB)
    at_work.sees("Somebody else wrote here meanwhile: subtitle.")
    at_work.click("Keep mine")
    at_work.sees("Saved.")
    at_work.click("Publish")
    at_work.sees("The public reads this now.")
    at_work.click("Versions")
    at_work.sees("what the public reads")
    at_work.driver.find_elements("xpath", "//button[normalize-space()='compare with now']")[-1].click()
    at_work.sees("Subtitle")
    at_work.sees("Mine")

    at_work.open(f"/runs/{run['id']}/public")
    at_work.sees("Everyone finds it; they sign up")
    at_work.field("Who can sign up?").send_keys("on request")
    at_work.sees("they ask for a seat")
    at_work.click("Save")
    at_work.sees("Saved. Everyone finds it; they ask for a seat")
    at_work.click("Rehearse")
    at_work.sees("they find it and cannot sign up.")
    at_work.sees("They ask, and staff decide.")
    assert at_work.console() == []

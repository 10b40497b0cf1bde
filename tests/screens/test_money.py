"""Money walked as a person walks it: a caller pays, overpays, gets it back; a check bounces; the till and what is owed."""

import pytest
from selenium.webdriver.common.keys import Keys

from archgate.actions.across import undo
from archgate.actions.enrolling import parked
from archgate.actions.fees import terms
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.runs import moving
from archgate.actions.runs.commands import CancelMeetingCommand
from made import a_person, enrolled, number, roster_of
from screens.ahead import run_ahead

pytestmark = pytest.mark.screens


def test_a_caller_pays_by_keyboard_and_the_account_explains_itself(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Payer{next(number)}")
    enrolled(now_office, run, somebody)
    at_work.open(f"/people/{somebody['id']}")
    at_work.tab_to("Account, or take a payment")
    at_work.press(Keys.ENTER)
    at_work.sees(f"Account of {somebody['name']}")
    at_work.sees("$210.00")
    at_work.tab_to("Amount in USD")
    at_work.press("150", Keys.TAB)
    at_work.press("ch", Keys.TAB, Keys.ENTER)  # a check without its number
    at_work.sees("Give the number of the check.")
    at_work.press("No. 12", Keys.ENTER)
    at_work.sees(f"$150.00 by check from {somebody['name']}")
    at_work.sees("$60.00")
    assert at_work.axe() == []
    at_work.click("Undo")
    at_work.sees("Undid:")
    at_work.sees("Owes $210.00")
    assert at_work.console() == []


def test_money_is_taken_back_written_off_used_and_paid_back_with_the_mouse(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Payer{next(number)}")
    enrolled(now_office, run, somebody)
    own = now_office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": somebody["id"], "organization_id": None})
        )
    )["id"]
    at_work.open(f"/accounts/{own}")
    at_work.sees("choose what it settles")
    at_work.click("choose what it settles")
    at_work.find("//fieldset//input").send_keys("5")
    at_work.fill("Amount in USD", "40")
    at_work.click("Take it")
    at_work.sees("$35.00 stays as credit")
    at_work.click("Settle what is open")
    at_work.sees("Credit settled what was oldest due; $0.00 of it is left.")
    at_work.find("//button[contains(., 'take back')]").click()
    at_work.fill("Why it is taken back", "Typed wrong")
    at_work.click("Take back")
    at_work.sees(f"Taken back; {somebody['name']} owes $210.00.")
    at_work.fill("Amount in USD", "250")
    at_work.click("Take it")
    at_work.sees("$40.00 came in and settles nothing yet.")
    at_work.click("Pay it back")
    at_work.fill("Reason", "Paid too much")
    assert at_work.axe() == []
    at_work.find("//form//button[normalize-space()='Pay it back']").click()
    at_work.sees("Paid back; $0.00 of credit is left.")
    at_work.sees("Nothing is open on this account.")
    at_work.open("/money/till")
    at_work.sees(somebody["name"])
    at_work.sees("taken back")
    assert at_work.axe() == []
    other = a_person(now_office, family=f"Debtor{next(number)}")
    enrolled(now_office.later(days=-300), run, other)  # owed for longest: the first of the list
    at_work.open("/money")
    at_work.sees(other["name"])
    assert at_work.axe() == []
    at_work.click(other["name"])
    at_work.find("//button[contains(., 'write off')]").click()
    at_work.fill("Why it is written off", "Moved away")
    at_work.click("Write off")
    at_work.sees(f"Written off; {other['name']} owes $105.00.")
    assert at_work.axe() == [] and at_work.console() == []


def test_papers_are_issued_and_a_withdrawal_shows_what_is_kept_before_it_is_done(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Paper{next(number)}")
    enrolled(now_office, run, somebody)
    own = now_office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": somebody["id"], "organization_id": None})
        )
    )["id"]
    at_work.open(f"/accounts/{own}")
    at_work.sees("1 sign-up of $210.00 not invoiced yet.")
    at_work.click("Issue the invoice")
    at_work.sees("Issued INV-")
    at_work.sees("Nothing waits for an invoice.")
    at_work.find("//button[contains(., 'credit note')]").click()
    at_work.fill("Why it is taken back", "Another address")
    at_work.click("Issue the credit note")
    at_work.sees("Issued the credit note CN-")
    at_work.fill("Amount in USD", "150")
    at_work.click("Take it")
    at_work.sees("$150.00 by cash")
    at_work.find("//button[contains(., 'receipt')]").click()
    at_work.sees("Receipt R-")
    assert at_work.axe() == []

    policy = {
        "steps": [{"days_before": 400, "percent": "100"}, {"days_before": 1, "percent": "50"}],
        "kept_fee": "25.00",
    }
    done = now_office.act(
        lambda d: terms.change_center_defaults(
            d, command_of(CenterDefaultsPatch, {"seen": {}, "set": {"refunds": policy}})
        )
    )
    try:
        at_work.open(f"/runs/{run['id']}/roster")
        at_work.click(f"Open the sign-up of {somebody['name']}")
        at_work.click("withdraw")
        at_work.sees("Of $210.00, $130.00 is kept.")
        at_work.sees("$150.00 was paid; $20.00 of it becomes credit of the account.")
        assert at_work.axe() == []
        at_work.click("keep another sum")
        at_work.fill("Keep instead", "0")
        at_work.click("Withdraw")
        at_work.sees("Say why it differs from the refund policy.")
        at_work.fill("Reason", "Broke an arm")
        at_work.click("Withdraw")
        at_work.sees(f"{somebody['name']} withdrew. $210.00 is taken off the account.")
        at_work.click("Undo")
        at_work.sees("Undid: Withdrew")
    finally:
        now_office.act(lambda d: undo.undo(d, done["change"]))
    assert at_work.console() == []


def test_an_extra_is_added_for_somebody_who_is_in_already(at_work, now_office):
    run = run_ahead(now_office, extras=[{"label": "Handbook", "amount": "30.00", "most": 2}])
    somebody = a_person(now_office, family=f"Reader{next(number)}")
    enrolled(now_office, run, somebody)
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.click(f"Open the sign-up of {somebody['name']}")
    at_work.click("change rate, price or extras")
    at_work.sees("Nothing changes.")
    at_work.fill("Handbook, $30.00 each", "3")
    at_work.sees("most 2")
    assert at_work.axe() == []
    at_work.fill("Handbook, $30.00 each", "2")
    at_work.sees("It was $210.00.")
    at_work.sees("$270.00")
    at_work.click("Change it")
    at_work.sees(f"Changed for {somebody['name']}; the sign-up comes to $270.00.")
    at_work.sees("2 Handbook")
    at_work.click("Undo")
    at_work.sees("Undid: Changed the sign-up")
    assert at_work.axe() == [] and at_work.console() == []


def test_a_sign_up_is_moved_with_its_money_and_given_to_somebody_else_by_keyboard(at_work, now_office):
    run, there = run_ahead(now_office), run_ahead(now_office)
    somebody, other = (a_person(now_office, family=f"Mover{next(number)}") for _ in range(2))
    enrolled(now_office, run, somebody)
    own = now_office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": somebody["id"], "organization_id": None})
        )
    )["id"]
    now_office.act(
        lambda d: accounts.take_payment(
            d, own, command_of(PaymentCommand, {"amount": "105.00", "method": "cash"})
        )
    )
    at_work.open(f"/runs/{run['id']}/roster")
    at_work.find(f"//button[@aria-label='Open the sign-up of {somebody['name']}']")
    at_work.tab_to("Open the sign-up of")
    at_work.press(Keys.ENTER)
    at_work.sees("move to another run")
    at_work.tab_to("move to another run")
    at_work.press(Keys.ENTER)
    at_work.sees("Where does")
    at_work.press(there["code"])
    at_work.sees(there["title"])
    at_work.press(Keys.ENTER)
    at_work.sees("Moves along $105.00")
    assert at_work.axe() == []
    at_work.tab_to("Move")
    at_work.press(Keys.ENTER)
    at_work.sees(f"{somebody['name']} moved to {there['title']}")
    at_work.click("See the roster")
    at_work.click(f"Open the sign-up of {somebody['name']}")
    at_work.sees(f"transfer from {run['code']}")
    at_work.click("give the seat to somebody else")
    at_work.until(lambda: at_work.driver.switch_to.active_element.tag_name == "input")
    at_work.press(other["name"])
    at_work.sees(other["email"])
    at_work.press(Keys.ENTER)
    at_work.sees(f"{other['name']} has the seat of {somebody['name']}; {somebody['name']} still pays.")
    assert at_work.axe() == [] and at_work.console() == []


def test_a_cancelled_meeting_is_given_back_from_its_call_list(at_work, now_office):
    run, somebody = run_ahead(now_office), a_person(now_office, family=f"Rain{next(number)}")
    enrolled(now_office, run, somebody)
    meeting = run["dates"][0]["id"]
    now_office.act(
        lambda d: moving.cancel_meeting(d, meeting, command_of(CancelMeetingCommand, {"why": "Flood"}))
    )
    at_work.open(f"/runs/{run['id']}/dates")
    at_work.click("call list, and money back")
    at_work.sees("It was worth $26.25 to 1 sign-up")
    at_work.click("Give it back")
    at_work.sees("off what is still owed")
    assert at_work.axe() == []
    at_work.click("Give it back")
    at_work.sees("$26.25 given back to 1 sign-up.")
    at_work.click("Undo")
    at_work.sees("It was worth $26.25 to 1 sign-up")
    assert at_work.console() == []


class Counted:
    """Keys pressed beside what is typed of name, email and phone: a key a stroke, with Control two."""

    def __init__(self, at_work):
        self.at_work, self.keys = at_work, 0

    def press(self, *keys):
        self.keys += sum(len(k) if k not in vars(Keys).values() else 1 for k in keys)
        self.at_work.press(*keys)

    def types(self, text):
        self.at_work.press(text)


def test_a_new_person_is_enrolled_with_a_deposit_and_a_receipt_by_few_keys_and_no_mouse(at_work, now_office):
    n = next(number)
    run = run_ahead(now_office, title=f"Quoin {n}", capacity=4, smallest=0)
    call = Counted(at_work)
    at_work.open("/desk")
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    call.types(f"Wystan Keys{n}")
    at_work.sees("New person")
    call.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Email, if any")
    call.types(f"keys{n}@example.org")
    call.press(Keys.TAB)
    call.types("555-0142")
    call.press(Keys.ENTER)
    at_work.until(lambda: at_work.focused() == "Course, run or place")
    call.press(f"quoin {n}")
    at_work.until(lambda: len(at_work.driver.find_elements("xpath", "//*[@role='option']")) == 1)
    call.press(Keys.ENTER)
    at_work.sees(f"Quote for Wystan Keys{n}")
    at_work.sees("Paid now")
    call.press(Keys.F7)
    call.press(Keys.ARROW_RIGHT)
    at_work.sees("all that is due now")
    assert at_work.axe() == []
    call.press(Keys.CONTROL, Keys.ENTER)
    at_work.sees("paid by cash; receipt R-")
    at_work.sees(f"goes to keys{n}@example.org")
    assert call.keys <= 45, call.keys
    row = roster_of(now_office, run)[0]
    assert row["name"] == f"Wystan Keys{n}"


def test_a_call_is_parked_on_one_screen_and_seen_on_another(at_work, now_office):
    run, person = run_ahead(now_office), a_person(now_office, family=f"Aside{next(number)}")
    at_work.open(f"/desk?run={run['id']}")
    at_work.until(lambda: at_work.focused() == "Name, email or phone")
    at_work.press(person["family"], Keys.ENTER)
    at_work.sees("Quote for " + person["name"])
    at_work.press(Keys.F8)
    at_work.sees(f"Parked: {person['name']}")
    at_work.driver.execute_script("sessionStorage.clear()")  # another window knows nothing of this one's
    at_work.open("/today")
    at_work.sees("parked")
    at_work.open("/desk")
    at_work.find(f"//section[@aria-label='Parked calls']//button[contains(., {person['family']!r})]").click()
    at_work.sees("Quote for " + person["name"])
    assert person["name"] not in [p["about"] for p in now_office.read(parked.listed)]

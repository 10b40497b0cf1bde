"""Payments by card, with the payment service's stand-in at the other end: charged once, booked once, whatever happens between."""

import random
from functools import partial

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from archgate.actions.across import today
from archgate.actions.enrolling import freed, held_places
from archgate.actions.enrolling.commands import FreedSeat, WithdrawCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import act
from archgate.actions.money import accounts, asking, card_charges, card_refunds, card_views, cards, paying_out
from archgate.actions.money.commands import (
    ChargeCommand,
    PayByCardCommand,
    PayerCommand,
    PaymentCommand,
    RefundCommand,
    WhyCommand,
)
from archgate.core.faults import Refused
from archgate.core.money import parse_amount
from archgate.core.states import CardStatus, PaidState, RefundStatus, SeatGoes, ServiceStatus, WhatToPay
from archgate.jobs import worker as jobs
from archgate.jobs.worker import Worker
from archgate.outside.card_service import rules
from archgate.outside.card_service.rules import Treatment
from archgate.outside.card_service.store import ServicePayment, ServiceRefund
from archgate.outside.mail import StandInMail, Trouble
from archgate.outside.meetings import StandInMeetings
from archgate.outside.payments import PaidBack, RefundAsk
from archgate.tables.jobs import Job
from archgate.tables.messages import Message
from archgate.tables.money import CardPayment, CardRefund, Entry, Payment, PaymentDetails
from archgate.tables.plans import Installment, Plan
from archgate.tables.roster import Enrollment
from conftest import LONG
from made import a_person, a_run, at_once, enrolled

NUMBER_OF = {treatment: number for number, treatment in rules.NUMBERS.items()}


@pytest.fixture
def payer(office):
    """Somebody who owes 210.00 in two halves, the first due at once; their account's number and their sign-up's."""
    somebody = a_person(office)
    done = enrolled(office, a_run(office), somebody)
    return account_of(office, somebody), done["enrollment_id"]


def account_of(office, person):
    command = command_of(PayerCommand, {"person_id": person["id"], "organization_id": None})
    return office.act(lambda d: accounts.account_for(d, command))["id"]


def page(office, account):
    return office.read(lambda d: paying_out.account_page(d, account))


def begun(office, account, what=WhatToPay.NEXT, keep=False, on_file=False):
    """The number of a payment that a payer began on their own page."""
    command = PayByCardCommand(what=what, keep=keep, on_file=on_file)
    return office.act(lambda d: card_views.pay(d, accounts.get_account(d, account), command, own=True).id)


def row_of(office, number):
    with office.sessions() as session:
        return session.get_one(CardPayment, number)


def opened(office, bank, number):
    """The payer goes to the page; its address at the service."""
    key = row_of(office, number).key
    office.act(lambda d: cards.taken_up(d, key, f"http://testserver/paid/{key}"))
    asking.soon(office.sessions, bank, number)
    return row_of(office, number).page.removeprefix("http://service")


def gives(card_service, at, treatment, **more):
    """The payer types a card of a treatment on the page."""
    form = {"number": rules.spaced(NUMBER_OF[treatment]), "holder": "Pat Payer", **more}
    return TestClient(card_service, base_url="http://service", follow_redirects=False).post(at, data=form)


def goes_on(office, bank, number, tries=3):
    """Ask about a payment as the worker does: again, where there is no answer."""
    for _ in range(tries):
        try:
            return asking.go_on(office.sessions, bank, number)
        except Trouble:
            continue
    return asking.go_on(office.sessions, bank, number)


def paid_by(office, bank, card_service, account, treatment=Treatment.ACCEPTED, **how):
    number = begun(office, account, **how)
    at = opened(office, bank, number)
    answer = gives(card_service, at, treatment)
    goes_on(office, bank, number)
    return number, answer


def count(office, table, *where):
    return office.read(lambda d: d.session.scalar(select(func.count()).select_from(table).where(*where)))


def at_service(card_service, table=ServicePayment):
    with card_service.state.service.sessions() as session:
        return list(session.scalars(select(table)))


# --- paid once ----------------------------------------------------------------------------------------------


def test_a_card_settles_what_is_due_with_its_fee_and_the_receipt_goes_out(office, bank, card_service, payer):
    account, _ = payer
    number, answer = paid_by(office, bank, card_service, account)
    assert answer.status_code == 303 and answer.headers["location"].endswith(row_of(office, number).key)
    shown = page(office, account)
    assert (shown["balance"], shown["credit"]) == ("105.00", "0.00")
    row = row_of(office, number)
    assert row.status is CardStatus.DONE
    with office.sessions() as session:
        payment = session.get_one(Payment, row.payment_id)
        assert (payment.amount, payment.fee, payment.method) == (10500, 288, "card")
        letters = session.scalars(select(Message.subject).where(Message.invoice_id.is_not(None))).all()
        assert any(s.startswith("Receipt R-") for s in letters)
    seen = office.read(lambda d: card_views.seen(d, row.key))
    assert seen["state"] == PaidState.GIVEN and "paid" in seen["said"]


def test_nothing_is_written_of_a_card_but_its_last_digits(office, bank, card_service, payer):
    number, _ = paid_by(office, bank, card_service, payer[0], keep=True)
    digits = NUMBER_OF[Treatment.ACCEPTED]
    with office.sessions() as session, card_service.state.service.sessions() as theirs:
        ours = [
            str(vars(r)) for t in (CardPayment, PaymentDetails, Payment) for r in session.scalars(select(t))
        ]
        kept = [str(vars(r)) for r in theirs.scalars(select(ServicePayment))]
    assert ours and kept and not any(digits in text for text in [*ours, *kept])
    assert row_of(office, number).status is CardStatus.DONE


@pytest.mark.parametrize("given_up", [CardStatus.RELEASED, CardStatus.EXPIRED, CardStatus.UNKNOWN])
def test_money_that_moved_after_a_payment_was_given_up_is_booked_once(
    office, bank, card_service, payer, given_up
):
    account, _ = payer
    number = begun(office, account)
    gives(card_service, opened(office, bank, number), Treatment.ACCEPTED)
    key = row_of(office, number).key
    bank.capture(key)
    with office.sessions.begin() as session:
        session.get_one(CardPayment, number).status = given_up
    assert [goes_on(office, bank, number) for _ in range(2)] == [CardStatus.DONE, CardStatus.DONE]
    assert count(office, Payment, Payment.account_id == account) == 1
    assert page(office, account)["balance"] == "105.00"


@pytest.mark.parametrize("treatment", [Treatment.NO_MONEY, Treatment.BLOCKED])
def test_a_refused_card_is_said_on_the_page_and_another_may_follow(
    office, bank, card_service, payer, treatment
):
    number = begun(office, payer[0])
    at = opened(office, bank, number)
    refused = gives(card_service, at, treatment)
    assert refused.status_code == 303 and refused.headers["location"] == at
    assert "refused" in TestClient(card_service, base_url="http://service").get(at).text
    assert goes_on(office, bank, number) is CardStatus.OPEN
    assert gives(card_service, at, Treatment.ACCEPTED).status_code == 303
    assert goes_on(office, bank, number) is CardStatus.DONE


def test_a_further_check_stands_between_the_card_and_the_charge(office, bank, card_service, payer):
    number = begun(office, payer[0])
    at = opened(office, bank, number)
    browser = TestClient(card_service, base_url="http://service", follow_redirects=False)
    gives(card_service, at, Treatment.NO_MONEY)  # another card before
    gives(card_service, at, Treatment.CHECK)
    assert "sure that it is you" in browser.get(at).text
    assert goes_on(office, bank, number) is CardStatus.OPEN
    browser.post(f"{at}/check", data={"code": "1"})
    assert "does not fit" in browser.get(at).text
    browser.post(f"{at}/check", data={"code": "2718"})  # no check is due any more
    assert goes_on(office, bank, number) is CardStatus.OPEN
    gives(card_service, at, Treatment.CHECK)
    assert (
        browser.post(f"{at}/check", data={"code": "2718"}).headers["location"].startswith("http://testserver")
    )
    assert goes_on(office, bank, number) is CardStatus.DONE


def test_a_charge_without_an_answer_is_booked_once_when_it_is_asked_about(office, bank, card_service, payer):
    number = begun(office, payer[0])
    gives(card_service, opened(office, bank, number), Treatment.UNANSWERED)
    with pytest.raises(Trouble):
        asking.go_on(office.sessions, bank, number)
    assert row_of(office, number).status is CardStatus.CAPTURING
    assert page(office, payer[0])["balance"] == "210.00"
    assert asking.go_on(office.sessions, bank, number) is CardStatus.DONE
    assert page(office, payer[0])["balance"] == "105.00"
    assert count(office, Payment, Payment.account_id == payer[0]) == 1


def cards_heard(uow, service, number):
    return cards.heard(uow, number, service.found(uow.session.get_one(CardPayment, number).key))


def test_news_that_come_twice_and_at_once_are_booked_once(office, bank, card_service, payer):
    number = begun(office, payer[0])
    gives(card_service, opened(office, bank, number), Treatment.ACCEPTED)
    results = at_once([partial(asking.go_on, office.sessions, bank, number)] * 6)
    assert results.count(CardStatus.DONE) == 6
    assert count(office, Payment, Payment.account_id == payer[0]) == 1
    key = row_of(office, number).key
    charged = [p for p in at_service(card_service) if p.key == key]
    assert [p.status for p in charged] == [ServiceStatus.CAPTURED]


def test_what_was_paid_meanwhile_is_released_and_the_payer_told(office, bank, card_service, payer):
    account, _ = payer
    number = begun(office, account, what=WhatToPay.WHOLE)
    at = opened(office, bank, number)
    body = {"amount": "150.00", "method": "cash"}
    office.act(lambda d: accounts.take_payment(d, account, command_of(PaymentCommand, body)))
    gives(card_service, at, Treatment.ACCEPTED)
    assert goes_on(office, bank, number) is CardStatus.RELEASED
    assert page(office, account)["balance"] == "60.00"
    with office.sessions() as session:
        assert session.scalar(select(func.count()).where(Message.subject == "Nothing was charged"))
    assert office.read(lambda d: card_views.seen(d, row_of(office, number).key))["state"] == PaidState.OVER


def test_a_seat_that_waits_for_its_first_payment_is_firm_once_the_card_is_charged(office, bank, card_service):
    somebody, run = a_person(office), a_run(office, hold_hours=2)
    done = enrolled(office, run, somebody, hold=True)
    account = account_of(office, somebody)
    number = begun(office, account)
    at = opened(office, bank, number)
    with office.sessions() as session:
        assert session.get_one(Enrollment, done["enrollment_id"]).status == "held"
    gives(card_service, at, Treatment.ACCEPTED)
    goes_on(office, bank, number)
    with office.sessions() as session:
        assert session.get_one(Enrollment, done["enrollment_id"]).status == "seated"


def test_a_seat_is_held_while_its_payment_is_under_way_but_not_for_ever(office, bank, card_service):
    somebody, run = a_person(office), a_run(office, hold_hours=2)
    done = enrolled(office, run, somebody, hold=True)
    account, late = account_of(office, somebody), office.later(hours=2, minutes=1)
    number = office.act(lambda d: begin_of(d, account, done["enrollment_id"]))
    gives(card_service, opened(office, bank, number), Treatment.UNANSWERED)
    with pytest.raises(Trouble):
        asking.go_on(office.sessions, bank, number)
    with office.sessions() as session:
        held = session.get_one(Enrollment, done["enrollment_id"])
        assert held.status == "held" and held.hold_until is not None
    act(office.sessions, lambda d: cards_heard(d, bank, number), at=late.at)
    with office.sessions() as session:
        assert session.get_one(Enrollment, done["enrollment_id"]).status == "seated"


def begin_of(uow, account, enrollment):
    held = accounts.get_account(uow, account)
    return cards.begin(
        uow, cards.Begin(10500, held.currency, "First payment", account, enrollment_id=enrollment)
    ).id


def test_a_seat_that_lapsed_is_not_paid_for(office, bank, card_service):
    somebody, run = a_person(office), a_run(office, hold_hours=2)
    done = enrolled(office, run, somebody, hold=True)
    account, late = account_of(office, somebody), office.later(hours=3)
    number = office.act(lambda d: begin_of(d, account, done["enrollment_id"]))
    at = opened(office, bank, number)
    late.act(lambda d: held_places.let_go(d, run["id"]))
    gives(card_service, at, Treatment.ACCEPTED)
    assert goes_on(office, bank, number) is CardStatus.RELEASED
    assert page(office, account)["balance"] == "0.00"


# --- on file --------------------------------------------------------------------------------------------------


def test_a_card_kept_on_file_is_charged_with_a_click_and_never_more_than_is_open(
    office, bank, card_service, payer
):
    account, _ = payer
    paid_by(office, bank, card_service, account, keep=True)
    assert "practice card of Pat Payer, ending in" in page(office, account)["cards"]["on_file"]["words"]
    with pytest.raises(Refused, match=r"105\.00 is open"):
        office.act(lambda d: card_charges.charge_on_file(d, account, ChargeCommand(amount="105.01")))
    number = office.act(lambda d: card_charges.charge_on_file(d, account, ChargeCommand(amount="55.00")).id)
    with pytest.raises(Problem, match="under way"):
        office.act(lambda d: card_charges.charge_on_file(d, account, ChargeCommand(amount="50.00")))
    assert goes_on(office, bank, number) is CardStatus.DONE
    assert page(office, account)["balance"] == "50.00"
    office.act(lambda d: card_charges.end_details(d, account))
    with pytest.raises(Problem, match="No payment details"):
        office.act(lambda d: card_charges.charge_on_file(d, account, ChargeCommand(amount="50.00")))


def test_two_who_charge_the_same_card_at_once_charge_it_once(office, bank, card_service, payer):
    account, _ = payer
    paid_by(office, bank, card_service, account, keep=True)

    def charge():
        try:
            return office.act(
                lambda d: card_charges.charge_on_file(d, account, ChargeCommand(amount="105.00")).id
            )
        except (Problem, Refused):
            return None

    made = [n for n in at_once([charge] * 5) if n is not None]
    assert len(made) == 1 and goes_on(office, bank, made[0]) is CardStatus.DONE
    assert page(office, account)["balance"] == "0.00"


def test_a_plan_with_details_is_charged_on_its_day_retried_and_then_raised(office, bank, card_service, payer):
    account, enrollment = payer
    paid_by(office, bank, card_service, account, Treatment.REFUSED_LATER, keep=True)
    with office.sessions.begin() as session:
        plan_of(session, enrollment).details = True
    day, refused = office.later(days=30), []
    for ahead in (0, 1, 3, 4, 7, 8, 20):
        at = day.later(days=ahead)
        due = [n for n in at.read(card_charges.due_by_itself) if is_of(at, n, enrollment)]
        for installment in due:
            number = at.act(partial(card_charges.charge_due, installment_id=installment))
            assert installment not in at.read(card_charges.due_by_itself)
            act(at.sessions, lambda d, n=number: heard_of_charge(d, bank, n), at=at.at)
            refused.append(ahead)
            assert row_of(office, number).status is CardStatus.REFUSED
    assert refused == [0, 3, 7]  # its day, three days later, four more days later
    late = day.later(days=30)
    listed = late.read(card_views.refused)["items"]
    mine = next(p for p in listed if p["account_id"] == account)
    assert mine["tried_again"] is None and "without its holder" in mine["said"]
    assert mine in late.read(today.today)["cards"], "whom to call is said on Today too"
    with office.sessions() as session:
        asked = session.scalar(select(func.count()).where(Message.subject.startswith("To pay at")))
    assert asked and asked >= 3
    assert page(office, account)["balance"] == "105.00"


def plan_of(session, enrollment):
    return session.get_one(Plan, session.get_one(Enrollment, enrollment).plan_id)


def is_of(office, installment, enrollment):
    return office.read(lambda d: d.session.get_one(Installment, installment).enrollment_id) == enrollment


def heard_of_charge(uow, service, number):
    row, token = asking.standing(uow, number)
    return cards.heard(uow, number, asking.asked(service, row, token))


def test_the_round_charges_what_is_due_and_the_worker_books_it(
    office, bank, card_service, payer, monkeypatch
):
    account, enrollment = payer
    paid_by(office, bank, card_service, account, keep=True)
    with office.sessions.begin() as session:
        plan_of(session, enrollment).details = True
    at = office.later(days=30)
    number = at.act(
        lambda d: card_charges.charge_due(
            d, next(n for n in card_charges.due_by_itself(d) if n in installments(d, enrollment))
        )
    )
    job = f"look-{number}-0"
    worker = Worker(
        office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions), cards=bank
    )
    worker.drain()
    assert row_of(office, number).status is CardStatus.DONE
    assert count(office, Job, Job.key == job, Job.status == "done") == 1
    assert page(office, account)["balance"] == "0.00"


def installments(uow, enrollment):
    return [i.id for i in uow.session.get_one(Enrollment, enrollment).installments]


def test_a_worker_without_a_service_says_so_and_loses_nothing(office, bank, card_service, payer):
    number = begun(office, payer[0])
    opened(office, bank, number)
    office.act(lambda d: cards.noticed(d, f"n{number}", row_of(office, number).key))
    office.act(lambda d: cards.noticed(d, f"n{number}", row_of(office, number).key))  # the same notice twice
    key = f"notice-n{number}"
    assert count(office, Job, Job.key == key) == 1
    Worker(office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions)).drain()
    with office.sessions() as session:
        job = session.scalar(select(Job).where(Job.key == key))
        assert job.status == "queued" and "No payment service" in job.trouble


def test_what_was_not_heard_of_for_a_while_is_asked_about(office, bank, card_service, payer):
    number = begun(office, payer[0])
    gives(card_service, opened(office, bank, number), Treatment.ACCEPTED)  # and no notice comes
    with office.sessions.begin() as session:
        session.get_one(CardPayment, number).look_at = office.at.replace(year=2000)
    assert jobs.see_after_cards(office.sessions).startswith("1") or row_of(office, number).look_at is not None
    Worker(
        office.sessions, StandInMail(office.sessions), StandInMeetings(office.sessions), cards=bank
    ).drain()
    assert row_of(office, number).status is CardStatus.DONE


def test_a_payment_that_the_service_never_heard_of_is_over(office, bank, payer):
    number = begun(office, payer[0])
    with office.sessions.begin() as session:
        session.get_one(CardPayment, number).status = CardStatus.OPEN
    assert goes_on(office, bank, number) is CardStatus.UNKNOWN


# --- back -----------------------------------------------------------------------------------------------------


@pytest.fixture
def with_credit(office, bank, card_service, payer):
    """Somebody who paid all by card and gave the seat back: what they paid is credit."""
    account, enrollment = payer
    paid_by(office, bank, card_service, account, what=WhatToPay.WHOLE)
    command = WithdrawCommand(seat=FreedSeat(to=SeatGoes.NEXT))
    office.act(lambda d: freed.withdraw(d, enrollment, command))
    return account


def back(office, account, amount):
    command = command_of(RefundCommand, {"amount": amount, "method": "card", "why": "Gave the seat back"})
    return office.act(lambda d: paying_out.refund(d, account, command))


def test_money_goes_back_to_the_card_it_came_from_and_never_twice(office, bank, card_service, with_credit):
    account = with_credit
    credit = page(office, account)["credit"]
    assert parse_amount(credit, "USD") > 5000 and page(office, account)["cards"]["back"] == credit
    back(office, account, "50.00")
    with pytest.raises(Refused, match="that came by card"):
        back(office, account, credit)
    with office.sessions() as session:
        row = session.scalar(select(CardRefund).where(CardRefund.account_id == account))
    for _ in range(2):
        asking.pay_back(office.sessions, bank, row.id)
    with office.sessions() as session:
        assert session.get_one(CardRefund, row.id).status is RefundStatus.DONE
    assert [r.amount for r in at_service(card_service, ServiceRefund) if r.key == row.key] == [5000]


def test_a_refund_that_the_service_refuses_is_credit_again(office, bank, card_service, with_credit):
    account = with_credit
    before = page(office, account)["credit"]
    back(office, account, "20.00")
    with office.sessions() as session:
        row = session.scalar(select(CardRefund).where(CardRefund.account_id == account))
    refused = PaidBack(key=row.key, done=False, said="The account behind the card is closed.")
    for _ in range(2):
        office.act(lambda d: card_refunds.refund_heard(d, row.id, refused))
    shown = page(office, account)
    assert shown["credit"] == before and shown["entries"][-1]["kind"] == "reversal"
    assert any("did not go out" in said for said in office.read(today.today)["troubles"])
    assert office.read(lambda d: accounts.account_faults(d)) == []


def test_the_service_pays_back_no_more_than_it_charged(bank, card_service, office, with_credit):
    with office.sessions() as session:
        key = session.scalar(select(CardPayment.key).where(CardPayment.account_id == with_credit))
    assert bank.refund("too-much", RefundAsk(payment=key, amount=21001)).done is False
    assert bank.refund("once", RefundAsk(payment=key, amount=21000)).done is True
    assert bank.refund("once", RefundAsk(payment=key, amount=21000)).done is True
    assert bank.refund("again", RefundAsk(payment=key, amount=1)).done is False


def test_a_card_payment_is_not_taken_by_hand_nor_taken_back(office, bank, card_service, payer):
    with pytest.raises(Refused, match="not entered by hand"):
        office.act(
            lambda d: accounts.take_payment(
                d, payer[0], command_of(PaymentCommand, {"amount": "1.00", "method": "card"})
            )
        )
    number, _ = paid_by(office, bank, card_service, payer[0])
    with pytest.raises(Problem, match="pay it back to the card"):
        office.act(
            lambda d: accounts.reverse_payment(
                d, row_of(office, number).payment_id, WhyCommand(why="Wrong sum")
            )
        )


# --- without cards --------------------------------------------------------------------------------------------


def test_where_no_service_is_set_nothing_offers_cards(office, payer):
    assert page(office, payer[0])["cards"] is None
    assert office.read(card_charges.due_by_itself) == []
    with pytest.raises(Problem, match="No payment service"):
        office.act(lambda d: card_charges.charge_on_file(d, payer[0], ChargeCommand(amount="1.00")))
    with pytest.raises(Problem, match="No payment service"):
        office.act(lambda d: cards.send_link(d, payer[0]))


# --- at random ------------------------------------------------------------------------------------------------


def test_books_and_service_agree_after_a_walk_at_random(office, bank, card_service, monkeypatch):
    """Payers, cards of every kind, charges, refunds, and a service that does not answer by chance: at the end what it charged less what it
    paid back is what the books say, and each kind of thing has happened."""
    chance = random.Random(7)
    service = card_service.state.service
    monkeypatch.setattr(service, "weather", rules.Weather(0.3, random.Random(11)))
    payers = [account_of(office, a_person(office)) for _ in range(12 if LONG else 4)]
    seen: dict[str, int] = {}
    for _ in range(500 if LONG else 140):
        account = chance.choice(payers)
        what = chance.choice(["page", "page", "file", "back", "sign up", "withdraw"])
        try:
            at_random(office, bank, card_service, account, what, chance)
            seen[what] = seen.get(what, 0) + 1
        except (Refused, Problem) as refused:
            seen["refused here"] = seen.get("refused here", 0) + 1
            assert str(refused)
        settle_some(office, bank, chance)
    monkeypatch.setattr(service, "weather", rules.Weather())
    for number in unsettled(office):
        goes_on(office, bank, number)
    for number in open_refunds(office):
        asking.pay_back(office.sessions, bank, number)
    assert min(seen.get(k, 0) for k in ("page", "file", "back")) >= 3, seen
    mine = set(payers)
    with office.sessions() as session:
        ours = {
            r.key: r for r in session.scalars(select(CardPayment).where(CardPayment.account_id.in_(mine)))
        }
        refunds = {
            r.key: r for r in session.scalars(select(CardRefund).where(CardRefund.account_id.in_(mine)))
        }
    charged = {
        p.key: p for p in at_service(card_service) if p.key in ours and p.status is ServiceStatus.CAPTURED
    }
    went_back = {r.key: r for r in at_service(card_service, ServiceRefund) if r.key in refunds and not r.said}
    assert {k for k, r in ours.items() if r.status is CardStatus.DONE} == set(charged)
    assert {k for k, r in refunds.items() if r.status is RefundStatus.DONE} == set(went_back)
    with office.sessions() as session:
        booked = session.scalars(select(Payment).where(Payment.account_id.in_(mine))).all()
        entries = session.scalars(select(Entry.amount).where(Entry.account_id.in_(mine))).all()
        signed_up = session.scalars(select(Enrollment).where(Enrollment.payer_id.in_(mine))).all()
        total = sum(e.total for e in signed_up if e.holds_seat)
    paid, fees = sum(p.amount for p in charged.values()), sum(p.fee for p in charged.values())
    assert (sum(p.amount for p in booked), sum(p.fee for p in booked)) == (paid, fees)
    assert sum(entries) == total - paid + sum(r.amount for r in went_back.values())
    assert len(charged) >= 3 and len(went_back) >= 1 and fees > 0
    assert office.read(lambda d: accounts.account_faults(d)) == []
    assert office.read(cards.card_faults) == []


def at_random(office, bank, card_service, account, what, chance):
    if what == "back":
        back(office, account, f"{chance.randint(1, 40)}.00")
    elif what == "file":
        command = ChargeCommand(amount=f"{chance.randint(1, 60)}.00")
        office.act(lambda d: card_charges.charge_on_file(d, account, command))
    elif what == "page":
        number = begun(office, account, what=chance.choice(list(WhatToPay)), keep=chance.random() < 0.5)
        at = opened(office, bank, number)
        if at:
            gives(card_service, at, chance.choice(list(Treatment)))
    elif what == "sign up":
        person = office.read(lambda d: accounts.get_account(d, account).person_id)
        enrolled(office, a_run(office), {"id": person})
    else:
        query = select(Enrollment.id).where(Enrollment.payer_id == account, Enrollment.live == 1)
        held = office.read(lambda d: list(d.session.scalars(query)))
        if not held:
            raise Problem(409, "none", "Holds no seat.")
        command = WithdrawCommand(seat=FreedSeat(to=SeatGoes.NEXT))
        office.act(lambda d: freed.withdraw(d, chance.choice(held), command))


def settle_some(office, service, chance):
    for number in chance.sample(unsettled(office), min(2, len(unsettled(office)))):
        asking.soon(office.sessions, service, number)
    for number in open_refunds(office)[:1]:
        try:
            asking.pay_back(office.sessions, service, number)
        except Trouble:
            continue


def unsettled(office):
    over = [CardStatus.DONE, CardStatus.REFUSED, CardStatus.RELEASED, CardStatus.EXPIRED, CardStatus.UNKNOWN]
    with office.sessions() as session:
        waits = (CardPayment.back != "") | CardPayment.details_id.is_not(None)
        return list(session.scalars(select(CardPayment.id).where(CardPayment.status.not_in(over), waits)))


def open_refunds(office):
    with office.sessions() as session:
        return list(session.scalars(select(CardRefund.id).where(CardRefund.status == RefundStatus.ASKED)))


def test_what_is_settled_at_the_desk_is_not_asked_for_by_card_and_a_card_settles_the_rest_first(
    office, bank, card_service
):
    lines = [
        {"percent": "40", "due": {"after_sign_up": 0}, "settle": "desk"},
        {"percent": "60", "due": {"after_sign_up": 0}, "settle": "online"},
    ]
    somebody, run = a_person(office), a_run(office, plans=[{"name": "Both", "lines": lines}])
    enrolled(office, run, somebody)
    account = account_of(office, somebody)
    shown = office.read(lambda d: card_views.to_pay(d, accounts.get_account(d, account)))
    assert (shown["next"], shown["whole"]) == ("126.00", "126.00")
    paid_by(office, bank, card_service, account, what=WhatToPay.WHOLE)
    left = page(office, account)["open"]
    assert [o["left"] for o in left] == ["84.00"]
    with pytest.raises(Refused, match="paid by card"):
        begun(office, account)

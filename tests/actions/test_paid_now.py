"""What is paid in the call that enrolls somebody: seat and money in one, or neither; and calls that are put aside."""

from dataclasses import replace

import pytest
from sqlalchemy import func, select

from archgate.actions.across import undo
from archgate.actions.enrolling import enrollments, parked
from archgate.actions.enrolling.commands import EnrollCommand, ParkCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once
from archgate.actions.money import accounts
from archgate.core.faults import Refused
from archgate.tables.messages import Message
from archgate.tables.money import Account, Payment
from archgate.tables.roster import Enrollment, ParkedCall
from made import a_person, a_run, at_once, enrolled, number, taken


def account_of(office, person):
    find = select(Account.id).where(Account.person_id == person["id"])
    number_of = office.read(lambda d: d.session.scalar(find))
    return office.read(lambda d: accounts.account_page(d, number_of))


def paid(**more):
    return {"amount": "105.00", "method": "cash", "receipt": True, **more}


def payments(office):
    return office.read(lambda d: d.session.scalar(select(func.count()).select_from(Payment)))


def test_a_deposit_is_taken_with_the_seat_settles_it_and_its_receipt_is_sent(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person, paid=paid())
    assert held["payment"]["receipt"].startswith("R-") and held["payment"]["sent_to"] == person["email"]
    page = account_of(office, person)
    assert [o["left"] for o in page["open"]] == ["105.00"], "the first half is settled"
    assert (page["balance"], page["credit"]) == ("105.00", "0.00")
    mail = office.read(
        lambda d: d.session.scalar(
            select(func.count())
            .select_from(Message)
            .where(Message.invoice_id == held["payment"]["receipt_id"])
        )
    )
    assert mail == 1


def test_whoever_has_no_email_gets_a_receipt_to_print_and_without_one_none_is_numbered(office):
    run = a_run(office)
    silent = a_person(office, email=None)
    held = enrolled(office, run, silent, paid=paid())
    assert held["payment"]["receipt"] and held["payment"]["sent_to"] is None
    other = enrolled(office, run, paid=paid(receipt=False))
    assert other["payment"]["receipt"] is None


def test_more_than_this_sign_up_costs_settles_what_else_is_due_and_is_credit_after(office):
    person = a_person(office)
    enrolled(office, a_run(office), person)
    enrolled(office, a_run(office), person, paid=paid(amount="450.00"))
    page = account_of(office, person)
    assert (page["open"], page["balance"], page["credit"]) == ([], "-30.00", "30.00")


@pytest.mark.parametrize(
    ("wrong", "at"),
    [
        ({"amount": "10"}, "/paid/amount"),
        ({"amount": "0.00"}, "/paid/amount"),
        ({"method": "check"}, "/paid/reference"),
    ],
)
def test_a_payment_that_cannot_be_leaves_no_seat_and_names_its_field(office, wrong, at):
    run, before = a_run(office), payments(office)
    with pytest.raises(Refused) as refused:
        enrolled(office, run, paid=paid(**wrong))
    assert [f.at for f in refused.value.faults] == [at]
    assert taken(office, run) == 0 and payments(office) == before


def test_whoever_may_not_take_money_gives_no_seat_with_it(office, users):
    run = a_run(office)
    reader = replace(office, user=users["reader"])
    with pytest.raises(Problem) as refused:
        enrolled(reader, run, a_person(office), paid=paid())
    assert refused.value.status == 403 and taken(office, run) == 0


def test_the_same_form_sent_three_times_at_once_takes_the_money_once(office):
    run, person, before = a_run(office), a_person(office), payments(office)
    once = Once(f"paid-now-{next(number)}", "same")

    def send():
        twin = replace(office)
        return enrolled_once(twin, run, person, once)

    done = at_once([send] * 3)
    assert len({str(d["enrollment_id"]) for d in done}) == 1
    assert payments(office) == before + 1 and taken(office, run) == 1


def enrolled_once(office, run, person, once):
    body = {"run_id": run["id"], "person_id": person["id"], "total": "210.00", "paid": paid()}
    return office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)), once=once)


def test_a_held_seat_is_confirmed_by_what_is_paid_with_it(office):
    run = a_run(office)
    held = enrolled(office, run, hold=True, paid=paid())
    assert office.read(lambda d: d.session.get(Enrollment, held["enrollment_id"]).status) == "seated"


def test_an_enrollment_that_is_undone_leaves_what_was_paid_as_credit(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person, paid=paid())
    office.act(lambda d: undo.undo(d, held["change"]))
    page = account_of(office, person)
    assert (page["credit"], page["balance"], taken(office, run)) == ("105.00", "-105.00", 0)


# --- put aside --------------------------------------------------------------------------------------------


@pytest.fixture
def desk(office):
    office.act(lambda d: d.session.query(ParkedCall).delete() and None)
    return office


def park(office, about="R. Caller"):
    return office.act(
        lambda d: parked.park(d, command_of(ParkCommand, {"about": about, "state": '{"call":1}'}))
    )


def test_a_parked_call_is_ones_own_on_every_screen_and_taken_up_by_one_of_them(desk, users):
    (mine,) = park(desk)
    other = replace(desk, user=users["administrator"])
    assert other.read(parked.listed) == [] and desk.read(parked.listed) == [mine]
    with pytest.raises(Problem):
        other.act(lambda d: parked.take_up(d, mine["id"]))
    done = at_once([lambda: desk.act(lambda d: parked.take_up(d, mine["id"]))] * 3)
    states = [d["state"] for d in done if isinstance(d, dict)]
    assert states == ['{"call":1}'] and desk.read(parked.listed) == []
    assert {d.kind for d in done if isinstance(d, Problem)} == {"taken-up"}


def test_there_is_a_most_of_parked_calls_and_of_what_one_holds(desk, monkeypatch):
    monkeypatch.setattr(parked, "MOST", 2)
    park(desk)
    park(desk)
    with pytest.raises(Refused):
        park(desk)
    with pytest.raises(Refused):
        command_of(ParkCommand, {"about": "x", "state": "y" * 16_001})

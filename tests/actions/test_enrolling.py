"""Enrolling, withdrawing, undo, the roster and the money that goes with them."""

from datetime import timedelta
from functools import partial

import pytest
from sqlalchemy import select

from archgate.actions.across import person_pages, undo
from archgate.actions.enrolling import changing, enrollments, freed
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel import lookups, unit_of_work
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import money
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.seats import seats
from archgate.core.seats import check_seats
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats
from made import a_draft, a_person, a_run, at_once, enrolled, number, roster_of, taken


def owed(office, person):
    found = office.read(lambda d: person_pages.find_people(d, person["name"]))
    return next(p for p in found if p["id"] == person["id"])["owed"]


def refused(office, run, person, total, **how):
    with pytest.raises(Problem) as problem:
        office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand, {"run_id": run["id"], "person_id": person["id"], "total": total, **how}
                ),
            )
        )
    return problem.value


def check_all(office, run):
    """The invariants: the seat row agrees with the enrollments, and the ledger balances."""

    def reading(d):
        row = d.session.get_one(RunSeats, run["id"])
        capacity = lookups.get_run(d, run["id"]).capacity
        assert check_seats(capacity, row.taken, seats.live_heads(d, run["id"])) == []
        assert money.ledger_faults(d) == []

    office.read(reading)


def test_the_first_person_has_a_seat_an_account_and_installments(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    assert (held["seat"], held["capacity"], held["quote"]["total"]) == (1, 14, "210.00")
    assert [(i["due"], i["amount"]) for i in held["quote"]["installments"]] == [
        ("2027-08-20", "105.00"), ("2027-09-19", "105.00"),
    ]  # fmt: skip
    row = roster_of(office, run)[0]
    assert (row["name"], row["rate"], row["total"], row["owed"], row["way_in"]) == (
        person["name"], "Standard, early", "210.00", "210.00", "desk",
    )  # fmt: skip
    assert (row["next_due"], row["next_amount"]) == ("2027-08-20", "105.00")
    assert owed(office, person) == "210.00"
    check_all(office, run)


def test_the_quote_is_kept_as_agreed(office):
    run = a_run(office)
    held = enrolled(office, run)
    kept = office.later(days=20).read(lambda d: changing.view(d, held["enrollment_id"]))
    assert kept["quote"] == held["quote"]


def test_a_total_that_changed_since_it_was_shown_answers_both_and_writes_nothing(office):
    run, person = a_run(office), a_person(office)
    late = office.later(days=8)
    problem = refused(late, run, person, "210.00")
    assert (problem.status, problem.kind) == (409, "total-changed")
    assert (problem.extra["shown"], problem.extra["now"]) == ("210.00", "240.00")
    assert taken(office, run) == 0 and owed(office, person) is None


def test_nobody_is_enrolled_twice(office):
    run, person = a_run(office), a_person(office)
    enrolled(office, run, person)
    assert refused(office, run, person, "210.00").kind == "already-in"
    assert taken(office, run) == 1


def test_a_full_run_refuses_with_its_reason(office):
    run = a_run(office, capacity=2, smallest=0)
    enrolled(office, run)
    enrolled(office, run)
    problem = refused(office, run, a_person(office), "210.00")
    assert (problem.kind, problem.detail) == ("full", "All 2 seats are taken.")


@pytest.mark.parametrize(("days", "words"), [(-30, "not open yet"), (26, "Sign-up has closed")])
def test_sign_up_outside_its_gates_is_refused_with_the_reason(office, days, words):
    run = a_run(office, sign_up_opens="2027-08-01")
    moment = office.later(days=days)
    total = moment.read(lambda d: quotes.quote_run(d, run["id"], QuoteCommand()))
    assert total["can_enroll"] is False and words in total["why"]
    problem = refused(moment, run, a_person(office), total["total"])
    assert problem.kind == "sign-up-shut" and words in problem.detail


def test_a_draft_takes_nobody(office):
    run = a_draft(office)
    assert refused(office, run, a_person(office), "210.00").detail == "The run is a draft; publish it first."


def test_what_does_not_exist_is_said(office):
    run, person = a_run(office), a_person(office)
    assert refused(office, run, {"id": 10**9}, "210.00").status == 404
    assert refused(office, run, person, "210.00", rate_id=10**9).kind == "no-rate"
    assert refused(office, run, person, "210.00", plan_id=10**9).kind == "no-plan"
    assert refused(office, run, person, "210.00", organization_id=10**9).kind == "no-organization"


def test_an_organization_pays_on_its_own_account(office):
    run, person = a_run(office), a_person(office)
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )
    enrolled(office, run, person, organization_id=client["id"])
    assert roster_of(office, run)[0]["payer"] == client["name"]
    assert owed(office, person) is None


def test_withdrawing_gives_seat_and_charge_back_and_undo_takes_both_again(office):
    run, person = a_run(office, capacity=1, smallest=0), a_person(office)
    held = enrolled(office, run, person)
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert gone["taken_back"] == "210.00" and taken(office, run) == 0 and owed(office, person) is None
    office.act(lambda d: undo.undo(d, gone["change"]))
    assert taken(office, run) == 1 and owed(office, person) == "210.00"
    check_all(office, run)


def test_undo_of_a_withdrawal_is_refused_when_the_seat_is_gone(office):
    run = a_run(office, capacity=1, smallest=0)
    held = enrolled(office, run)
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    enrolled(office, run)
    with pytest.raises(Problem, match="The seat is gone: all 1 seats are taken"):
        office.act(lambda d: undo.undo(d, gone["change"]))


def test_an_enrollment_is_taken_back_and_the_person_can_enroll_anew(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    office.act(lambda d: undo.undo(d, held["change"]))
    assert taken(office, run) == 0 and roster_of(office, run) == [] and owed(office, person) is None
    enrolled(office, run, person)
    assert taken(office, run) == 1
    check_all(office, run)


def test_undo_of_an_enrollment_is_refused_after_half_an_hour(office, monkeypatch):
    held = enrolled(office, a_run(office))
    real = unit_of_work.system_now
    monkeypatch.setattr(undo, "system_now", lambda: real() + timedelta(minutes=31))
    with pytest.raises(Problem, match="for 30 minutes"):
        office.act(lambda d: undo.undo(d, held["change"]))


def test_withdrawing_twice_is_refused(office):
    held = enrolled(office, a_run(office))
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    with pytest.raises(Problem, match="no longer holds a seat"):
        office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))


def test_a_free_run_posts_nothing_and_enrolls_at_once(office):
    run, person = a_run(office, rates=[{"amount": "0.00"}]), a_person(office)
    held = enrolled(office, run, person)
    assert held["quote"]["total"] == "0.00" and held["quote"]["installments"] == []
    assert owed(office, person) is None
    office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))


def sit_down(office, run, person):
    """The seat a person gets, or the kind of the refusal."""
    try:
        return office.act(
            lambda d: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand, {"run_id": run["id"], "person_id": person["id"], "total": "210.00"}
                ),
            )
        )["seat"]
    except Problem as problem:
        return problem.kind


def test_64_at_once_after_the_last_three_seats(office):
    """Threads with connections of their own: three get in, the others are told why, and the seat row is right."""
    run = a_run(office, capacity=5, smallest=0)
    enrolled(office, run)
    enrolled(office, run)
    somebody = [a_person(office) for _ in range(64)]
    outcomes = at_once([partial(sit_down, office, run, person) for person in somebody])
    assert sorted(o for o in outcomes if isinstance(o, int)) == [3, 4, 5]
    assert [o for o in outcomes if o == "full"] == ["full"] * 61
    check_all(office, run)


def test_the_same_person_sent_eight_times_at_once_sits_once(office):
    run, person = a_run(office), a_person(office)
    outcomes = at_once([partial(sit_down, office, run, person)] * 8)
    assert outcomes.count("already-in") == 7 and outcomes.count(1) == 1
    check_all(office, run)


def test_one_live_enrollment_per_person_and_run_is_kept_by_the_database(office, sessions):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    with sessions() as session:
        row = session.get_one(Enrollment, held["enrollment_id"])
        assert row.live == 1
        office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
        enrolled(office, run, person)
        rows = sessions().scalars(select(Enrollment).where(Enrollment.person_id == person["id"])).all()
        assert sorted(str(e.live) for e in rows) == ["1", "None"]

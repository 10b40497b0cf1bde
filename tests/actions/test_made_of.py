"""What a process keeps of a run: never older than the run, nothing of what was rolled back, and few statements."""

from contextlib import contextmanager
from functools import partial

import pytest
from sqlalchemy import Engine, event

from archgate.actions.access import showing as shown_to
from archgate.actions.access import sign_up
from archgate.actions.access.public_commands import SignUpCommand
from archgate.actions.across import undo
from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import plans, terms
from archgate.actions.fees.term_commands import PlanCommand, PlanPatch, TermsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, act
from archgate.actions.runs import lifecycle, making, moving, showing
from archgate.actions.runs.commands import MeetingPatch, RunPatch
from archgate.actions.seats import made_of
from archgate.tables.seats import RunSeats
from made import a_person, a_run, at_once, enrolled, number, public_run, taken

WHOLE = [{"percent": "100", "due": {"after_sign_up": 0}}]


def terms_set(office, run, **facts):
    patch = command_of(TermsPatch, {"set": facts})
    return office.act(lambda d: terms.change_terms(d, run["id"], patch))


def run_set(office, run, **facts):
    return office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, {"set": facts})))


def enroll(office, run, total, **how):
    body = {"run_id": run["id"], "person_id": a_person(office)["id"], "total": total, **how}
    return office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)))


def kept(office, run):
    engine = office.sessions.kw["bind"]
    return made_of.shelf_of(engine).kept.get(run["id"])


def dues(done):
    return [(i["due"], i["amount"]) for i in done["quote"]["installments"]]


@contextmanager
def heard(office):
    """Every statement that is sent meanwhile."""
    said, engine = [], office.sessions.kw["bind"]
    assert isinstance(engine, Engine)

    def listen(connection, cursor, statement, *more):
        said.append(" ".join(statement.split()))

    event.listen(engine, "before_cursor_execute", listen)
    try:
        yield said
    finally:
        event.remove(engine, "before_cursor_execute", listen)


def test_an_enrollment_takes_at_most_14_statements_besides_session_key_and_commit(office):
    run = a_run(office)
    enrolled(office, run)
    enrolled(office, run)  # the first of all makes the accounts of the center
    body = {"run_id": run["id"], "person_id": a_person(office)["id"], "total": "210.00"}
    with heard(office) as said:
        once = Once(f"statements {next(number)}", "hash")
        act(
            office.sessions,
            lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)),
            office.user,
            once,
            at=office.at,
        )
    session = [s for s in said if "FROM center WHERE" in s or "idempotency_keys" in s]
    assert len(session) == 3 and len(said) - len(session) <= 14, "\n".join(said)


def a_form():
    n = next(number)
    who = {"given": f"G{n}", "family": f"F{n}", "email": f"out{n}@example.org", "total": "210.00"}
    return command_of(SignUpCommand, who)


def outside(office, run, form):
    return act(
        office.sessions, lambda d: sign_up.sign_up(d, run["id"], form, shown_to.ANYBODY), None, at=office.at
    )


def test_a_sign_up_from_outside_reads_the_run_before_its_lock_and_little_under_it(office):
    run = public_run(office)
    for _ in range(2):
        outside(office, run, a_form())
    with heard(office) as said:
        outside(office, run, a_form())
    locked = next(n for n, s in enumerate(said) if s.startswith("UPDATE run_seats SET version"))
    assert len(said) - locked <= 34, "\n".join(said[locked:])
    assert not [s for s in said if " FROM rates " in s or " FROM gates " in s or " FROM meetings " in s]
    assert len([s for s in said if s.startswith("UPDATE run_seats SET version")]) == 1


def test_who_would_wait_for_the_lock_in_vain_is_told_without_it(office):
    run = public_run(office, capacity=1, smallest=0)
    outside(office, run, a_form())
    with heard(office) as said, pytest.raises(Problem) as refused:
        outside(office, run, a_form())
    assert refused.value.kind == "full" and len(said) <= 4, "\n".join(said)
    assert not [s for s in said if s.startswith(("UPDATE", "INSERT"))]


def test_a_price_that_changed_while_a_stranger_signed_up_is_asked_about(office, monkeypatch):
    run, form = public_run(office), a_form()
    outside(office, run, a_form())
    real = sign_up.refuse_shut

    def late(*given):
        terms_set(office, run, rates=[{"amount": "230.00"}, {"label": "Member", "amount": "190.00"}])
        return real(*given)

    monkeypatch.setattr(sign_up, "refuse_shut", late)
    with pytest.raises(Problem) as refused:
        outside(office, run, form)
    assert refused.value.kind == "total-changed" and taken(office, run) == 1


def test_whatever_becomes_another_about_a_run_holds_for_the_next_who_comes(office):
    run = a_run(office)
    assert enrolled(office, run)["quote"]["total"] == "210.00" and kept(office, run)
    steps = partial(terms_set, office, run)
    steps(rates=[{"amount": "240.00", "early": [{"days_before": 18, "amount": "200.00"}]}])
    assert enroll(office, run, "200.00")
    steps(rates=[{"amount": "260.00"}])
    assert enroll(office, run, "260.00")
    steps(extras=[{"label": "Pack", "amount": "5.00", "required": True}])
    assert enroll(office, run, "265.00")
    steps(taxes=[{"name": "Tax", "percent": "10"}])
    with pytest.raises(Problem) as other:
        enroll(office, run, "265.00")
    total = other.value.extra["now"]
    assert total != "265.00" and enroll(office, run, total)
    steps(plans=[{"name": "At once", "lines": WHOLE}])
    assert len(dues(enroll(office, run, total))) == 1
    steps(plans=[{"name": "Before it begins", "lines": [{"percent": "100", "due": {"before_start": 10}}]}])
    (before,) = dues(enroll(office, run, total))
    meeting = run["dates"][0]["id"]
    earlier = command_of(MeetingPatch, {"set": {"date": "2027-09-10"}})
    office.act(lambda d: moving.change_meetings(d, meeting, earlier))
    (after,) = dues(enroll(office, run, total))
    assert after[0] < before[0]
    run_set(office, run, capacity=taken(office, run) + 1)
    assert enroll(office, run, total)
    with pytest.raises(Problem, match="seats are taken"):
        enroll(office, run, total)
    run_set(office, run, capacity=taken(office, run) + 5)
    office.act(lambda d: lifecycle.set_sale(d, run["id"], False))
    with pytest.raises(Problem, match="off sale"):
        enroll(office, run, total)


def test_plans_of_the_center_hold_as_they_are_now(office):
    run = a_run(office)
    enrolled(office, run)
    name = f"Late {next(number)}"
    made = office.act(lambda d: plans.make_plan(d, command_of(PlanCommand, {"name": name, "lines": WHOLE})))
    plan = made["plan"]["id"]
    (today,) = dues(enroll(office, run, "210.00", plan_id=plan))
    later = {"set": {"lines": [{"percent": "100", "due": {"after_sign_up": 9}}]}}
    changed = office.act(lambda d: plans.change_plan(d, plan, command_of(PlanPatch, later)))
    (due,) = dues(enroll(office, run, "210.00", plan_id=changed["plan"]["id"]))
    assert due[0] > today[0]


def test_nothing_is_kept_of_what_was_only_tried(office):
    run = a_run(office)
    enrolled(office, run)
    was = kept(office, run).revision

    def both(d):
        terms.change_terms(d, run["id"], command_of(TermsPatch, {"set": {"rates": [{"amount": "1.00"}]}}))
        d.session.flush()
        d.session.expunge_all()
        body = {"run_id": run["id"], "person_id": somebody["id"], "total": "1.00"}
        return enrollments.enroll(d, command_of(EnrollCommand, body))

    somebody = a_person(office)
    assert act(office.sessions, both, office.user, preview=True, at=office.at).quote.total == "1.00"
    assert kept(office, run).revision == was
    assert office.read(lambda d: d.session.get_one(RunSeats, run["id"]).revision) == was[0]
    assert enroll(office, run, "210.00")


def test_of_prices_saved_while_many_enroll_each_pays_one_that_stood(office):
    run = a_run(office, capacity=60, smallest=0)
    enrolled(office, run)
    prices = ["210.00", "150.00", "151.00", "152.00"]

    def come(total):
        return enroll(office, run, total)["quote"]["total"]

    def save(total):
        terms_set(office, run, rates=[{"amount": total}])

    outcomes = at_once([partial(come, p) for p in prices * 3] + [partial(save, p) for p in prices[1:]])
    paid = [o for o in outcomes if isinstance(o, str)]
    refused = [o for o in outcomes if isinstance(o, Problem)]
    assert all(p in prices for p in paid) and {o.kind for o in refused} <= {"total-changed"}
    assert len(paid) + len(refused) == 12 and taken(office, run) == 1 + len(paid)
    last = office.read(lambda d: showing.run_view(d, run["id"]))["price"]["amount"]
    assert enroll(office, run, last)


def test_what_was_expected_before_the_lock_gives_way_to_what_is_under_it(office):
    run = a_run(office)
    enrolled(office, run)
    somebody = a_person(office)

    def late(d):
        _, expected = made_of.expect(d, somebody["id"], run["id"])
        assert expected is not None and expected.run.rates[0].amount == 24000 and not expected.full
        terms_set(office, run, rates=[{"amount": "230.00"}, {"label": "Member", "amount": "190.00"}])
        locked, row = made_of.lock_run(d, run["id"])
        assert locked is expected.run and row.revision > expected.revision[0]
        return [rate.amount for rate in locked.rates if rate.active]

    assert act(office.sessions, late, office.user, preview=True, at=office.at) == [23000, 19000]


def refused_when_full(office, run):
    """The statements of a sign-up for a run without a seat."""
    waiting = a_person(office)
    body = {"run_id": run["id"], "person_id": waiting["id"], "total": "210.00"}
    with heard(office) as statements, pytest.raises(Problem) as refused:
        office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)))
    assert not [s for s in statements if s.startswith("INSERT")]
    assert (refused.value.kind, refused.value.detail) == ("full", "All 1 seats are taken.")
    return statements


def test_a_full_run_is_refused_without_its_lock_or_lets_go_of_it_before_it_says_why(office, monkeypatch):
    run = a_run(office, capacity=1, smallest=0)
    enrolled(office, run)
    assert "ROLLBACK" in (before := refused_when_full(office, run))
    assert not [s for s in before if s.startswith("UPDATE")]
    monkeypatch.setattr(made_of.Expected, "full", False)  # the last seat goes while the lock is waited for
    under = refused_when_full(office, run)
    locked = next(n for n, s in enumerate(under) if s.startswith("UPDATE run_seats"))
    assert under[locked + 2] == "ROLLBACK"  # after the one look at what is taken


def test_an_act_that_let_go_of_its_locks_is_never_kept(office):
    def forgetful(uow):
        uow.let_go()
        return "done"

    with pytest.raises(AssertionError, match="let go"):
        office.act(forgetful)


def test_a_capacity_that_was_undone_sells_no_seat(office):
    """What a process keeps of a run must not outlive an undo: it would sell seats that are no longer there."""
    run = a_run(office, capacity=2, smallest=0)
    wider = run_set(office, run, capacity=4)
    enrolled(office, run)  # by now it is kept, with four seats
    office.act(lambda d: undo.undo(d, wider["change"]))
    enrolled(office, run)
    with pytest.raises(Problem, match="taken"):
        enrolled(office, run)
    assert taken(office, run) == 2


def test_an_undo_that_takes_seats_away_is_refused_while_they_are_promised(office):
    run = a_run(office, capacity=2, smallest=0)
    wider = run_set(office, run, capacity=4)
    for _ in range(3):
        enrolled(office, run)
    with pytest.raises(Problem, match="3 seats are taken by now; the run cannot go back to 2"):
        office.act(lambda d: undo.undo(d, wider["change"]))

"""The one way a transaction is run: retried, made safe to repeat, logged, taken back."""

import threading
from functools import partial

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError, OperationalError

from archgate.actions.across import undo
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, act, sweep_keys
from archgate.actions.people import people
from archgate.actions.people.commands import PersonCommand
from archgate.actions.runs import making, showing
from archgate.actions.runs.commands import RunPatch
from archgate.tables.log import Change
from archgate.tables.people import Person
from archgate.tables.seats import RunSeats
from made import a_draft, a_person, a_run, at_once, enrolled, number


def test_a_lock_wait_that_runs_out_runs_the_whole_action_again(office, monkeypatch):
    tries = []

    def uow(d):
        tries.append(1)
        if len(tries) < 3:
            raise OperationalError("SELECT", {}, Exception(1205, "Lock wait timeout exceeded"))
        return people.create_person(
            d, command_of(PersonCommand, {"given": "Again", "family": f"N{next(number)}"})
        )

    monkeypatch.setattr("archgate.actions.kernel.unit_of_work.time.sleep", lambda _: None)
    assert office.act(uow)["given"] == "Again"
    assert len(tries) == 3


def test_another_error_is_not_tried_again_and_leaves_nothing(office):
    name = f"Nobody{next(number)}"

    def uow(d):
        people.create_person(d, command_of(PersonCommand, {"given": name, "family": "X"}))
        raise OperationalError("SELECT", {}, Exception(1040, "Too many connections"))

    with pytest.raises(OperationalError):
        office.act(uow)
    assert office.read(lambda d: d.session.scalar(select(Person).where(Person.given == name))) is None


def test_two_actions_that_lock_crosswise_both_end_well(office):
    """A real deadlock: MariaDB ends one of the two, and it runs again."""
    a, b = a_run(office), a_run(office)
    both = threading.Barrier(2, timeout=10)

    def crosswise(first, second):
        held = []

        def uow(d):
            d.session.scalars(select(RunSeats).where(RunSeats.run_id == first).with_for_update()).one()
            if not held:
                held.append(1)
                both.wait()
            row = d.session.scalars(select(RunSeats).where(RunSeats.run_id == second).with_for_update()).one()
            row.version += 1
            return True

        return office.act(uow)

    done = at_once([partial(crosswise, a["id"], b["id"]), partial(crosswise, b["id"], a["id"])])
    assert done == [True, True]


def test_the_same_key_gives_the_same_answer_and_is_done_once(office):
    once = Once(f"key-{next(number):08}", "h" * 64)
    body = {"given": "Once", "family": f"N{next(number)}"}
    first = office.act(lambda d: people.create_person(d, command_of(PersonCommand, body)), once=once)
    again = office.act(lambda d: people.create_person(d, command_of(PersonCommand, body)), once=once)
    assert first == again
    found = office.read(
        lambda d: d.session.scalars(select(Person).where(Person.name == f"Once {body['family']}")).all()
    )
    assert len(found) == 1


def test_the_same_key_with_another_body_is_refused(office):
    key = f"key-{next(number):08}"
    office.act(lambda d: {"done": 1}, once=Once(key, "a" * 64))
    with pytest.raises(Problem) as problem:
        office.act(lambda d: {"done": 2}, once=Once(key, "b" * 64))
    assert (problem.value.status, problem.value.kind) == (422, "key-reused")


def test_a_key_sent_twice_at_once_is_done_once(office):
    once, family = Once(f"key-{next(number):08}", "c" * 64), f"N{next(number)}"

    def send():
        return office.act(
            lambda d: people.create_person(
                d, command_of(PersonCommand, {"given": "Twice", "family": family})
            ),
            once=once,
        )

    done = at_once([send] * 6)
    assert len(done) == 6 and len({d["id"] for d in done}) == 1


def test_a_failed_action_leaves_its_key_free(office):
    once = Once(f"key-{next(number):08}", "d" * 64)

    def refuse(d):
        raise Problem(409, "full", "No.")

    with pytest.raises(Problem):
        office.act(refuse, once=once)
    assert office.act(lambda d: {"done": 1}, once=once) == {"done": 1}


def test_old_keys_are_forgotten(office, sessions):
    with sessions.begin() as session:
        session.execute(text("INSERT INTO idempotency_keys (user_id, `key`, body_hash, status, at)"
                             " VALUES (:u, 'old-key-0001', 'x', 200, '2020-01-01')"), {"u": office.user.id})  # fmt: skip
    office.act(sweep_keys)
    with sessions() as session:
        assert session.scalar(text("SELECT COUNT(*) FROM idempotency_keys WHERE `key` = 'old-key-0001'")) == 0


def test_a_preview_answers_and_writes_nothing(office):
    run = a_draft(office)
    change = {"set": {"capacity": 99}, "seen": {"capacity": 14}}
    told = office.act(lambda d: making.change_run(d, run["id"], command_of(RunPatch, change)), preview=True)
    assert told["touches"][0]["after"] == "99"
    assert office.read(lambda d: showing.run_view(d, run["id"]))["capacity"] == 14


def test_every_change_is_logged_with_the_rows_before_and_after(office):
    run = a_draft(office)
    told = office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"set": {"note": "Yard"}, "seen": {"note": ""}})
        )
    )
    change = office.read(
        lambda d: d.session.scalars(select(Change).where(Change.key == told["change"])).one()
    )
    assert change.user_id == office.user.id and change.at == office.at
    row = next(r for r in change.rows if r["table"] == "runs")
    assert (row["id"], row["before"], row["after"]) == (run["id"], {"note": ""}, {"note": "Yard"})


@pytest.mark.parametrize(
    "statement", ["UPDATE entries SET amount = amount + 1", "DELETE FROM postings", "DELETE FROM changes"]
)
def test_the_database_itself_keeps_ledger_and_log_append_only(office, sessions, statement):
    enrolled(office, a_run(office))
    with pytest.raises(DBAPIError, match="never changed or deleted"), sessions.begin() as session:
        session.execute(text(statement))


def test_nobody_acts_without_a_center(engine, office):
    person = a_person(office)
    assert act(office.sessions, lambda d: d.center.name) == "Test Center"
    assert person["email"].endswith("@example.org")


def test_the_same_new_thing_made_twice_at_once_is_made_once_and_said(office):
    """Two forms with one code, and two undos of one change: a unique key decides, and the other is told in words."""
    code = f"SAME-{next(number)}"
    made = at_once([partial(a_draft, office, code=code)] * 4)
    assert sum(isinstance(m, dict) for m in made) == 1
    assert all(isinstance(m, dict) or f'The run code "{code}" is taken.' in str(m) for m in made)
    run = next(m for m in made if isinstance(m, dict))
    told = office.act(
        lambda d: making.change_run(
            d, run["id"], command_of(RunPatch, {"seen": {}, "set": {"place": "Yard"}})
        )
    )
    undone = at_once([partial(office.act, lambda d: undo.undo(d, told["change"]))] * 4)
    assert sum(isinstance(u, dict) for u in undone) == 1
    assert all(isinstance(u, dict | Problem) for u in undone)

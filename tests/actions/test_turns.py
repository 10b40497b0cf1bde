"""Turns with a run inside one process: one after another, each run for itself, and never for longer than patience lasts."""

import threading
import time
from functools import partial

from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.kernel import turns
from archgate.actions.kernel.commands import command_of
from made import a_person, a_run, at_once, enrolled, taken


def test_those_who_come_to_one_run_go_one_after_another(office):
    inside, most, order = [], [], []

    def come(name):
        with turns.turn_with(office.sessions, 7):
            inside.append(name)
            most.append(len(inside))
            time.sleep(0.01)
            order.append(inside.pop())

    at_once([partial(come, n) for n in range(8)])
    assert most == [1] * 8 and sorted(order) == list(range(8))
    assert not turns.TURNS  # nothing is kept when nobody waits


def test_nobody_waits_for_another_run_nor_longer_than_patience_lasts(office, monkeypatch):
    monkeypatch.setattr(turns, "PATIENCE", 0.1)
    free, held = threading.Event(), threading.Event()

    def keep():
        with turns.turn_with(office.sessions, 7):
            held.set()
            free.wait(20)

    keeper = threading.Thread(target=keep)
    keeper.start()
    assert held.wait(5)
    with turns.turn_with(office.sessions, 8), turns.turn_with(office.sessions, 7):
        assert keeper.is_alive()  # it still has its turn; we went on without
    free.set()
    keeper.join(5)
    assert not keeper.is_alive()


def test_an_account_that_is_made_while_the_lock_is_waited_for_is_found(office):
    """Two sign-ups of one person for two runs at once: both looked for the account before either made it."""
    somebody, runs = a_person(office), [a_run(office), a_run(office)]
    for run in runs:
        enrolled(office, run)  # what each run is made of is kept now

    def come(run):
        body = {"run_id": run["id"], "person_id": somebody["id"], "total": "210.00"}
        return office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)))

    done = at_once([partial(come, run) for run in runs])
    assert [d["seat"] for d in done] == [2, 2] and [taken(office, run) for run in runs] == [2, 2]

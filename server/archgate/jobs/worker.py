"""The worker: takes jobs one by one, does them through the outside's interfaces, and does timed work."""

from __future__ import annotations

import os
import secrets
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import partial
from typing import Protocol, TypeVar

import structlog
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.access import confirming
from archgate.actions.across import checks
from archgate.actions.bulk import carrying_out, hands
from archgate.actions.enrolling import held_places, interest, offers
from archgate.actions.kernel import queue
from archgate.actions.kernel.unit_of_work import UnitOfWork, act, read_only
from archgate.actions.messages import messages, webhooks
from archgate.actions.money import asking, card_charges, card_refunds, cards
from archgate.actions.schedule import meeting_links
from archgate.actions.teaching import covering, evaluations
from archgate.clock import system_now
from archgate.outside.mail import Mail, StandInMail, Trouble
from archgate.outside.meetings import Meetings, StandInMeetings
from archgate.outside.payments import Cards, cards_of
from archgate.outside.webhooks import StandInWebhooks, Webhooks
from archgate.settings import settings_from

T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)
log = structlog.get_logger()
IDLE = 1.0  # seconds between two looks at an empty line
ROUNDS = 2.0  # seconds between two looks at what comes round by the clock
LONGEST_PAUSE = 15.0


def name() -> str:
    return f"{socket.gethostname()[:30]}-{os.getpid()}-{secrets.token_hex(3)}"


@dataclass
class Worker:
    """One worker. It keeps nothing between jobs; any number of them run beside each other."""

    sessions: sessionmaker[Session]
    mail: Mail
    meetings: Meetings
    name: str = field(default_factory=name)
    lease: timedelta = queue.LEASE
    webhooks: Webhooks | None = None
    cards: Cards | None = None

    @classmethod
    def with_stand_ins(
        cls, sessions: sessionmaker[Session], lease: timedelta = queue.LEASE, cards: Cards | None = None
    ) -> Worker:
        return cls(
            sessions,
            StandInMail(sessions),
            StandInMeetings(sessions),
            lease=lease,
            webhooks=StandInWebhooks(sessions),
            cards=cards or cards_of(settings_from()),
        )

    def run_one(self, now: datetime | None = None) -> bool:
        """Do the next job; False when none is due."""
        taken = queue.claim(self.sessions, self.name, now, self.lease)
        if taken is None:
            return False
        try:
            self.do(taken)
        except Trouble as trouble:
            queue.put_back(self.sessions, taken, self.name, trouble.said, trouble.for_good, now)
        except Exception as error:
            # Whatever went wrong must not stop the others' work; it is tried again and shown to people in the end.
            log.exception("job", kind=taken.kind, key=taken.key)
            queue.put_back(self.sessions, taken, self.name, f"{type(error).__name__}: {error}", False, now)
        return True

    def do(self, taken: queue.Taken) -> None:
        """The outside first, with the stable key; then the mark that it is done. Killed between, it is asked again."""
        if taken.kind == "send message":
            with self.sessions() as session:
                mailing = messages.mailing(session, taken.key)
            self.mail.send(taken.key, mailing, taken.tries)
        elif taken.kind == "make link":
            link, host_key = self.meetings.make(taken.key)
            with self.sessions.begin() as session:
                if queue.finish(session, taken, self.name):
                    meeting_links.keep(session, int(str(taken.what["meeting_id"])), link, host_key)
            return
        elif taken.kind == covering.JOB:
            covering.work_out(self.sessions, int(str(taken.what["plan"])))
        elif taken.kind == "send webhook":
            with self.sessions() as session:
                delivery = webhooks.delivery(session, taken.key, taken.what)
            assert self.webhooks
            self.webhooks.send(taken.key, *delivery)
        elif taken.kind in (cards.LOOK, card_refunds.REFUND):
            self.ask_about_card(taken)
        elif taken.kind == confirming.INVOICE:
            number = int(str(taken.what["enrollment"]))
            act(self.sessions, partial(confirming.send_invoice, enrollment_id=number))
        else:
            raise Trouble(f'Nobody knows how to "{taken.kind}".', for_good=True)
        with self.sessions.begin() as session:
            queue.finish(session, taken, self.name)

    def ask_about_card(self, taken: queue.Taken) -> None:
        if self.cards is None:
            raise Trouble("No payment service is set up.")
        if taken.kind == cards.LOOK:
            asking.go_on(self.sessions, self.cards, int(str(taken.what["card_payment"])))
        else:
            asking.pay_back(self.sessions, self.cards, int(str(taken.what["card_refund"])))

    def timed(self, now: datetime | None = None) -> None:
        """Whatever comes round by the clock; each round is done by one worker."""
        now = now or system_now()
        for what, every, do in rounds():
            try:
                with self.sessions.begin() as session:
                    row = queue.due_round(session, what, every, now)
                    if row is not None:
                        row.found = do(self.sessions)
            except Exception:
                # One round's trouble must not stop the others, nor the worker; it comes round again.
                log.exception("round", what=what)

    def drain(self, now: datetime | None = None) -> int:
        """Do everything that is due at a moment; how many jobs that were."""
        done = 0
        while self.run_one(now):
            done += 1
        return done

    def work(self, stop: Callable[[], bool]) -> None:
        """Work until told to stop. What goes wrong between jobs (a database that is restarted, above all) is written down,
        and after a pause it goes on: a worker outlives its database."""
        round_at, pause = 0.0, IDLE
        while not stop():
            try:
                if time.monotonic() >= round_at:
                    say_alive(self.sessions, self.name)
                    self.timed()
                    round_at = time.monotonic() + ROUNDS
                begin_lists(self.sessions)
                carrying_out.carry_out(self.sessions)
                if not self.run_one():
                    time.sleep(IDLE)
                pause = IDLE
            except Exception as error:
                log.warning("worker", said=f"{type(error).__name__}: {error}"[:300], pause=pause)
                time.sleep(pause)
                pause = min(2 * pause, LONGEST_PAUSE)


def say_alive(sessions: sessionmaker[Session], name: str) -> None:
    """Leave word that a worker is at work; Today says when none has for a while."""
    with sessions.begin() as session:
        queue.note_alive(session, name)


class OfRun(Protocol[T_co]):
    """Something that is done to one run."""

    def __call__(self, uow: UnitOfWork, run_id: int) -> T_co: ...


def each_run(
    sessions: sessionmaker[Session],
    due: Callable[[UnitOfWork], list[int]],
    do: OfRun[T],
) -> tuple[list[T], str]:
    """Do the same for every run that is due, one transaction each: what came of it, and how many were in trouble."""
    done, trouble = [], 0
    for run_id in read_only(sessions, due):
        try:
            done.append(act(sessions, partial(do, run_id=run_id)))
        except Exception:
            # One run's trouble is its own.
            log.exception("round of a run", run_id=run_id)
            trouble += 1
    return done, f" {trouble} {'run' if trouble == 1 else 'runs'} in trouble." if trouble else ""


def tell_interested(sessions: sessionmaker[Session]) -> str:
    """Everybody on the list of a run whose sign-up opens."""
    told, trouble = each_run(sessions, interest.due_runs, interest.tell)
    return f"{sum(told)} people told that sign-up opens.{trouble}"


def ask_for_evaluations(sessions: sessionmaker[Session]) -> str:
    """The learners of runs that are over, a slice of each at a time."""
    asked, trouble = each_run(sessions, evaluations.due_runs, evaluations.ask)
    return f"{sum(asked)} learners asked.{trouble}"


def nightly(sessions: sessionmaker[Session]) -> str:
    """Begin the check in a process of its own, which leaves word of what it found: letters do not wait. One that was ended in
    the middle is gone on with."""
    beside("check")
    return "A check was begun."


def sweep(sessions: sessionmaker[Session]) -> str:
    return act(sessions, checks.sweep)


def down_the_lines(sessions: sessionmaker[Session]) -> str:
    """Let go of what ran out, then offer what is free."""
    gone, first = each_run(sessions, held_places.due_runs, held_places.let_go)
    moved, then = each_run(sessions, offers.due_lines, offers.go_down)
    made, ended = sum(len(m.offered) for m in moved), sum(len(m.ended) for m in moved)
    return f"{made} offers made, {ended} passed on, {sum(gone)} holds let go.{first}{then}"


def see_after_cards(sessions: sessionmaker[Session]) -> str:
    """Ask about payments by card of which nothing was heard for a while, one transaction each."""
    looked = 0
    for number in read_only(sessions, cards.to_look_at):
        looked += act(sessions, partial(cards.queue_look, card_payment_id=number))
    return f"{looked} payments by card asked about."


def charge_what_is_due(sessions: sessionmaker[Session]) -> str:
    """Begin the charges that are due by themselves, one transaction each."""
    begun, trouble = 0, 0
    for number in read_only(sessions, card_charges.due_by_itself):
        try:
            begun += act(sessions, partial(card_charges.charge_due, installment_id=number)) is not None
        except Exception:
            # One account's trouble is its own.
            log.exception("charge", installment_id=number)
            trouble += 1
    return f"{begun} charges begun.{f' {trouble} in trouble.' if trouble else ''}"


def back_up(sessions: sessionmaker[Session]) -> str:
    """Begin the scheduled backup in a process of its own, which leaves word of it when it is done: letters do not wait."""
    settings = settings_from()
    if settings.backups is None:
        return "No directory is set for backups."
    beside("backup", "--keep", str(settings.backups_kept))
    return "A backup was begun."


def beside(*command: str) -> None:
    """One of our own commands in a process of its own, at a lower priority than what people wait for."""
    subprocess.Popen(
        ["nice", "-n", "10", sys.executable, "-m", "archgate.cli", *command],
        stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip


def begin_lists(sessions: sessionmaker[Session]) -> None:
    """Begin to work on lists that were confirmed, or go on where another worker is gone: each in a process of its own, as letters
    do not wait, and people at the desk do not either."""
    for number, word in hands.claim(sessions):
        beside("list", str(number), word)


def rounds() -> tuple[tuple[str, timedelta, Callable[[sessionmaker[Session]], str]], ...]:
    """What comes round by the clock, and how often."""
    return (
        (checks.CHECK, timedelta(hours=24), nightly),
        ("go down the lines", timedelta(seconds=2), down_the_lines),
        ("tell who is interested", timedelta(seconds=60), tell_interested),
        ("ask what learners think", timedelta(seconds=60), ask_for_evaluations),
        ("see after card payments", timedelta(seconds=30), see_after_cards),
        ("charge what is due by card", timedelta(minutes=10), charge_what_is_due),
        ("forget what is old", timedelta(hours=1), sweep),
        ("back up", timedelta(hours=settings_from().backup_hours), back_up),
    )

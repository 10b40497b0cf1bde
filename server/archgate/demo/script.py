"""The made-up center Ashlar Quay, lived through day by day by the same actions that people use.

Made from a fixed seed and the clock's today: the same day gives the same center.
"""

from __future__ import annotations

from datetime import date, timedelta

from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.access import staff
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import UnitOfWork, act
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import NoteCommand, OrganizationCommand
from archgate.actions.runs import making
from archgate.clock import system_now
from archgate.demo.cards import PracticeBank, card_days, cards_today
from archgate.demo.center import PASSWORD, Center
from archgate.demo.desk import CLIENT, OTHER_CLIENT, desk_work, money_in, offers
from archgate.demo.lists import lists
from archgate.demo.offerings import RUNS, PlannedRun
from archgate.demo.rosters import alive
from archgate.demo.runs import furnish, make_run
from archgate.demo.sign_ups import events, everybody, sign_up, sign_up_days
from archgate.demo.teaching import heard, preparing_courses, teaching
from archgate.jobs.worker import Worker
from archgate.tables.access import User

USERS = (
    ("ruth.okonjo@example.org", "Ruth Okonjo", "administrator"),
    ("peter.lindqvist@example.org", "Peter Lindqvist", "coordinator"),
    ("ines.halloran@example.org", "Ines Halloran", "finance"),
    ("tomas.brandt@example.org", "Tomas Brandt", "desk"),
)
DAYS = 75  # how long the center has been at work before today
NOTES = (
    (4, "Prefers a call in the morning."),
    (9, "Asks for the ground-floor door; uses a stick."),
    (17, "Paid by check last year; the address on file is the new one."),
)


def load(sessions: sessionmaker[Session], today: date, quick: bool, bank: PracticeBank) -> None:
    """Live through the days before `today`, and this morning. `bank` is the practice service for cards, which the settings name."""
    center = Center(sessions, today, quick)
    center.day = today - timedelta(days=DAYS)
    for email, name, role in USERS:

        def add(uow: UnitOfWork, email: str = email, name: str = name, role: str = role) -> User:
            return staff.create_user(uow, email, name, role, PASSWORD, quick)

        made = act(sessions, add, at=center.at(8))
        if role in ("administrator", "coordinator"):  # who does what the days below tell
            center.users.append(made)
    crowd = everybody(center)
    for name, street, own, email in (
        (CLIENT, "40 Northgate Walk", "EIN 13-0000001", "accounts@northgate.example.org"),
        (OTHER_CLIENT, "9 Harbor Terrace", "V-2207", "office@harbor.example.org"),
    ):
        facts = {"name": name, "address": f"{street}\nNew York, NY 10004", "number": own, "email": email}
        center.act(8.5, organizations.create_organization, command_of(OrganizationCommand, facts))
    furnish(center)
    course_ids: dict[str, int] = {}
    signing_up: list[tuple[PlannedRun, int, list[int]]] = []
    for back in range(DAYS, -1, -1):
        center.day = today - timedelta(days=back)
        for plan in RUNS:
            if plan.made == -back:
                run = make_run(center, plan, course_ids)
                if plan.published:
                    center.act(10, making.publish_run, run.id)
                    signing_up.append((plan, run.id, sign_up_days(center, plan, run.first)))
        for plan, run_id, on_days in signing_up:
            for n in range(on_days.count(back)):
                sign_up(center, plan, run_id, crowd, 10.5 + n * 0.4 + center.chance.random() * 0.3)
            events(center, plan, run_id, back, crowd)
        if back % 2 == 0 and back:
            money_in(center, bank)
        card_days(center, bank, runs_of(signing_up), crowd, back)
    center.day = today
    desk_work(center, signing_up)
    offers(center, runs_of(signing_up), crowd)
    alive(center, runs_of(signing_up), crowd)
    teaching(center, runs_of(signing_up))
    lists(center, runs_of(signing_up))
    heard(center)
    preparing_courses(center)
    cards_today(center, bank, runs_of(signing_up), crowd)
    worker = Worker.with_stand_ins(center.sessions, cards=bank)
    for minutes in (2, 10, 60, 600):
        worker.drain(system_now() + timedelta(minutes=minutes))
    worker.timed()
    for number, text in NOTES:
        center.act(9, people.add_note, crowd[number], command_of(NoteCommand, {"text": text}))


def runs_of(signing_up: list[tuple[PlannedRun, int, list[int]]]) -> dict[tuple[str, int], int]:
    """Published runs by their course and first day, as the plan names them."""
    return {(plan.course, plan.first): run for plan, run, _ in signing_up}

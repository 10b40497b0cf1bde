"""The made-up center Ashlar Quay, lived through day by day by the same actions that people use.

Made from a fixed seed and the clock's today: the same day gives the same center.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, TypeVar
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session, sessionmaker

from archgate.actions import access, courses, fees, people, roster
from archgate.actions.problems import Problem
from archgate.actions.transaction import Deed, act, look
from archgate.demo.names import FAMILY, GIVEN

T = TypeVar("T")
ZONE = "America/New_York"
PASSWORD = "lime and stone"
USERS = (
    ("ruth.okonjo@example.org", "Ruth Okonjo", "administrator"),
    ("peter.lindqvist@example.org", "Peter Lindqvist", "coordinator"),
)
CLIENT = "Northgate Trust"
DAYS = 70  # how long the center has been at work before today

COURSES = (
    (
        "DSW",
        "A boundary wall in eight evenings",
        "Lay a dry-stone wall that stands: footing, hearting, throughs, cope.",
    ),
    (
        "LIME",
        "Lime plaster for old walls",
        "Mix, lay and finish lime plaster in three coats on lath and on stone.",
    ),
    ("GLASS", "Leaded glass: a small panel", "Cut, lead and solder a panel of your own design."),
)


@dataclass(frozen=True)
class PlannedRun:
    """A run of the script: days count from today; `fill` is how many people sign up before today."""

    course: str
    made: int
    first: int
    weekday: str
    start: str
    minutes: int
    count: int
    capacity: int
    smallest: int
    place: str
    instructor: str
    fee: str
    early: str
    early_days: int
    plan: str
    fill: int
    title: str = ""
    opens: int | None = None
    published: bool = True


HALVES = {
    "name": "Half now, half in 30 days",
    "lines": [
        {"percent": "50", "due": {"after_sign_up": 0}},
        {"percent": "50", "due": {"after_sign_up": 30}},
    ],
}
DEPOSIT = {
    "name": "Deposit of 40, the rest on the first day",
    "lines": [
        {"amount": "40.00", "due": {"after_sign_up": 0}, "settle": "online"},
        {"rest": True, "due": {"after_start": 0}},
    ],
}
PLANS: dict[str, dict[str, Any]] = {"halves": HALVES, "deposit": DEPOSIT}

RUNS = (
    PlannedRun("LIME", -68, -58, "SA", "09:30", 360, 3, 10, 5, "Hall 2", "I. Marchetti",
               "310.00", "280.00", 14, "deposit", 7),
    PlannedRun("DSW", -66, -24, "TU", "17:30", 150, 8, 12, 6, "Quarry yard", "I. Marchetti",
               "236.00", "212.00", 14, "halves", 12),
    PlannedRun("GLASS", -50, 6, "SA", "10:00", 300, 4, 10, 6, "Glass room", "M. Oyelaran",
               "264.00", "238.00", 14, "deposit", 4),
    PlannedRun("DSW", -40, 23, "TH", "17:30", 150, 8, 14, 6, "Quarry yard", "I. Marchetti",
               "236.00", "212.00", 11, "halves", 9),
    PlannedRun("LIME", -20, 60, "SU", "09:30", 360, 3, 200, 40, "Great barn", "P. Hallam",
               "298.00", "268.00", 21, "halves", 11, title="Lime plaster: the open weekend school"),
    PlannedRun("GLASS", -6, 75, "WE", "18:00", 120, 6, 8, 5, "Glass room", "",
               "276.00", "248.00", 14, "halves", 0, title="Leaded glass: winter evenings", published=False),
)  # fmt: skip


@dataclass
class Center:
    """The script at work: who acts, on which day, with the seeded choices."""

    sessions: sessionmaker[Session]
    today: date
    users: list[Any] = field(default_factory=list)
    chance: random.Random = field(default_factory=lambda: random.Random(20270519))
    day: date = date.min

    def at(self, hour: float) -> datetime:
        minutes = int(hour * 60)
        local = datetime.combine(self.day, time(minutes // 60, minutes % 60), ZoneInfo(ZONE))
        return local.astimezone(UTC)

    def act(self, hour: float, deed: Callable[[Deed], T]) -> T:
        return act(self.sessions, deed, self.users[self.chance.randrange(len(self.users))], at=self.at(hour))

    def look(self, hour: float, reading: Callable[[Deed], T]) -> T:
        return look(self.sessions, reading, self.users[0], at=self.at(hour))


def next_weekday(day: date, weekday: str) -> date:
    wanted = ("MO", "TU", "WE", "TH", "FR", "SA", "SU").index(weekday)
    return day + timedelta(days=(wanted - day.weekday()) % 7)


def load(sessions: sessionmaker[Session], today: date, quick: bool) -> None:
    """Live through the days before `today`, and this morning."""
    center = Center(sessions, today)
    center.day = today - timedelta(days=DAYS)
    for email, name, role in USERS:

        def add(deed: Deed, email: str = email, name: str = name, role: str = role) -> Any:
            return access.create_user(deed, email, name, role, PASSWORD, quick)

        center.users.append(act(sessions, add, at=center.at(8)))
    crowd = everybody(center)
    center.act(8.5, lambda d: people.create_organization(d, CLIENT))
    course_ids: dict[str, int] = {}
    signing_up: dict[int, tuple[PlannedRun, int, list[int]]] = {}
    for back in range(DAYS, -1, -1):
        center.day = today - timedelta(days=back)
        for plan in RUNS:
            if plan.made == -back:
                run = make_run(center, plan, course_ids)
                on_days = sign_up_days(center, plan, run["first"])
                if plan.published:
                    center.act(10, lambda d, r=run["id"]: courses.publish_run(d, r))
                    signing_up[run["id"]] = (plan, run["id"], on_days)
        for plan, run_id, on_days in signing_up.values():
            for n in range(on_days.count(back)):
                sign_up(center, run_id, crowd, 10.5 + n * 0.4 + center.chance.random() * 0.3)
            if plan.course == "DSW" and plan.fill == 9 and back == 3:
                withdraw_one(center, run_id)


def everybody(center: Center) -> list[int]:
    """Sixty people, added on the first day."""
    given, family = list(GIVEN), list(FAMILY)
    crowd = []
    for n in range(60):
        first = given[(n * 7 + n // len(given)) % len(given)]
        last = family[(n * 11 + n // len(family)) % len(family)]
        body = {
            "given": first,
            "family": last,
            "email": f"{first}.{last}@example.org".lower(),
            "phone": f"555-01{n:02d}",
        }
        crowd.append(center.act(9 + n / 60, lambda d, b=body: people.create_person(d, b))["id"])
    return crowd


def make_run(center: Center, plan: PlannedRun, course_ids: dict[str, int]) -> dict[str, Any]:
    code, title, summary = next(c for c in COURSES if c[0] == plan.course)
    body: dict[str, Any] = {
        "title": plan.title,
        "place": plan.place,
        "instructor": plan.instructor,
        "capacity": plan.capacity,
        "smallest": plan.smallest,
        "sign_up_opens": None
        if plan.opens is None
        else (center.today + timedelta(days=plan.opens)).isoformat(),
        "pattern": {
            "first": next_weekday(center.today + timedelta(days=plan.first), plan.weekday).isoformat(),
            "start": plan.start,
            "minutes": plan.minutes,
            "weekdays": [plan.weekday],
            "count": plan.count,
        },
        "rate": {"amount": plan.fee, "early": [{"days_before": plan.early_days, "amount": plan.early}]},
        "plan": PLANS[plan.plan],
    }
    if plan.course in course_ids:
        body["course_id"] = course_ids[plan.course]
    else:
        body["course"] = {"code": code, "title": title, "summary": summary}
    run = center.act(9.5, lambda d: courses.create_run(d, body))
    course_ids[plan.course] = run["course"]["id"]
    return run


def sign_up_days(center: Center, plan: PlannedRun, first: str) -> list[int]:
    """On which days before today (counted back) people sign up: between publication and the close."""
    closes = (center.today - date.fromisoformat(first)).days + 1
    return sorted(center.chance.randint(max(0, closes), -plan.made) for _ in range(plan.fill))


def sign_up(center: Center, run_id: int, crowd: list[int], hour: float) -> None:
    """One of the crowd signs up for a run by phone; who is on it already stays home."""
    person = center.chance.choice(crowd)
    quote = center.look(hour, lambda d: fees.quote_run(d, run_id, None, None))
    try:
        center.act(hour, lambda d: roster.enroll(d, run_id, person, quote["total"]))
    except Problem as problem:
        if problem.kind != "already-in":
            raise
        sign_up(center, run_id, crowd, hour)


def withdraw_one(center: Center, run_id: int) -> None:
    rows = center.look(14, lambda d: roster.roster(d, run_id))["rows"]
    if rows:
        center.act(14, lambda d: roster.withdraw(d, rows[0][0]))

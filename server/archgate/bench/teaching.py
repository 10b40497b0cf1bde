"""Cover: forty meetings that nobody takes, and sixty who might."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import datetime, time, timedelta
from functools import partial
from zoneinfo import ZoneInfo

from archgate.bench.base import START, Line, best, line
from archgate.core.cover import (
    SECONDS,
    Question,
    Slot,
    Teacher,
    faults_of,
    greedy,
    propose,
    question_of,
    worth_of,
)
from archgate.core.schedule import monday_of
from archgate.core.states import CoverAim, Level
from archgate.core.teaching import Can
from archgate.documents.reader import Document

MEETINGS, PEOPLE, COURSES = 40, 60, 6
ZONE = ZoneInfo("America/New_York")


def question(aim: CoverAim, seed: int = 7) -> Question:
    """A bad week: forty meetings of six courses, two thirds of them in the evening, among sixty people of whom each teaches
    two courses and a few meetings already, with a bound on the week and a price of their own."""
    chance = random.Random(seed)
    monday = monday_of(START.date())

    def slot(n: int) -> Slot:
        day = monday + timedelta(days=chance.randrange(7))
        hour = chance.choice((9, 10, 13, 17, 18, 18, 18, 19))
        start, minutes = datetime.combine(day, time(hour), ZONE), chance.choice((60, 90, 120, 180))
        return Slot(n, start, start + timedelta(minutes=minutes), minutes, day, chance.randrange(COURSES), "")

    def teacher(n: int) -> Teacher:
        own = [slot(-1) for _ in range(chance.randrange(4))]
        return Teacher(
            n,
            f"T {n}",
            cans=tuple(Can(c, "", Level.LEADS) for c in chance.sample(range(COURSES), 2)),
            teaches=tuple((s.start, s.end) for s in own),
            weeks={monday: sum(s.minutes for s in own)},
            most=chance.choice((240, 360, 480, None)),
        )

    slots, teachers = [slot(n) for n in range(MEETINGS)], [teacher(n) for n in range(PEOPLE)]
    rates = [chance.randrange(2500, 9000) for _ in teachers]
    costs = {
        (s, t): slot.minutes * rate // 60 for s, slot in enumerate(slots) for t, rate in enumerate(rates)
    }
    return question_of(slots, teachers, ZONE, costs, aim)


def cover() -> Iterator[Line]:
    """Both aims. Floor: the greedy proposal, which a person would make by hand."""
    for aim in CoverAim:
        asked = question(aim)
        floor = best(partial(greedy, asked))
        took = best(partial(propose, asked), rounds=1)
        found = propose(asked)
        gap = (found.value - found.bound) / found.value if found.value else 0.0
        detail: Document = {
            "meetings": MEETINGS,
            "people": PEOPLE,
            "pairs": len(asked.costs),
            "covered": MEETINGS - found.worth.uncovered,
            "value": found.value,
            "bound": found.bound,
            "gap": round(gap, 4),
            "greedy": worth_of(asked, greedy(asked)).by(aim)[1],
            "greedy_covered": MEETINGS - found.greedy.uncovered,
            "faults": len(faults_of(asked, found.chosen)),
            "limit": SECONDS,
        }
        yield line(f"cover, {aim.value}", took, "s", floor, detail)

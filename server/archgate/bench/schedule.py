"""Clashes and the planner, among 50,000 meetings."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import timedelta

from archgate.actions.across import planner as plan
from archgate.actions.kernel.unit_of_work import Sessions, read_only
from archgate.actions.schedule import clashes as found
from archgate.bench.base import START, Line, best, line, own_database
from archgate.core.clashes import Span, overlaps
from archgate.documents.reader import Document

MEETINGS = 50_000


def spans(number: int) -> list[Span]:
    """Meetings over three years among so many rooms that a few in a hundred clash."""
    chance = random.Random(7)
    rooms = max(1, number // 400)
    return [
        Span(
            f"r{chance.randrange(rooms)}",
            start,
            start + timedelta(minutes=chance.choice((60, 90, 120, 180))),
            n,
        )
        for n in range(number)
        for start in (START + timedelta(minutes=15 * chance.randrange(3 * 365 * 24 * 4)),)
    ]


def fill(sessions: Sessions, number: int) -> None:
    """Runs of twelve meetings among rooms and instructors, written in bulk."""
    from sqlalchemy import insert, literal, select

    from archgate.tables.courses import Course, Run
    from archgate.tables.people import Person
    from archgate.tables.schedule import Gate, Meeting, Place
    from archgate.tables.seats import RunSeats
    from archgate.tables.teaching import Instructor, MeetingTeacher

    chance, rooms, teachers = random.Random(7), max(2, number // 400), max(2, number // 300)
    with sessions.begin() as s:
        s.add(Course(id=1, code="B", title="Bench", summary="", category="", defaults={}, created_at=START))
        s.flush()
        s.execute(insert(Place), [
            {"id": n, "name": f"Room {n}", "kind": "room", "seats": 20, "facts": "", "address": "", "address_public": True,
             "map_link": "", "time_zone": "America/New_York", "active": True} for n in range(1, rooms + 1)
        ])  # fmt: skip
        s.execute(insert(Person), [
            {"id": n, "given": "T", "family": f"{n}", "name": f"T {n}", "folded": f"t {n}", "note": "", "created_at": START}
            for n in range(1, teachers + 1)
        ])  # fmt: skip
        s.execute(
            insert(Instructor),
            [
                {"id": n, "person_id": n, "name": f"T{n}", "hours": [], "active": True, "biography": ""}
                for n in range(1, teachers + 1)
            ],
        )
        runs = number // 12
        s.execute(insert(Run), [
            {"id": n, "course_id": 1, "code": f"B{n}", "title": "", "note": "", "kind": "dated", "status": "published",
             "decision": "undecided", "time_zone": "America/New_York", "currency": "USD", "capacity": 12, "smallest": 4,
             "windows": [], "week_names": [], "group_steps": [], "taxes": [], "created_at": START, "published_at": START,
             "place_id": 1 + n % rooms} for n in range(1, runs + 1)
        ])  # fmt: skip
        s.execute(insert(RunSeats), [{"run_id": n, "taken": 0, "version": 0} for n in range(1, runs + 1)])
        rows, gates = [], []
        for n in range(1, runs + 1):
            first = START + timedelta(days=chance.randrange(900), minutes=15 * chance.randrange(52, 80))
            for k in range(12):
                at = first + timedelta(weeks=k)
                rows.append({
                    "run_id": n, "date": at.date(), "start": at.time(), "minutes": 120, "starts_at": at, "by_hand": False,
                    "ends_at": at + timedelta(hours=2), "pattern_n": 1, "sequence": 0, "cancel_why": "",
                    "place_id": 1 + n % rooms,
                })  # fmt: skip
            for kind, at in (("starts", first), ("ends", first + timedelta(weeks=11, hours=2))):
                gates.append(
                    {"run_id": n, "kind": kind, "n": 0, "rule": "", "day": at.date(), "at": at, "label": kind}
                )
        for part in range(0, len(rows), 5000):
            s.execute(insert(Meeting), rows[part : part + 5000])
        taught = select(Meeting.id, 1 + Meeting.run_id % teachers, literal("lead"), literal(1))
        s.execute(insert(MeetingTeacher).from_select(["meeting_id", "instructor_id", "part", "n"], taught))
        s.execute(insert(Gate), gates)


def clashes() -> Iterator[Line]:
    """A sweep over all meetings against a bare sort of the same intervals; one typed date against a primary-key read."""
    from archgate.tables.schedule import Meeting

    sizes = {}
    for number in (5_000, MEETINGS):
        busy = spans(number)
        counted = len(list(overlaps(busy)))
        value = best(lambda busy=busy: sum(1 for _ in overlaps(busy)))  # type: ignore[misc]
        floor = best(lambda busy=busy: sorted(busy, key=lambda s: (s.who, s.start)))  # type: ignore[misc]
        sizes[number] = value
        detail: Document = {"meetings": number, "clashes": counted}
        if number == MEETINGS:
            detail["times the time of a tenth"] = round(value / sizes[5_000], 1)
        yield line("clashes", value, "s", floor, detail)
    with own_database() as sessions:
        fill(sessions, MEETINGS)
        at = START + timedelta(days=500, hours=18)
        typed = found.Row(-1, 0, at, at + timedelta(hours=2), at.date(), 1, (1,))
        value = best(lambda: read_only(sessions, lambda d: found.of_planned(d, [typed]), at=START), 20)
        floor = best(lambda: read_only(sessions, lambda d: d.session.get(Meeting, 1), at=START), 20)
        yield line("clashes one date", value * 1000, "ms", floor * 1000, {"meetings": MEETINGS})
        value = best(lambda: read_only(sessions, found.everywhere, at=START), 3)
        bare = best(lambda: read_only(sessions, lambda d: found.rows_of(d, found.held()), at=START), 3)
        yield line(
            "clashes whole center", value, "s", bare, {"meetings": MEETINGS, "floor": "reading the rows"}
        )


def planner() -> Iterator[Line]:
    """What the planner asks for, with 500 runs and 6,000 meetings, against reading the rows."""
    import orjson

    with own_database() as sessions:
        fill(sessions, 6_000)
        since, until = START.date(), (START + timedelta(days=790)).date()
        answer = read_only(sessions, lambda d: plan.planner(d, since, until), at=START)
        value = best(
            lambda: orjson.dumps(read_only(sessions, lambda d: plan.planner(d, since, until), at=START)), 5
        )
        floor = best(lambda: read_only(sessions, lambda d: found.rows_of(d, found.held()), at=START), 5)
        detail: Document = {
            "runs": len(answer.runs),
            "meetings": len(answer.meetings),
            "clashing": len(answer.clashing),
        }
        yield line("planner", value * 1000, "ms", floor * 1000, detail)

"""The public side: pages of a catalog of 500 courses, and a morning on which 200 people want 30 seats."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator, Sequence
from itertools import count
from threading import Lock

from sqlalchemy import Connection, Engine, insert, select

from archgate.actions.access.public_views import KeptSeats
from archgate.actions.courses import texts
from archgate.actions.courses.commands import TextPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import Sessions, act, read_only
from archgate.actions.seats import seats
from archgate.bench.base import Caller, Line, line, own_bench, seat_run, served, timed_by
from archgate.documents.reader import Document
from archgate.tables import Base
from archgate.tables.access import User
from archgate.tables.catalog import CourseVersion
from archgate.tables.courses import Course, Run
from archgate.tables.fees import Rate
from archgate.tables.plans import Plan, PlanLine
from archgate.tables.schedule import Gate, Meeting
from archgate.tables.seats import RunSeats

COURSES, RUNS_EACH, ROUNDS, WARM = 500, 2, 60, 24
PEOPLE, SEATS = 200, 30
Row = dict[str, object]


def publish(sessions: Sessions, run_id: int, user: User) -> int:
    """The page of a run's course, published; the course's number."""
    course_id = read_only(sessions, lambda d: d.session.get_one(Run, run_id).course_id)
    text = {
        "summary": "What a course of the bench is about.",
        "description": "Words. " * 200,
        "tags": ["bench"],
    }
    act(sessions, lambda d: texts.write(d, course_id, command_of(TextPatch, {"set": text})), user)
    act(sessions, lambda d: texts.publish(d, course_id), user)
    return course_id


def rows_of(c: Connection, table: type[Base], **named: object) -> list[Row]:
    written = [x for x in table.__table__.columns if x.computed is None]
    return [dict(row) for row in c.execute(select(*written).filter_by(**named)).mappings()]


def put(c: Connection, table: type[Base], rows: Sequence[Row]) -> None:
    for first in range(0, len(rows), 1000):
        c.execute(insert(table), list(rows[first : first + 1000]))


def many_courses(engine: Engine, course_id: int, run_id: int) -> None:
    """Copies of a course with its page, each with its runs, dates, gates, rates and plans; straight into the tables."""
    with engine.begin() as c:
        (course,) = rows_of(c, Course, id=course_id)
        (version,) = rows_of(c, CourseVersion, course_id=course_id)
        (run,) = rows_of(c, Run, id=run_id)
        (row,) = rows_of(c, RunSeats, run_id=run_id)
        parts = {table: rows_of(c, table, run_id=run_id) for table in (Gate, Meeting, Rate, Plan)}
        lines = rows_of(c, PlanLine, plan_id=parts[Plan][0]["id"])
        numbers = [1000 + n for n in range(COURSES)]
        put(c, Course, [{**course, "id": n, "code": f"C{n}", "title": f"Course {n}"} for n in numbers])
        put(c, CourseVersion, [{**version, "id": n, "course_id": n, "title": f"Course {n}"} for n in numbers])
        runs = [(1000 + n * RUNS_EACH + k, 1000 + n) for n in range(COURSES) for k in range(RUNS_EACH)]
        put(c, Run, [{**run, "id": r, "course_id": of, "code": f"R{r}"} for r, of in runs])
        put(c, RunSeats, [{**row, "run_id": r, "taken": r % 20} for r, _ in runs])
        for table in (Gate, Meeting, Rate):
            fresh = [{k: v for k, v in part.items() if k != "id"} for part in parts[table]]
            put(c, table, [{**part, "run_id": r} for r, _ in runs for part in fresh])
        put(c, Plan, [{**parts[Plan][0], "id": r, "run_id": r} for r, _ in runs])
        bare = [{k: v for k, v in part.items() if k != "id"} for part in lines]
        put(c, PlanLine, [{**part, "plan_id": r} for r, _ in runs for part in bare])


def catalog() -> Iterator[Line]:
    """Pages of a catalog of 500 courses with two runs each, as `serve` answers them one after the other: 95th percentiles in ms. The
    floor is the address of robots.txt, which is written from nothing."""
    with own_bench() as bench:
        run_id, user = seat_run(bench.sessions, 20, 1)
        course_id = publish(bench.sessions, run_id, user)
        many_courses(bench.engine, course_id, run_id)
        with served(bench) as client:
            caller = client()
            floor = percentile(caller, ["/robots.txt"])
            for name, addresses in (
                ("catalog", ["/catalog", "/catalog?page=12", "/catalog?q=course", "/catalog?free=1&page=3"]),
                ("course-page", [f"/catalog/{1000 + n}-course-{1000 + n}" for n in range(40)]),
            ):
                value = percentile(caller, addresses)
                yield line(name, value, "ms", floor, {"courses": COURSES, "runs": COURSES * RUNS_EACH})


def percentile(caller: Caller, addresses: Sequence[str]) -> float:
    """The 95th percentile in ms of as many answers as are enough to have one, once each process has answered a few."""
    for n in range(WARM):
        caller.read(addresses[n % len(addresses)])
    took = []
    for n in range(ROUNDS):
        begun = time.perf_counter()
        caller.read(addresses[n % len(addresses)])
        took.append((time.perf_counter() - begun) * 1000)
    return statistics.quantiles(took, n=20)[-1]


def rush() -> Iterator[Line]:
    """At nine o'clock 200 people want 30 seats, each by the public form: seats kept meanwhile, then signed up. The slowest answer in
    seconds, beside that of one person alone; nobody seated too many, nobody without an answer."""
    with own_bench(pool=80) as bench:
        run_id, user = seat_run(bench.sessions, SEATS, 1)
        publish(bench.sessions, run_id, user)
        numbers, outcomes, slowest, lock = count(1), list[int](), list[float](), Lock()

        def one(caller: Caller) -> None:
            with lock:
                n = next(numbers)
            who: Document = {"given": f"Given{n}", "family": f"Rush{n}", "email": f"rush{n}@example.org"}
            key = f"rush-key-{n:06d}"
            begun = time.perf_counter()
            asked: Document = {"email": who["email"], "heads": 1}
            first, answer = caller.ask("POST", f"/api/v1/catalog/runs/{run_id}/kept-seats", asked, f"k{key}")
            between = time.perf_counter()
            kept = KeptSeats.model_validate_json(answer).key if first == 200 else ""
            body: Document = {**who, "total": "240.00", "kept": kept}
            status, _ = caller.ask("POST", f"/api/v1/catalog/runs/{run_id}/sign-ups", body, key)
            done = time.perf_counter()
            with lock:
                outcomes.append(status)
                slowest.append(max(between - begun, done - between))
            assert first in (200, 409, 429), first

        with served(bench) as client:
            caller = client()
            begun = time.perf_counter()
            caller.ask("GET", f"/api/v1/catalog/runs/{run_id}")
            alone = time.perf_counter() - begun
            callers = [client() for _ in range(PEOPLE)]
            whole = timed_by(PEOPLE, lambda: one(callers.pop()))
        seated = read_only(bench.sessions, lambda d: seats.live_heads(d, run_id))
        kinds = {str(s): outcomes.count(s) for s in sorted(set(outcomes))}
        yield line(
            "rush", max(slowest), "s", alone,
            {"people": PEOPLE, "seats": SEATS, "seated": seated, "oversold": max(0, seated - SEATS),
             "answered": len(outcomes), "answers": kinds, "all in": round(whole, 2)},
        )  # fmt: skip

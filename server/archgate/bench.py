"""Benches: each measures our code and a bare floor in the same run, and prints figure, floor and ratio."""

from __future__ import annotations

import contextlib
import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from archgate.actions.access import staff
from archgate.actions.across import planner as plan
from archgate.actions.center.center import make_center
from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import prices, quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Sessions, act, read_only
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunCommand
from archgate.actions.schedule import clashes as found
from archgate.actions.seats import seats
from archgate.core.clashes import Span, overlaps
from archgate.core.fees import Fees, Stretch
from archgate.core.quotes import quote_read
from archgate.core.reader import Document
from archgate.tables.access import User

START = datetime(2027, 1, 4, tzinfo=UTC)
MEETINGS = 50_000


def best(do: Callable[[], object], rounds: int = 5) -> float:
    """The shortest of several rounds, in seconds: what the work takes when nothing else disturbs it."""
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        do()
        times.append(time.perf_counter() - begun)
    return min(times)


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


@dataclass(frozen=True)
class Line:
    """One figure with its floor of the same run."""

    name: str
    value: float
    unit: str
    floor: float
    ratio: float | None
    detail: Document


def line(name: str, value: float, unit: str, floor: float, detail: Document) -> Line:
    ratio = round(value / floor, 2) if floor else None
    return Line(name, round(value, 4), unit, round(floor, 4), ratio, detail)


@contextmanager
def own_database() -> Iterator[Sessions]:
    """A database of its own on memory, made and thrown away."""
    from archgate.own_server import OwnServer
    from archgate.tables.engine import engine_for, sessions_of
    from archgate.tables.migrate import migrate

    memory = "/dev/shm" if Path("/dev/shm").is_dir() else None
    with TemporaryDirectory(prefix="ag-bench-", dir=memory) as home:
        server = OwnServer(Path(home), quick=True)
        server.start()
        try:
            server.create_database("bench")
            engine = engine_for(server.url("bench"))
            migrate(engine)
            made = sessions_of(engine)
            make_center(made, "Bench", "America/New_York", "USD")
            yield made
            engine.dispose()
        finally:
            server.stop()


def fill(sessions: Sessions, number: int) -> None:
    """Runs of twelve meetings among rooms and instructors, written in bulk."""
    from sqlalchemy import insert

    from archgate.tables.courses import Course, Run
    from archgate.tables.schedule import Gate, Meeting, Place
    from archgate.tables.seats import RunSeats
    from archgate.tables.teaching import Instructor

    chance, rooms, teachers = random.Random(7), max(2, number // 400), max(2, number // 300)
    with sessions.begin() as s:
        s.add(Course(id=1, code="B", title="Bench", summary="", category="", defaults={}, created_at=START))
        s.flush()
        s.execute(insert(Place), [
            {"id": n, "name": f"Room {n}", "kind": "room", "seats": 20, "facts": "", "address": "", "address_public": True,
             "map_link": "", "time_zone": "America/New_York", "active": True} for n in range(1, rooms + 1)
        ])  # fmt: skip
        s.execute(
            insert(Instructor),
            [{"id": n, "name": f"T{n}", "hours": [], "active": True} for n in range(1, teachers + 1)],
        )
        runs = number // 12
        s.execute(insert(Run), [
            {"id": n, "course_id": 1, "code": f"B{n}", "title": "", "note": "", "kind": "dated", "status": "published",
             "decision": "undecided", "time_zone": "America/New_York", "currency": "USD", "capacity": 12, "smallest": 4,
             "windows": [], "week_names": [], "group_steps": [], "taxes": [], "created_at": START, "published_at": START,
             "place_id": 1 + n % rooms, "instructor_id": 1 + n % teachers} for n in range(1, runs + 1)
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
                    "place_id": 1 + n % rooms, "instructor_id": 1 + n % teachers,
                })  # fmt: skip
            for kind, at in (("starts", first), ("ends", first + timedelta(weeks=11, hours=2))):
                gates.append(
                    {"run_id": n, "kind": kind, "n": 0, "rule": "", "day": at.date(), "at": at, "label": kind}
                )
        for part in range(0, len(rows), 5000):
            s.execute(insert(Meeting), rows[part : part + 5000])
        s.execute(insert(Gate), gates)


def clashes() -> Iterator[Line]:
    """A sweep over all meetings against a bare sort of the same intervals; one typed date against a primary-key read."""
    from archgate.tables.schedule import Meeting

    sizes = {}
    for number in (5_000, MEETINGS):
        held = spans(number)
        counted = len(list(overlaps(held)))
        value = best(lambda held=held: sum(1 for _ in overlaps(held)))  # type: ignore[misc]
        floor = best(lambda held=held: sorted(held, key=lambda s: (s.who, s.start)))  # type: ignore[misc]
        sizes[number] = value
        detail: Document = {"meetings": number, "clashes": counted}
        if number == MEETINGS:
            detail["times the time of a tenth"] = round(value / sizes[5_000], 1)
        yield line("clashes", value, "s", floor, detail)
    with own_database() as sessions:
        fill(sessions, MEETINGS)
        at = START + timedelta(days=500, hours=18)
        typed = found.Row(-1, 0, at, at + timedelta(hours=2), at.date(), 1, 1)
        value = best(lambda: read_only(sessions, lambda d: found.of_planned(d, [typed]), at=START), 20)
        floor = best(lambda: read_only(sessions, lambda d: d.session.get(Meeting, 1), at=START), 20)
        yield line("clashes one date", value * 1000, "ms", floor * 1000, {"meetings": MEETINGS})
        value = best(lambda: read_only(sessions, found.of_center, at=START), 3)
        bare = best(lambda: read_only(sessions, lambda d: found.rows_of(d, found.held()), at=START), 3)
        yield line(
            "clashes whole center", value, "s", bare, {"meetings": MEETINGS, "floor": "reading the rows"}
        )


def planner() -> Iterator[Line]:
    """What the planner asks for, with 500 runs and 6,000 meetings, against reading the rows."""
    import orjson

    from archgate.actions.kernel.unit_of_work import read_only

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


def year_of_fees(n: int) -> tuple[Fees, date]:
    """Fees as a busy run has them: three rates with two early steps and a sale, two extras, group steps, a code, a tax."""
    from decimal import Decimal

    from archgate.core.fees import Code, EarlyStep, Extra, GroupStep, Rate, Sale
    from archgate.core.taxes import Tax

    start = date(2028, 1, 3)
    sale = Sale(start - timedelta(days=200 + n % 50), start - timedelta(days=190 + n % 50), 15_000 + n)
    rates = tuple(
        Rate(code, 24_000 + 100 * n, code,
             (EarlyStep(days_before=14 + n % 9, amount=21_000), EarlyStep(days_before=60, percent=Decimal(15))), sale)
        for code in ("standard", "member", "concession")
    )  # fmt: skip
    extras = (Extra("book", 3_150, "Book"), Extra("pack", 500, "Pack", required=True))
    code = Code("C", percent=Decimal(10), last=start - timedelta(days=90))
    tax = Tax("Tax", Decimal(6), on=frozenset({"book"}))
    return Fees(rates, extras, (GroupStep(3, Decimal(5)),), (code,), (tax,)), start


def price_line() -> Iterator[Line]:
    """A year's price line of three rates for 500 runs: the rules alone, and from the tables with everything around them."""
    from sqlalchemy import insert, select
    from sqlalchemy.orm import selectinload

    from archgate.core.fees import Ask, Heads, price_line_of, total_on
    from archgate.tables.courses import Run
    from archgate.tables.fees import EarlyStep, Extra, Rate
    from archgate.tables.schedule import Gate

    runs = [year_of_fees(n) for n in range(500)]
    asks = [Ask((Heads(r, 1),), (("book", 1),), "C") for r in ("standard", "member", "concession")]
    year = timedelta(days=365)

    def lines() -> list[tuple[Stretch, ...]]:
        return [price_line_of(fees, ask, start - year, start, start) for fees, start in runs for ask in asks]

    drawn = [(fees, ask, s.first, start) for fees, start in runs for ask in asks
             for s in price_line_of(fees, ask, start - year, start, start)]  # fmt: skip
    value = best(lines)
    floor = best(lambda: [total_on(fees, ask, day, start) for fees, ask, day, start in drawn])
    yield line(
        "price-line",
        value,
        "s",
        floor,
        {"runs": 500, "rates": 3, "steps": len(drawn), "floor": "one total a step"},
    )
    with own_database() as sessions:
        fill(sessions, 6_000)
        with sessions.begin() as s:
            ids = list(s.scalars(select(Run.id)))
            s.execute(insert(Rate), [
                {"id": 3 * r + k, "run_id": r, "code": f"r{k}", "label": f"R{k}", "amount": 24_000 - 2_000 * k, "position": k,
                 "active": True, "by_agreement": False, "tags": []} for r in ids for k in range(3)
            ])  # fmt: skip
            s.execute(insert(EarlyStep), [
                {"rate_id": 3 * r + k, "days_before": d, "percent": p} for r in ids for k in range(3) for d, p in ((14, 5), (60, 15))
            ])  # fmt: skip
            s.execute(insert(Extra), [
                {"run_id": r, "code": "pack", "label": "Pack", "amount": 500, "required": True, "position": 1, "active": True}
                for r in ids
            ])  # fmt: skip
            starts = {g.run_id: g for g in s.scalars(select(Gate).where(Gate.kind == "starts"))}
            s.execute(insert(Gate), [
                {"run_id": r, "kind": "sign-up closes", "n": 1, "rule": "", "day": starts[r].day, "at": starts[r].at, "label": ""}
                for r in ids
            ])  # fmt: skip
        query = select(Run).options(
            selectinload(Run.rates).selectinload(Rate.early), selectinload(Run.extras), selectinload(Run.gates),
            selectinload(Run.all_meetings), selectinload(Run.course),
        )  # fmt: skip
        value = best(
            lambda: read_only(
                sessions, lambda d: [prices.price_line(d, r) for r in d.session.scalars(query)], at=START
            ),
            3,
        )
        bare = best(lambda: read_only(sessions, lambda d: list(d.session.scalars(query)), at=START), 3)
        yield line(
            "price-line from the tables", value, "s", bare, {"runs": len(ids), "floor": "reading the rows"}
        )


def seat_run(sessions: Sessions, capacity: int, people: int) -> tuple[int, User]:
    """A published run with one rate, and so many people; the run's id and the user who acts."""
    from sqlalchemy import insert

    from archgate.tables.people import Person

    user = act(
        sessions,
        lambda d: staff.create_user(
            d, "bench@example.org", "Bench", "administrator", "a long enough word", True
        ),
    )
    form = {
        "course": {"code": "SEATS", "title": "Bench"}, "capacity": capacity, "smallest": 0,
        "pattern": {"first": "2035-09-14", "start": "17:30", "minutes": 105, "count": 8},
        "rates": [{"amount": "240.00"}],
        "plans": [{"name": "Halves", "lines": [{"percent": "50", "due": {"after_sign_up": 0}}, {"percent": "50", "due": {"after_sign_up": 30}}]}],
    }  # fmt: skip
    run = act(sessions, lambda d: making.create_run(d, command_of(RunCommand, form)), user)
    act(sessions, lambda d: making.publish_run(d, run.id), user)
    with sessions.begin() as s:
        s.execute(insert(Person), [
            {"id": n, "given": f"Given{n}", "family": f"Family{n}", "name": f"Given{n} Family{n}", "folded": f"given{n} family{n}",
             "email": f"p{n}@example.org", "note": "", "created_at": START} for n in range(1, people + 1)
        ])  # fmt: skip
    return run.id, user


def contention() -> Iterator[Line]:
    """64 clients after the last 100 seats of a run, each sign-up with all its checks, money and log; the floor locks the
    seat row, reads it and inserts one row, by as many clients on the same server. `one client` is the rate of a single
    client on the seats before those: what many at once lose by waiting for each other is the difference to it."""
    from itertools import count

    from sqlalchemy import text

    from archgate.actions.kernel.unit_of_work import act, read_only

    clients, places, before = 64, 100, 40
    with own_database() as sessions:
        run_id, user = seat_run(sessions, before + places, 2000)
        numbers, got = count(1), []

        def sign_up() -> None:
            person = next(numbers)
            act(
                sessions,
                lambda d: enrollments.enroll(
                    d, EnrollCommand(run_id=run_id, person_id=person, total="240.00")
                ),
                user,
            )
            got.append(person)

        def client() -> None:
            while True:
                try:
                    sign_up()
                except Problem:
                    return

        sign_up()

        def few() -> None:
            for _ in range(before - 1):
                sign_up()

        alone = timed_by(1, few) / (before - 1)
        taken = timed_by(clients, client)
        counted = read_only(sessions, lambda d: seats.live_heads(d, run_id))
        with sessions.begin() as s:
            s.execute(text("CREATE TABLE bare (id BIGINT PRIMARY KEY AUTO_INCREMENT, n INT) ENGINE=InnoDB"))
            s.execute(text("UPDATE run_seats SET taken = 0"))

        def bare() -> None:
            while True:
                with sessions() as s:
                    row = s.execute(
                        text("SELECT taken FROM run_seats WHERE run_id = :r FOR UPDATE"), {"r": run_id}
                    ).scalar()
                    if int(row or 0) >= places:
                        return
                    s.execute(text("UPDATE run_seats SET taken = taken + 1 WHERE run_id = :r"), {"r": run_id})
                    s.execute(text("INSERT INTO bare (n) VALUES (:n)"), {"n": row})
                    s.commit()

        floor = timed_by(clients, bare)
        yield line("contention", places / taken, "sign-ups a second", places / floor,
                   {"clients": clients, "seats": places, "seated": len(got) - before, "one client": round(1 / alone, 1),
                    "oversold": max(0, counted - before - places)})  # fmt: skip


def timed_by(clients: int, work: Callable[[], object]) -> float:
    """How long so many threads take that begin at once."""
    import threading

    go = threading.Barrier(clients + 1)

    def one() -> None:
        go.wait()
        work()

    threads = [threading.Thread(target=one) for _ in range(clients)]
    for thread in threads:
        thread.start()
    go.wait()
    begun = time.perf_counter()
    for thread in threads:
        thread.join()
    return time.perf_counter() - begun


def fill_roster(sessions: Sessions, number: int) -> int:
    """A run on which so many people sit, each with an account and two installments, written in bulk; its id."""
    from sqlalchemy import insert, update

    from archgate.tables.money import Account
    from archgate.tables.plans import Installment
    from archgate.tables.roster import Enrollment
    from archgate.tables.seats import RunSeats

    run_id, user = seat_run(sessions, number + 5_000, number)
    quote = read_only(sessions, lambda d: quotes.quote_run(d, run_id, QuoteCommand()))
    kept = replace(quote_read(quote.model_dump(mode="json")), next_change=None)
    people = range(1, number + 1)
    with sessions.begin() as s:
        s.execute(insert(Account), [
            {"id": 100 + n, "owner": f"person:{n}", "person_id": n, "currency": "USD"} for n in people
        ])  # fmt: skip
        s.execute(insert(Enrollment), [
            {"id": n, "run_id": run_id, "person_id": n, "payer_id": 100 + n, "rate_id": quote.rate_id, "plan_id": quote.plan_id,
             "user_id": user.id, "status": "seated", "way_in": "list", "heads": 1, "signed_up": START.date(), "enrolled_at": START,
             "currency": "USD", "total": 24000, "quote": kept, "note": ""} for n in people
        ])  # fmt: skip
        s.execute(insert(Installment), [
            {"enrollment_id": n, "n": k, "due": START.date() + timedelta(days=30 * k), "amount": 12000, "settle": "any", "why": "", "kind": "plan"}
            for n in people for k in (1, 2)
        ])  # fmt: skip
        s.execute(update(RunSeats).values(taken=number))
    return run_id


@contextmanager
def signed_in(sessions: Sessions) -> Iterator[Callable[[str], bytes]]:
    """The application on a port of its own, and what reads an address of it for somebody who is signed in."""
    import json
    from http.client import HTTPConnection
    from threading import Thread

    import uvicorn

    from archgate.app import create_app
    from archgate.own_server import free_port
    from archgate.settings import Settings

    port = free_port()
    app = create_app(Settings("", True, False, Path("/nonexistent")), sessions)
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", access_log=False)
    )
    thread = Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    line_to = HTTPConnection("127.0.0.1", port)
    words = json.dumps({"email": "bench@example.org", "password": "a long enough word"})
    line_to.request("POST", "/api/v1/session", words, {"Content-Type": "application/json"})
    answer = line_to.getresponse()
    answer.read()
    cookie = (answer.headers["Set-Cookie"] or "").partition(";")[0]

    def read(address: str) -> bytes:
        line_to.request("GET", address, headers={"Cookie": cookie})
        answer = line_to.getresponse()
        content = answer.read()
        if answer.status != 200:
            raise RuntimeError(f"{address} answered {answer.status}.")
        return content

    yield read
    line_to.close()
    server.should_exit = True
    thread.join(10)


def whole_roster() -> Iterator[Line]:
    """A roster of 15,000 through the API, whole; the floor selects the same rows and writes them as JSON."""
    import orjson
    from sqlalchemy import text

    number = 15_000
    with own_database() as sessions, contextlib.ExitStack() as held:
        run_id, size = fill_roster(sessions, number), 0
        read = held.enter_context(signed_in(sessions))

        def ours() -> None:
            nonlocal size
            size = len(read(f"/api/v1/runs/{run_id}/roster"))

        bare = text(
            "SELECT e.id, e.person_id, p.name, p.email, p.phone, e.way_in, e.total, e.signed_up, e.heads, e.note, e.status, e.quote,"
            " (SELECT SUM(i.amount) FROM installments i WHERE i.enrollment_id = e.id) AS owed, u.name"
            " FROM enrollments e JOIN people p ON p.id = e.person_id JOIN users u ON u.id = e.user_id WHERE e.run_id = :r"
            " ORDER BY e.enrolled_at, e.id"
        )

        def floor() -> None:
            with sessions() as s:
                rows = [list(r) for r in s.execute(bare, {"r": run_id})]
            orjson.dumps(rows, default=str)

        ours()
        yield line("roster", best(ours, 3), "s", best(floor, 3), {"people": number, "bytes": size})


BENCHES: dict[str, Callable[[], Iterator[Line]]] = {
    "clashes": clashes,
    "planner": planner,
    "price-line": price_line,
    "contention": contention,
    "roster": whole_roster,
}

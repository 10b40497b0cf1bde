"""Lists of 1,000, 15,000 and 50,000 people from CSV, with all checks, money, log and letters, and the desk at work beside."""

from __future__ import annotations

import os
import secrets
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from threading import Event, Thread

from sqlalchemy import Engine, func, insert, select, text

from archgate.actions.bulk import batches, confirming, hands, reading
from archgate.actions.kernel.unit_of_work import Sessions, act, read_only
from archgate.bench.base import Bench, Caller, Line, line, own_bench, seat_run, served
from archgate.papers import apart
from archgate.tables import Base
from archgate.tables.access import User
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Account, Entry, Posting
from archgate.tables.people import PeopleWord, Person
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment

SIZES = (1_000, 15_000, 50_000)
WITH_DESK = 15_000
KNOWN, DESK = (
    3_000,
    4_000,
)  # people who are known before; those who sign up at the desk meanwhile come after them
# What a list writes, in the order in which one refers to the other.
WRITTEN: tuple[type[Base], ...] = (
    Batch, Person, PeopleWord, Account, Enrollment, Installment, Posting, Entry, Job, Message, BatchRow, Change,
)  # fmt: skip
PER_INSERT = 1_000
REQUESTS = ("/api/v1/today", "/api/v1/runs", "/api/v1/people", "/api/v1/runs/{run}")


def bulk() -> Iterator[Line]:
    """Reading, judging and enrolling a list, as the worker does it in its own process; the floor writes the same rows into the same
    tables of an empty database with multi-row INSERTs through the same driver. `growth` is what a row takes against one of the
    15,000. `memory` is the peak of the process above that of an idle worker, in MB. For 15,000 a second list of as many runs with
    the desk at work: `sign-up` and `pages` say in ms how long a sign-up on the same run took at the 95th percentile, and requests
    of pages in the median, before and meanwhile; `list page` how long the list takes to come."""
    per_row: dict[int, float] = {}
    for size in SIZES:
        with own_bench() as bench:
            run_id, user = seat_run(bench.sessions, min(100_000, 2 * size + DESK), KNOWN + DESK)
            idle = peak_of([sys.executable, "-c", "import archgate.jobs.worker"], bench)
            before = highest_keys(bench.engine)
            spent, peak, batch_id = enroll(bench, run_id, user, size, "quiet")
            floor = floor_of(bench, before)
            per_row[size] = spent / size
            growth = per_row[size] / per_row.get(15_000, per_row[size])
            detail: dict[str, object] = {
                "people": size, "enrolled": enrolled(bench.sessions, batch_id), "growth": round(growth, 2),
                "memory": round((peak - idle) / 1024), "rows a second": round(size / spent),
            }  # fmt: skip
            if size == WITH_DESK:
                detail |= with_desk(bench, run_id, user, size)
            yield line("bulk", spent, "s", floor, detail)


def csv_of(size: int, word: str) -> bytes:
    """A list: some of its people are known, the others new."""
    lines = ["First name,Last name,Email,Phone,Remarks"]
    lines += [f"Given{n},Family{n},p{n}@example.org,," for n in range(1, min(KNOWN, size // 5) + 1)]
    lines += [
        f"Ana{word}{n},Berg{n % 997}{word},{word}{n}@example.org,212 555 {n:06d},"
        for n in range(len(lines), size + 1)
    ]
    return "\n".join(lines).encode()


def enroll(bench: Bench, run_id: int, user: User, size: int, word: str) -> tuple[float, int, int]:
    """Put a list onto a run: the seconds that reading, judging and enrolling take, without starting the processes; the peak of memory
    in KB, and the list's id."""
    data = csv_of(size, word)
    begun = time.perf_counter()
    table = apart.list_of(data)
    made = act(bench.sessions, lambda d: reading.create_batch(d, run_id, f"{word}.csv", data, table).id, user)
    spent = time.perf_counter() - begun
    peak = 0
    for step in range(2):
        if step:
            shown = read_only(bench.sessions, lambda d: batches.batch_view(d, made), user)
            begun = time.perf_counter()
            act(bench.sessions, lambda d: confirming.confirm(d, made, shown.people, shown.total).id, user)  # noqa: B023
            spent += time.perf_counter() - begun
        word_of = hands.claim_one(bench.sessions, made)
        if word_of:
            program = (
                "import sys, time; from archgate.actions.bulk.hands import work_on; from archgate.cli import engine_from_settings;"
                " from archgate.tables.engine import sessions_of; s = sessions_of(engine_from_settings()); b = time.perf_counter();"
                f" work_on(s, {made}, {word_of!r}); print(time.perf_counter() - b)"
            )
            took: list[str] = []
            peak = max(peak, peak_of(["nice", "-n", "10", sys.executable, "-c", program], bench, took))
            spent += float("".join(took))
    return spent, peak, made


def peak_of(command: list[str], bench: Bench, said: list[str] | None = None) -> int:
    """Run a command to its end: the most memory it had, in KB."""
    environment = {
        **os.environ,
        "ARCHGATE_DATABASE_URL": bench.url,
        "PYTHONPATH": str(Path(__file__).resolve().parents[2]),
    }
    peak = 0
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as child:
        while child.poll() is None:
            peak = max(peak, resident(child.pid))
            time.sleep(0.02)
        assert child.stdout
        output = child.stdout.read()
    if child.returncode:
        raise RuntimeError("The worker ended badly.")
    if said is not None:
        said.append(output)
    return peak


def resident(pid: int) -> int:
    try:
        words = Path(f"/proc/{pid}/status").read_text().split("VmHWM:")
    except OSError:
        return 0
    return int(words[1].split()[0]) if len(words) > 1 else 0


def enrolled(sessions: Sessions, batch_id: int) -> int:
    with sessions() as s:
        return s.scalar(select(func.count()).where(Enrollment.batch_id == batch_id)) or 0


# --- the floor --------------------------------------------------------------------------------------------


def highest_keys(engine: Engine) -> dict[str, int]:
    """The last id of each table before a list is written."""
    with engine.connect() as c:
        return {t.__tablename__: c.scalar(select(func.max(key_of(t)))) or 0 for t in WRITTEN}


def key_of(table: type[Base]):  # type: ignore[no-untyped-def]  # a column of a table chosen at run time
    return table.__table__.c.person_id if table is PeopleWord else table.__table__.c.id


def floor_of(bench: Bench, before: dict[str, int]) -> float:
    """Write what a list has written into an empty database, a table after the other: only the INSERTs count."""
    engine, spent = bench.second("floor"), 0.0
    with engine.connect() as target, bench.engine.connect() as source:
        target.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in WRITTEN:
            rows = table.__table__
            written = [c for c in rows.columns if c.computed is None]
            key, after = key_of(table), before[table.__tablename__]
            while True:
                ids = (
                    source.execute(select(key).where(key > after).distinct().order_by(key).limit(PER_INSERT))
                    .scalars()
                    .all()
                )
                if not ids:
                    break
                chunk = [dict(r) for r in source.execute(select(*written).where(key.in_(ids))).mappings()]
                after = ids[-1]
                begun = time.perf_counter()
                target.execute(insert(table), chunk)
                target.commit()
                spent += time.perf_counter() - begun
    engine.dispose()
    return spent


# --- the desk beside --------------------------------------------------------------------------------------


@dataclass
class Desk:
    """Somebody who signs people up on the run of the list, and somebody who looks at pages, until the list is done."""

    run_id: int
    first: int
    sign_ups: list[float] = field(default_factory=list)
    pages: list[float] = field(default_factory=list)
    refused: int = 0

    def sign_up(self, caller: Caller) -> None:
        body = {"run_id": self.run_id, "person_id": self.first + len(self.sign_ups), "total": "240.00"}
        begun = time.perf_counter()
        status, _ = caller.ask("POST", "/api/v1/enrollments", body, secrets.token_hex(12))
        self.sign_ups.append(time.perf_counter() - begun)
        self.refused += status != 201

    def look(self, caller: Caller) -> None:
        for address in REQUESTS:
            begun = time.perf_counter()
            caller.read(address.replace("{run}", str(self.run_id)))
            self.pages.append(time.perf_counter() - begun)

    def until(self, done: Event, caller: Caller, what: str) -> None:
        while not done.is_set():
            (self.sign_up if what == "sign up" else self.look)(caller)
            time.sleep(0.2)

    @property
    def worst(self) -> float:
        return sorted(self.sign_ups)[int(len(self.sign_ups) * 0.95)]


def with_desk(bench: Bench, run_id: int, user: User, size: int) -> dict[str, object]:
    with served(bench) as client:
        one, other = client(), client()
        alone = Desk(run_id, KNOWN + 1)
        for _ in range(20):
            alone.sign_up(one)
            alone.look(other)
        beside, done = Desk(run_id, KNOWN + 101), Event()
        threads = [
            Thread(target=beside.until, args=(done, caller, what))
            for caller, what in ((one, "sign up"), (other, "look"))
        ]
        for thread in threads:
            thread.start()
        spent, _, batch_id = enroll(bench, run_id, user, size, "busy")
        done.set()
        for thread in threads:
            thread.join()
        begun = time.perf_counter()
        one.read(f"/api/v1/batches/{batch_id}")
        page = time.perf_counter() - begun
    return {
        "with the desk": round(spent, 1), "sign-ups": len(beside.sign_ups), "refused": beside.refused + alone.refused,
        "sign-up": f"{1000 * alone.worst:.0f} -> {1000 * beside.worst:.0f}",
        "pages": f"{1000 * statistics.median(alone.pages):.0f} -> {1000 * statistics.median(beside.pages):.0f}",
        "list page": round(1000 * page),
    }  # fmt: skip

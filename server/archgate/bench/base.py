"""What every bench stands on: a line to print, a clock, a database of its own, the application as it is served."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from http.client import HTTPConnection
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

from sqlalchemy import Engine

from archgate.actions.access import staff
from archgate.actions.center.center import make_center
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import Sessions, act
from archgate.actions.runs import making
from archgate.actions.runs.commands import RunCommand
from archgate.documents.reader import Document
from archgate.tables.access import User

if TYPE_CHECKING:
    from archgate.own_server import OwnServer

EMAIL, WORD = "bench@example.org", "a long enough word"
START = datetime(2027, 1, 4, tzinfo=UTC)


def best(do: Callable[[], object], rounds: int = 5) -> float:
    """The shortest of several rounds, in seconds: what the work takes when nothing else disturbs it."""
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        do()
        times.append(time.perf_counter() - begun)
    return min(times)


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


@dataclass(frozen=True)
class Bench:
    """A database of its own, on memory, with a center in it; what is measured is thrown away with it."""

    sessions: Sessions
    engine: Engine
    url: str
    server: OwnServer

    def second(self, name: str) -> Engine:
        """Another database of the same server, with the same tables and nothing in them."""
        from archgate.tables.engine import engine_for
        from archgate.tables.migrate import migrate

        self.server.create_database(name, afresh=True)
        engine = engine_for(self.server.url(name), pool=4)
        migrate(engine)
        return engine


@contextmanager
def own_bench(pool: int = 40) -> Iterator[Bench]:
    from archgate.own_server import OwnServer
    from archgate.tables.engine import engine_for, sessions_of
    from archgate.tables.migrate import migrate

    memory = "/dev/shm" if Path("/dev/shm").is_dir() else None
    with TemporaryDirectory(prefix="ag-bench-", dir=memory) as home:
        server = OwnServer(Path(home), quick=True)
        server.start()
        try:
            server.create_database("bench")
            engine = engine_for(server.url("bench"), pool=pool)
            migrate(engine)
            made = sessions_of(engine)
            make_center(made, "Bench", "America/New_York", "USD")
            yield Bench(made, engine, server.url("bench"), server)
            engine.dispose()
        finally:
            server.stop()


@contextmanager
def own_database() -> Iterator[Sessions]:
    with own_bench() as bench:
        yield bench.sessions


def seat_run(sessions: Sessions, capacity: int, people: int) -> tuple[int, User]:
    """A published run with one rate, and so many people; the run's id and the user who acts."""
    from sqlalchemy import insert

    from archgate.tables.people import Person

    user = act(
        sessions,
        lambda d: staff.create_user(d, EMAIL, "Bench", "administrator", WORD, True),
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


class Caller:
    """One client of the application that is signed in."""

    def __init__(self, port: int, cookie: str) -> None:
        self.line = HTTPConnection("127.0.0.1", port, timeout=60)
        self.headers = {"Cookie": cookie, "Content-Type": "application/json"}

    def ask(
        self, method: str, address: str, body: Document | None = None, key: str = ""
    ) -> tuple[int, bytes]:
        """Status and content of what an address answers."""
        headers = {**self.headers, **({"Idempotency-Key": key} if key else {})}
        self.line.request(method, address, json.dumps(body) if body is not None else None, headers)
        answer = self.line.getresponse()
        return answer.status, answer.read()

    def read(self, address: str) -> bytes:
        status, content = self.ask("GET", address)
        if status != 200:
            raise RuntimeError(f"{address} answered {status}.")
        return content


@contextmanager
def served(bench: Bench) -> Iterator[Callable[[], Caller]]:
    """The application as `serve` runs it, in several processes; what makes a client that is signed in."""
    from archgate.own_server import free_port

    port = free_port()
    environment = {
        **os.environ, "ARCHGATE_DATABASE_URL": bench.url, "ARCHGATE_QUICK_HASH": "1", "ARCHGATE_WEB": "/nonexistent",
        "PYTHONPATH": str(Path(__file__).resolve().parents[2]),
    }  # fmt: skip
    command = [sys.executable, "-m", "archgate.cli", "serve", "--port", str(port)]
    with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE) as server:
        try:
            assert server.stdout
            if not server.stdout.readline():
                raise RuntimeError("The server did not start.")
            line_to = HTTPConnection("127.0.0.1", port, timeout=60)
            words = json.dumps({"email": EMAIL, "password": WORD})
            line_to.request("POST", "/api/v1/session", words, {"Content-Type": "application/json"})
            answer = line_to.getresponse()
            answer.read()
            cookie = (answer.headers["Set-Cookie"] or "").partition(";")[0]
            line_to.close()
            yield lambda: Caller(port, cookie)
        finally:
            server.terminate()

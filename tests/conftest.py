"""One private MariaDB for the whole test run, on memory where there is some; one database per worker process."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from urllib.parse import quote

import pymysql
import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings
from sqlalchemy import Engine, inspect, select
from sqlalchemy.engine import make_url
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.access.staff import create_user
from archgate.actions.across import checks
from archgate.actions.center.center import make_center
from archgate.actions.kernel.unit_of_work import act, read_only
from archgate.actions.seats import made_of
from archgate.app import create_app
from archgate.clock import system_now
from archgate.outside.card_service.store import make_tables
from archgate.outside.card_service.web import create_service
from archgate.outside.payments import Cards, CardsByHttp
from archgate.own_server import OwnServer
from archgate.settings import ROOT, Settings
from archgate.tables.courses import Center
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.migrate import migrate
from archgate.tables.seats import RunSeats
from made import MORNING, PASSWORD, Office

SERVER = "ARCHGATE_TEST_SERVER"
STARTED: list[tuple[tempfile.TemporaryDirectory[str], OwnServer]] = []
LONG = os.environ.get("ARCHGATE_LONG") == "1"
settings.register_profile(
    "usual", max_examples=60, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.register_profile("long", max_examples=3000, deadline=None, suppress_health_check=list(HealthCheck))
settings.load_profile("long" if LONG else "usual")


def pytest_configure(config: pytest.Config) -> None:
    """Where there are several workers, the controlling process starts the server, and they find its address in the
    environment; else the first test that asks for it does. Tests of the core ask for none, so they go without."""
    several = getattr(config.option, "numprocesses", None)
    if hasattr(config, "workerinput") or config.option.collectonly or not several:
        return
    core = Path(__file__).parent / "core"
    if not all(Path(arg.partition("::")[0]).resolve().is_relative_to(core) for arg in config.args):
        start_server()


def start_server() -> None:
    memory = "/dev/shm" if Path("/dev/shm").is_dir() and os.access("/dev/shm", os.W_OK) else None
    home = tempfile.TemporaryDirectory(prefix="ag-test-", dir=memory)
    server = OwnServer(Path(home.name), quick=True)
    server.start()
    os.environ[SERVER] = server.url("{}")
    STARTED.append((home, server))


def pytest_unconfigure(config: pytest.Config) -> None:
    while STARTED:
        home, server = STARTED.pop()
        server.stop()
        home.cleanup()


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest first, so that none is left alone at the end: demos that are started, then browser walks."""
    items.sort(key=lambda item: ("test_launcher" not in item.nodeid, "screens" not in item.nodeid))


def new_database(name: str) -> str:
    """An empty database on the test server; returns its URL."""
    if SERVER not in os.environ:
        start_server()
    url = os.environ[SERVER].format(name)
    parts = make_url(url)
    with pymysql.connect(
        host=parts.host, port=parts.port or 0, user=parts.username, password=str(parts.password)
    ) as connection, connection.cursor() as cursor:  # fmt: skip
        cursor.execute(f"DROP DATABASE IF EXISTS `{name}`")
        cursor.execute(f"CREATE DATABASE `{name}`")
    return url


@pytest.fixture(scope="session")
def database(worker_id: str) -> str:
    return new_database(f"test_{worker_id}")


@pytest.fixture(scope="session")
def engine(database: str) -> Iterator[Engine]:
    engine = engine_for(database, pool=40)
    migrate(engine)
    yield engine
    engine.dispose()


@pytest.fixture(scope="session")
def sessions(engine: Engine) -> Iterator[sessionmaker[Session]]:
    """The center of a worker's tests; whatever they did to it, it agrees in the end."""
    made = sessions_of(engine)
    make_center(made, "Test Center", "America/New_York", "USD")
    with made.begin() as session:
        session.get_one(Center, 1).clock_offset = round((MORNING - system_now()).total_seconds())
    yield made
    assert read_only(made, checks.everything, at=MORNING) == "Everything agrees."


@pytest.fixture(scope="session")
def users(sessions: sessionmaker[Session]) -> dict[str, object]:
    found = {}
    for role in ("administrator", "coordinator", "finance", "desk", "reader"):
        found[role] = act(
            sessions,
            lambda uow, r=role: create_user(uow, f"{r}@example.org", f"Test {r}", r, PASSWORD, True),
        )
    return found


@pytest.fixture
def office(sessions: sessionmaker[Session], users: dict[str, object]) -> Office:
    """A desk to act from, on 20 August 2027 at 10 in the morning, New York time."""
    return Office(sessions, users["coordinator"], MORNING)


@pytest.fixture
def alone(worker_id: str) -> Iterator[Office]:
    """An office with an empty database of its own, in which nobody else's work waits; today."""
    engine = engine_for(new_database(f"alone_{worker_id}"), pool=40)
    migrate(engine)
    made = sessions_of(engine)
    make_center(made, "Test Center", "America/New_York", "USD")
    user = act(made, lambda uow: create_user(uow, "c@example.org", "Clerk", "coordinator", PASSWORD, True))
    yield Office(made, user, system_now())
    made_of.SHELVES.pop(engine, None)  # the next database has this one's name, and other runs
    engine.dispose()


def url_of(office: Office) -> str:
    """Where the database of an office is, for another process."""
    return office.sessions.kw["bind"].url.render_as_string(hide_password=False)


@pytest.fixture(scope="session")
def app(sessions: sessionmaker[Session], users: dict[str, object]):
    return create_app(Settings("", True, False, ROOT / "web" / "dist", hosts=("testserver",)), sessions)


@pytest.fixture
def stranger(app) -> TestClient:
    """A browser in which nobody is signed in."""
    return TestClient(app, base_url="http://testserver", raise_server_exceptions=False)


SERVICE_KEY, SERVICE_SECRET = "a-key-for-tests", "whsec_dGhlIHNlY3JldCBvZiB0aGUgdGVzdHM="


@pytest.fixture(scope="session")
def card_service(worker_id: str) -> Iterator[FastAPI]:
    """The stand-in for a payment service, with a database of its own; asked without a network, and nothing in it takes time."""
    engine = engine_for(new_database(f"cards_{worker_id}"), pool=40)
    make_tables(engine)
    made = create_service(
        sessions_of(engine), SERVICE_KEY, SERVICE_SECRET, "http://service", pause=lambda seconds: None
    )
    yield made
    engine.dispose()


@pytest.fixture
def bank(card_service: FastAPI, app: FastAPI, monkeypatch: pytest.MonkeyPatch) -> Iterator[Cards]:
    """A center that takes cards, by the stand-in."""
    monkeypatch.setenv("ARCHGATE_PAYMENTS", "http://service")
    monkeypatch.setenv("ARCHGATE_PAYMENTS_KEY", SERVICE_KEY)
    monkeypatch.setenv("ARCHGATE_PAYMENTS_SECRET", SERVICE_SECRET)
    headers = {"Authorization": f"Bearer {SERVICE_KEY}"}
    service = CardsByHttp(TestClient(card_service, base_url="http://service", headers=headers))
    before = app.state.cards, app.state.settings
    app.state.cards, app.state.settings = service, replace(app.state.settings, payments_secret=SERVICE_SECRET)
    yield service
    app.state.cards, app.state.settings = before


class Browser(TestClient):
    """A browser whose user answers the question before a new place or instructor is added by yes."""

    says_yes = True

    def request(self, method, url, **more):
        answer = super().request(method, url, **more)
        if answer.status_code == 409 and answer.json()["type"].endswith(":unknown-name") and self.says_yes:
            names = ",".join(quote(n["name"]) for n in answer.json()["names"])
            headers = {**(more.pop("headers", None) or {}), "Archgate-New-Names": names}
            return super().request(method, url, headers=headers, **more)
        return answer


def signed_in(app, email: str) -> Browser:
    client = Browser(app, base_url="http://testserver", raise_server_exceptions=False)
    answer = client.post("/api/v1/session", json={"email": email, "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    return client


@pytest.fixture(scope="session")
def clerk(app) -> TestClient:
    """A browser in which a coordinator is signed in."""
    return signed_in(app, "coordinator@example.org")


@pytest.fixture(scope="session")
def chief(app) -> TestClient:
    """A browser in which the administrator is signed in."""
    return signed_in(app, "administrator@example.org")


def columns_of(row: object) -> dict[str, object]:
    return {a.key: getattr(row, a.key) for a in inspect(type(row)).column_attrs}


def all_of(made: made_of.MadeOf) -> list[object]:
    """Every row that a run is made of, as values."""
    run = made.run
    plans = [*run.plans, *made.plans]
    rows = [run, *run.all_meetings, *run.gates, *run.rates, *run.extras, *plans]
    rows += [step for rate in run.rates for step in rate.early] + [
        line for plan in plans for line in plan.lines
    ]
    return [columns_of(row) for row in rows]


@pytest.fixture(scope="module", autouse=True)
def what_is_kept_is_true() -> Iterator[None]:
    """After every file of tests: whatever a process keeps of a run and would still use is what the database holds."""
    yield
    for engine, shelf in list(made_of.SHELVES.items()):
        with Session(engine) as session:
            center = session.scalar(select(Center.revision))
            for run_id, made in list(shelf.kept.items()):
                now = (session.scalar(select(RunSeats.revision).where(RunSeats.run_id == run_id)), center)
                if now == made.revision:
                    assert all_of(made) == all_of(made_of.read(session, run_id, made.revision))

"""A soak of payments by card: the stand-in refuses, delays and doubles by chance, while server and worker are killed; the books end equal."""

import os
import random
import signal
import subprocess
import sys
import time
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field

import httpx
from sqlalchemy import select, update

from archgate.actions.access.staff import create_user
from archgate.actions.across.checks import everything
from archgate.actions.center.center import make_center
from archgate.actions.kernel.unit_of_work import act, read_only
from archgate.actions.money import accounts, card_refunds, cards
from archgate.clock import business_now, system_now
from archgate.core.states import CardStatus, RefundStatus, ServiceStatus
from archgate.jobs import worker as jobs
from archgate.jobs.worker import Worker
from archgate.outside.card_service import rules
from archgate.outside.card_service.store import ServicePayment, ServiceRefund, make_tables
from archgate.own_server import free_port
from archgate.settings import ROOT
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.jobs import Job
from archgate.tables.migrate import migrate
from archgate.tables.money import CardPayment, CardRefund, Entry, Payment
from archgate.tables.roster import Enrollment
from conftest import LONG, SERVICE_KEY, SERVICE_SECRET, new_database
from made import PASSWORD, Office, public_run

PAYERS, KILLS = (60, 12) if LONG else (6, 2)


@dataclass
class Processes:
    """Our own commands on ports of their own; each can be killed and begun anew."""

    env: dict[str, str]
    port: int
    pay: int
    running: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    def start(self, what: str, *more: str) -> None:
        words = {
            "serve": ["serve", "--port", str(self.port)],
            "worker": ["worker"],
            "payments": ["payments", "--port", str(self.pay), "--notify", f"http://127.0.0.1:{self.port}/api/v1/payment-notices"],
        }[what]  # fmt: skip
        self.running[what] = subprocess.Popen(
            ["setpriv", "--pdeathsig", "KILL", "--", sys.executable, "-m", "archgate.cli", *words, *more],
            env={**os.environ, **self.env}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip

    def kill(self, what: str) -> None:
        with suppress(ProcessLookupError):
            os.killpg(self.running[what].pid, signal.SIGKILL)
        self.running[what].wait(10)

    def answers(self, port: int) -> None:
        for _ in range(300):
            with suppress(httpx.HTTPError):
                httpx.get(f"http://127.0.0.1:{port}/", timeout=5)
                return
            time.sleep(0.1)
        raise AssertionError("it did not start")


PATIENCE = 180.0  # seconds; a server that was killed starts in some, on a busy machine in many


@contextmanager
def a_center(worker_id):
    engine = engine_for(new_database(f"soak_{worker_id}"))
    theirs = engine_for(new_database(f"soak_cards_{worker_id}"))
    migrate(engine)
    make_tables(theirs)
    sessions = sessions_of(engine)
    make_center(sessions, "Soaked", "America/New_York", "USD")
    user = act(sessions, lambda d: create_user(d, "s@example.org", "S. Oak", "coordinator", PASSWORD, True))
    yield sessions, sessions_of(theirs), Office(sessions, user, business_now(0)), (engine, theirs)
    engine.dispose()
    theirs.dispose()


def asked(client: httpx.Client, method: str, path: str, patience: float = PATIENCE, **more) -> httpx.Response:
    """A request as a patient browser sends it: again, under the same key, while the server is away."""
    give_up = time.monotonic() + patience
    while time.monotonic() < give_up:
        with suppress(httpx.HTTPError):
            answer = client.request(method, path, **more)
            if answer.status_code < 500 and answer.status_code != 429:
                return answer
        time.sleep(0.25)
    raise AssertionError(f"{method} {path} was never answered")


def a_payer(office: Processes, run: int, n: int, chance: random.Random, seen: dict[str, int]) -> None:
    """Somebody signs up and pays, or not; some press twice."""
    with httpx.Client(base_url=f"http://127.0.0.1:{office.port}", timeout=12) as client:
        who = {"given": f"S{n}", "family": f"Oak{n}", "email": f"s{n}@example.org", "total": "240.00"}
        key = {"Idempotency-Key": f"soak-sign-up-{n}"}
        done = asked(client, "POST", f"/api/v1/catalog/runs/{run}/sign-ups", json=who, headers=key)
        assert done.status_code == 201, done.text
        if chance.random() < 0.3:
            assert (
                asked(client, "POST", f"/api/v1/catalog/runs/{run}/sign-ups", json=who, headers=key).json()
                == done.json()
            )
        pay = done.json()["pay"]
        opened = asked(client, "POST", f"/api/v1/card-payments/{pay}/page")
        page = opened.json().get("page", "")
        seen["signed up"] = seen.get("signed up", 0) + 1
        if not page or chance.random() < 0.15:
            seen["left"] = seen.get("left", 0) + 1
            return
        treatment = chance.choice(list(rules.Treatment))
        number = next(n for n, t in rules.NUMBERS.items() if t is treatment)
        with httpx.Client(timeout=15) as browser, suppress(httpx.HTTPError):
            browser.post(page, data={"number": number, "holder": f"S. Oak {n}"})
            if treatment is rules.Treatment.CHECK:
                browser.post(f"{page}/check", data={"code": "2718"})
        with suppress(AssertionError):
            asked(client, "GET", f"/api/v1/card-payments/{pay}", patience=2)
        seen["paid"] = seen.get("paid", 0) + 1


def settle(sessions, theirs, worker: Worker) -> None:
    """What the clock would bring: looks that are due, and work that was put back, until nothing is under way."""
    over = [CardStatus.DONE, CardStatus.REFUSED, CardStatus.RELEASED, CardStatus.EXPIRED, CardStatus.UNKNOWN]
    past = system_now().replace(year=2000)
    with theirs.begin() as session:  # pages that nobody paid on run out
        session.execute(
            update(ServicePayment).where(ServicePayment.status == ServiceStatus.OPEN).values(until=past)
        )
    for _ in range(12):
        with sessions.begin() as session:
            session.execute(update(CardPayment).where(CardPayment.look_at.is_not(None)).values(look_at=past))
            session.execute(update(Job).where(Job.status.in_(("queued", "running")), Job.kind.in_((cards.LOOK, card_refunds.REFUND))).values(status="queued", due_at=past, tries=0))  # fmt: skip
        jobs.see_after_cards(sessions)
        worker.drain()
        with sessions() as session:
            waits = (CardPayment.look_at.is_not(None)) & CardPayment.status.not_in(over)
            if not session.scalars(select(CardPayment.id).where(waits)).all():
                return
    raise AssertionError("payments by card are still under way")


def test_books_and_service_are_equal_after_kills_and_trouble(worker_id, monkeypatch):
    chance, seen = random.Random(5), {}
    with a_center(worker_id) as (sessions, theirs, office, engines):
        plans = [
            {"name": "Halves", "lines": [{"percent": "50", "due": {"after_sign_up": n}} for n in (0, 30)]}
        ]
        first = business_now(0).date().replace(year=business_now(0).year + 1).isoformat()
        run = public_run(office, capacity=PAYERS, hold_hours=48, plans=plans, rates=[{"amount": "240.00"}], place="Hall",
                         pattern={"first": first, "start": "17:30", "minutes": 60, "count": 2})["id"]  # fmt: skip
        env = {
            "ARCHGATE_DATABASE_URL": str(engines[0].url.render_as_string(hide_password=False)), "ARCHGATE_QUICK_HASH": "1",
            "ARCHGATE_PAYMENTS_DATABASE_URL": str(engines[1].url.render_as_string(hide_password=False)),
            "ARCHGATE_PAYMENTS_KEY": SERVICE_KEY, "ARCHGATE_PAYMENTS_SECRET": SERVICE_SECRET, "ARCHGATE_PROCESSES": "2" if LONG else "1",
            "ARCHGATE_LEASE": "3", "PYTHONPATH": str(ROOT / "server"),
        }  # fmt: skip
        port, pay = free_port(), free_port()
        env["ARCHGATE_PAYMENTS"] = f"http://127.0.0.1:{pay}"
        ours = Processes(env, port, pay)
        try:
            ours.start("payments", "--trouble", "0.25", "--seed", "3")
            for what in ("serve", "worker"):
                ours.start(what)
            ours.answers(port)
            ours.answers(pay)
            for n in range(PAYERS):
                a_payer(ours, run, n, chance, seen)
                if n % max(1, PAYERS // KILLS) == 0:
                    what = ("serve", "worker")[seen.get("killed", 0) % 2]
                    ours.kill(what)
                    ours.start(what)
                    seen["killed"] = seen.get("killed", 0) + 1
            ours.kill("worker")
            ours.kill("serve")
            ours.kill("payments")
            ours.start("payments")
            ours.answers(pay)
            for name in ("ARCHGATE_PAYMENTS", "ARCHGATE_PAYMENTS_KEY", "ARCHGATE_PAYMENTS_SECRET"):
                monkeypatch.setenv(name, env[name])
            settle(sessions, theirs, Worker.with_stand_ins(sessions))
        finally:
            for what in list(ours.running):
                ours.kill(what)
        assert seen["killed"] >= KILLS and seen["paid"] >= PAYERS // 2, seen
        equal(sessions, theirs, run)


def equal(sessions, theirs, run) -> None:
    with theirs() as session:
        charged = {
            p.key: p
            for p in session.scalars(
                select(ServicePayment).where(ServicePayment.status == ServiceStatus.CAPTURED)
            )
        }
        back = session.scalars(select(ServiceRefund).where(ServiceRefund.said == "")).all()
    with sessions() as session:
        done = {
            c.key: c
            for c in session.scalars(select(CardPayment).where(CardPayment.status == CardStatus.DONE))
        }
        booked = {p.id: p for p in session.scalars(select(Payment))}
        refunds = session.scalars(select(CardRefund).where(CardRefund.status == RefundStatus.DONE)).all()
        people = session.scalars(select(Enrollment).where(Enrollment.run_id == run)).all()
        entries = session.scalars(select(Entry.amount)).all()
    assert set(done) == set(charged) and len(charged) >= 3
    assert {c.payment_id for c in done.values()} == set(booked), (
        "each charge is booked once, and nothing else"
    )
    for key, card in done.items():
        assert booked[card.payment_id].amount == charged[key].amount == card.amount
        assert booked[card.payment_id].fee == charged[key].fee
    assert sum(b.amount for b in back) == sum(r.amount for r in refunds)
    assert sum(entries) == 0 and len({p.person_id for p in people}) == len(people)
    paid = {c.enrollment_id for c in done.values()}
    assert {p.id for p in people if p.status == "seated"} == paid, (
        "who paid has the seat, who did not waits with it"
    )
    assert read_only(sessions, everything) == "Everything agrees."
    assert read_only(sessions, accounts.account_faults) == []

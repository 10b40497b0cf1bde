"""64 clients after the last 100 seats of a run."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import count

from sqlalchemy import Connection, CursorResult, Engine, insert, select, text, update

from archgate.actions.kernel.unit_of_work import Sessions, read_only
from archgate.actions.seats import seats
from archgate.bench.base import Caller, Line, line, own_bench, seat_run, served, timed_by
from archgate.tables.base import Base
from archgate.tables.log import Change, IdempotencyKey
from archgate.tables.money import Account, Entry, Posting
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats

CLIENTS, PLACES, BEFORE = 64, 100, 40


def contention() -> Iterator[Line]:
    """64 clients after the last 100 seats of a run, through the API as `serve` runs it; each sign-up with all its checks,
    money and log. The floor: as many clients that write the same rows in one transaction with SQLAlchemy Core, one statement
    a table, on the same server. `bare loop` locks the seat row, reads it and inserts one row. `one client` is the rate of a
    single client on the seats before those: what many at once lose by waiting for each other is the difference to it."""
    with own_bench(pool=CLIENTS) as bench:
        sessions = bench.sessions
        run_id, _ = seat_run(sessions, BEFORE + PLACES, 4000)
        people, seated = count(1), list[int]()

        def sign_up(caller: Caller) -> bool:
            person = next(people)
            body = {"run_id": run_id, "person_id": person, "total": "240.00"}
            status, _ = caller.ask("POST", "/api/v1/enrollments", body, secrets.token_hex(12))
            if status == 201:
                seated.append(person)
            return status == 201

        with served(bench) as client:
            first = client()
            for _ in range(4):  # so that each process has read what it keeps
                sign_up(first)

            def few() -> None:
                while len(seated) < BEFORE:
                    sign_up(first)

            left = BEFORE - len(seated)
            alone = timed_by(1, few) / left
            callers = [client() for _ in range(CLIENTS)]

            def rush() -> None:
                caller = callers.pop()
                while sign_up(caller):
                    pass

            taken = timed_by(CLIENTS, rush)
        counted = read_only(sessions, lambda d: seats.live_heads(d, run_id))
        floor = timed_by(CLIENTS, SameRows(bench.engine, run_id).write_all)
        bare = timed_by(CLIENTS, bare_loop(sessions, run_id))
        yield line("contention", PLACES / taken, "sign-ups a second", PLACES / floor,
                   {"clients": CLIENTS, "seats": PLACES, "seated": len(seated) - BEFORE, "one client": round(1 / alone, 1),
                    "bare loop": round(PLACES / bare, 1), "oversold": max(0, counted - BEFORE - PLACES)})  # fmt: skip


Row = dict[str, object]


def rows_of(connection: Connection, table: type[Base], **named: object) -> list[Row]:
    """Rows as they were written, without their own keys and without what the database works out."""
    rows = connection.execute(select(table).filter_by(**named)).mappings()
    written = {c.name for c in table.__table__.columns if c.computed is None} - {"id"}
    return [{k: v for k, v in row.items() if k in written} for row in rows]


class SameRows:
    """Writes the rows of a sign-up that was made, again and again for other people, until the seats are taken."""

    def __init__(self, engine: Engine, run_id: int) -> None:
        self.engine, self.seat, self.people = engine, RunSeats.run_id == run_id, count(2000)
        with engine.begin() as c:
            one = c.execute(select(Enrollment).where(Enrollment.run_id == run_id).limit(1)).one()
            posting = c.execute(select(Posting.id).where(Posting.enrollment_id == one.id)).scalar_one()
            self.payer = one.payer_id
            self.key = rows_of(c, IdempotencyKey)[0]
            self.account = rows_of(c, Account, id=one.payer_id)[0]
            self.enrollment = rows_of(c, Enrollment, id=one.id)[0]
            self.installments = rows_of(c, Installment, enrollment_id=one.id)
            self.posting = rows_of(c, Posting, id=posting)[0]
            self.entries = rows_of(c, Entry, posting_id=posting)
            self.change = rows_of(c, Change, subject="enrollment", subject_id=one.id)[0]
            c.execute(update(RunSeats).where(self.seat).values(taken=0))

    def write_all(self) -> None:
        while self.write():
            pass

    def write(self) -> bool:
        person, key = next(self.people), secrets.token_hex(12)
        with self.engine.begin() as c:
            c.execute(insert(IdempotencyKey), {**self.key, "key": key})
            c.execute(update(RunSeats).where(self.seat).values(version=RunSeats.version + 1))
            if (c.execute(select(RunSeats.taken).where(self.seat)).scalar() or 0) >= PLACES:
                return False
            c.execute(update(RunSeats).where(self.seat).values(taken=RunSeats.taken + 1))
            owner = {"owner": f"person:{person}", "person_id": person}
            payer = new_id(c.execute(insert(Account), {**self.account, **owner}))
            own = {"person_id": person, "payer_id": payer}
            number = new_id(c.execute(insert(Enrollment), {**self.enrollment, **own}))
            c.execute(insert(Installment), [{**r, "enrollment_id": number} for r in self.installments])
            posting = new_id(c.execute(insert(Posting), {**self.posting, "enrollment_id": number}))
            entries = [
                {**r, "posting_id": posting, "account_id": payer if r["account_id"] == self.payer else r["account_id"]}
                for r in self.entries
            ]  # fmt: skip
            c.execute(insert(Entry), entries)
            c.execute(insert(Change), {**self.change, "key": key, "subject_id": number})
        return True


def new_id(done: CursorResult[tuple[object, ...]]) -> object:
    key = done.inserted_primary_key
    return key[0] if key else None


def bare_loop(sessions: Sessions, run_id: int) -> BareLoop:
    with sessions.begin() as s:
        s.execute(text("CREATE TABLE bare (id BIGINT PRIMARY KEY AUTO_INCREMENT, n INT) ENGINE=InnoDB"))
        s.execute(text("UPDATE run_seats SET taken = 0"))
    return BareLoop(sessions, run_id)


@dataclass
class BareLoop:
    """Locks the seat row, reads it, and inserts one row, until the seats are taken."""

    sessions: Sessions
    run_id: int

    def __call__(self) -> None:
        run = {"r": self.run_id}
        while True:
            with self.sessions() as s:
                row = s.execute(
                    text("SELECT taken FROM run_seats WHERE run_id = :r FOR UPDATE"), run
                ).scalar()
                if int(row or 0) >= PLACES:
                    return
                s.execute(text("UPDATE run_seats SET taken = taken + 1 WHERE run_id = :r"), run)
                s.execute(text("INSERT INTO bare (n) VALUES (:n)"), {"n": row})
                s.commit()

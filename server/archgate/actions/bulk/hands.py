"""Who has a list in hand: a worker takes it, works on it slice by slice, and leaves word after each.

One that left no word for `LOST` is taken for gone, and another takes its list; should it wake up again, it finds that the list
is no longer its own. All times here are the system clock's.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import partial

from sqlalchemy import ColumnElement, or_, select, update
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.bulk import running, taking_back
from archgate.actions.bulk.judging import KEEP_VERDICTS, Judging, facts_of, lines_after
from archgate.actions.bulk.rows import AT_WORK, in_hand
from archgate.actions.kernel import lookups
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork, act
from archgate.clock import business_now, system_now
from archgate.core.faults import Refused
from archgate.core.states import BatchStatus
from archgate.tables.access import User
from archgate.tables.bulk import Batch
from archgate.tables.courses import Center

LOST = timedelta(seconds=20)


def claim(sessions: sessionmaker[Session]) -> list[tuple[int, str]]:
    """Take the lists that are to be worked on and that nobody has in hand; each with the word by which it is ours."""
    with sessions() as session:
        waiting = session.scalars(select(Batch.id).where(*in_no_hand(system_now()))).all()
    return [(number, word) for number in waiting if (word := claim_one(sessions, number))]


def in_no_hand(now: datetime) -> tuple[ColumnElement[bool], ...]:
    return (Batch.status.in_(AT_WORK), or_(Batch.alive_at.is_(None), Batch.alive_at < now - LOST))


def claim_one(sessions: sessionmaker[Session], batch_id: int) -> str:
    """Take one list, if nobody has it in hand; the word by which it is ours, else nothing."""
    now, word = system_now(), secrets.token_hex(12)
    with sessions.begin() as session:
        taken = session.execute(
            update(Batch).where(Batch.id == batch_id, *in_no_hand(now)).values(worker=word, alive_at=now)
        )
        return word if taken.rowcount else ""  # type: ignore[attr-defined]


def work_on(
    sessions: sessionmaker[Session], batch_id: int, worker: str, size: int = running.SLICE,
    between: Callable[[], None] = lambda: None, at: datetime | None = None,
) -> None:  # fmt: skip
    """Work on a list until it is done, stands, was stopped, or is another's. `between` is called after each slice; `at` sets the
    business moment."""
    with sessions() as session:
        batch = session.get_one(Batch, batch_id)
        status, user = batch.status, session.get_one(User, batch.user_id)
        session.expunge(user)
    if status is BatchStatus.JUDGING:
        judge_in_slices(sessions, batch_id, worker, between, at)
    elif status is BatchStatus.RUNNING:
        while enroll_next(sessions, batch_id, worker, user, size, at):
            between()
    elif status is BatchStatus.TAKING_BACK:
        while act(sessions, partial(taking_back.one_slice, batch_id=batch_id, worker=worker), user, at=at):
            between()


def enroll_next(
    sessions: sessionmaker[Session], batch_id: int, worker: str, user: User, size: int, at: datetime | None
) -> bool:
    """The next slice of a list; rows of which one cannot be enrolled go one by one, so that it is in nobody's way. False when the
    list is done, or stands."""
    try:
        return act(
            sessions, partial(running.one_slice, batch_id=batch_id, worker=worker, size=size), user, at=at
        )
    except running.Stands as stands:
        act(sessions, partial(running.stand, batch_id=batch_id, worker=worker, why=str(stands)), user, at=at)
        return False
    except (Problem, Refused) as refused:
        if size > 1:
            return all(enroll_next(sessions, batch_id, worker, user, 1, at) for _ in range(size))
        why = sentence_of(refused)
        act(sessions, partial(running.not_enrolled, batch_id=batch_id, worker=worker, why=why), user, at=at)
        return True


def sentence_of(refused: Problem | Refused) -> str:
    return refused.detail if isinstance(refused, Problem) else " ".join(f.message for f in refused.faults)


def judge_in_slices(
    sessions: sessionmaker[Session],
    batch_id: int,
    worker: str,
    between: Callable[[], None] = lambda: None,
    at: datetime | None = None,
) -> None:
    """Judge a long list: read by a transaction that locks nothing, its verdicts written a slice at a time."""
    with sessions() as session:
        center, batch = session.get_one(Center, 1), session.get_one(Batch, batch_id)
        uow = UnitOfWork(session, center, None, at or business_now(center.clock_offset))
        newest, after, judged = lookups.revision(uow), 0, Judging(uow, batch, uow.now)
        while lines := lines_after(uow, batch_id, after):
            rows = [facts_of(judged, line, verdict) for line, verdict in judged.judged(lines)]
            after = lines[-1].line
            with sessions.begin() as own:
                ours = select(Batch).where(Batch.id == batch_id, Batch.worker == worker)
                held = own.scalar(ours.with_for_update())
                if held is None or held.status is not BatchStatus.JUDGING:
                    return
                own.connection().execute(KEEP_VERDICTS, rows)
                held.alive_at = system_now()
            between()
    act(sessions, partial(judging_done, batch_id=batch_id, worker=worker, newest=newest), at=at)


def judging_done(uow: UnitOfWork, batch_id: int, worker: str, newest: int) -> None:
    batch = in_hand(uow, batch_id, worker, BatchStatus.JUDGING)
    if batch is not None:
        batch.status, batch.judged_after, batch.judged_at, batch.worker = (
            BatchStatus.JUDGED,
            newest,
            uow.now,
            "",
        )

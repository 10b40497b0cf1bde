"""Queued work: put in line by the transaction that wants it, done by the worker, seen and retried by people.

All times are the system clock's. A worker takes a job for a lease; one that dies lets the lease run out, and
another takes the job again. So a job is done at least once, and its key makes the outside do it once.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import func, insert, or_, select, update
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Done, JobOut, Jobs, Round
from archgate.clock import system_now
from archgate.core.states import JobStatus
from archgate.documents.reader import Document
from archgate.tables.jobs import Job, TimedWork

LEASE = timedelta(seconds=60)
MOST_TRIES = 8
FIRST_PAUSE = timedelta(seconds=10)
LONGEST_PAUSE = timedelta(hours=4)


@dataclass(frozen=True)
class Taken:
    """A job in a worker's hands."""

    id: int
    kind: str
    key: str
    what: Document
    tries: int


def queue(
    uow: UnitOfWork,
    kind: str,
    key: str,
    what: Document,
    wait: timedelta = timedelta(0),
    change: str = "",
    run_id: int | None = None,
) -> Job:
    """Put work in line, in this transaction. The same key again is the same job; one that an undo dropped comes back."""
    queued = uow.session.scalar(select(Job).where(Job.key == key))
    now = system_now()
    if queued is not None:
        if queued.status == JobStatus.DROPPED:
            queued.status, queued.due_at, queued.change_key = JobStatus.QUEUED, now + wait, change
        return queued
    job = Job(
        kind=kind,
        key=key,
        what=what,
        status=JobStatus.QUEUED,
        due_at=now + wait,
        made_at=now,
        change_key=change,
        run_id=run_id,
        tries=0,
        trouble="",
        worker="",
    )
    uow.session.add(job)
    uow.session.flush()
    return job


def queue_new(
    uow: UnitOfWork,
    kind: str,
    jobs: list[tuple[str, Document]],
    wait: timedelta,
    change: str,
    run_id: int | None,
) -> dict[str, int]:
    """Put much work of a new change in line at once, each with its own new key; the ids of the jobs by key."""
    now = system_now()
    same = {
        "kind": kind,
        "status": "queued",
        "due_at": now + wait,
        "made_at": now,
        "change_key": change,
        "run_id": run_id,
        "tries": 0,
        "trouble": "",
        "worker": "",
    }
    if jobs:
        uow.session.execute(insert(Job), [{**same, "key": key, "what": what} for key, what in jobs])
    rows = uow.session.execute(select(Job.key, Job.id).where(Job.change_key == change, Job.kind == kind))
    return {key: number for key, number in rows}  # noqa: C416


def pause_after(tries: int) -> timedelta:
    """How long to wait after so many tries: 10 s, 40 s, 160 s ..., at most four hours."""
    return min(FIRST_PAUSE * int(4 ** (tries - 1)), LONGEST_PAUSE)


def claim(
    sessions: sessionmaker[Session], worker: str, now: datetime | None = None, lease: timedelta = LEASE
) -> Taken | None:
    """Take the next job that is due, or one whose worker is gone; no two workers take the same."""
    now = now or system_now()
    with sessions.begin() as session:
        due = (
            select(Job).where(Job.status == JobStatus.QUEUED, Job.due_at <= now).order_by(Job.due_at, Job.id)
        )
        job = session.scalar(due.limit(1).with_for_update(skip_locked=True))
        if job is None:
            lost = select(Job).where(Job.status == JobStatus.RUNNING, Job.lease_until <= now).order_by(Job.id)
            job = session.scalar(lost.limit(1).with_for_update(skip_locked=True))
        if job is None:
            return None
        job.status, job.worker, job.lease_until, job.tries = (
            JobStatus.RUNNING,
            worker,
            now + lease,
            job.tries + 1,
        )
        return Taken(job.id, job.kind, job.key, job.what, job.tries)


def finish(session: Session, taken: Taken, worker: str) -> bool:
    """Mark a job done, if it is still this worker's."""
    done = session.execute(
        update(Job)
        .where(Job.id == taken.id, Job.status == JobStatus.RUNNING, Job.worker == worker)
        .values(status="done", done_at=system_now(), trouble="", lease_until=None)
    )
    return bool(done.rowcount)  # type: ignore[attr-defined]


def put_back(
    sessions: sessionmaker[Session],
    taken: Taken,
    worker: str,
    said: str,
    for_good: bool,
    now: datetime | None = None,
) -> None:
    """Try again after a growing pause; after the last try, or when it is of no use, leave it to people."""
    now = now or system_now()
    with sessions.begin() as session:
        job = session.scalar(select(Job).where(Job.id == taken.id).with_for_update())
        if job is None or job.worker != worker or job.status != JobStatus.RUNNING:
            return
        job.trouble, job.lease_until = said[:2000], None
        if for_good or taken.tries >= MOST_TRIES:
            job.status = JobStatus.FAILED
        else:
            job.status, job.due_at = JobStatus.QUEUED, now + pause_after(taken.tries)


def due_round(session: Session, name: str, every: timedelta, now: datetime) -> TimedWork | None:
    """The row of timed work whose round has come, locked; its next round is set. None: not now, or somebody is at it."""
    row = session.scalar(select(TimedWork).where(TimedWork.name == name).with_for_update(skip_locked=True))
    if row is None:
        if session.get(TimedWork, name) is None:
            session.add(TimedWork(name=name, due_at=now, found=""))
        return None
    if row.due_at > now:
        return None
    row.last_at, row.due_at = now, now + every
    return row


ALIVE = "a worker is at work"
MISSED = timedelta(seconds=90)  # without a word from any worker, nobody is at work


def note_alive(session: Session, name: str) -> None:
    """Leave word that a worker is at work."""
    now = system_now()
    row = session.get(TimedWork, ALIVE)
    if row is None:
        row = TimedWork(name=ALIVE, due_at=now, found="")
        session.add(row)
    row.last_at, row.found = now, name


def timed_work(session: Session) -> dict[str, TimedWork]:
    """What is done at times, by name."""
    return {row.name: row for row in session.scalars(select(TimedWork))}


def nobody_works(session: Session, timed: Mapping[str, TimedWork]) -> str:
    """Why queued work stands still, in a sentence; empty while a worker is at work."""
    row = timed.get(ALIVE)
    if row is not None and row.last_at is not None and system_now() - row.last_at <= MISSED:
        return ""
    waits = session.scalar(select(func.count()).select_from(Job).where(Job.status == JobStatus.QUEUED)) or 0
    what = (
        f"{waits} {'letter or job waits' if waits == 1 else 'letters and jobs wait'}"
        if waits
        else "Nothing waits yet"
    )
    return f"No worker is at work: letters, offers and links are not sent. {what}. Start ./archgate worker."


# --- what people see --------------------------------------------------------------------------------------

WORDS = {
    "send message": "send a message",
    "make link": "make an online meeting",
    "send webhook": "send a list on",
    "work out cover": "work out a proposal of cover",
    "look at card payment": "ask about a payment by card",
    "pay back by card": "pay back to a card",
    "send an invoice": "send an invoice",
}


def job_view(job: Job) -> JobOut:
    return JobOut(
        id=job.id,
        kind=WORDS.get(job.kind, job.kind),
        status=job.status,
        tries=job.tries,
        trouble=job.trouble,
        about=str(job.what.get("about", "")),
        run_id=job.run_id,
        made_at=job.made_at,
        due_at=job.due_at,
    )


def list_jobs(uow: UnitOfWork) -> Jobs:
    """Work that failed for good, work in line with trouble, and how much is in line."""
    query = select(Job).where(
        or_(Job.status == JobStatus.FAILED, (Job.status == JobStatus.QUEUED) & (Job.tries > 0))
    )
    rows = uow.session.scalars(query.order_by(Job.status, Job.id.desc()).limit(200))
    unfinished = (JobStatus.QUEUED, JobStatus.RUNNING, JobStatus.FAILED)  # what is done is without number
    totals = uow.session.execute(
        select(Job.status, func.count()).where(Job.status.in_(unfinished)).group_by(Job.status)
    )
    counted = {row[0]: int(row[1]) for row in totals}
    rounds = [
        Round(name=t.name, last_at=t.last_at if t.last_at else None, found=t.found)
        for t in uow.session.scalars(
            select(TimedWork).where(TimedWork.name != ALIVE).order_by(TimedWork.name)
        )
    ]
    return Jobs(jobs=[job_view(j) for j in rows], counts=counted, rounds=rounds)


def retry(uow: UnitOfWork, job_id: int) -> Done:
    """Put failed work in line again, with all its tries."""
    job = uow.session.scalar(select(Job).where(Job.id == job_id).with_for_update())
    if job is None:
        raise not_found("This work")
    if job.status != JobStatus.FAILED:
        raise conflict(
            "not-failed", f"This work is {job.status}; only what failed for good is put in line again."
        )
    job.status, job.due_at, job.tries = JobStatus.QUEUED, system_now(), 0
    change = uow.log(
        Act.RETRY_WORK, job.id, f"Put in line again: {WORDS.get(job.kind, job.kind)}", run_id=job.run_id
    )
    return Done(change=change.key)


def drop(uow: UnitOfWork, change_key: str) -> int:
    """Drop what a change put in line and nobody has begun; returns how many were."""
    done = uow.session.execute(
        update(Job)
        .where(Job.change_key == change_key, Job.status == JobStatus.QUEUED, Job.tries == 0)
        .values(status="dropped")
    )
    return int(done.rowcount)  # type: ignore[attr-defined]

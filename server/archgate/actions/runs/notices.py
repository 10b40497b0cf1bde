"""The desk notice of a run: staff cannot miss it while enrolling, and acknowledge each version of it once."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs.views import NoticeDone, NoticeOut
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.tables.courses import Run
from archgate.tables.roster import NoticeSeen

MOST = 2000


def notice_of(uow: UnitOfWork, run: Run) -> NoticeOut:
    """The notice, its version, and whether whoever looks has acknowledged it."""
    seen = False
    if run.desk_notice and uow.user:
        query = select(NoticeSeen.id).where(
            NoticeSeen.user_id == uow.user.id,
            NoticeSeen.run_id == run.id,
            NoticeSeen.version == run.notice_version,
        )
        seen = uow.session.scalar(query) is not None
    return NoticeOut(text=run.desk_notice, version=run.notice_version, seen=seen)


def set_notice(uow: UnitOfWork, run_id: int, text: str) -> NoticeDone:
    """Put up another notice, or none; it has to be acknowledged anew."""
    run, notice = seats.run_to_change(uow, run_id), text.strip()
    if len(notice) > MOST:
        raise refuse("/text", f"The notice is longer than {MOST} characters.")
    if notice == run.desk_notice:
        return notice_of(uow, run).widened(NoticeDone, change=None)
    run.desk_notice, run.notice_version = notice, run.notice_version + 1
    uow.session.flush()
    change = uow.log(Act.CHANGE_A_NOTICE, run.id, f"Desk notice of {run.code}: {notice[:120] or 'none'}")
    return notice_of(uow, run).widened(NoticeDone, change=change.key)


def acknowledge(uow: UnitOfWork, run_id: int, version: int) -> NoticeOut:
    """Say that a version was read; once is enough."""
    run = seats.run_to_change(uow, run_id)
    if version != run.notice_version:
        raise refuse("/version", "The notice has changed meanwhile; read it again.")
    if not notice_of(uow, run).seen:
        uow.session.add(NoticeSeen(user_id=uow.user_id, run_id=run.id, version=version, at=uow.now))
        uow.session.flush()
        uow.log(Act.READ_A_NOTICE, run.id, f"Read the desk notice of {run.code}")
    return notice_of(uow, run)

"""What was done to a run, a person or an account, newest first, each with its undo as long as there is one."""

from __future__ import annotations

from sqlalchemy import ColumnElement, Select, and_, exists, or_, select
from sqlalchemy.orm import aliased

from archgate.actions.across.undo import MONEY_TIME
from archgate.actions.across.views import LogLine, LogPage
from archgate.actions.kernel.acts import Subject, Undo, act_named
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money.accounts import get_account
from archgate.actions.people.people import get_person
from archgate.clock import system_now
from archgate.tables.access import User
from archgate.tables.log import Change
from archgate.tables.money import Account, Invoice, Payment
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Interest, Waiting

PAGE = 60


def log_page(uow: UnitOfWork, touches: ColumnElement[bool], before: int | None = None) -> LogPage:
    """A page of the changes that touch something; `before` is the cursor of the page before."""
    later = aliased(Change)
    undone = exists().where(later.undoes_id == Change.id)
    query = select(Change, User.name, undone).outerjoin(User, User.id == Change.user_id).where(touches)
    if before is not None:
        query = query.where(Change.id < before)
    rows = uow.session.execute(query.order_by(Change.id.desc()).limit(PAGE + 1)).all()
    return LogPage(
        items=[
            LogLine(
                at=uow.local(change.at),
                by=name,
                summary=change.summary,
                undo=None if gone else undo_of(change),
                undone=gone,
            )
            for change, name, gone in rows[:PAGE]
        ],
        next=rows[PAGE - 1][0].id if len(rows) > PAGE else None,
    )


def undo_of(change: Change) -> str | None:
    """The key by which a change is undone; None where it never is, or no longer. Whether something has moved on since is
    asked when it is tried."""
    act = act_named(change.action)
    if not isinstance(act.undo, Undo):
        return None
    late = act.undo is Undo.SOON and system_now() - change.entered_at > MONEY_TIME
    return None if late else change.key


def run_log(uow: UnitOfWork, run_id: int, before: int | None = None) -> LogPage:
    run = get_run(uow, run_id)
    about = and_(Change.subject == Subject.RUN, Change.subject_id == run.id)
    return log_page(uow, or_(Change.run_id == run.id, about), before)


def account_log(uow: UnitOfWork, account_id: int, before: int | None = None) -> LogPage:
    account = get_account(uow, account_id)
    return log_page(uow, of_accounts(select(Account.id).where(Account.id == account.id)), before)


def person_log(uow: UnitOfWork, person_id: int, before: int | None = None) -> LogPage:
    person = get_person(uow, person_id)
    listed = select(Interest.id).where(Interest.person_id == person.id)
    enrollments = select(Enrollment.id).where(Enrollment.person_id == person.id)
    line = select(Waiting.id).where(Waiting.person_id == person.id)
    touches = or_(
        and_(Change.subject == Subject.PERSON, Change.subject_id == person.id),
        and_(Change.subject == Subject.ENROLLMENT, Change.subject_id.in_(enrollments)),
        and_(Change.subject == Subject.WAITING, Change.subject_id.in_(line)),
        and_(Change.subject == Subject.INTEREST, Change.subject_id.in_(listed)),
        of_accounts(select(Account.id).where(Account.person_id == person.id)),
    )
    return log_page(uow, touches, before)


def of_accounts(ids: Select[int]) -> ColumnElement[bool]:
    """Changes of accounts, of their payments and of their papers."""
    paid = select(Payment.id).where(Payment.account_id.in_(ids))
    papers = select(Invoice.id).where(Invoice.account_id.in_(ids))
    return or_(
        and_(Change.subject == Subject.ACCOUNT, Change.subject_id.in_(ids)),
        and_(Change.subject == Subject.PAYMENT, Change.subject_id.in_(paid)),
        and_(Change.subject == Subject.INVOICE, Change.subject_id.in_(papers)),
    )

"""What was done to a run, a person or an account, newest first, each with its undo as long as there is one."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import ColumnElement, and_, exists, select, union
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


def log_page(uow: UnitOfWork, touches: Sequence[ColumnElement[bool]], before: int | None = None) -> LogPage:
    """A page of the changes that touch something; `before` is the cursor of the page before. Each of `touches` is looked for
    by an index of its own: for all of them at once the database would read the whole log."""
    later = aliased(Change)
    undone = exists().where(later.undoes_id == Change.id)
    until = (Change.id < before,) if before is not None else ()
    ids = union(*(select(Change.id).where(part, *until) for part in touches)).subquery()
    query = select(Change, User.name, undone).outerjoin(User, User.id == Change.user_id)
    newest = query.join(ids, ids.c.id == Change.id).order_by(Change.id.desc()).limit(PAGE + 1)
    rows = uow.session.execute(newest).all()
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
    return log_page(uow, [Change.run_id == run.id, about], before)


def account_log(uow: UnitOfWork, account_id: int, before: int | None = None) -> LogPage:
    account = get_account(uow, account_id)
    return log_page(uow, of_accounts(Account.id == account.id), before)


def person_log(uow: UnitOfWork, person_id: int, before: int | None = None) -> LogPage:
    person = get_person(uow, person_id)
    listed = select(Interest.id).where(Interest.person_id == person.id)
    enrollments = select(Enrollment.id).where(Enrollment.person_id == person.id)
    line = select(Waiting.id).where(Waiting.person_id == person.id)
    touches = [
        and_(Change.subject == Subject.PERSON, Change.subject_id == person.id),
        and_(Change.subject == Subject.ENROLLMENT, Change.subject_id.in_(enrollments)),
        and_(Change.subject == Subject.WAITING, Change.subject_id.in_(line)),
        and_(Change.subject == Subject.INTEREST, Change.subject_id.in_(listed)),
        *of_accounts(Account.person_id == person.id),
    ]
    return log_page(uow, touches, before)


def of_accounts(which: ColumnElement[bool]) -> list[ColumnElement[bool]]:
    """Changes of accounts, of their payments and of their papers."""
    own = select(Account.id).where(which)
    paid = select(Payment.id).join(Account, Account.id == Payment.account_id).where(which)
    papers = select(Invoice.id).join(Account, Account.id == Invoice.account_id).where(which)
    return [
        and_(Change.subject == Subject.ACCOUNT, Change.subject_id.in_(own)),
        and_(Change.subject == Subject.PAYMENT, Change.subject_id.in_(paid)),
        and_(Change.subject == Subject.INVOICE, Change.subject_id.in_(papers)),
    ]

"""What one person is enrolled on, and where they wait."""

from __future__ import annotations

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import aliased, selectinload

from archgate.actions.enrolling.line_views import PersonWaits
from archgate.actions.enrolling.views import PersonRun
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.schedule import schedule
from archgate.actions.schedule.schedule import decision_text
from archgate.core.money import format_amount
from archgate.tables.courses import Course, Run
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.waitlist import Waiting


def enrollments_of(uow: UnitOfWork, person: Person) -> list[PersonRun]:
    """Runs a person signed up for or was named on, newest first, with what is still open of each; `payer` is whoever
    pays instead of them."""
    payer = aliased(Person)
    signed = select(Enrollment.id).where(Enrollment.person_id == person.id)
    theirs = signed.union(
        select(PartyPlace.enrollment_id).where(PartyPlace.person_id == person.id)
    ).subquery()
    query = (
        select(Enrollment, Run, Course.title, func.coalesce(Organization.name, payer.name))
        .join(Run, Run.id == Enrollment.run_id)
        .join(Course, Course.id == Run.course_id)
        .join(Account, Account.id == Enrollment.payer_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .outerjoin(payer, (payer.id == Account.person_id) & (payer.id != person.id))
        .join(theirs, theirs.c.id == Enrollment.id)
        .options(selectinload(Run.all_meetings).lazyload(Meeting.teachers))
        .order_by(Enrollment.enrolled_at.desc(), Enrollment.id.desc())
    )
    rows = uow.session.execute(query).all()
    due = money.open_installments(uow, [e.id for e, *_ in rows if e.live])
    return [
        PersonRun(
            enrollment_id=e.id,
            run_id=run.id,
            code=run.code,
            title=run.title or title,
            first=run.meetings[0].date if run.meetings else run.starts_on,
            last=run.meetings[-1].date if run.meetings else run.ends_on,
            status=e.status,
            role=e.role,
            decision=decision_text(run),
            access_until=schedule.access_ends(run, e.signed_up),
            heads=e.heads,
            guest=e.person_id != person.id,
            payer=payer_name,
            signed_up=e.signed_up,
            currency=e.currency,
            total=format_amount(e.total, e.currency),
            owed=format_amount(sum(left for _, left in due.get(e.id, [])), e.currency),
            next_due=money.next_due(due.get(e.id, []), e.currency),
        )
        for e, run, title, payer_name in rows
    ]


def waiting_of(uow: UnitOfWork, person: Person) -> list[PersonWaits]:
    """Where somebody waits, with the place in each line (`core.waitlist.in_order`), counted where the rows are."""
    before = aliased(Waiting)
    earlier = or_(
        before.head_start > Waiting.head_start,
        and_(before.head_start == Waiting.head_start, before.joined_at < Waiting.joined_at),
        and_(
            before.head_start == Waiting.head_start,
            before.joined_at == Waiting.joined_at,
            before.id < Waiting.id,
        ),
    )
    ahead = (
        select(func.count())
        .where(before.run_id == Waiting.run_id, before.live == 1, earlier)
        .correlate(Waiting)
        .scalar_subquery()
    )
    query = (
        select(Waiting, Run, Course.title, ahead)
        .join(Run, Run.id == Waiting.run_id)
        .join(Course, Course.id == Run.course_id)
        .where(Waiting.person_id == person.id, Waiting.live == 1)
        .order_by(Waiting.joined_at)
    )
    return [
        PersonWaits(
            waiting_id=row.id,
            run_id=run.id,
            code=run.code,
            title=run.title or title,
            heads=row.heads,
            place=number + 1,
            joined=uow.local(row.joined_at),
        )
        for row, run, title, number in uow.session.execute(query)
    ]

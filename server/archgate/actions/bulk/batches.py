"""Lists as screens and papers show them: what confirming does, how far one is, every line, all lists."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime

from sqlalchemy import ColumnElement, Row, func, or_, select

from archgate.actions.bulk import confirming, judging
from archgate.actions.bulk.rows import AT_WORK, GOING, MADE, filter_of, get_batch
from archgate.actions.bulk.sums import (
    Many,
    counts_of,
    kinds_of,
    of_interest,
    payers_of,
    runs_of,
    runs_there,
    summed_up,
    sums_of,
)
from archgate.actions.bulk.views import (
    Batches,
    BatchItem,
    BatchLine,
    BatchOut,
    BatchProgress,
    BatchRows,
    NearPerson,
    Running,
)
from archgate.actions.courses import courses
from archgate.actions.enrolling import telling
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import organizations
from archgate.core import verdicts
from archgate.core.money import format_amount
from archgate.core.states import BatchStatus, LineOutcome, RowKind, Told, Verdict
from archgate.tables.access import User
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment

PAGE = 200
LISTS = 50


def batch_view(uow: UnitOfWork, batch_id: int) -> BatchOut:
    """A list as judged, or, once enrolled, what became of it."""
    batch = get_batch(uow, batch_id)
    wrong = judging.faults_of_columns(batch)
    found = summed_up(uow, batch)
    there = runs_there(uow, {m.run for m in found} | {batch.run_id})
    run = there[batch.run_id][0] if batch.run_id else None
    runs = [] if wrong else runs_of(there, found)
    counts, about = counts_of(found), of_interest(batch, found)
    page = page_of(uow, batch, [], 0)
    payer = uow.session.get(Organization, batch.organization_id) if batch.organization_id else None
    left = [m for m in found if m.outcome is None and m.verdict in GOING]
    coming = [m for m in left if m.verdict is Verdict.WILL_ENROLL]
    open_now = batch.status in (BatchStatus.JUDGED, BatchStatus.STOPPED)
    shut = any(m.kind is RowKind.SHUT for m in found) and not left and batch.status is BatchStatus.JUDGED
    return BatchOut(
        id=batch.id,
        run_id=batch.run_id,
        run_code=run.code if run else "",
        run_title=(run.title or run.course.title) if run else "",
        status=batch.status,
        source=batch.source,
        file_name=batch.file_name,
        reading=batch.reading,
        sheet=batch.sheet,
        sheets=batch.sheets,
        headings=batch.headings,
        columns=batch.columns,
        column_faults=wrong,
        organization=organizations.organization_view(payer) if payer else None,
        rate=batch.rate,
        plan=batch.plan,
        code=batch.code,
        extras=batch.extras,
        group_name=batch.group_name,
        order_number=batch.order_number,
        contact=batch.contact,
        told=None if batch.told is None else [Told(t) for t in batch.told],
        told_usually=telling.told_of(uow, run) if run else usual_told(uow),
        counts=counts,
        kinds=kinds_of(batch, found),
        people=0 if wrong else sum(m.lines for m in coming),
        seats=sum(r.seats for r in runs),
        waits=counts.get(Verdict.WILL_WAIT, 0),
        total=totals_of(uow, [] if wrong else coming),
        sums=sums_of(about),
        runs=runs,
        payers=payers_of(uow, there, about),
        new_people=sum(m.new for m in left),
        letters=letters_of(uow, batch) if left else 0,
        installments=sum(m.dues for m in coming),
        currency=run.currency if run else uow.center.currency,
        capacity=run.capacity if run else 0,
        taken=there[batch.run_id][1] if batch.run_id else 0,
        can_enroll=open_now and bool(left) and not wrong,
        why=confirming.shut_why(uow, batch) if shut else "",
        earlier=uow.local(earlier_of(uow, batch)),
        lines=batch.lines,
        odd=sum(m.odd for m in found),
        numbered="number" in batch.columns,
        moved=open_now and not wrong and judging.has_moved(uow, batch),
        judged_at=uow.local(batch.judged_at),
        by=uow.session.get_one(User, batch.user_id).name,
        enrolled_at=uow.local(batch.enrolled_at),
        progress=progress_of(uow, batch, counts),
        note=batch.note,
        can_take_back=sum(counts.get(o, 0) for o in MADE),
        items=page.items,
        next=page.next,
        shown=page.total,
    )  # fmt: skip


def after(uow: UnitOfWork, done: Batch | Change) -> BatchOut:
    """A list as it stands after an act on it, with the act's change where that can be undone."""
    uow.session.flush()
    if isinstance(done, Change):
        return batch_view(uow, done.subject_id).widened(BatchOut, change=done.key)
    return batch_view(uow, done.id)


def totals_of(uow: UnitOfWork, found: Iterable[Many]) -> str:
    """What lines come to together, as `confirming.sums_shown` says it."""
    totals = Counter[str]()
    for m in found:
        totals[m.currency] += m.total
    return confirming.money_text(sorted(totals.items()), uow.center.currency)


def usual_told(uow: UnitOfWork) -> list[Told]:
    return [Told(t) for t in courses.center_form(uow).told or []]


def earlier_of(uow: UnitOfWork, batch: Batch) -> datetime | None:
    """When this very file was enrolled before on the same run, if it was."""
    if not batch.file_hash:
        return None
    same = (
        Batch.file_hash == batch.file_hash,
        Batch.run_id.is_not_distinct_from(batch.run_id),
        Batch.id != batch.id,
    )
    return uow.session.scalar(
        select(Batch.enrolled_at).where(*same, Batch.status == BatchStatus.ENROLLED).limit(1)
    )


def letters_of(uow: UnitOfWork, batch: Batch) -> int:
    """How many of those who are still to be enrolled have an email, and would be written to where learners are told."""
    query = (
        select(func.count())
        .select_from(BatchRow)
        .outerjoin(Person, Person.id == BatchRow.person_id)
        .where(
            BatchRow.batch_id == batch.id,
            BatchRow.verdict == Verdict.WILL_ENROLL,
            BatchRow.outcome.is_(None),
            or_(Person.email.is_not(None), BatchRow.person_id.is_(None)),
        )
    )
    return uow.session.scalar(query) or 0


def progress_of(uow: UnitOfWork, batch: Batch, counts: dict[str, int]) -> BatchProgress | None:
    """How far a list is that is worked on."""
    left = counts.get(Verdict.WILL_ENROLL, 0) + counts.get(Verdict.WILL_WAIT, 0)
    if batch.status in (BatchStatus.RUNNING, BatchStatus.STOPPED):
        done = sum(
            counts.get(o, 0)
            for o in (*MADE, LineOutcome.NOT_ENROLLED, LineOutcome.ALREADY_IN, LineOutcome.TAKEN_BACK)
        )
        return pace(uow, batch, done, done + left, batch.begun_done)
    if batch.status is BatchStatus.TAKING_BACK:
        query = select(func.count()).where(BatchRow.batch_id == batch.id, BatchRow.back)
        waits = uow.session.scalar(query) or 0
        return pace(uow, batch, batch.begun_done - waits, batch.begun_done, 0)
    if batch.status is BatchStatus.JUDGING:
        judged = sum(counts.values())
        return pace(uow, batch, judged, batch.lines, 0)
    return None


def pace(uow: UnitOfWork, batch: Batch, done: int, of: int, before: int) -> BatchProgress:
    """The rate since the list was begun, or gone on with, and how long the rest takes at that rate."""
    seconds = (uow.now - batch.begun_at).total_seconds() if batch.begun_at else 0.0
    rate = (done - before) / seconds if seconds > 0.5 and done > before else None
    running_now = batch.status is not BatchStatus.STOPPED
    return BatchProgress(
        done=done,
        of=of,
        per_second=round(rate, 1) if rate and running_now else None,
        seconds_left=round((of - done) / rate) if rate and running_now else None,
    )


# --- lines ------------------------------------------------------------------------------------------------


def batch_rows(uow: UnitOfWork, batch_id: int, only: str, after: int, q: str = "") -> BatchRows:
    """A page of the lines of a list."""
    return page_of(uow, get_batch(uow, batch_id), filter_of(only, q), after)


def page_of(uow: UnitOfWork, batch: Batch, which: Sequence[ColumnElement[bool]], after: int) -> BatchRows:
    """The lines that follow a line, up to a page, with the last one's number where more follow."""
    of = (BatchRow.batch_id == batch.id, *which)
    query = select(BatchRow).where(*of, BatchRow.line > after).order_by(BatchRow.line)
    rows = list(uow.session.scalars(query.limit(PAGE + 1)))
    total = (uow.session.scalar(select(func.count()).where(*of)) or 0) if which else batch.lines
    shown = rows[:PAGE]
    items = list(items_of(uow, batch, shown))
    return BatchRows(items=items, next=shown[-1].line if len(rows) > PAGE else None, total=total)


def items_of(uow: UnitOfWork, batch: Batch, rows: Sequence[BatchRow]) -> Iterator[BatchItem]:
    columns = {fact: int(i) for fact, i in batch.columns.items()}
    near = near_of(uow, {n for r in rows for n in r.near or ()})
    codes = codes_of(uow, {r.run_id for r in rows if r.run_id})
    readable = not judging.faults_of_columns(batch)
    for kept in rows:
        row = verdicts.read_row(kept.line, kept.cells, columns, kept.fixed, kept.odd)
        yield BatchItem(
            line=kept.line,
            given=row.given,
            family=row.family,
            name=row.name or kept.name,
            email=row.email,
            phone=row.phone,
            number=row.number,
            department=row.department,
            run=codes.get(kept.run_id or 0, row.run),
            run_id=kept.run_id,
            group=row.group,
            rate=kept.rate or row.rate,
            rate_word=row.rate,
            extras="; ".join(f"{n} x {word}" if n > 1 else word for word, n in row.extras),
            code=row.code,
            plan=row.plan,
            payer=row.payer,
            order=row.order,
            contact=row.contact,
            party=row.party or 0,
            remarks=row.remarks,
            no_email=row.no_email,
            somebody_new=row.somebody_new,
            fixed=bool(kept.fixed),
            odd=list(row.odd),
            total=format_amount(kept.total, kept.currency) if kept.currency else "",
            currency=kept.currency,
            verdict=kept.verdict if readable or kept.outcome else None,
            outcome=kept.outcome,
            why=kept.said or kept.why if readable or kept.outcome else "",
            kind=kept.kind,
            fact=kept.fact,
            suggested=kept.suggested,
            near=[near[n] for n in kept.near or () if n in near],
            person_id=kept.person_id,
            enrollment_id=kept.enrollment_id,
        )


def near_of(uow: UnitOfWork, ids: set[int]) -> dict[int, NearPerson]:
    """Whoever may be meant by lines, with how many runs they are or were on."""
    if not ids:
        return {}
    runs = select(func.count()).where(Enrollment.person_id == Person.id).scalar_subquery()
    rows = uow.session.execute(
        select(Person.id, Person.name, Person.email, Person.phone, runs).where(Person.id.in_(ids))
    )
    return {
        n: NearPerson(id=n, name=name, email=email, phone=phone, runs=many)
        for n, name, email, phone, many in rows
    }


def codes_of(uow: UnitOfWork, ids: set[int]) -> dict[int, str]:
    if not ids:
        return {}
    return {n: code for n, code in uow.session.execute(select(Run.id, Run.code).where(Run.id.in_(ids)))}  # noqa: C416


# --- all lists --------------------------------------------------------------------------------------------


def lines_of(uow: UnitOfWork, batches: Iterable[Row[Batch, str, str | None]]) -> list[BatchLine]:
    found = list(batches)
    ids = [b.id for b, _, _ in found]
    counted: dict[int, dict[str, int]] = {}
    query = (
        select(BatchRow.batch_id, BatchRow.outcome, func.count())
        .where(BatchRow.batch_id.in_(ids or [0]), BatchRow.outcome.is_not(None))
        .group_by(BatchRow.batch_id, BatchRow.outcome)
    )
    for number, outcome, many in uow.session.execute(query):
        counted.setdefault(number, {})[outcome or ""] = int(many)
    return [
        BatchLine(
            id=b.id,
            file_name=b.file_name,
            source=b.source,
            run_id=b.run_id,
            run_code=code or "",
            status=b.status,
            note=b.note,
            by=name,
            created_at=uow.local(b.created_at),
            enrolled_at=uow.local(b.enrolled_at),
            lines=b.lines,
            enrolled=counted.get(b.id, {}).get(LineOutcome.ENROLLED, 0),
            waiting=counted.get(b.id, {}).get(LineOutcome.WAITING, 0),
            not_enrolled=counted.get(b.id, {}).get(LineOutcome.NOT_ENROLLED, 0),
            taken_back=counted.get(b.id, {}).get(LineOutcome.TAKEN_BACK, 0),
            progress=progress_of(uow, b, counts_of(summed_up(uow, b)))
            if b.status in (*AT_WORK, BatchStatus.STOPPED)
            else None,
        )
        for b, name, code in found
    ]


def list_batches(
    uow: UnitOfWork, status: BatchStatus | None = None, run_id: int | None = None, before: int = 0
) -> Batches:
    """Lists, newest first."""
    which: list[ColumnElement[bool]] = []
    which += [Batch.status == status] if status else []
    which += [Batch.run_id == run_id] if run_id else []
    query = (
        select(Batch, User.name, Run.code)
        .join(User, User.id == Batch.user_id)
        .outerjoin(Run, Run.id == Batch.run_id)
        .where(*which, *([Batch.id < before] if before else []))
        .order_by(Batch.id.desc())
    )
    rows = uow.session.execute(query.limit(LISTS + 1)).all()
    total = uow.session.scalar(select(func.count()).select_from(Batch).where(*which)) or 0
    more = rows[LISTS - 1][0].id if len(rows) > LISTS else None
    return Batches(items=lines_of(uow, rows[:LISTS]), next=more, total=total)


def at_work(uow: UnitOfWork) -> Running:
    """The lists that are worked on just now."""
    query = (
        select(Batch, User.name, Run.code)
        .join(User, User.id == Batch.user_id)
        .outerjoin(Run, Run.id == Batch.run_id)
        .where(Batch.status.in_(AT_WORK))
        .order_by(Batch.id)
        .limit(5)
    )
    return Running(items=lines_of(uow, uow.session.execute(query).all()))


# --- the report -------------------------------------------------------------------------------------------

REPORT = [
    "Line",
    "Name",
    "Email",
    "Phone",
    "Number",
    "Run",
    "Group",
    "Rate",
    "Party",
    "Fee",
    "Currency",
    "What became of it",
    "Why",
]


def report_lines(uow: UnitOfWork, batch_id: int) -> tuple[str, Iterator[list[str]]]:
    """A list with what became, or becomes, of every line, for a file: its name and its lines, read a page at a time."""
    batch = get_batch(uow, batch_id)

    def lines() -> Iterator[list[str]]:
        yield REPORT
        after: int | None = 0
        while after is not None:
            query = select(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.line > after)
            rows = list(uow.session.scalars(query.order_by(BatchRow.line).limit(1000)))
            after = rows[-1].line if rows else None
            for i in items_of(uow, batch, rows):
                became = str(i.outcome or i.verdict or "")
                yield [
                    str(i.line), i.name, i.email or "", i.phone or "", i.number or "", i.run, i.group, i.rate, str(i.party or ""),
                    i.total, i.currency, became, " ".join([i.why, *i.odd]).strip(),
                ]  # fmt: skip
            uow.session.expunge_all()

    return batch.file_name, lines()


TEMPLATE = [
    ["First name", "Last name", "Email", "Phone", "Staff number", "Run", "Group", "Rate", "Party", "Extras", "Code", "Payment plan",
     "Payer", "Purchase order", "Contact", "Remarks"],
]  # fmt: skip

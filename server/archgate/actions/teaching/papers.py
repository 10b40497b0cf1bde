"""Papers of teaching: agreements from an assignment, pay requests for a run or a month, statements."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import joinedload, selectinload

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Done
from archgate.actions.messages import messages
from archgate.actions.money import invoices
from archgate.actions.schedule import schedule
from archgate.actions.seats import seats
from archgate.actions.teaching import instructors, pay
from archgate.actions.teaching.commands import AgreementCommand, AgreementTextCommand, PayRequestCommand
from archgate.actions.teaching.views import (
    AgreementOut,
    PaidRunOut,
    PayRequestMade,
    PayRequestOut,
    RequestLineOut,
    StatementOut,
)
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.core.states import AgreementStatus, Part
from archgate.core.teaching import hours_text
from archgate.papers.letters.occasions import AgreementSent
from archgate.papers.letters.writing import written
from archgate.papers.teaching import (
    AgreementPaper,
    PayPaper,
    PayPaperLine,
    PayPart,
    check_fields,
    merged,
)
from archgate.papers.words import amount_text, money_text
from archgate.tables.courses import Run
from archgate.tables.schedule import Meeting
from archgate.tables.teaching import (
    Agreement,
    AgreementText,
    Instructor,
    MeetingTeacher,
    PayRequest,
    PayRequestLine,
    RunTeacher,
)

FIRST_TEXT = """{center} and {instructor} agree that {instructor} teaches {run} ({code}) as {part}.

Dates:
{dates}

These are {meetings} meetings with {hours} contact hours in all, at {place}.

The pay is {pay}. A pay request is made when the run has ended.
"""
SERIES = "PAY"


# --- agreements -------------------------------------------------------------------------------------------


def newest_text(uow: UnitOfWork) -> AgreementText | None:
    return uow.session.scalar(select(AgreementText).order_by(AgreementText.id.desc()).limit(1))


def set_text(uow: UnitOfWork, command: AgreementTextCommand) -> Done:
    """Keep a new version of the center's text; agreements that were made stand as they are."""
    check_fields(command.text)
    held = newest_text(uow)
    if held is not None and held.text == command.text:
        raise conflict("same", "The text is as it was.")
    row = AgreementText(text=command.text, made_at=uow.now, user_id=uow.user_id)
    uow.session.add(row)
    uow.session.flush()
    return Done(change=uow.log(Act.WRITE_AN_AGREEMENT_TEXT, 1, "Wrote the text of teaching agreements").key)


def make_agreement(uow: UnitOfWork, run_id: int, command: AgreementCommand) -> Done:
    """Make the agreement of somebody who teaches a run, from the newest text; a later one stands beside the earlier."""
    run = seats.run_to_change(uow, run_id)
    i = instructors.get_instructor(uow, command.instructor_id)
    if i.id not in pay.those_paid(run):
        raise refuse("/instructor_id", f"{i.name} does not teach {run.code}; assign them first.")
    row = newest_text(uow)
    if row is None:
        row = AgreementText(text=FIRST_TEXT, made_at=uow.now, user_id=uow.user_id)
        uow.session.add(row)
        uow.session.flush()
    before = select(func.count()).where(Agreement.run_id == run.id, Agreement.instructor_id == i.id)
    made = Agreement(
        run_id=run.id,
        instructor_id=i.id,
        version=(uow.session.scalar(before) or 0) + 1,
        text_id=row.id,
        text=merged(row.text, values_of(uow, run, i)),
        status=AgreementStatus.MADE,
        made_at=uow.now,
    )
    uow.session.add(made)
    uow.session.flush()
    said = f"Made the agreement of {i.name} for {run.code}, version {made.version}"
    return Done(change=uow.log(Act.MAKE_AN_AGREEMENT, run.id, said).key)


def values_of(uow: UnitOfWork, run: Run, i: Instructor) -> dict[str, str]:
    """What the fields of the text say of an assignment."""
    mine = [m for m in schedule.ordered(run) if any(t.instructor_id == i.id for t in m.teachers)]
    shown = next(t for t in pay.teachers_of(uow, run, pay.terms_by(uow, run.id)) if t.instructor_id == i.id)
    places = list(dict.fromkeys(m.place.name for m in mine if m.place))
    return {
        "center": uow.center.name,
        "instructor": i.person.name,
        "email": i.email or "no email",
        "run": run.title or run.course.title,
        "code": run.code,
        "part": "the instructor" if shown.part is Part.LEAD else f"{shown.part}",
        "dates": "\n".join(f"{day_text(m.date)}, {m.start:%H:%M}" for m in mine) or "to be agreed",
        "hours": hours_text(sum(m.minutes for m in mine)),
        "meetings": str(len(mine)),
        "pay": f"{shown.pay.text} ({run.currency})" if shown.pay else "to be agreed",
        "place": ", ".join(places) or (run.place.name if run.place else "a place to be named"),
        "today": day_text(uow.today),
    }


def agreement_to_change(uow: UnitOfWork, agreement_id: int) -> Agreement:
    row = lock_row(uow, Agreement, agreement_id)
    if row is None:
        raise not_found("This agreement")
    return row


def send_agreement(uow: UnitOfWork, agreement_id: int) -> Done:
    """Send it to the instructor as a PDF, to be returned signed."""
    row = agreement_to_change(uow, agreement_id)
    i, run = row.instructor, get_run(uow, row.run_id)
    if not i.email:
        raise refuse("/email", f"{i.name} has no email; add one, or print the paper.")
    if row.status is AgreementStatus.SIGNED:
        raise conflict("signed", "It was returned signed already.")
    row.status, row.sent_at = AgreementStatus.SENT, uow.now
    change = uow.log(Act.SEND_AN_AGREEMENT, run.id, f"Sent the agreement for {run.code} to {i.name}")
    letter = written(AgreementSent(uow.center.name, i.person.given or i.name, messages.named(run)))
    to = messages.Addressee(i.name, i.email, i.person_id)
    messages.write(uow, change, to, letter, run.id, agreement_id=row.id)
    return Done(change=change.key)


def sign_agreement(uow: UnitOfWork, agreement_id: int, on: date) -> Done:
    """Write down when it came back signed."""
    row = agreement_to_change(uow, agreement_id)
    made = row.made_at.astimezone(uow.zone).date()
    if on > uow.today:
        raise refuse("/on", f"{day_text(on)} is ahead of today.")
    if on < made:
        raise refuse("/on", f"It was made on {day_text(made)}; it cannot have come back before.")
    row.status, row.signed_on = AgreementStatus.SIGNED, on
    run = get_run(uow, row.run_id)
    said = f"The agreement of {row.instructor.name} for {run.code} came back signed on {day_text(on)}"
    return Done(change=uow.log(Act.SIGN_AN_AGREEMENT, run.id, said).key)


def agreements_of(
    uow: UnitOfWork, run_id: int | None = None, instructor_id: int | None = None
) -> list[AgreementOut]:
    query = select(Agreement, Run.code).join(Run, Run.id == Agreement.run_id).order_by(Agreement.id.desc())
    query = query.options(joinedload(Agreement.instructor))
    if run_id is not None:
        query = query.where(Agreement.run_id == run_id)
    if instructor_id is not None:
        query = query.where(Agreement.instructor_id == instructor_id)
    newest: set[tuple[int, int]] = set()
    shown = []
    for row, code in uow.session.execute(query.limit(200)):
        key = (row.run_id, row.instructor_id)
        shown.append(
            AgreementOut(
                id=row.id,
                run_id=row.run_id,
                run_code=code,
                instructor_id=row.instructor_id,
                instructor=row.instructor.name,
                version=row.version,
                status=row.status,
                made=uow.local(row.made_at),
                sent=uow.local(row.sent_at),
                signed_on=row.signed_on,
                latest=key not in newest,
            )
        )
        newest.add(key)
    return shown


def agreement_paper(uow: UnitOfWork, agreement_id: int) -> AgreementPaper:
    row = uow.session.get(Agreement, agreement_id)
    if row is None:
        raise not_found("This agreement")
    return AgreementPaper(
        uow.center.name,
        "Teaching agreement",
        row.instructor.person.name,
        day_text(row.made_at.astimezone(uow.zone).date()),
        row.text,
        day_text(row.signed_on) if row.signed_on else "",
    )


# --- pay requests -----------------------------------------------------------------------------------------


def month_end(month: str) -> date:
    """The last day of a month such as 2027-09. Raises Refused."""
    try:
        first = date.fromisoformat(f"{month}-01")
    except ValueError:
        raise refuse("/month", f'"{month}" is not a month, like 2027-09.') from None
    return (first + timedelta(days=32)).replace(day=1) - timedelta(days=1)


def runs_taught(uow: UnitOfWork, instructor_id: int) -> list[int]:
    """Every run that somebody teaches, or taught, or was paid for, by id."""
    return sorted(
        {
            *uow.session.scalars(
                select(Meeting.run_id)
                .join(MeetingTeacher)
                .where(MeetingTeacher.instructor_id == instructor_id)
                .distinct()
            ),
            *uow.session.scalars(select(RunTeacher.run_id).where(RunTeacher.instructor_id == instructor_id)),
            *uow.session.scalars(
                select(PayRequestLine.run_id)
                .join(PayRequest)
                .where(PayRequest.instructor_id == instructor_id)
                .distinct()
            ),
        }
    )


def lines_due(uow: UnitOfWork, run: Run, i: Instructor, through: date | None) -> list[PayRequestLine]:
    """What is to be paid of a run and was not asked for yet: the lines, or, where an earlier request said otherwise, the
    difference as one line of correction."""
    worked = pay.paying(uow, run, through)
    if worked.trouble:
        raise conflict("shares", f"{run.code}: {worked.trouble}")
    mine = next((p for p in worked.pay.people if p.who == str(i.id)), None)
    before = pay.requested_of(uow, run.id).get(i.id)
    if before is None:
        return [
            PayRequestLine(run_id=run.id, label=x.label, why=x.why, amount=x.amount)
            for x in (mine.lines if mine else ())
            if x.amount
        ]
    now = mine.total if mine else 0
    if now == before:
        return []
    later = through is not None and now > before
    why = (
        f"{format_amount(now, run.currency)} by now, {format_amount(before, run.currency)} of it asked for before."
        if later
        else f"{format_amount(now, run.currency)} as it is now, {format_amount(before, run.currency)} asked for before."
    )
    label = "Since the last request" if later else "Correction"
    return [PayRequestLine(run_id=run.id, label=label, why=why, amount=now - before, correction=not later)]


def make_request(uow: UnitOfWork, command: PayRequestCommand) -> PayRequestMade:
    """Ask for somebody's pay: of one run, or of all their runs through the end of a month. What it says no longer changes."""
    if (command.run_id is None) == (command.month is None):
        raise refuse("/month", "Say a run or a month.")
    i = instructors.get_instructor(uow, command.instructor_id, to_change=True)
    if command.month is not None:
        through = month_end(command.month)
        if through.replace(day=1) > uow.today:
            raise refuse("/month", "This month has not begun.")
        ids = runs_taught(uow, i.id)
    else:
        through, ids = uow.today, [command.run_id or 0]
    counted = min(through, uow.today)
    lines, currencies = list[PayRequestLine](), set[str]()
    for run_id in ids:
        run = seats.run_to_change(uow, run_id)
        if (
            command.run_id is not None
            and i.id not in pay.those_paid(run)
            and run_id not in runs_taught(uow, i.id)
        ):
            raise refuse("/instructor_id", f"{i.name} does not teach {run.code}.")
        found = lines_due(uow, run, i, counted)
        lines += found
        currencies |= {run.currency} if found else set()
    if not lines:
        raise conflict(
            "nothing-due",
            f"Nothing is to be paid to {i.name} that was not asked for already. A share, a flat sum and pay by the head"
            " count once a run has ended.",
        )
    if len(currencies) > 1:
        raise conflict("currencies", "These runs are in several currencies; ask for each run by itself.")
    row = PayRequest(
        number=invoices.next_of(uow, SERIES),
        instructor_id=i.id,
        run_id=command.run_id,
        through=through,
        currency=currencies.pop(),
        total=sum(x.amount for x in lines),
        made_at=uow.now,
        user_id=uow.user_id,
        lines=lines,
    )
    uow.session.add(row)
    uow.session.flush()
    said = f"Pay request {row.number} of {i.name} over {money_text(row.total, row.currency)}"
    change = uow.log(Act.MAKE_A_PAY_REQUEST, i.id, said, run_id=command.run_id)
    return PayRequestMade(change=change.key, request=request_view(uow, row))


def mark_paid(uow: UnitOfWork, request_id: int, on: date) -> PayRequestMade:
    """Write down the day on which a request was paid."""
    row = lock_row(uow, PayRequest, request_id)
    if row is None:
        raise not_found("This pay request")
    if row.paid_on is not None:
        raise conflict("paid", f"It was paid on {day_text(row.paid_on)} already.")
    if on > uow.today:
        raise refuse("/on", f"{day_text(on)} is ahead of today.")
    row.paid_on = on
    change = uow.log(Act.MARK_AS_PAID, row.instructor_id, f"{row.number} was paid on {day_text(on)}")
    return PayRequestMade(change=change.key, request=request_view(uow, row))


def codes_of(uow: UnitOfWork, rows: Sequence[PayRequest]) -> dict[int, str]:
    ids = {x.run_id for r in rows for x in r.lines} | {r.run_id for r in rows if r.run_id}
    return {n: code for n, code in uow.session.execute(select(Run.id, Run.code).where(Run.id.in_(ids)))}  # noqa: C416


def request_view(uow: UnitOfWork, row: PayRequest) -> PayRequestOut:
    return requests_shown(uow, [row])[0]


def requests_shown(uow: UnitOfWork, rows: Sequence[PayRequest]) -> list[PayRequestOut]:
    codes = codes_of(uow, rows)
    return [
        PayRequestOut(
            id=r.id,
            number=r.number,
            instructor_id=r.instructor_id,
            instructor=r.instructor.name,
            run_id=r.run_id,
            run_code=codes.get(r.run_id) if r.run_id else None,
            through=r.through,
            currency=r.currency,
            total=format_amount(r.total, r.currency),
            made=uow.local(r.made_at),
            paid_on=r.paid_on,
            lines=[
                RequestLineOut(
                    run_id=x.run_id,
                    run_code=codes.get(x.run_id, ""),
                    label=x.label,
                    why=x.why,
                    amount=format_amount(x.amount, r.currency),
                    correction=x.correction,
                )
                for x in r.lines
            ],
        )
        for r in rows
    ]


def requests_of(
    uow: UnitOfWork, run_id: int | None = None, instructor_id: int | None = None
) -> list[PayRequestOut]:
    """The newest requests, of a run or of an instructor."""
    query = select(PayRequest).order_by(PayRequest.id.desc()).limit(200)
    query = query.options(selectinload(PayRequest.lines), joinedload(PayRequest.instructor))
    if run_id is not None:
        of_run = select(PayRequestLine.request_id).where(PayRequestLine.run_id == run_id)
        query = query.where(PayRequest.id.in_(of_run))
    if instructor_id is not None:
        query = query.where(PayRequest.instructor_id == instructor_id)
    return requests_shown(uow, uow.session.scalars(query).all())


def request_paper(uow: UnitOfWork, request_id: int) -> PayPaper:
    row = uow.session.get(PayRequest, request_id)
    if row is None:
        raise not_found("This pay request")
    view = request_view(uow, row)
    notes = [f"Paid on {day_text(view.paid_on)}."] if view.paid_on else []
    notes.append(f"Counted through {day_text(view.through)}.")
    return PayPaper(
        uow.center.name,
        f"Pay request {view.number}",
        day_text(row.made_at.astimezone(uow.zone).date()),
        row.instructor.person.name,
        tuple(notes),
        (part_of(view, ""),),
        view.currency,
    )


def part_of(view: PayRequestOut, title: str) -> PayPart:
    lines = tuple(
        PayPaperLine(x.run_code, x.label, x.why, amount_text(x.amount, view.currency), x.amount)
        for x in view.lines
    )
    return PayPart(title, lines, amount_text(view.total, view.currency), view.total)


# --- statements -------------------------------------------------------------------------------------------


def statement(uow: UnitOfWork, instructor_id: int) -> StatementOut:
    """What somebody was paid, what was asked for and is not paid yet, and what is to be asked for of each run so far."""
    i = instructors.get_instructor(uow, instructor_id)
    requests = requests_of(uow, instructor_id=instructor_id)
    currency = uow.center.currency
    rows = []
    not_asked = 0
    recent = runs_taught(uow, instructor_id)[-100:]
    for run in uow.session.scalars(select(Run).where(Run.id.in_(recent), Run.currency == currency)):
        worked = pay.paying(uow, run, uow.today)
        if worked.trouble:
            continue
        mine = next((p for p in worked.pay.people if p.who == str(i.id)), None)
        before = pay.requested_of(uow, run.id).get(i.id, 0)
        total = mine.total if mine else 0
        if total == before:
            continue
        not_asked += total - before
        rows.append(
            PaidRunOut(
                run_id=run.id,
                run_code=run.code,
                title=run.title or run.course.title,
                total=format_amount(total, currency),
                requested=format_amount(before, currency),
                due=format_amount(total - before, currency),
            )
        )
    sums = uow.session.execute(
        select(PayRequest.paid_on.is_not(None), func.sum(PayRequest.total))
        .where(PayRequest.instructor_id == instructor_id, PayRequest.currency == currency)
        .group_by(PayRequest.paid_on.is_not(None))
    )
    by_paid = {bool(paid): int(total) for paid, total in sums}
    return StatementOut(
        instructor_id=i.id,
        name=i.name,
        currency=currency,
        requests=requests,
        open=rows,
        paid=format_amount(by_paid.get(True, 0), currency),
        asked=format_amount(by_paid.get(False, 0), currency),
        not_asked=format_amount(not_asked, currency),
    )


def statement_paper(uow: UnitOfWork, instructor_id: int) -> PayPaper:
    shown = statement(uow, instructor_id)
    parts = [
        part_of(r, f"{r.number}, {f'paid on {day_text(r.paid_on)}' if r.paid_on else 'not paid yet'}")
        for r in shown.requests
    ]
    if shown.open:
        lines = tuple(
            PayPaperLine(
                x.run_code, x.title, "So far, not asked for yet.", amount_text(x.due, shown.currency), x.due
            )
            for x in shown.open
        )
        total = amount_text(shown.not_asked, shown.currency)
        parts.append(PayPart("Not asked for yet", lines, total, shown.not_asked))
    i = instructors.get_instructor(uow, instructor_id)
    return PayPaper(
        uow.center.name,
        "Statement of teaching",
        day_text(uow.today),
        i.person.name,
        (f"Paid: {amount_text(shown.paid, shown.currency)}.",),
        tuple(parts),
        shown.currency,
    )

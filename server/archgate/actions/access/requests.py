"""Requests to come onto a run: asked for by somebody outside, decided once by any of the staff who may enroll people."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from archgate.actions.access import sign_up
from archgate.actions.access import sign_up_form as form
from archgate.actions.access.public_commands import RequestCommand, RequestDecision
from archgate.actions.access.public_views import RequestDecided, RequestOut, Requests, SignedUp
from archgate.actions.access.showing import Looker
from archgate.actions.courses import courses
from archgate.actions.enrolling import enrollments, telling
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.core.faults import Refused
from archgate.core.money import format_amount
from archgate.core.names import folded
from archgate.core.rights import Right
from archgate.core.states import CardComes, PageSetting, RequestStatus, SignsUp, SignUp, Told, WayIn
from archgate.papers.letters.occasions import RequestCame, RequestRefused, RequestToDecide
from archgate.papers.letters.writing import written
from archgate.tables.access import User
from archgate.tables.catalog import SeatRequest
from archgate.tables.courses import Run
from archgate.tables.people import Person

MOST_SHOWN = 100
MOST_TOLD = 20  # of the staff
ASKED = "We have written to {email}: your request is with us, and somebody decides on it."


# --- by somebody outside --------------------------------------------------------------------------------------


def ask(uow: UnitOfWork, run_id: int, command: RequestCommand, looker: Looker) -> SignedUp:
    """Take a request for a seat. Nobody gets one by it; whoever has asked already gets the same answer, and nothing is kept twice."""
    there = form.found(uow, run_id, looker, command.access_code, command.key)
    faults = sign_up.person_faults(command) + sign_up.answer_faults(there.run.questions, command.answers)
    if faults:
        raise Refused(faults)
    refuse_shut(uow, there)
    made = form.resolved(uow, there.run, command, looker.person)
    run = seats.run_to_change(uow, run_id)
    priced = quotes.priced(uow, made)
    answer = sign_up.signed_up(uow, run, priced, command.email, None)
    answer = answer.model_copy(update={"said": ASKED.format(email=command.email), "dues": [], "calendar": ""})
    standing = select(SeatRequest).where(
        SeatRequest.run_id == run.id,
        SeatRequest.status == RequestStatus.OPEN,
        SeatRequest.email == command.email,
    )
    name = f"{command.given} {command.family}".strip()
    if any(folded(name_of(row)) == folded(name) for row in uow.session.scalars(standing)):
        return answer
    row = SeatRequest(
        run_id=run.id,
        given=command.given,
        family=command.family,
        email=command.email,
        phone=command.phone,
        ask=made.document,
        answers={q: a for q, a in command.answers.items() if q in run.questions},
        note=command.note,
        status=RequestStatus.OPEN,
        made_at=uow.now,
        person_id=looker.person.id if looker.person else None,
    )
    uow.session.add(row)
    uow.session.flush()
    change = uow.log(Act.ASK_FOR_A_SEAT, run.id, f"{name} asks for a seat on {run.code}")
    letter = written(RequestCame(uow.center.name, command.given or name, messages.named(run)))
    messages.write(uow, change, messages.Addressee(name, command.email), letter, run.id)
    tell_deciders(uow, run, name, len(made.heads))
    return answer


def refuse_shut(uow: UnitOfWork, there: form.Found) -> None:
    """Refuse a request while sign-up is shut, and on runs where nobody has to ask. A full run takes requests: staff decide."""
    state, said, reasons = form.now_of(uow, there, False)
    others = [r for r in reasons if r.setting is not PageSetting.SIGNS_UP]
    if others:
        raise conflict("sign-up-shut", others[0].public)
    if there.run.signs_up is not SignsUp.REQUEST:
        raise conflict("no-request", "Nobody has to ask for a seat here; sign up instead.")
    if state is not SignUp.OPEN:
        raise conflict("sign-up-shut", said)


def tell_deciders(uow: UnitOfWork, run: Run, name: str, heads: int) -> None:
    """Write to everybody of the staff who may decide, or to the office where it has an address of its own."""
    change = uow.entries[-1]
    letter = written(RequestToDecide(name, messages.named(run), heads))
    office = courses.center_form(uow).office_email
    if office:
        messages.write(uow, change, messages.Addressee(uow.center.name, office), letter, run.id)
        return
    users = uow.session.scalars(select(User).where(User.active).order_by(User.id)).all()
    for user in [u for u in users if u.may(Right.ENROLL)][:MOST_TOLD]:
        messages.write(uow, change, messages.Addressee(user.name, user.email), letter, run.id)


def name_of(row: SeatRequest) -> str:
    return f"{row.given} {row.family}".strip()


# --- by the staff ---------------------------------------------------------------------------------------------


def count_open(session: Session) -> int:
    query = select(func.count()).select_from(SeatRequest)
    return session.scalar(query.where(SeatRequest.status == RequestStatus.OPEN)) or 0


def listed(uow: UnitOfWork, run_id: int | None = None, decided: bool = False) -> Requests:
    """Requests to decide on, the oldest first; with `decided` those that were, the newest first."""
    query = select(SeatRequest)
    if decided:
        query = query.where(SeatRequest.status != RequestStatus.OPEN).order_by(SeatRequest.id.desc())
    else:
        query = query.where(SeatRequest.status == RequestStatus.OPEN).order_by(SeatRequest.id)
    if run_id is not None:
        query = query.where(SeatRequest.run_id == run_id)
    rows = uow.session.scalars(query.limit(MOST_SHOWN)).all()
    return Requests(open=count_open(uow.session), requests=[view_of(uow, row) for row in rows])


def view_of(uow: UnitOfWork, row: SeatRequest) -> RequestOut:
    run = get_run(uow, row.run_id)
    asked = command_of(Ask, row.ask)
    try:
        made = quotes.resolve_ask(uow, run, asked, as_kept=True)
        total = format_amount(quotes.priced(uow, made).total, run.currency)
        rate = ", ".join(f"{n} {r.label}" for r, n, _ in made.rates)
    except (Refused, Problem):
        total, rate = None, ""
    by = uow.session.get(User, row.decided_by) if row.decided_by else None
    return RequestOut(
        id=row.id,
        run_id=run.id,
        run=run.code,
        title=run.title or run.course.title,
        name=name_of(row),
        email=row.email,
        phone=row.phone,
        heads=sum(p.count for p in asked.people) or 1,
        rate=rate,
        total=total,
        currency=run.currency,
        answers=row.answers,
        note=row.note,
        made=uow.local(row.made_at),
        status=row.status,
        decided=uow.local(row.decided_at),
        by=by.name if by else "",
        word=row.word,
        free=seats.seats_of(uow, run).free,
        enrollment_id=row.enrollment_id,
    )


def decide(uow: UnitOfWork, request_id: int, command: RequestDecision) -> RequestDecided:
    """Approve a request, which enrolls whoever asked at the price of now, or refuse it; they are told. The first decision counts: who
    comes after hears whose it was."""
    row = uow.session.get(SeatRequest, request_id)
    if row is None:
        raise not_found("This request")
    person = person_of(uow, row) if command.approve else None
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    if row.status is not RequestStatus.OPEN:
        by = uow.session.get(User, row.decided_by) if row.decided_by else None
        raise conflict("decided", f"{by.name if by else 'Somebody'} has {row.status} this request already.")
    row.decided_at, row.decided_by, row.word = uow.now, uow.by, command.word
    if command.approve and person is not None:
        row.status, row.person_id = RequestStatus.APPROVED, person.id
        row.enrollment_id = enroll(uow, row, run, person, command.word)
        uow.session.flush()
        sign_up.first_letter(uow, person)
        change = uow.log(
            Act.DECIDE_A_REQUEST, run.id, f"Approved the request of {person.name} for {run.code}"
        )
    else:
        row.status = RequestStatus.REFUSED
        uow.session.flush()
        why = f": {command.word}" if command.word else ""
        change = uow.log(
            Act.DECIDE_A_REQUEST, run.id, f"Refused the request of {name_of(row)} for {run.code}{why}"
        )
        letter = written(
            RequestRefused(uow.center.name, row.given or name_of(row), messages.named(run), command.word)
        )
        messages.write(uow, change, messages.Addressee(name_of(row), row.email), letter, run.id)
    return view_of(uow, row).widened(RequestDecided, change=change.key)


def person_of(uow: UnitOfWork, row: SeatRequest) -> Person:
    """Who asked: the person they were signed in as, else that of this name and email, else somebody new."""
    if row.person_id is not None:
        return people.present(uow, row.person_id)
    return sign_up.known_or_added(uow, row.given, row.family, row.email, row.phone)


def enroll(uow: UnitOfWork, row: SeatRequest, run: Run, person: Person, word: str) -> int:
    """Seat whoever asked, by the rules of the desk; what it costs now is what they pay."""
    made = quotes.resolve_ask(uow, run, command_of(Ask, row.ask), person)
    total = format_amount(quotes.priced(uow, made).total, run.currency)
    said = "\n\n".join(filter(None, (word, sign_up.calendar_word(run))))
    body = {
        **made.document,
        "run_id": run.id,
        "person_id": person.id,
        "total": total,
        "note": row.note,
        "told": [*dict.fromkeys([Told.LEARNER, *telling.told_of(uow, run)])],
        "word": said,
    }
    command = command_of(EnrollCommand, {k: v for k, v in body.items() if v is not None})
    done = enrollments.enroll(uow, command, WayIn.REQUEST, card=CardComes.FOLLOWS)
    enrollment = uow.session.get_one(enrollments.Enrollment, done.enrollment_id)
    enrollment.answers = row.answers
    uow.session.flush()
    return enrollment.id

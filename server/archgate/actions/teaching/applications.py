"""Applications to teach: given on a page of their own, talked over by staff, and from accepted to instructor in one step."""

from __future__ import annotations

from sqlalchemy import func, select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.kernel.views import Done
from archgate.actions.messages import messages
from archgate.actions.people import people
from archgate.actions.teaching import instructors
from archgate.actions.teaching.commands import (
    AcceptCommand,
    ApplicationCommand,
    ApplicationNoteCommand,
    ApplyCommand,
    InstructorCommand,
)
from archgate.actions.teaching.rules import rules_of
from archgate.actions.teaching.views import (
    AnswerOut,
    ApplicationNoteOut,
    ApplicationOut,
    Applications,
    ApplyPage,
    InstructorOut,
)
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.names import folded
from archgate.core.states import ApplicationStatus
from archgate.papers.letters.occasions import ApplicationTaken
from archgate.papers.letters.writing import written
from archgate.tables.access import User
from archgate.tables.people import Person
from archgate.tables.teaching import Application, ApplicationNote, Instructor

PAGE = 50
OPEN = (ApplicationStatus.NEW, ApplicationStatus.IN_TALK)


# --- by the applicant -------------------------------------------------------------------------------------


def page(uow: UnitOfWork) -> ApplyPage:
    rules = rules_of(uow)
    return ApplyPage(
        center=uow.center.name, open=rules.applications_open, questions=list(rules.application_questions)
    )


def apply(uow: UnitOfWork, command: ApplyCommand) -> None:
    """Take an application. Nobody is told whether the center knows them: who is blocked, or has one open, gets the same
    answer, and nothing is kept twice."""
    rules = rules_of(uow)
    if not rules.applications_open:
        raise Problem(409, "applications-shut", "No applications are taken just now.")
    facts = {"given": command.given, "family": command.family, "email": command.email, "phone": command.phone}
    faults = people.person_faults(facts, "")
    if not command.email:
        faults.append(Fault("/email", "The email is missing."))
    asked = rules.application_questions
    given = [*command.answers, *[""] * len(asked)][: len(asked)]
    faults += [Fault(f"/answers/{n}", "Please answer this.") for n, a in enumerate(given) if not a.strip()]
    if faults:
        raise Refused(faults)
    standing = select(Application.id).where(
        Application.email == command.email,
        Application.status.in_((*OPEN, ApplicationStatus.BLOCKED)),
    )
    if uow.session.scalar(standing.with_for_update()) is not None:
        return
    row = Application(
        given=command.given,
        family=command.family,
        email=command.email,
        phone=command.phone or None,
        answers=[{"question": q, "answer": a.strip()} for q, a in zip(asked, given, strict=True)],
        status=ApplicationStatus.NEW,
        made_at=uow.now,
    )
    uow.session.add(row)
    uow.session.flush()
    name = name_of(row)
    change = uow.log(Act.APPLY_TO_TEACH, row.id, f"{name} applied to teach")
    letter = written(ApplicationTaken(uow.center.name, row.given or name))
    messages.write(uow, change, messages.Addressee(name, row.email), letter)


def name_of(row: Application) -> str:
    return f"{row.given} {row.family}".strip()


# --- by staff ---------------------------------------------------------------------------------------------


def listed(uow: UnitOfWork, status: ApplicationStatus | None, before: int | None) -> Applications:
    """Applications, the newest first, by status; `before` is the id with which the page before ended."""
    query = select(Application).order_by(Application.id.desc()).limit(PAGE + 1)
    if status is not None:
        query = query.where(Application.status == status)
    if before:
        query = query.where(Application.id < before)
    rows = uow.session.scalars(query).all()
    counts = uow.session.execute(select(Application.status, func.count()).group_by(Application.status))
    return Applications(
        open=rules_of(uow).applications_open,
        counts=dict.fromkeys(ApplicationStatus, 0) | {s: int(n) for s, n in counts},
        applications=[view_of(uow, row) for row in rows[:PAGE]],
        next=rows[PAGE - 1].id if len(rows) > PAGE else None,
    )


def view_of(uow: UnitOfWork, row: Application) -> ApplicationOut:
    notes = uow.session.execute(
        select(ApplicationNote, User.name)
        .join(User, User.id == ApplicationNote.user_id)
        .where(ApplicationNote.application_id == row.id)
        .order_by(ApplicationNote.id)
    )
    person = person_of(uow, row)
    return ApplicationOut(
        id=row.id,
        name=name_of(row),
        given=row.given,
        family=row.family,
        email=row.email,
        phone=row.phone,
        status=row.status,
        made=uow.local(row.made_at),
        answers=[AnswerOut(question=a["question"], answer=a["answer"]) for a in row.answers],
        notes=[ApplicationNoteOut(by=by, at=uow.local(n.at), text=n.text) for n, by in notes],
        instructor_id=row.instructor_id,
        known=f"{person.name} is known as a person of the center" if person else "",
    )


def person_of(uow: UnitOfWork, row: Application) -> Person | None:
    """The person of the center who applied: of the same name and email."""
    query = select(Person).where(
        Person.folded == folded(name_of(row)), Person.email == row.email, Person.there()
    )
    return uow.session.scalar(query.order_by(Person.id).limit(1))


def application_to_change(uow: UnitOfWork, application_id: int) -> Application:
    row = lock_row(uow, Application, application_id)
    if row is None:
        raise not_found("This application")
    return row


def set_status(uow: UnitOfWork, application_id: int, command: ApplicationCommand) -> Done:
    """Say how far an application is. Accepted here means agreed on; the instructor is made by the next step."""
    row = application_to_change(uow, application_id)
    if command.seen is not None and command.seen is not row.status:
        raise conflict("changed-meanwhile", f"Somebody else said meanwhile that it is {row.status}.")
    if row.instructor_id is not None:
        raise conflict("instructor", f"{name_of(row)} is an instructor already.")
    row.status = command.status
    return Done(change=uow.log(Act.CHANGE_AN_APPLICATION, row.id, f"{name_of(row)}: {row.status}").key)


def add_note(uow: UnitOfWork, application_id: int, command: ApplicationNoteCommand) -> Done:
    row = application_to_change(uow, application_id)
    uow.session.add(
        ApplicationNote(application_id=row.id, user_id=uow.user_id, at=uow.now, text=command.text)
    )
    return Done(change=uow.log(Act.NOTE_ON_AN_APPLICATION, row.id, f"A note on {name_of(row)}").key)


def make_instructor(uow: UnitOfWork, application_id: int, command: AcceptCommand) -> InstructorOut:
    """From an application to an instructor: the person who is known by this name and email, or a new one."""
    row = application_to_change(uow, application_id)
    if row.instructor_id is not None:
        raise conflict("instructor", f"{name_of(row)} is an instructor already.")
    if row.status is ApplicationStatus.BLOCKED:
        raise refuse("/status", f"{name_of(row)} is blocked; lift that first.")
    person = person_of(uow, row)
    if person is None:
        person = people.new_person(row.given, row.family, row.email, row.phone, "", uow)
        uow.session.add(person)
        uow.session.flush()
    held = uow.session.scalar(select(Instructor).where(Instructor.person_id == person.id))
    if held is not None:
        raise conflict("instructor", f"{person.name} is an instructor already, as {held.name}.")
    made = instructors.save(uow, None, InstructorCommand(name=command.name, person_id=person.id))
    row.instructor_id, row.status = made.id, ApplicationStatus.ACCEPTED
    uow.log(Act.CHANGE_AN_APPLICATION, row.id, f"{name_of(row)} teaches here now, as {made.name}")
    return made

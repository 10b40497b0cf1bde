"""How the made-up center teaches: who can do what, pay that was agreed, papers, and what learners say."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

from sqlalchemy import select

from archgate.actions.access import own_pages
from archgate.actions.courses.commands import TextPatch
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import UnitOfWork, act
from archgate.actions.teaching import applications, evaluations, instructors, papers, pay, preparing, settings
from archgate.actions.teaching.commands import (
    AgreementCommand,
    AgreementTextCommand,
    AnswerForm,
    ApplicationCommand,
    ApplicationNoteCommand,
    ApplyCommand,
    EvaluateCommand,
    HandInCommand,
    InstructorCommand,
    PayLineCommand,
    PayRequestCommand,
    PayTermsCommand,
    PrepareCommand,
    QuestionsCommand,
    RulesCommand,
)
from archgate.actions.teaching.preparing_views import OwnPreparation
from archgate.core.states import ApplicationStatus
from archgate.demo.center import Center
from archgate.demo.offerings import CAN_TEACH, CATEGORIES
from archgate.tables.courses import Course
from archgate.tables.people import Person
from archgate.tables.teaching import Application, EvaluationAsked, Instructor

T = TypeVar("T")

TEACHES = "M. Oyelaran"  # who has a page of their own, with the password of the demo
QUESTIONS = (
    ("Did you learn what you came for?", "mark"),
    ("Was it explained so that you could follow?", "mark"),
    ("What should stay, what should change?", "words"),
)
SAID = (
    (5, 5, "More time at the wall, less at the board."),
    (4, 5, ""),
    (5, 4, "The second day was the best of the year."),
    (3, 4, "A bit fast for beginners."),
    (5, 5, ""),
    (4, 4, "Bring a second mixer."),
)
APPLICANTS = (
    ("Maren", "Stokke", "maren.stokke@example.org", "555-0190", "Twelve years as a thatcher.", "Weekends."),
    (
        "Owen",
        "Lattimer",
        "owen.lattimer@example.org",
        "",
        "I restore sash windows.",
        "Evenings, not in June.",
    ),
)
TEXT = """{center} and {instructor} agree that {instructor} teaches {run} ({code}) as {part}.

Dates:
{dates}

In all {meetings} meetings, {hours} contact hours, at {place}.

Pay: {pay}. The center pays within thirty days of the pay request.

Tools and materials are the center's. Who cannot come calls the office as early as can be; the center finds cover.
"""


def teaching(center: Center, runs: dict[tuple[str, int], int]) -> None:
    """What each can teach, what was agreed on, agreements, a pay request, applications, questions for learners."""
    held = {i.name: i for i in center.read(8.9, instructors.list_instructors)}
    ids = center.read(8.9, courses_by_code)
    for name, subjects in CAN_TEACH.items():
        forms = [
            {
                **(
                    {"course_id": ids[s.lstrip("+")]} if s.lstrip("+") in ids else {"category": s.lstrip("+")}
                ),
                "level": "assists" if s.startswith("+") else "leads",
            }
            for s in subjects
        ]
        change = command_of(InstructorCommand, {"qualifications": forms})
        center.act(8.9, instructors.save, held[name].id, change)
    wall, lime, slate = runs[("DSW", 23)], runs[("LIME", -58)], runs[("SLATE", -12)]
    marchetti = held["I. Marchetti"].id
    mileage = {"instructor_id": marchetti, "label": "Mileage", "quantity": "84", "unit": "0.655"}
    center.act(9, pay.add_line, wall, command_of(PayLineCommand, mileage))
    agreed = {"pay": {"kind": "per_meeting", "amount": "104.00"}}
    center.act(9, pay.set_terms, slate, held["A. Sorensen"].id, command_of(PayTermsCommand, agreed))
    center.act(9, papers.set_text, AgreementTextCommand(text=TEXT))
    center.act(9.1, papers.make_agreement, wall, AgreementCommand(instructor_id=marchetti))
    made = center.read(9.1, papers.agreements_of, run_id=wall)[0].id
    center.act(9.2, papers.send_agreement, made)
    asked = PayRequestCommand(instructor_id=marchetti, run_id=lime)
    request = center.act(9.3, papers.make_request, asked).request
    center.act(9.4, papers.mark_paid, request.id, center.today)
    form = {"questions": [{"text": text, "kind": kind} for text, kind in QUESTIONS]}
    center.act(8.9, evaluations.set_questions, command_of(QuestionsCommand, form))
    questions = ["What have you taught so far, and to whom?", "When could you teach?"]
    rules = {"applications_open": True, "application_questions": questions}
    center.act(8.9, settings.change, command_of(RulesCommand, rules))
    for given, family, email, phone, taught, when in APPLICANTS:
        command = ApplyCommand(given=given, family=family, email=email, phone=phone, answers=[taught, when])
        act(center.sessions, partial(applications.apply, command=command), at=center.at(7))
    last = center.read(9, newest_application)
    center.act(9.5, applications.set_status, last, ApplicationCommand(status=ApplicationStatus.IN_TALK))
    note = ApplicationNoteCommand(text="Comes by on Thursday to see the workshop.")
    center.act(9.5, applications.add_note, last, note)
    page_of(center, held[TEACHES].person_id)


def courses_by_code(uow: UnitOfWork) -> dict[str, int]:
    rows = uow.session.execute(select(Course.code, Course.id).where(Course.code.in_(CATEGORIES)))
    return {code: number for code, number in rows}  # noqa: C416


def newest_application(uow: UnitOfWork) -> int:
    return uow.session.scalars(select(Application.id).order_by(Application.id.desc()).limit(1)).one()


def page_of(center: Center, person_id: int) -> None:
    """An own page for one of those who teach, with the password of the demo."""
    center.act(9.6, own_pages.invite, person_id)
    page = center.read(9.6, own_pages.page_of, person_id)
    assert page is not None
    token = signing.token_for("p", page.id, page.turn)
    center.act(9.6, own_pages.set_password, token, center.password, center.quick)


def preparing_courses(center: Center) -> None:
    """Two of those who teach prepare their courses anew: one has handed in, one is still at it."""
    handed = begun(center, "I. Marchetti", {"subtitle": "With a morning at the quarry",
        "highlights": ["A morning at the quarry", "Own tools from the first day", "Eight at a wall, never more"]})  # fmt: skip
    said = HandInCommand(said="The quarry agreed to the morning visits; the highlights say so now.")
    by_person(center, 9.8, lambda d, p: preparing.hand_in(d, p, handed.id, said), "I. Marchetti")
    begun(center, TEACHES, {"audience": "For everybody with a steady hand; nobody needs to draw."})


def begun(center: Center, name: str, facts: dict[str, object]) -> OwnPreparation:
    """A preparation of the first course of one's own, with some fields written."""
    own = by_person(center, 9.7, preparing.listed, name).courses[0]
    row = by_person(
        center, 9.7, lambda d, p: preparing.begin(d, p, PrepareCommand(course_id=own.course_id)), name
    )
    patch = command_of(TextPatch, {"set": facts})
    return by_person(center, 9.75, lambda d, p: preparing.write(d, p, row.id, patch), name)


def by_person(center: Center, hour: float, doing: Callable[[UnitOfWork, Person], T], name: str) -> T:
    """Somebody who teaches acts on their own page."""

    def acting(uow: UnitOfWork) -> T:
        teacher = uow.session.scalars(select(Instructor).where(Instructor.name == name)).one()
        return doing(uow, teacher.person)

    return act(center.sessions, acting, at=center.at(hour))


def heard(center: Center) -> None:
    """Some of those who were asked after a run have answered."""
    for run_id in center.read(10, evaluations.due_runs):
        act(center.sessions, partial(evaluations.ask, run_id=run_id), at=center.at(10))
    asked = center.read(10, those_asked)
    forms = center.read(10, evaluations.questions_now)
    for number, (first, second, words) in zip(asked, SAID, strict=False):
        token = signing.token_for("e", number, 1)
        shown = center.read(10, evaluations.page, token)
        given = (Given(mark=first), Given(mark=second), Given(words=words))
        answers = [
            AnswerForm(instructor_id=i.instructor_id, question_id=q.id, mark=g.mark, words=g.words)
            for i in shown.instructors
            for q, g in zip(forms, given, strict=True)
        ]
        doing = partial(evaluations.answer, token=token, command=EvaluateCommand(answers=answers))
        act(center.sessions, doing, at=center.at(10.5))


@dataclass(frozen=True)
class Given:
    mark: int | None = None
    words: str = ""


def those_asked(uow: UnitOfWork) -> list[int]:
    return list(uow.session.scalars(select(EvaluationAsked.id).order_by(EvaluationAsked.id)))

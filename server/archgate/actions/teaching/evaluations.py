"""What learners say of those who taught them: asked after the last meeting, kept without names, over the years."""

from __future__ import annotations

import io
import secrets
from collections.abc import Collection, Iterable
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import func, select

from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.seats import seats
from archgate.actions.teaching.commands import AnswerForm, EvaluateCommand, QuestionsCommand
from archgate.actions.teaching.instructors import get_instructor, picture_of, pictured
from archgate.actions.teaching.rules import rules_of
from archgate.actions.teaching.views import (
    EvaluatePage,
    EvaluateWhom,
    EvaluationsOut,
    MarksOut,
    QuestionMarks,
    QuestionOut,
    Questions,
    RunWords,
    YearMarks,
)
from archgate.core.faults import Fault, Refused
from archgate.core.states import QuestionKind, RunStatus
from archgate.core.teaching import Tally, mean_and_spread, trend_of
from archgate.papers.letters.occasions import EvaluationAsked as AskedLetter
from archgate.papers.letters.writing import written
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.schedule import Gate
from archgate.tables.teaching import (
    EvaluationAnswer,
    EvaluationAsked,
    EvaluationQuestion,
    Instructor,
)

SLICE = 500  # people of a run asked in one transaction


# --- the questions ----------------------------------------------------------------------------------------


def questions_now(uow: UnitOfWork) -> list[EvaluationQuestion]:
    query = select(EvaluationQuestion).where(EvaluationQuestion.active).order_by(EvaluationQuestion.n)
    return list(uow.session.scalars(query))


def question_views(rows: Iterable[EvaluationQuestion]) -> list[QuestionOut]:
    return [QuestionOut(id=q.id, text=q.text, kind=q.kind) for q in rows]


def set_questions(uow: UnitOfWork, command: QuestionsCommand) -> Questions:
    """The questions in their order. One that was answered keeps its words: other words are another question."""
    held = {q.id: q for q in questions_now(uow)}
    faults, kept = list[Fault](), set[int]()
    texts = [q.text.casefold() for q in command.questions]
    for n, form in enumerate(command.questions):
        if texts.index(form.text.casefold()) != n:
            faults.append(Fault(f"/questions/{n}/text", "This question stands here twice."))
    if faults:
        raise Refused(faults)
    for n, form in enumerate(command.questions, 1):
        row = held.get(form.id or 0)
        if row is not None and (row.text, row.kind) == (form.text, form.kind):
            row.n = n
            kept.add(row.id)
            continue
        uow.session.add(EvaluationQuestion(text=form.text, kind=form.kind, n=n, active=True))
    for number, row in held.items():
        if number not in kept:
            row.active = False
    uow.session.flush()
    uow.log(Act.CHANGE_EVALUATION, 1, f"{len(command.questions)} questions are asked after a run")
    return Questions(questions=question_views(questions_now(uow)))


# --- asked ------------------------------------------------------------------------------------------------


def due_runs(uow: UnitOfWork) -> list[int]:
    """Runs that are over and whose learners were not asked yet."""
    if not rules_of(uow).evaluate or not questions_now(uow):
        return []
    query = (
        select(Run.id)
        .join(Gate, Gate.run_id == Run.id)
        .where(
            Gate.kind == "ends",
            Gate.at <= uow.now,
            Run.evaluated_at.is_(None),
            Run.status.in_((RunStatus.PUBLISHED, RunStatus.OFF_SALE)),
        )
    )
    return list(uow.session.scalars(query.order_by(Run.id).limit(20)))


def ask(uow: UnitOfWork, run_id: int) -> int:
    """Ask the next of a run's learners, a slice at a time; how many are written to. Once nobody is left the run is done."""
    run = get_run(uow, run_id)
    if run.evaluated_at is not None:
        return 0
    asked = select(EvaluationAsked.person_id).where(EvaluationAsked.run_id == run_id)
    chosen = messages.ids_on(run_id).subquery()
    query = (
        select(Person)
        .join(chosen, chosen.c[0] == Person.id)
        .where(Person.id.not_in(asked), Person.email.is_not(None))
        .order_by(Person.id)
        .limit(SLICE)
    )
    people = uow.session.scalars(query).all() if taught_by(run) else []
    if len(people) < SLICE:
        seats.run_to_change(uow, run_id)
        run.evaluated_at = uow.now
    rows = [EvaluationAsked(run_id=run_id, person_id=p.id, asked_at=uow.now) for p in people]
    uow.session.add_all(rows)
    uow.session.flush()
    if people:
        said = f"Asked {len(people)} learners of {run.code} what they think of it"
        change = uow.log(Act.ASK_FOR_EVALUATIONS, run_id, said)
        letters = [
            (messages.to_person(p), written(letter_to(uow, run, p, row)))
            for p, row in zip(people, rows, strict=True)
        ]
        messages.write_all(uow, change, letters, run_id)
    return len(people)


def letter_to(uow: UnitOfWork, run: Run, person: Person, row: EvaluationAsked) -> AskedLetter:
    link = f"{signing.address()}/evaluate/{signing.token_for('e', row.id, 1)}"
    return AskedLetter(uow.center.name, person.given or person.name, messages.named(run), link)


def taught_by(run: Run) -> list[Instructor]:
    """Who taught a run: its usual ones, then whoever taught a meeting that was held."""
    found = {t.instructor_id: t.instructor for t in run.teachers}
    for m in run.meetings:
        found |= {i.id: i for i in m.instructors if i.id not in found}
    return list(found.values())


# --- answered ---------------------------------------------------------------------------------------------


def asked_behind(uow: UnitOfWork, token: str, to_change: bool = False) -> EvaluationAsked:
    read = signing.token_read(token)
    row = None
    if read and read[0] == "e":
        row = uow.session.get(
            EvaluationAsked, read[1], with_for_update=to_change, populate_existing=to_change
        )
    if row is None:
        raise not_found("This evaluation")
    return row


def page(uow: UnitOfWork, token: str) -> EvaluatePage:
    """What a learner sees behind their link."""
    row = asked_behind(uow, token)
    run = get_run(uow, row.run_id)
    taught = taught_by(run)
    with_picture = pictured(uow, [i.id for i in taught])
    said = "Thank you: your answers have arrived. They are kept without your name." if row.answered else ""
    return EvaluatePage(
        center=uow.center.name,
        title=run.title or run.course.title,
        day=last_day(run, row.asked_at),
        questions=question_views(questions_now(uow)),
        instructors=[
            EvaluateWhom(instructor_id=i.id, name=i.name, picture=i.id in with_picture) for i in taught
        ],
        said=said,
    )


def picture(uow: UnitOfWork, token: str, instructor_id: int) -> io.BytesIO:
    """The picture of one of those whom the link asks about."""
    run = get_run(uow, asked_behind(uow, token).run_id)
    if all(i.id != instructor_id for i in taught_by(run)):
        raise not_found("This picture")
    return picture_of(uow, instructor_id)


def last_day(run: Run, asked: datetime) -> date:
    return max((m.date for m in run.meetings), default=run.ends_on or asked.date())


def answer(uow: UnitOfWork, token: str, command: EvaluateCommand) -> EvaluatePage:
    """Keep the answers of a learner, once, and without their name. A question may be left out, not all of them."""
    row = asked_behind(uow, token, to_change=True)
    run = get_run(uow, row.run_id)
    if row.answered:
        raise conflict("answered", "Your answers have arrived already; they are kept without your name.")
    known = {q.id: q for q in questions_now(uow)}
    whom = {i.id for i in taught_by(run)}
    faults, rows, seen = list[Fault](), list[EvaluationAnswer](), set[tuple[int, int]]()
    for n, form in enumerate(command.answers):
        question = known.get(form.question_id)
        pair = (form.instructor_id, form.question_id)
        if question is None or form.instructor_id not in whom:
            faults.append(Fault(f"/answers/{n}", "This is not asked any more; load the page anew."))
        elif pair in seen:
            faults.append(Fault(f"/answers/{n}", "This is answered twice."))
        elif said_something(question, form):
            rows.append(answer_row(run, question, form, last_day(run, row.asked_at)))
        seen.add(pair)
    if not faults and not rows:
        faults.append(Fault("/answers", "Answer at least one question."))
    if faults:
        raise Refused(faults)
    row.answered = True
    sheet = secrets.token_hex(8)
    for made in rows:
        made.sheet = sheet
    uow.session.add_all(rows)
    uow.session.flush()
    return page(uow, token)


def said_something(question: EvaluationQuestion, form: AnswerForm) -> bool:
    return form.mark is not None if question.kind is QuestionKind.MARK else bool(form.words.strip())


def answer_row(run: Run, question: EvaluationQuestion, form: AnswerForm, day: date) -> EvaluationAnswer:
    marked = question.kind is QuestionKind.MARK
    return EvaluationAnswer(
        run_id=run.id,
        instructor_id=form.instructor_id,
        question_id=question.id,
        day=day,
        mark=form.mark if marked else None,
        words="" if marked else form.words.strip(),
    )


# --- seen -------------------------------------------------------------------------------------------------


def marks_out(tally: Tally, fewest: int) -> MarksOut:
    """An average with how many answered and its spread; neither where too few did to stay unknown."""
    if tally.people < max(1, fewest):
        return MarksOut(count=tally.people, average=None, spread=None, shown=False, fewest=fewest)
    mean, spread = mean_and_spread(tally)
    return MarksOut(count=tally.people, average=str(mean), spread=str(spread), shown=True, fewest=fewest)


SUMS = (
    func.count(EvaluationAnswer.sheet.distinct()),
    func.count(),
    func.sum(EvaluationAnswer.mark),
    func.sum(EvaluationAnswer.mark * EvaluationAnswer.mark),
)


def tallied(*sums: int | None) -> Tally:
    """The sums of `SUMS`, in their order; none of them where there is no mark."""
    return Tally(*(int(n or 0) for n in sums))


MARKED = EvaluationAnswer.mark.is_not(None)


def marks_of_many(uow: UnitOfWork, ids: Collection[int]) -> dict[int, MarksOut]:
    """The marks of several instructors, as they stand where one assigns; by one statement."""
    fewest = rules_of(uow).fewest_answers
    query = select(EvaluationAnswer.instructor_id, *SUMS).where(
        EvaluationAnswer.instructor_id.in_(set(ids)), MARKED
    )
    found = {
        number: tallied(*sums)
        for number, *sums in uow.session.execute(query.group_by(EvaluationAnswer.instructor_id))
    }
    return {number: marks_out(found.get(number, Tally()), fewest) for number in ids}


def evaluations_of(uow: UnitOfWork, instructor_id: int) -> EvaluationsOut:
    """All that learners said of somebody: each average with its count and spread, by question and by year, and the trend."""
    i = get_instructor(uow, instructor_id)
    fewest = rules_of(uow).fewest_answers
    own = (EvaluationAnswer.instructor_id == instructor_id, MARKED)
    year = func.year(EvaluationAnswer.day)
    by_year = {
        int(of): tallied(*sums)
        for of, *sums in uow.session.execute(select(year, *SUMS).where(*own).group_by(year).order_by(year))
    }
    by_question = (
        select(EvaluationQuestion.text, *SUMS)
        .join(EvaluationQuestion, EvaluationQuestion.id == EvaluationAnswer.question_id)
        .where(*own)
        .group_by(EvaluationQuestion.id)
        .order_by(EvaluationQuestion.n, EvaluationQuestion.id)
    )
    every = Tally()
    for tally in by_year.values():  # a sheet is of one run, so of one year
        every = every.plus(tally)
    years = [(of, marks_out(tally, fewest)) for of, tally in by_year.items()]
    known = [(of, Decimal(m.average)) for of, m in years if m.average is not None]
    return EvaluationsOut(
        instructor_id=i.id,
        name=i.name,
        marks=marks_out(every, fewest),
        trend=trend_of(known),
        by_question=[
            QuestionMarks(question=text, marks=marks_out(tallied(*sums), fewest))
            for text, *sums in uow.session.execute(by_question)
        ],
        by_year=[YearMarks(year=of, marks=marks) for of, marks in years],
        words=words_of(uow, instructor_id, fewest),
    )


def words_of(uow: UnitOfWork, instructor_id: int, fewest: int) -> list[RunWords]:
    """What was said in words, by run, of runs with enough answers; in the order of the alphabet, which tells nothing."""
    query = (
        select(Run.id, Run.code, EvaluationAnswer.day, EvaluationAnswer.words)
        .join(Run, Run.id == EvaluationAnswer.run_id)
        .where(EvaluationAnswer.instructor_id == instructor_id, EvaluationAnswer.words != "")
        .order_by(EvaluationAnswer.day.desc(), Run.id)
        .limit(500)
    )
    found: dict[int, tuple[str, date, list[str]]] = {}
    for run_id, code, day, words in uow.session.execute(query):
        found.setdefault(run_id, (code, day, []))[2].append(words)
    return [
        RunWords(run_code=code, day=day, words=sorted(words))
        for code, day, words in found.values()
        if len(words) >= fewest
    ]

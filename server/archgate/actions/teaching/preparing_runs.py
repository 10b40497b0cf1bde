"""The runs that instructors prepare with their courses: planned, changed date by date, priced where they may, put away."""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.fees import fees, terms
from archgate.actions.fees.term_commands import TermsPatch
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import lifecycle, making, moving, patterns
from archgate.actions.runs.commands import (
    CancelMeetingCommand,
    MeetingFacts,
    MeetingPatch,
    MoveRunCommand,
    RunCommand,
    RunFacts,
    RunPatch,
)
from archgate.actions.schedule import schedule
from archgate.actions.schedule.commands import PatternForm
from archgate.actions.teaching import preparations
from archgate.actions.teaching.commands import (
    OwnMeetingFacts,
    OwnMeetingPatch,
    OwnPattern,
    OwnRunCommand,
    OwnRunFacts,
    OwnRunPatch,
)
from archgate.actions.teaching.preparing import ASK
from archgate.actions.teaching.preparing_views import OwnPreparation
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.states import PrepareRight, RunStatus, Weekday
from archgate.documents.reader import Document
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.schedule import Meeting, Place
from archgate.tables.teaching import Instructor, Preparation, PreparedRun

MOST_RUNS = 12
NO_PRICE = "0.00"  # until the office says it
AT_ONCE: Document = {"name": "At sign-up", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}


def add_run(uow: UnitOfWork, person: Person, preparation_id: int, command: OwnRunCommand) -> OwnPreparation:
    """Prepare a run of the course, taught by whoever prepares it. Without the right to prices it costs what the course's runs usually do,
    or the office says it before it is published (`readiness`)."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    if len(preparations.runs_of(uow, row)) >= MOST_RUNS:
        raise conflict("many", f"A preparation has up to {MOST_RUNS} runs.")
    if command.amount is not None and PrepareRight.PRICES not in preparations.rights_of(uow, i):
        raise refuse("/amount", ASK)
    refuse_unknown_place(uow, command.place, "/place")
    body: dict[str, object] = {
        "course_id": course.id, "pattern": planned(command), "capacity": command.capacity, "instructor": i.name, "note": command.note,
    }  # fmt: skip
    if command.place:
        body["place"] = command.place
    usual = {**uow.center.defaults, **course.defaults}
    unpriced = command.amount is None and not usual.get("rates")
    if command.amount is not None or unpriced:
        body["rates"] = [{"amount": command.amount or NO_PRICE}]
    if not usual.get("plans"):
        body["plans"] = [AT_ONCE]
    try:
        run = making.make_run(uow, command_of(RunCommand, body))
    except Refused as refused:
        raise Refused([Fault(f.at.replace("/pattern", ""), f.message) for f in refused.faults]) from None
    uow.log(Act.MAKE_A_RUN, run.id, f"Made {run.code}, {run.title or course.title}")
    uow.session.add(PreparedRun(run_id=run.id, preparation_id=row.id, unpriced=unpriced))
    uow.session.flush()
    return preparations.done_by(uow, i, row, course)


def refuse_unknown_place(uow: UnitOfWork, name: str | None, at: str) -> None:
    """Instructors choose among the center's places; a new one is the office's to add."""
    if name and uow.session.scalar(select(Place.id).where(Place.name == name)) is None:
        raise refuse(at, f'There is no place "{name}"; the office adds places.')


def own_draft(uow: UnitOfWork, row: Preparation, run_id: int) -> Run:
    run = next((r for r in preparations.runs_of(uow, row) if r.id == run_id), None)
    if run is None or run.status is not RunStatus.DRAFT:
        raise not_found("This run")
    return run


def planned(pattern: OwnPattern) -> dict[str, object]:
    """A pattern as runs are made of; without weekdays it meets on that of its first date."""
    rows: dict[str, object] = {
        "first": pattern.first.isoformat(), "start": f"{pattern.start:%H:%M}", "minutes": pattern.minutes, "count": pattern.count,
    }  # fmt: skip
    return {**rows, "weekdays": [str(w) for w in pattern.weekdays]} if pattern.weekdays else rows


def change_run(
    uow: UnitOfWork, person: Person, preparation_id: int, run_id: int, command: OwnRunPatch
) -> OwnPreparation:
    """Change facts of a run that is prepared, its price where they may, and plan its meetings anew."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    run = own_draft(uow, row, run_id)
    refuse_unknown_place(uow, command.set.place, "/set/place")
    facts, seen = facts_of(command.set), facts_of(command.seen)
    if facts:
        making.change_run(
            uow, run.id, RunPatch(set=command_of(RunFacts, facts), seen=command_of(RunFacts, seen))
        )
    if command.set.amount is not None:
        say_price(uow, i, run, command.set.amount, command.seen.amount)
    if command.pattern is not None:
        plan_anew(uow, run, command.pattern, command.pattern_seen)
    return preparations.done_by(uow, i, row, course)


def facts_of(given: OwnRunFacts) -> dict[str, object]:
    """What is said of a run beside its price."""
    return {name: getattr(given, name) for name in given.model_fields_set - {"amount"}}


def say_price(uow: UnitOfWork, i: Instructor, run: Run, amount: str, seen: str | None) -> None:
    """What the first rate of a run costs, by whom the center lets say it."""
    if PrepareRight.PRICES not in preparations.rights_of(uow, i):
        raise refuse("/set/amount", ASK)
    rates = fees.terms_view(run).rates
    if seen is not None:
        refuse_lost_update({"amount": amount}, {"amount": seen}, {"amount": rates[0].amount if rates else ""})
    now = [r.model_dump(mode="json", by_alias=True, exclude={"id"}, exclude_none=True) for r in rates] or [{}]
    now[0]["amount"] = amount
    try:
        terms.change_terms(uow, run.id, command_of(TermsPatch, {"set": {"rates": now}}))
    except Refused as refused:
        raise Refused([Fault("/set/amount", f.message) for f in refused.faults]) from None


def plan_anew(uow: UnitOfWork, run: Run, pattern: OwnPattern, seen: OwnPattern | None) -> None:
    """Plan the meetings of a run anew. Only another first date moves all of them, those put elsewhere by hand too."""
    now = preparations.pattern_of(run)
    if now is None:
        raise refuse("/pattern/first", "The office has planned these dates; please ask there.")
    if seen is not None:
        refuse_lost_update(
            {"pattern": planned(pattern)}, {"pattern": planned(seen)}, {"pattern": planned(now)}
        )
    days = pattern.weekdays or [list(Weekday)[pattern.first.weekday()]]
    whole_weeks = pattern.first.weekday() == now.first.weekday()
    if whole_weeks and now == pattern.model_copy(update={"first": now.first, "weekdays": days}):
        if pattern.first != now.first:
            moving.move_run(uow, run.id, command_of(MoveRunCommand, {"first": pattern.first.isoformat()}))
        return
    was = schedule.pattern_view(uow, run.patterns[0])
    kept = {"on_closure": was.on_closure, "room": was.room, "instructor": was.instructor}
    form = {**planned(pattern), **{name: value for name, value in kept.items() if value}}
    try:
        patterns.change_pattern(uow, run.id, was.n, command_of(PatternForm, form))
    except Refused as refused:
        raise Refused([Fault(f"/pattern{f.at}", f.message) for f in refused.faults]) from None


def own_meeting(uow: UnitOfWork, row: Preparation, run_id: int, meeting_id: int) -> Meeting:
    run = own_draft(uow, row, run_id)
    meeting = next((m for m in run.meetings if m.id == meeting_id), None)
    if meeting is None:
        raise not_found("This date")
    return meeting


def change_date(
    uow: UnitOfWork,
    person: Person,
    preparation_id: int,
    run_id: int,
    meeting_id: int,
    command: OwnMeetingPatch,
) -> OwnPreparation:
    """Put one date of a prepared run elsewhere."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    meeting = own_meeting(uow, row, run_id, meeting_id)
    patch = MeetingPatch(
        set=command_of(MeetingFacts, said(command.set)), seen=command_of(MeetingFacts, said(command.seen))
    )
    moving.change_meetings(uow, meeting.id, patch)
    return preparations.done_by(uow, i, row, course)


def said(facts: OwnMeetingFacts) -> dict[str, object]:
    return {name: getattr(facts, name) for name in facts.model_fields_set}


def leave_out(
    uow: UnitOfWork, person: Person, preparation_id: int, run_id: int, meeting_id: int
) -> OwnPreparation:
    """Take one date out of a prepared run; the last one stays."""
    i, row, course = preparations.to_write(uow, person, preparation_id)
    meeting = own_meeting(uow, row, run_id, meeting_id)
    moving.cancel_meeting(uow, meeting.id, CancelMeetingCommand())
    return preparations.done_by(uow, i, row, course)


def drop_run(uow: UnitOfWork, person: Person, preparation_id: int, run_id: int) -> OwnPreparation:
    i, row, course = preparations.to_write(uow, person, preparation_id)
    lifecycle.archive(uow, own_draft(uow, row, run_id).id)
    return preparations.done_by(uow, i, row, course)

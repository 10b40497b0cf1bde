"""Who hears that the dates of a run have moved: the people on it, and its instructors."""

from __future__ import annotations

from collections import defaultdict

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import (
    DateFacts,
    MovedDate,
)
from archgate.actions.messages import messages
from archgate.core.teaching import read_taught
from archgate.papers.letters.occasions import Appointment, DateMoved, DatesMoved, TeachingMoved
from archgate.papers.letters.writing import written
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.teaching import Instructor


def tell_of_dates(uow: UnitOfWork, run: Run, dates: list[MovedDate], change: Change) -> int:
    """Write to everybody on the run which dates are other ones for them, and to each instructor what is new of theirs; to
    nobody for whom nothing is. How many on the run are told, by message or by phone."""
    coming = [d for d in dates if any(m and m.date >= uow.today for m in (d.before, d.after))]
    tell_instructors(uow, run, coming, change)
    seen = [d for d in coming if seen_of(d.before) != seen_of(d.after)]
    if not seen:
        return 0
    alone = seen[0].meeting_id if len(seen) == 1 else None
    fallen = [d.meeting_id for d in seen if d.after is None]
    occasion = DatesMoved(
        uow.center.name, messages.named(run), "", subject_of(seen), tuple(map(date_moved, seen))
    )
    about = fallen[0] if len(fallen) == 1 else alone
    return messages.tell_run(uow, run, change, occasion, about, instructor=False)


def seen_of(facts: DateFacts | None) -> DateFacts | None:
    """What learners see of a meeting: not who teaches it."""
    return facts.model_copy(update={"instructor": None}) if facts else None


def subject_of(moved: list[MovedDate]) -> str:
    """What a letter is about: new dates, new times, or only another place or length."""
    pairs = [(d.before, d.after) for d in moved]
    if any(not old or not new or old.date != new.date for old, new in pairs):
        return "new dates"
    both = [(old, new) for old, new in pairs if old and new]
    if any(old.start != new.start for old, new in both):
        return "new times"
    longer = any(old.minutes != new.minutes for old, new in both)
    return "changed dates" if longer else "another place"


def tell_instructors(uow: UnitOfWork, run: Run, dates: list[MovedDate], change: Change) -> None:
    """Write to each instructor who has, or had, one of these meetings what became of it."""
    moved, gone, won = (
        defaultdict[str, list[DateMoved]](list),
        defaultdict[str, list[Appointment]](list),
        defaultdict[str, list[Appointment]](list),
    )
    for d in dates:
        before, after = d.before, d.after
        had, has = names_in(before), names_in(after)
        for name in had & has if seen_of(before) != seen_of(after) else ():
            moved[name].append(date_moved(d))
        if before:
            for name in had - has:
                gone[name].append(appointment(before))
        if after:
            for name in has - had:
                won[name].append(appointment(after))
    names = {*moved, *gone, *won}
    for teacher in uow.session.scalars(
        select(Instructor).where(Instructor.name.in_(names)).order_by(Instructor.id)
    ):
        name = teacher.name
        occasion = TeachingMoved(messages.named(run), tuple(moved[name]), tuple(gone[name]), tuple(won[name]))
        messages.write(uow, change, messages.Addressee(name, teacher.email), written(occasion), run.id)


def names_in(facts: DateFacts | None) -> set[str]:
    return {t.name for t in read_taught(facts.instructor or "")} if facts else set()


def appointment(facts: DateFacts) -> Appointment:
    return Appointment(facts.date, facts.start, None, facts.place or "")


def date_moved(moved: MovedDate) -> DateMoved:
    """What became of a date, as letters say it; where only its length changed, the new one."""
    before = appointment(moved.before) if moved.before else None
    after = appointment(moved.after) if moved.after else None
    return DateMoved(before, after, moved.after.minutes if moved.after and before == after else None)

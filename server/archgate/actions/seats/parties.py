"""Parties: who already sits on a run, and the names of the other heads as somebody types them."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import BindParameter, CompoundSelect, bindparam, literal, select, union_all

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.actions.seats.views import NameView
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused
from archgate.core.names import folded
from archgate.core.states import InterestStatus
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.waitlist import Interest, Waiting


def live_on(uow: UnitOfWork, run_id: int, person_ids: list[int]) -> set[int]:
    """Which of these people hold a seat on the run, also as a named head of a party."""
    if not person_ids:
        return set()
    live = (Enrollment.run_id == run_id, Enrollment.live == 1)
    own = select(Enrollment.person_id).where(*live, Enrollment.person_id.in_(person_ids))
    guests = select(PartyPlace.person_id).join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
    both = own.union_all(guests.where(*live, PartyPlace.person_id.in_(person_ids)))
    return set(uow.session.scalars(both))


def tied_to(uow: UnitOfWork, run_ids: Collection[int], person_ids: Collection[int]) -> set[tuple[int, int]]:
    """Which of these people hold a seat on which of these runs, also as a named head of a party: (run, person)."""
    if not run_ids or not person_ids:
        return set()
    live = (Enrollment.run_id.in_(run_ids), Enrollment.live == 1)
    own = select(Enrollment.run_id, Enrollment.person_id).where(*live, Enrollment.person_id.in_(person_ids))
    guests = select(Enrollment.run_id, PartyPlace.person_id).join(
        Enrollment, Enrollment.id == PartyPlace.enrollment_id
    )
    both = own.union_all(guests.where(*live, PartyPlace.person_id.in_(person_ids)))
    return {(run, person) for run, person in uow.session.execute(both) if person is not None}


def waiting_for(
    uow: UnitOfWork, run_ids: Collection[int], person_ids: Collection[int]
) -> set[tuple[int, int]]:
    """Which of these people wait for which of these runs: (run, person)."""
    if not run_ids or not person_ids:
        return set()
    rows = select(Waiting.run_id, Waiting.person_id).where(
        Waiting.run_id.in_(run_ids), Waiting.live == 1, Waiting.person_id.in_(person_ids)
    )
    return {(run, person) for run, person in uow.session.execute(rows)}


def names_typed(names: list[str]) -> list[str]:
    """Names as typed, one a head, without blank lines."""
    return [n.strip() for n in names if n.strip()]


def name_parts(text: str) -> tuple[str, str, str | None]:
    """Given name, family name and email of a line like "Ana Li, ana@example.org"; the last word is the family name."""
    words, email = [], None
    for word in "".join(" " if c in ",;<>" else c for c in text).split():
        if "@" in word:
            email = word
        else:
            words.append(word)
    return " ".join(words[:-1]), words[-1] if words else "", email


def known_as(uow: UnitOfWork, name: str, email: str | None) -> list[Person]:
    """The people of a name, without regard to case and accents; with an email, those who have it."""
    query = select(Person).where(Person.folded == folded(name), Person.there())
    if email:
        query = query.where(Person.email == email)
    return list(uow.session.scalars(query.limit(3)))


def name_view(uow: UnitOfWork, run: Run, text: str) -> NameView:
    """Whom a typed name means: somebody known, if there is exactly one, else somebody new; or why neither."""
    given, family, email = name_parts(text)
    wrong: str | None = None
    known: list[Person] = []
    if not family:
        wrong = "a name is missing"
    elif email and people.email_fault(email):
        wrong = f'"{email}" is not an email address'
    else:
        known = known_as(uow, f"{given} {family}".strip(), email)
        if len(known) > 1:
            wrong = "several people are named so; add the email, or name this head later"
        elif known and live_on(uow, run.id, [known[0].id]):
            wrong = f"is on {run.code} already"
    person = known[0] if len(known) == 1 else None
    sentence = wrong or (f"known, {person.email or person.phone or 'no email'}" if person else "new person")
    return NameView(
        text=text, person_id=person.id if person else None, said=sentence, error=wrong is not None
    )


def names_view(uow: UnitOfWork, run: Run, names: list[str], others: int) -> list[NameView]:
    """Every typed name with whom it means; one too many, or one named twice, is at fault."""
    views: list[NameView] = []
    for n, text in enumerate(names):
        view = name_view(uow, run, text)
        if n >= others:
            view = view.model_copy(update={"said": f"there are {others} other heads", "error": True})
        elif view.person_id and any(v.person_id == view.person_id for v in views):
            view = view.model_copy(update={"said": "is named twice", "error": True})
        views.append(view)
    return views


def people_named(uow: UnitOfWork, run: Run, names: list[str], others: int) -> list[Person]:
    """The people behind typed names, new ones added; refused with every name that is at fault."""
    views = names_view(uow, run, names, others)
    faults = [Fault(f"/names/{i}", f"{v.text}: {v.said}.") for i, v in enumerate(views) if v.error]
    if faults:
        raise Refused(faults)
    people_there = []
    for view in views:
        if view.person_id:
            people_there.append(people.get_person(uow, view.person_id))
            continue
        given, family, email = name_parts(view.text)
        row = people.new_person(given, family, email, None, "", uow)
        uow.session.add(row)
        uow.session.flush()
        people_there.append(row)
    return people_there


def told_early(uow: UnitOfWork, run: Run, person_id: int) -> bool:
    """Whether somebody of the interest list may sign up in its head start, before sign-up opens to others."""
    if run.interest_told_at is None:
        return False
    query = select(Interest.id).where(
        Interest.run_id == run.id, Interest.person_id == person_id, Interest.live == 1
    )
    return uow.session.scalar(query) is not None


@dataclass(frozen=True)
class Ties:
    """What ties somebody to a run already: a seat, a place in line, a place on its interest list or on its course's."""

    enrolled: bool
    waiting_id: int | None
    interested: bool


RUN: BindParameter[int] = bindparam("run")
PERSON: BindParameter[int] = bindparam("person")
# Put together once: with four parts it costs more to build than to answer.
TIES = union_all(
    select(literal("enrolled").label("kind"), Enrollment.id).where(
        Enrollment.run_id == RUN, Enrollment.person_id == PERSON, Enrollment.live == 1
    ),
    select(literal("enrolled"), PartyPlace.id)
    .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
    .where(Enrollment.run_id == RUN, Enrollment.live == 1, PartyPlace.person_id == PERSON),
    select(literal("in line"), Waiting.id).where(
        Waiting.run_id == RUN, Waiting.person_id == PERSON, Waiting.live == 1
    ),
    select(literal("interested"), Interest.id).where(
        Interest.course_id == bindparam("course"), Interest.person_id == PERSON, Interest.live == 1
    ),
)


def ties_of(uow: UnitOfWork, run: Run, person_id: int) -> Ties:
    rows = uow.session.execute(TIES, {"run": run.id, "person": person_id, "course": run.course_id})
    return ties_from({str(row.kind): int(row.id) for row in rows})


def ties_from(by_kind: dict[str, int]) -> Ties:
    return Ties("enrolled" in by_kind, by_kind.get("in line"), "interested" in by_kind)


TIE_KINDS = ("enrolled", "in line", "interested")
TIE = TIES.subquery()
SEATS_AND_TIES: CompoundSelect[str, int, int, datetime, int] = union_all(
    *seats.LINE_AND_KEPT.selects, select(TIE.c.kind, TIE.c.id, literal(0), literal(None), literal(0))
)


def seats_and_ties(uow: UnitOfWork, run: Run, taken: int, person_id: int) -> tuple[core_seats.Seats, Ties]:
    """The seats of a run of which so many are taken, and what ties somebody to it, by one statement; certain under the lock."""
    given = {"run": run.id, "today": uow.today, "now": uow.now, "person": person_id, "course": run.course_id}
    rows = uow.session.execute(SEATS_AND_TIES, given).all()
    ties = ties_from({r.status: r.id for r in rows if r.status in TIE_KINDS})
    return seats.seats_from(uow, run, taken, [r for r in rows if r.status not in TIE_KINDS]), ties


def leave_interest(uow: UnitOfWork, run: Run, person_id: int, ties: Ties | None = None) -> None:
    """Whoever enrolls, or waits, leaves the interest lists of the run and of its course by themselves. With `ties` that
    are known, nothing is asked of who is on none."""
    if ties is not None and not ties.interested:
        return
    leave_interest_all(uow, run, [person_id])


def leave_interest_all(uow: UnitOfWork, run: Run, person_ids: Collection[int]) -> None:
    """The same for everybody who comes onto a run, or into its line, together."""
    rows = uow.session.scalars(
        select(Interest).where(
            Interest.course_id == run.course_id, Interest.person_id.in_(person_ids), Interest.live == 1
        )
    ).all()
    for row in rows:
        if row.run_id in (None, run.id):
            row.status, row.ended_at = InterestStatus.ENROLLED, uow.now

"""What acts have written, by which what is kept beside it is brought up to date before the commit.

Lists read what is kept instead of working it out. Each group registers a keeper (`kept_by`); they run after
everything an act wrote.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from typing import TYPE_CHECKING

from sqlalchemy import inspect

from archgate.tables import Base
from archgate.tables.courses import Center, Run
from archgate.tables.money import Allocation
from archgate.tables.people import Person, PersonNumber, PersonTag
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Closure, Meeting, Place
from archgate.tables.teaching import BusyTime, Instructor, RunTeacher

if TYPE_CHECKING:
    from archgate.actions.kernel.unit_of_work import UnitOfWork


@dataclass
class Touched:
    """What an act has written so far, by the id of what it is about."""

    enrollments: set[int] = field(default_factory=set)
    installments: set[int] = field(default_factory=set)
    payers: set[int] = field(default_factory=set)
    runs: set[int] = field(default_factory=set)
    people: set[int] = field(default_factory=set)
    owed: dict[int, int] = field(default_factory=dict)  # by account: what was posted
    opened: dict[int, tuple[int, date]] = field(default_factory=dict)  # what is newly open, and the first day
    # What can make or heal a clash:
    dated: set[int] = field(default_factory=set)  # runs whose meetings, status or seats were written
    places: set[int] = field(default_factory=set)
    instructors: set[int] = field(default_factory=set)
    closed_days: bool = False
    seated: set[int] = field(default_factory=set)  # people who came onto a run
    rosters: set[int] = field(default_factory=set)  # runs that somebody may have left
    heads_of: set[int] = field(default_factory=set)  # enrollments whose heads were written
    # What sentences go by:
    joined: set[tuple[int, int]] = field(default_factory=set)  # (run, person): came onto it, or left it
    named: set[int] = field(default_factory=set)  # enrollments with heads that were named
    tagged: set[tuple[int, str]] = field(default_factory=set)  # (person, tag): got it, or lost it
    numbered: set[tuple[int, int]] = field(default_factory=set)  # (person, organization)
    added: set[int] = field(default_factory=set)  # people who are new

    def note(self, obj: Base) -> None:
        """A row that the session writes."""
        match obj:
            case Allocation(installment_id=int() as installment):
                self.installments.add(installment)
            case Installment():
                self.enrollments.add(obj.enrollment_id)
            case Person():
                self.people.add(obj.id)
            case PersonTag():
                self.tagged.add((obj.person_id, obj.tag))
            case PersonNumber(organization_id=int() as organization):
                self.numbered.add((obj.person_id, organization))
            case Enrollment():
                self.note_enrollment(obj.id, obj.run_id, obj.payer_id, obj.person_id)
                self.rosters.add(obj.run_id)
            case PartyPlace():
                self.note_head(obj.enrollment_id, obj.person_id)
            case Meeting():
                self.dated.add(obj.run_id)
            case RunTeacher():
                self.dated.add(obj.run_id)
            case Run():
                self.dated.add(obj.id)
            case Place():
                self.places.add(obj.id)
            case Instructor():
                self.instructors.add(obj.id)
            case BusyTime():
                self.note_busy(obj.place_id, obj.instructor_id)
            case Closure():
                self.closed_days = True
            case Center() if inspect(obj).attrs.region.history.has_changes():
                self.closed_days = True

    def note_opened(self, account_id: int, amount: int, first: date) -> None:
        """Installments of a new enrollment, which were written with what is open of them."""
        before, day = self.opened.get(account_id, (0, first))
        self.opened[account_id] = (before + amount, min(day, first))

    def note_enrollment(self, number: int, run_id: int, payer_id: int, person_id: int) -> None:
        self.enrollments.add(number)
        self.runs.add(run_id)
        self.payers.add(payer_id)
        self.seated.add(person_id)
        self.joined.add((run_id, person_id))

    def note_put(self, obj: Base) -> None:
        """A new row that is written past the session (`rows.put`)."""
        person_id = obj.person_id if isinstance(obj, Enrollment | PartyPlace) else None
        if person_id is not None:
            self.seated.add(person_id)
        match obj:
            case Person():
                self.people.add(obj.id)
                self.added.add(obj.id)
            case Enrollment():
                self.joined.add((obj.run_id, obj.person_id))
            case PartyPlace(person_id=int()):
                self.named.add(obj.enrollment_id)
            case PersonNumber(organization_id=int() as organization):
                self.numbered.add((obj.person_id, organization))

    def note_head(self, enrollment_id: int, person_id: int | None) -> None:
        """A head of a party: whoever is named now, and through the roster whoever was."""
        self.heads_of.add(enrollment_id)
        self.named.add(enrollment_id)
        if person_id is not None:
            self.seated.add(person_id)

    def note_busy(self, place_id: int | None, instructor_id: int | None) -> None:
        if place_id is not None:
            self.places.add(place_id)
        if instructor_id is not None:
            self.instructors.add(instructor_id)


# What each group keeps beside what was written, as the last of each act; registered by `kept_by`.
KEEPERS: list[Callable[[UnitOfWork], None]] = []


def kept_by(keeper: Callable[[UnitOfWork], None], last: bool = False) -> None:
    """`last`: after all others, as it locks what is locked last."""
    KEEPERS.insert(len(KEEPERS) if last else 0, keeper)

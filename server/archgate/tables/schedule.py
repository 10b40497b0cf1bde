"""Places, closed days, meeting patterns, meetings, gates, clashes that somebody accepted, and calendar feeds."""

from __future__ import annotations

from datetime import date, datetime, time

from sqlalchemy import CheckConstraint, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from archgate.core.states import PlaceKind
from archgate.tables.base import Base, Key, Name, Prose, Word, ascii_key
from archgate.tables.teaching import Instructor, MeetingTeacher, PatternTeacher


class Place(Base):
    """A room, somewhere outdoors, or online. `seats` bounds a run only where it is given."""

    __tablename__ = "places"
    __table_args__ = (CheckConstraint("seats IS NULL OR seats >= 1", name="seats"),)
    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(200), unique=True)
    kind: Mapped[PlaceKind] = mapped_column(default=PlaceKind.ROOM)
    seats: Mapped[int | None]
    facts: Mapped[Prose] = mapped_column(default="")
    address: Mapped[Prose] = mapped_column(default="")
    address_public: Mapped[bool] = mapped_column(default=True)
    map_link: Mapped[Prose] = mapped_column(default="")
    time_zone: Mapped[str] = mapped_column(String(64))
    active: Mapped[bool] = mapped_column(default=True)


class Closure(Base):
    """A closed day of the center's own, or (with `teach`) a public holiday on which it teaches all the same."""

    __tablename__ = "closures"
    id: Mapped[Key]
    day: Mapped[date] = mapped_column(unique=True)
    label: Mapped[Name]
    teach: Mapped[bool] = mapped_column(default=False)


class MeetingPattern(Base):
    """A weekly pattern as it was given; the meetings are its result and may have been changed since.

    `n` numbers the patterns of a run; its meetings carry it. Without a place or instructor of its own, the run's.
    """

    __tablename__ = "meeting_patterns"
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"), index=True)
    n: Mapped[int] = mapped_column(default=1)
    first: Mapped[date]
    start: Mapped[time]
    minutes: Mapped[int]
    weekdays: Mapped[str] = mapped_column(String(20))
    every_weeks: Mapped[int]
    count: Mapped[int | None]
    until: Mapped[date | None]
    extend: Mapped[bool] = mapped_column(default=False)
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"))

    teachers: Mapped[list[PatternTeacher]] = relationship(
        cascade="all, delete-orphan", order_by="PatternTeacher.n", lazy="selectin"
    )


class Meeting(Base):
    """One date of a run: wall-clock time as planned, and the moments derived from it in its place's zone.

    A cancelled meeting of a published run is kept, so that calendars that hold it learn of it. `sequence` rises
    with every change that a calendar must take over (RFC 5545 section 3.8.7.4). `pattern_n` is None for a one-off,
    `replaces_id` the cancelled meeting that is held on this date instead.
    """

    __tablename__ = "meetings"
    __table_args__ = (
        CheckConstraint("minutes > 0", name="minutes"),
        CheckConstraint("ends_at > starts_at", name="order"),
        Index("ix_meetings_run", "run_id", "starts_at"),
        Index("ix_meetings_time", "starts_at", "ends_at"),
        Index("ix_meetings_place", "place_id", "starts_at"),
    )
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    date: Mapped[date]
    start: Mapped[time]
    minutes: Mapped[int]
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    by_hand: Mapped[bool] = mapped_column(default=False)
    pattern_n: Mapped[int | None]
    place_id: Mapped[int | None] = mapped_column(ForeignKey("places.id"))
    sequence: Mapped[int] = mapped_column(default=0)
    cancelled_at: Mapped[datetime | None]
    cancel_why: Mapped[Prose] = mapped_column(default="")
    instructor_paid: Mapped[bool | None]
    replaces_id: Mapped[int | None] = mapped_column(
        ForeignKey("meetings.id", ondelete="SET NULL"), index=True
    )

    place: Mapped[Place | None] = relationship()
    teachers: Mapped[list[MeetingTeacher]] = relationship(
        cascade="all, delete-orphan", order_by="MeetingTeacher.n", lazy="selectin"
    )

    @property
    def instructors(self) -> list[Instructor]:
        return [t.instructor for t in self.teachers]


class OnlineLink(Base):
    """The link of an online meeting, made by the meeting service; asked for with a stable key, so made once."""

    __tablename__ = "online_links"
    meeting_id: Mapped[int] = mapped_column(
        ForeignKey("meetings.id", ondelete="CASCADE"), primary_key=True, autoincrement=False
    )
    link: Mapped[Prose]
    host_key: Mapped[Word]
    made_at: Mapped[datetime]


class Gate(Base):
    """A gate's rule and the moment it gives, so that lists filter in SQL. Worked out anew when dates or fees change.

    `n` numbers the gates of one kind: sign-up windows and early steps in their order, seats set aside by the id of their
    row, 0 where a run has only one of the kind. So no run has a gate twice.
    """

    __tablename__ = "gates"
    __table_args__ = (UniqueConstraint("run_id", "kind", "n"), Index("ix_gates_kind", "kind", "at"))
    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id"))
    kind: Mapped[Word]
    n: Mapped[int] = mapped_column(default=0)
    rule: Mapped[Name]
    day: Mapped[date]
    at: Mapped[datetime]
    label: Mapped[Name]


class KeptClash(Base):
    """A clash of coming meetings, kept by the acts that can make or heal it. `who` is the instructor, the place or the
    learner; a pair of meetings stands once for each of its learners. It is over (`until`) when the first of its meetings is.
    """

    __tablename__ = "clashes"
    __table_args__ = (
        Index("ix_clashes_until", "until"),
        Index("ix_clashes_run", "run_id"),
        Index("ix_clashes_other_run", "other_run_id"),
        Index("ix_clashes_who", "kind", "who"),
    )
    id: Mapped[Key]
    kind: Mapped[Word]
    who: Mapped[int]
    meeting_id: Mapped[int] = mapped_column(ForeignKey("meetings.id", ondelete="CASCADE"), index=True)
    other_meeting_id: Mapped[int | None] = mapped_column(
        ForeignKey("meetings.id", ondelete="CASCADE"), index=True
    )
    run_id: Mapped[int]
    other_run_id: Mapped[int | None]
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    until: Mapped[datetime]
    label: Mapped[Prose] = mapped_column(default="")
    of_place: Mapped[bool] = mapped_column(default=False)
    busy: Mapped[int] = mapped_column(default=0)
    size: Mapped[str] = mapped_column(ascii_key(40), default="")


class AcceptedClash(Base):
    """A clash that somebody looked at and lets stand, with the reason. It holds for these very times only."""

    __tablename__ = "accepted_clashes"
    id: Mapped[Key]
    key: Mapped[str] = mapped_column(ascii_key(120), unique=True)
    reason: Mapped[Prose]
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id"))
    at: Mapped[datetime]


class Feed(Base):
    """A calendar to subscribe to, by a secret address; renewing it ends the old one."""

    __tablename__ = "feeds"
    __table_args__ = (UniqueConstraint("kind", "subject_id"),)
    id: Mapped[Key]
    kind: Mapped[Word]
    subject_id: Mapped[int]
    token: Mapped[str] = mapped_column(ascii_key(60), unique=True)
    made_at: Mapped[datetime]

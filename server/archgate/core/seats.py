"""Seats: who sits where. Pure decisions; the action that applies them holds the lock of the run's seat row.

Only learners take seats, one a head. A seat is taken by whoever signed up (also while a payment is awaited), held
without a name until a day, on offer to somebody in line, or set aside for a group until a day.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from archgate.core.waitlist import Rule, goes_first

NO_LIMIT = 100_000  # seats of a run that takes as many as come: an open run without a number
LARGEST_PARTY = 50  # heads on one sign-up; more is a list


@dataclass(frozen=True)
class SetAside:
    """Seats kept for a named group through its last day (the center's); `taken` of them hold people of the group."""

    id: int
    name: str
    seats: int
    last: date
    taken: int = 0

    def left(self, day: date) -> int:
        """How many still wait for the group; after the last day they are anybody's."""
        return max(0, self.seats - self.taken) if day <= self.last else 0


@dataclass(frozen=True)
class Seats:
    """What is known of a run's seats under the lock, on a day of the center.

    `overbook` seats more than the capacity may be given. `held` are places without names, `offered` the heads of open
    offers, `offers` how many parties have one: they are in line too. `waiting` holds the heads of every party in line without
    an offer, in order.
    """

    capacity: int
    taken: int
    waiting: tuple[int, ...] = ()
    overbook: int = 0
    held: int = 0
    offered: int = 0
    set_asides: tuple[SetAside, ...] = ()
    day: date = date.min
    rule: Rule = Rule.FIT
    offers: int = 0

    @property
    def whole(self) -> int:
        """The seats that may be given in all."""
        return self.capacity + self.overbook

    def free_for(self, group: int | None = None) -> int:
        """The seats that somebody of a group can have; without one, anybody."""
        kept = sum(s.left(self.day) for s in self.set_asides if s.id != group)
        return max(0, self.whole - self.taken - self.held - self.offered - kept)

    @property
    def free(self) -> int:
        return self.free_for()

    @property
    def kept(self) -> int:
        """The seats that are held, on offer or set aside."""
        return self.held + self.offered + sum(s.left(self.day) for s in self.set_asides)

    def left_of(self, group: int | None) -> int:
        return next((s.left(self.day) for s in self.set_asides if s.id == group), 0)


@dataclass(frozen=True)
class Seated:
    """The seats a sign-up gets: `first` is the number of its first seat, from 1; `set_aside` the group they come from."""

    first: int
    heads: int
    set_aside: int | None = None


@dataclass(frozen=True)
class Waits:
    """No seat now: the place in line the party would get, and the sentence that explains it."""

    place: int
    why: str


@dataclass(frozen=True)
class NoSeat:
    """Never a seat: the party is larger than the run."""

    why: str


def seats_for(seats: Seats, heads: int, group: int | None = None) -> Seated | Waits | NoSeat:
    """Whether so many heads get seats now, wait, or never can.

    Seats set aside for the party's own group come first, whoever waits. For any other seat those in line come first whom
    the free seats fit; under the strict rule everybody in line does. Raises ValueError for fewer than one head.
    """
    if heads < 1:
        raise ValueError("A sign-up needs at least one head.")
    if heads > seats.whole:
        return NoSeat(f"{heads} seats are needed; the run has {seats.whole}.")
    own, free = seats.left_of(group), seats.free_for(group)
    if own and heads <= min(own, free):
        return Seated(seats.taken + 1, heads, group)
    place = len(seats.waiting) + seats.offers + 1
    if free == 0:
        return Waits(place, all_gone(seats))
    if goes_first(seats.waiting, seats.free, seats.rule):
        return Waits(place, f"{_free(seats, free)}, and somebody in line comes first.")
    if heads > free:
        return Waits(place, f"{heads} seats are needed; {_free(seats, free, short=True)}.")
    return Seated(seats.taken + 1, heads, group if own else None)


def seated_in(seats: Seats, seat: Seated) -> Seats:
    """The seats after a party got its seats; those of its group are counted with the group."""
    asides = seats.set_asides
    if seat.set_aside is not None:
        asides = tuple(
            replace(s, taken=s.taken + seat.heads) if s.id == seat.set_aside else s for s in asides
        )
    return replace(seats, taken=seats.taken + seat.heads, set_asides=asides)


def all_gone(seats: Seats) -> str:
    """Why no seat is free, with what is kept for others."""
    kept = sum(s.left(seats.day) for s in seats.set_asides)
    parts = [(seats.held, "held"), (seats.offered, "on offer"), (kept, "set aside")]
    shares = ", ".join(f"{n} {word}" for n, word in parts if n)
    if not shares:
        return f"All {seats.whole} seats are taken."
    return f"No seat is free: {seats.taken} of {seats.whole} are taken, {shares}."


def _free(seats: Seats, free: int, short: bool = False) -> str:
    share = f"{free} of {seats.whole}"
    if short:
        return f"{share} {'is' if free == 1 else 'are'} free"
    return f"{share} seats {'is' if free == 1 else 'are'} free"


def check_seats(capacity: int, taken: int, enrolled_heads: int) -> list[str]:
    """What is wrong with a run's seat row, compared with its live enrollments; empty when all is well."""
    wrong = []
    if taken != enrolled_heads:
        wrong.append(f"The seat row says {taken} taken, the enrollments say {enrolled_heads}.")
    if taken > capacity:
        wrong.append(f"{taken} seats are taken of {capacity}.")
    return wrong

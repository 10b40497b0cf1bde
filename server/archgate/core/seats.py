"""Seats: who sits where. Pure decisions; the action that applies them holds the lock of the run's seat row."""

from __future__ import annotations

from dataclasses import dataclass

from archgate.core.waitlist import goes_first

LARGEST_PARTY = 50  # heads on one sign-up; more is a list


@dataclass(frozen=True)
class Seats:
    """What is known of a run's seats under the lock. Only learners take seats; one seat a head.

    `waiting` holds the heads of every party in line, in order.
    """

    capacity: int
    taken: int
    waiting: tuple[int, ...] = ()

    @property
    def free(self) -> int:
        return max(0, self.capacity - self.taken)


@dataclass(frozen=True)
class Seated:
    """The seats a sign-up gets: `first` is the number of its first seat, from 1."""

    first: int
    heads: int


@dataclass(frozen=True)
class Waits:
    """No seat now: the place in line the party would get, and the sentence that explains it."""

    place: int
    why: str


def seats_for(seats: Seats, heads: int) -> Seated | Waits:
    """Whether so many heads get seats now, or wait. Those in line whom the free seats fit come first.

    Raises ValueError for fewer than one head.
    """
    if heads < 1:
        raise ValueError("A sign-up needs at least one head.")
    place = len(seats.waiting) + 1
    if seats.free == 0:
        return Waits(place, f"All {seats.capacity} seats are taken.")
    if goes_first(seats.waiting, seats.free):
        return Waits(place, f"{_free(seats)}, and somebody in line comes first.")
    if heads > seats.free:
        return Waits(place, f"{heads} seats are needed; {_free(seats, short=True)}.")
    return Seated(seats.taken + 1, heads)


def _free(seats: Seats, short: bool = False) -> str:
    said = f"{seats.free} of {seats.capacity}"
    if short:
        return f"{said} {'is' if seats.free == 1 else 'are'} free"
    return f"{said} seats {'is' if seats.free == 1 else 'are'} free"


def check_seats(capacity: int, taken: int, enrolled_heads: int) -> list[str]:
    """What is wrong with a run's seat row, compared with its live enrollments; empty when all is well."""
    wrong = []
    if taken != enrolled_heads:
        wrong.append(f"The seat row says {taken} taken, the enrollments say {enrolled_heads}.")
    if taken > capacity:
        wrong.append(f"{taken} seats are taken of {capacity}.")
    return wrong

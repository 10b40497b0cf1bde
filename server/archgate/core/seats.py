"""Seats: who sits where. Pure decisions; the action that applies them holds the lock of the run's seat row."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Seats:
    """What is known of a run's seats under the lock. Only learners take seats; one seat a head."""

    capacity: int
    taken: int

    @property
    def free(self) -> int:
        return max(0, self.capacity - self.taken)


@dataclass(frozen=True)
class Seated:
    """The seats a sign-up gets: `first` is the number of its first seat, from 1."""

    first: int
    heads: int


@dataclass(frozen=True)
class NoSeat:
    """A refusal, with the sentence that explains it."""

    why: str


def seats_for(seats: Seats, heads: int) -> Seated | NoSeat:
    """Whether so many heads get seats now. Raises ValueError for fewer than one head."""
    if heads < 1:
        raise ValueError("A sign-up needs at least one head.")
    if seats.free >= heads:
        return Seated(seats.taken + 1, heads)
    if seats.free == 0:
        return NoSeat(f"All {seats.capacity} seats are taken.")
    return NoSeat(f"{heads} seats are needed; {seats.free} of {seats.capacity} are free.")


def check_seats(capacity: int, taken: int, enrolled_heads: int) -> list[str]:
    """What is wrong with a run's seat row, compared with its live enrollments; empty when all is well."""
    wrong = []
    if taken != enrolled_heads:
        wrong.append(f"The seat row says {taken} taken, the enrollments say {enrolled_heads}.")
    if taken > capacity:
        wrong.append(f"{taken} seats are taken of {capacity}.")
    return wrong

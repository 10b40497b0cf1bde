"""The waitlist: who comes next when seats are free.

Order: a larger head start first, then who joined earlier, then the smaller id. Rule `fit`: a party too large for the
free seats keeps its place, and the next that fits is seated.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True)
class Party:
    """So many heads that wait together. `head_start` is a rank, larger is earlier."""

    id: int
    heads: int
    joined: datetime
    head_start: int = 0


def in_order(parties: Sequence[Party]) -> tuple[Party, ...]:
    """The line, first in line first."""
    return tuple(sorted(parties, key=lambda p: (-p.head_start, p.joined, p.id)))


def next_that_fits(line: Sequence[Party], free: int) -> Party | None:
    """The first in line whose party fits the free seats."""
    return next((p for p in line if p.heads <= free), None)


def goes_first(waiting: Sequence[int], free: int) -> bool:
    """Whether somebody who waits fits the free seats, and so comes before anybody new."""
    return any(heads <= free for heads in waiting)

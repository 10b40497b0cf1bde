"""What is answered when somebody is enrolled, waits or leaves the line."""

from __future__ import annotations

from archgate.actions.fees.views import QuoteView
from archgate.actions.kernel.commands import View


class EnrolledView(View):
    """`seat` is the first of its seats, `held_until` in the center's time, where it is held for the first payment only."""

    enrollment_id: int
    run_id: int
    person_id: int
    name: str
    seat: int
    heads: int
    capacity: int
    held_until: str | None
    change: str
    quote: QuoteView


class LinedView(View):
    waiting_id: int
    run_id: int
    person_id: int
    name: str
    place: int
    heads: int
    change: str


class LeftView(View):
    change: str
    waiting_id: int
    name: str
    run_id: int


class NamedView(View):
    change: str
    enrollment_id: int
    n: int
    name: str

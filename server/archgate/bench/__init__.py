"""Benches: each measures our code and a bare floor in the same run, and prints figure, floor and ratio."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from archgate.bench.base import Line
from archgate.bench.bulk import bulk
from archgate.bench.contention import contention
from archgate.bench.fees import price_line
from archgate.bench.public import catalog, rush
from archgate.bench.roster import first_payers, whole_roster
from archgate.bench.schedule import clashes, planner
from archgate.bench.teaching import cover


def both_ways() -> Iterator[Line]:
    """The last seats of a run by the desk, and by the public form."""
    yield from contention()
    yield from rush()


BENCHES: dict[str, Callable[[], Iterator[Line]]] = {
    "clashes": clashes,
    "planner": planner,
    "price-line": price_line,
    "contention": both_ways,
    "catalog": catalog,
    "bulk": bulk,
    "roster": whole_roster,
    "payers": first_payers,
    "cover": cover,
}

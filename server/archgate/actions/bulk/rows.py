"""Which rows of a list: by what becomes of them, or became, and by name."""

from __future__ import annotations

from sqlalchemy import ColumnElement

from archgate.actions.people import people
from archgate.core.faults import Fault, Refused
from archgate.core.states import LineOutcome, RowKind, Verdict
from archgate.tables.bulk import BatchRow

ODD = "odd"
KIND = "kind:"
MADE = (LineOutcome.ENROLLED, LineOutcome.WAITING)  # what can be taken back


def filter_of(only: str, q: str) -> list[ColumnElement[bool]]:
    """The condition of a filter: a verdict or an outcome, `odd`, or `kind:` with a kind; and a part of the name."""
    which: list[ColumnElement[bool]] = []
    if only == ODD:
        which.append(BatchRow.is_odd.is_(True))
    elif only.startswith(KIND) and only.removeprefix(KIND) in set(RowKind):
        which += [BatchRow.kind == RowKind(only.removeprefix(KIND)), BatchRow.outcome.is_(None)]
    elif only in set(Verdict):
        which += [BatchRow.verdict == Verdict(only), BatchRow.outcome.is_(None)]
    elif only in set(LineOutcome):
        which.append(BatchRow.outcome == LineOutcome(only))
    elif only:
        raise Refused([Fault("/only", "There is no such filter.")])
    which += [BatchRow.name.like(people.like(word)) for word in q.split()[:5]]
    return which

"""What a payer owes: which installments a payment settles, how old a debt is, what is expected when.

Amounts are smallest units of one currency; days are the center's.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta

from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount

BUCKETS = ("current", "1-30", "31-60", "61-90", "over 90")


@dataclass(frozen=True)
class Open:
    """An installment that is not settled yet, with what is left of it."""

    id: int
    due: date
    left: int


def allocate(
    amount: int, open_rows: Iterable[Open], currency: str, chosen: Mapping[int, int] | None = None
) -> tuple[dict[int, int], int]:
    """What a payment settles, by installment, and what stays as credit.

    Oldest due first, then in order of id; with `chosen` exactly these amounts, no more than is left of each and all
    together no more than the payment. Raises Refused with every fault.
    """
    rows = sorted(open_rows, key=lambda o: (o.due, o.id))
    if chosen is None:
        parts: dict[int, int] = {}
        left = amount
        for row in rows:
            part = min(left, row.left)
            if part > 0:
                parts[row.id] = part
                left -= part
        return parts, left
    by_id = {row.id: row for row in rows}
    faults = []
    for number, part in chosen.items():
        at = f"/installments/{number}"
        if number not in by_id:
            faults.append(Fault(at, "This installment is not open on the account."))
        elif not 0 < part <= by_id[number].left:
            faults.append(
                Fault(at, f"{format_amount(by_id[number].left, currency)} is left of this installment.")
            )
    over = sum(chosen.values()) - amount
    if over > 0:
        faults.append(
            Fault("/installments", f"The parts are {format_amount(over, currency)} more than the payment.")
        )
    if faults:
        raise Refused(faults)
    return dict(chosen), -over


def bucket_of(due: date, day: date) -> str:
    """How old a debt is on a day: current through its due date, then by days past due.

    Source: common practice, no source (0-30-60-90 day ageing).
    """
    late = (day - due).days
    if late <= 0:
        return BUCKETS[0]
    return BUCKETS[min(4, 1 + (late - 1) // 30)]


def due_in(day: date, age: str | None = None, week: date | None = None) -> tuple[date | None, date | None]:
    """The first and the last due day of an age (`bucket_of`), or of a week in which money is expected (`expected_by_week`),
    both on a day; None where there is no limit. With both, what fits both."""
    first: date | None = None
    last: date | None = None
    if age == BUCKETS[0]:
        first = day
    elif age is not None:
        late = BUCKETS.index(age) * 30 - 29  # days of the youngest debt of this age
        last = day - timedelta(days=late)
        first = None if age == BUCKETS[-1] else day - timedelta(days=late + 29)
    if week is not None:
        sunday = week + timedelta(days=6)
        last = sunday if last is None else min(last, sunday)
        if week > day - timedelta(days=day.weekday()):  # what is late is expected this week
            first = week if first is None else max(first, week)
    return first, last


def ageing_of(rows: Iterable[Open], day: date) -> dict[str, int]:
    """What is left by age on a day, every bucket named."""
    sums = dict.fromkeys(BUCKETS, 0)
    for row in rows:
        sums[bucket_of(row.due, day)] += row.left
    return sums


def expected_by_week(rows: Iterable[Open], day: date) -> list[tuple[date, int]]:
    """What falls due by week (Monday first) from the week of `day` on; what is overdue stands in the week of `day`."""
    sums: dict[date, int] = {}
    for row in rows:
        at = max(row.due, day)
        monday = at - timedelta(days=at.weekday())
        sums[monday] = sums.get(monday, 0) + row.left
    return sorted(sums.items())


def deferred_by_month(rows: Iterable[tuple[date, int]], day: date) -> list[tuple[date, int]]:
    """Income of runs that are not over on a day, by the first of the month in which each ends: (end, amount)."""
    sums: dict[date, int] = {}
    for end, amount in rows:
        if end > day and amount:
            sums[end.replace(day=1)] = sums.get(end.replace(day=1), 0) + amount
    return sorted(sums.items())

"""Payment plans: from a total and a sign-up date to installments that add up to the cent.

Fixed amounts are taken first, in their order. Without a rest and without parts the lines must make the whole:
percents, if any, are 100 of what the fixed amounts leave and share it by largest remainder; amounts alone must
reach the total. With a rest or parts, each percent is of the total, rounded half up, in order; then the rest
takes what is left, or the parts share it by largest remainder. A line larger than what is left is cut to it.
A month step keeps the day or takes the month's last, counted from the start or the sign-up, never from the
line before. A due date before the sign-up becomes the sign-up date. Lines of zero are left out. Installments
stand by due date, then in the order of the lines.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from enum import StrEnum

from dateutil.relativedelta import relativedelta

from archgate.core.faults import Fault, Refused
from archgate.core.money import decimal_text, format_amount, percent_of, shares_of
from archgate.core.schedule import day_text


class Settle(StrEnum):
    ONLINE = "online"
    DESK = "desk"
    ANY = "any"


class DueKind(StrEnum):
    AFTER_SIGN_UP = "after_sign_up"
    BEFORE_START = "before_start"
    AFTER_START = "after_start"
    MONTHS_AFTER_START = "months_after_start"
    MONTHS_AFTER_SIGN_UP = "months_after_sign_up"
    ON = "on"


NEEDS_START = {DueKind.BEFORE_START, DueKind.AFTER_START, DueKind.MONTHS_AFTER_START}


@dataclass(frozen=True)
class Due:
    kind: DueKind
    number: int = 0
    on: date | None = None

    @property
    def from_start(self) -> bool:
        """Whether it moves along when the start moves."""
        return self.kind in NEEDS_START


@dataclass(frozen=True)
class PlanLine:
    """One line: exactly one of percent, amount, parts (a weight) or rest."""

    due: Due
    percent: Decimal | None = None
    amount: int | None = None
    parts: int | None = None
    rest: bool = False
    settle: Settle = Settle.ANY


@dataclass(frozen=True)
class Installment:
    n: int
    due: date
    amount: int
    settle: Settle
    why: str
    line: int = 0  # the plan's line it came from, from 1


@dataclass(frozen=True)
class Installments:
    """`due_now` is what falls due on the sign-up date."""

    installments: tuple[Installment, ...]
    due_now: int
    due_later: int
    total: int


def plan_faults(lines: tuple[PlanLine, ...], total: int, currency: str) -> list[Fault]:
    """Why a plan cannot be used for a total; empty when it can. Pointers are into `lines`.

    A plan that uses percents and amounts without rest or parts needs the percents to be exactly 100; one of
    amounts alone needs them to reach the total.
    """
    if not lines:
        return [Fault("/lines", "A plan needs at least one line.")]
    faults = []
    rests = [i for i, line in enumerate(lines) if line.rest]
    parts = [i for i, line in enumerate(lines) if line.parts is not None]
    percents = [(i, line.percent) for i, line in enumerate(lines) if line.percent is not None]
    fixed = sum(line.amount for line in lines if line.amount is not None)
    whole = sum((p for _, p in percents), Decimal(0))
    if len(rests) > 1 or (rests and rests[-1] != len(lines) - 1):
        faults.append(Fault(f"/lines/{rests[0]}/rest", "Only one line can be the rest, and it comes last."))
    if rests and parts:
        faults.append(
            Fault(f"/lines/{rests[0]}/rest", "A rest cannot stand beside parts: the parts share all of it.")
        )
    if whole > 100:
        over = decimal_text(whole - 100)
        faults.append(Fault(f"/lines/{percents[-1][0]}/percent", f"The percents are {over} over 100."))
    elif not rests and not parts and percents and whole < 100:
        short = decimal_text(100 - whole)
        faults.append(
            Fault("/lines", f"The percents miss {short} of 100; add a line or make the last one the rest.")
        )
    elif not rests and not parts and not percents and fixed < total:
        short = format_amount(total - fixed, currency)
        faults.append(Fault("/lines", f"The lines miss {short} of the total; add a line or a rest."))
    return faults


def misfits_of(lines: tuple[PlanLine, ...], totals: Iterable[int], currency: str) -> list[Fault]:
    """Why a plan cannot be used for every one of these totals, each reason once, in order; empty when it can."""
    return list(dict.fromkeys(f for total in totals for f in plan_faults(lines, total, currency)))


def amounts_of(lines: tuple[PlanLine, ...], total: int) -> list[int]:
    """The amount of each line, in the order of the lines; they sum to the total. See the rules above.

    >>> now = Due(DueKind.AFTER_SIGN_UP, 0)
    >>> amounts_of((PlanLine(now, amount=4000), *(PlanLine(now, parts=1) for _ in range(3))), 24000)
    [4000, 6667, 6667, 6666]
    """
    amounts = [0] * len(lines)
    left = total
    for i, line in enumerate(lines):
        if line.amount is not None:
            amounts[i] = min(line.amount, left)
            left -= amounts[i]
    percents = [(i, line.percent) for i, line in enumerate(lines) if line.percent is not None]
    parts = [(i, line.parts) for i, line in enumerate(lines) if line.parts is not None]
    rest = next((i for i, line in enumerate(lines) if line.rest), None)
    if rest is None and not parts:
        if percents:
            for (i, _), share in zip(percents, shares_of(left, [p for _, p in percents]), strict=True):
                amounts[i] = share
        return amounts
    for i, percent in percents:
        amounts[i] = min(percent_of(total, percent), left)
        left -= amounts[i]
    if rest is not None:
        amounts[rest] = left
    else:
        for (i, _), share in zip(parts, shares_of(left, [p for _, p in parts]), strict=True):
            amounts[i] = share
    return amounts


def month_step(day: date, months: int) -> date:
    """The same day so many months on, or that month's last (dateutil.relativedelta's rule).

    >>> month_step(date(2024, 1, 31), 1), month_step(date(2025, 8, 31), 6)
    (datetime.date(2024, 2, 29), datetime.date(2026, 2, 28))
    """
    later: date = day + relativedelta(months=months)
    return later


def due_of(due: Due, signed_up: date, start: date | None) -> date:
    """The date a line falls due, before the rule that nothing falls due before the sign-up.

    Month ends by dateutil.relativedelta: 31 January + 1 month is the last of February.
    """
    if due.kind is DueKind.ON:
        if due.on is None:
            raise ValueError("A due date is missing.")
        return due.on
    if due.kind is DueKind.AFTER_SIGN_UP:
        return signed_up + timedelta(days=due.number)
    if due.kind is DueKind.MONTHS_AFTER_SIGN_UP:
        return month_step(signed_up, due.number)
    if start is None:
        raise ValueError("This line is due by the start, and the run has none.")
    if due.kind is DueKind.BEFORE_START:
        return start - timedelta(days=due.number)
    if due.kind is DueKind.AFTER_START:
        return start + timedelta(days=due.number)
    return month_step(start, due.number)


def due_text(due: Due) -> str:
    """The rule of a due date, in words."""
    many, days = due.number, f"{due.number} day" + ("" if due.number == 1 else "s")
    months = f"{due.number} month" + ("" if due.number == 1 else "s")
    if due.kind is DueKind.ON:
        return f"on {day_text(due.on)}" if due.on else "on a date"
    if due.kind is DueKind.AFTER_SIGN_UP:
        return f"{days} after sign-up" if many else "at sign-up"
    if due.kind is DueKind.BEFORE_START:
        return f"{days} before the start" if many else "on the first day"
    if due.kind is DueKind.AFTER_START:
        return f"{days} after the start" if many else "on the first day"
    if due.kind is DueKind.MONTHS_AFTER_START:
        return f"{months} after the start" if many else "on the first day"
    return f"{months} after sign-up" if many else "at sign-up"


def share_text(line: PlanLine, lines: tuple[PlanLine, ...], currency: str) -> str:
    """The rule of an amount, in words."""
    if line.amount is not None:
        return f"A fixed {format_amount(line.amount, currency)}"
    if line.rest:
        return "What is left"
    if line.parts is not None:
        return f"{line.parts} of {sum(x.parts or 0 for x in lines)} parts of what is left"
    open_ended = any(x.rest or x.parts is not None for x in lines)
    fixed = any(x.amount is not None for x in lines)
    of = "of what the fixed amounts leave" if fixed and not open_ended else "of the total"
    return f"{decimal_text(line.percent or Decimal(0))} percent {of}"


def installments_of(
    lines: tuple[PlanLine, ...], total: int, signed_up: date, start: date | None, currency: str
) -> Installments:
    """The installments of a plan for a total; raises Refused with every fault, saying what is missing."""
    faults = plan_faults(lines, total, currency)
    for i, line in enumerate(lines):
        if start is None and line.due.kind in NEEDS_START:
            faults.append(
                Fault(f"/lines/{i}/due", "This line is due by the start, and there is no start date.")
            )
    if faults:
        raise Refused(faults)
    rows = []
    for i, (line, amount) in enumerate(zip(lines, amounts_of(lines, total), strict=True)):
        if amount == 0:
            continue
        try:
            ruled = due_of(line.due, signed_up, start)
        except OverflowError:
            raise Refused([Fault(f"/lines/{i}/due", "The due date is beyond the calendar.")]) from None
        why = f"{share_text(line, lines, currency)}, {due_text(line.due)}."
        if ruled < signed_up:
            why += f" {day_text(ruled)} is past, so it is due at sign-up."
        rows.append((max(ruled, signed_up), i, amount, line.settle, why))
    rows.sort(key=lambda r: (r[0], r[1]))
    done = tuple(
        Installment(n, due, amount, settle, why, i + 1)
        for n, (due, i, amount, settle, why) in enumerate(rows, 1)
    )
    now = sum(i.amount for i in done if i.due == signed_up)
    return Installments(done, now, total - now, total)


@dataclass(frozen=True)
class Standing:
    """An installment as it stands: `paid` is what has been settled of it."""

    n: int
    due: date
    amount: int
    paid: int = 0


@dataclass(frozen=True)
class Replanned:
    """The installments of a changed total: those that were there, one more due today if needed, and what becomes credit."""

    amounts: tuple[int, ...]
    extra: int
    credit: int


def replanned(rows: tuple[Standing, ...], total: int, day: date) -> Replanned:
    """The plan worked out again for a new total, on a day.

    What is paid or already due stands. The difference to the new total is spread over the lines not yet due, in
    proportion to their amounts, by largest remainder; a line never falls below what is paid of it. With no line left to
    take it, more is one new line due that day, and less is credit. Amounts stay in the order of `rows`:
    sum(amounts) + extra - credit = total.

    >>> rows = (Standing(1, date(2027, 9, 1), 100, 100), Standing(2, date(2027, 10, 1), 100), Standing(3, date(2027, 11, 1), 50))
    >>> replanned(rows, 280, date(2027, 9, 15))
    Replanned(amounts=(100, 120, 60), extra=0, credit=0)
    """
    amounts = [row.amount for row in rows]
    later = [i for i, row in enumerate(rows) if row.due > day and row.amount > row.paid]
    diff = total - sum(amounts)
    if diff > 0 and later:
        for i, share in zip(later, shares_of(diff, [rows[i].amount for i in later]), strict=True):
            amounts[i] += share
        return Replanned(tuple(amounts), 0, 0)
    if diff >= 0:
        return Replanned(tuple(amounts), diff, 0)
    less = -diff
    while less and later:
        for i, share in zip(later, shares_of(less, [amounts[i] for i in later]), strict=True):
            cut = min(share, amounts[i] - rows[i].paid)
            amounts[i] -= cut
            less -= cut
        later = [i for i in later if amounts[i] > rows[i].paid]
    return Replanned(tuple(amounts), 0, less)


@dataclass(frozen=True)
class Cut:
    """What a lower total takes of an installment: of what is open of it, and of what is paid."""

    open: int
    paid: int


def credited(rows: tuple[Standing, ...], credit: int) -> tuple[Cut, ...]:
    """Where the credit of a changed plan comes from, in the order of `rows`.

    What is open is owed no longer, the oldest due first; then what is paid is freed, the latest due first. `credit` is
    never more than the rows come to.

    >>> credited((Standing(1, date(2027, 9, 1), 100, 100), Standing(2, date(2027, 10, 1), 100, 40)), 90)
    (Cut(open=0, paid=0), Cut(open=60, paid=30))
    """
    cuts = [Cut(0, 0)] * len(rows)
    order = sorted(range(len(rows)), key=lambda i: (rows[i].due, rows[i].n))
    for i in order:
        part = min(credit, rows[i].amount - rows[i].paid)
        cuts[i] = Cut(part, 0)
        credit -= part
    for i in reversed(order):
        part = min(credit, rows[i].paid)
        cuts[i] = Cut(cuts[i].open, part)
        credit -= part
    return tuple(cuts)

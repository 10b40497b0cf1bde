"""Due dates against published month-end arithmetic.

Sources: python-dateutil's own tests (test_relativedelta.py, testMonthsOfDiffNumOfDays*); results of
python-dateutil 2.9.0 and of @js-temporal/polyfill 0.5.1 for the anchored schedule, which agree; the same rule in
the standard library's calendar as an independent second method.
"""

import calendar
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.plans import Due, DueKind, PlanLine, due_of, installments_of


@pytest.mark.parametrize(
    ("day", "months", "later"),
    [
        ("2003-01-27", 1, "2003-02-27"),  # dateutil, test_relativedelta.py
        ("2003-01-31", 1, "2003-02-28"),
        ("2003-01-31", 2, "2003-03-31"),
        ("2000-02-29", 12, "2001-02-28"),
        ("2024-01-31", 1, "2024-02-29"),  # run with dateutil 2.9.0
        ("2025-08-31", 6, "2026-02-28"),
        ("2025-12-31", 2, "2026-02-28"),
    ],
)
def test_a_month_step_keeps_the_day_or_takes_the_months_last(day, months, later):
    due = Due(DueKind.MONTHS_AFTER_START, months)
    assert due_of(due, date(1999, 1, 1), date.fromisoformat(day)).isoformat() == later


def test_six_months_from_the_31st_do_not_drift():
    """dateutil and the Temporal polyfill agree; adding to the line before would drift to the 28th."""
    lines = tuple(PlanLine(Due(DueKind.MONTHS_AFTER_SIGN_UP, k), parts=1) for k in range(6))
    done = installments_of(lines, 600, date(2026, 1, 31), None, "USD")
    assert [i.due.isoformat()[5:] for i in done.installments] == [
        "01-31",
        "02-28",
        "03-31",
        "04-30",
        "05-31",
        "06-30",
    ]


@given(st.dates(date(1990, 1, 1), date(2090, 1, 1)), st.integers(0, 60))
def test_month_steps_agree_with_the_calendar_module(day, months):
    total = day.year * 12 + day.month - 1 + months
    year, month = total // 12, total % 12 + 1
    wanted = date(year, month, min(day.day, calendar.monthrange(year, month)[1]))
    assert due_of(Due(DueKind.MONTHS_AFTER_SIGN_UP, months), day, None) == wanted

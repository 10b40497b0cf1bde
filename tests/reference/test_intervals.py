"""Clashes against an interval library, and week numbers against ISO 8601.

Oracle for overlaps: `portion` (PyPI, LGPL-3, used in tests only). Week numbers: ISO 8601 as implemented by Python's
date.isocalendar.
"""

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import portion
import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.clashes import Span, overlaps
from archgate.core.schedule import Pattern, meetings_of, monday_of

BEGIN = datetime(2027, 1, 1, tzinfo=UTC)


@given(st.lists(st.tuples(st.integers(0, 300), st.integers(1, 90)), max_size=30))
def test_overlaps_are_those_of_half_open_intervals(rows):
    spans = [
        Span("x", BEGIN + timedelta(minutes=a), BEGIN + timedelta(minutes=a + long), n)
        for n, (a, long) in enumerate(rows)
    ]
    shared = {
        (i, j): portion.closedopen(a.start, a.end) & portion.closedopen(b.start, b.end)
        for i, a in enumerate(spans)
        for j, b in enumerate(spans)
        if i < j
    }
    wanted = {pair: (held.lower, held.upper) for pair, held in shared.items() if not held.empty}
    found = {tuple(sorted((o.a.mark, o.b.mark))): (o.start, o.end) for o in overlaps(spans)}
    assert found == wanted


@given(st.lists(st.tuples(st.integers(0, 500), st.integers(1, 60)), min_size=1, max_size=30))
def test_a_calendar_without_overlaps_is_as_long_as_its_union(rows):
    spans = [
        Span("x", BEGIN + timedelta(minutes=a), BEGIN + timedelta(minutes=a + long), n)
        for n, (a, long) in enumerate(rows)
    ]
    union = portion.Interval()
    for s in spans:
        union |= portion.closedopen(s.start, s.end)
    covered = sum(((i.upper - i.lower) for i in union), timedelta())
    free_of_clashes = not list(overlaps(spans))
    assert free_of_clashes == (covered == sum((s.end - s.start for s in spans), timedelta()))


@pytest.mark.parametrize("year", range(2015, 2035))
def test_weeks_are_counted_as_iso_8601_counts_them_across_a_year_end(year):
    """From a day before to a day after the new year: as many weeks as there are ISO week numbers in between."""
    for back in range(1, 8):
        first, last = date(year, 12, 31) - timedelta(days=back), date(year + 1, 1, 4)
        made = meetings_of(
            (Pattern(first, time(9), 60, tuple(range(7)), until=last),), ZoneInfo("America/New_York")
        )
        numbers = {tuple(m.date.isocalendar()[:2]) for m in made.meetings}
        assert made.weeks == len(numbers)
        assert {monday_of(m.date).isocalendar()[1] for m in made.meetings} == {w for _, w in numbers}

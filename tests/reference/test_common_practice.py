"""Rules of thumb of the trade, as practitioners state them. Each is common practice; no source is published for any."""

from datetime import date, time, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest

from archgate.core.fees import Ask, Code, EarlyStep, Extra, Fees, Heads, Rate, last_early_day, total_on
from archgate.core.gates import gates_of
from archgate.core.plans import Due, DueKind, PlanLine, due_of, installments_of
from archgate.core.schedule import Pattern, meetings_of
from archgate.core.seats import Seated, Seats, seats_for

ZONE = ZoneInfo("America/New_York")
START, SIGNED = date(2027, 9, 14), date(2027, 8, 3)  # both Tuesdays
NOW, FIRST_DAY = Due(DueKind.AFTER_SIGN_UP, 0), Due(DueKind.AFTER_START, 0)


def test_a_price_that_ends_21_days_before_a_tuesday_holds_through_the_tuesday_three_weeks_earlier():
    """Common practice, no source: early prices end 14 or 21 days before the start."""
    assert last_early_day(None, 21, START) == date(2027, 8, 24)
    assert last_early_day(None, 14, START) == date(2027, 8, 31)
    rate = Rate("standard", 24000, "Standard", (EarlyStep(days_before=21, amount=21000),))
    ask = Ask((Heads("standard", 1),))
    assert [total_on(Fees((rate,)), ask, date(2027, 8, day), START) for day in (24, 25)] == [21000, 24000]


@pytest.mark.parametrize(
    ("lines", "expected"),
    [
        # half at once and half within 30 days
        ([PlanLine(NOW, percent=Decimal(50)), PlanLine(Due(DueKind.AFTER_SIGN_UP, 30), percent=Decimal(50))],
         [(SIGNED, 12000), (SIGNED + timedelta(days=30), 12000)]),
        # a deposit of a fifth at sign-up and the rest on the first day
        ([PlanLine(NOW, percent=Decimal(20)), PlanLine(FIRST_DAY, rest=True)], [(SIGNED, 4800), (START, 19200)]),
        # nothing now and all on the first day
        ([PlanLine(FIRST_DAY, percent=Decimal(100))], [(START, 24000)]),
        # three equal monthly parts over a quarter
        ([PlanLine(Due(DueKind.MONTHS_AFTER_START, k), parts=1) for k in range(3)],
         [(START, 8000), (date(2027, 10, 14), 8000), (date(2027, 11, 14), 8000)]),
    ],
)  # fmt: skip
def test_the_terms_in_use(lines, expected):
    """Common practice, no source."""
    done = installments_of(tuple(lines), 24000, SIGNED, START, "USD")
    assert [(i.due, i.amount) for i in done.installments] == expected


def test_sales_of_a_dated_course_end_with_the_day_before_its_first_meeting():
    """Common practice, no source: so that the room can be planned."""
    meetings = meetings_of((Pattern(START, time(17, 30), 105, count=8),), ZONE).meetings
    close = next(g for g in gates_of(meetings, ZONE) if g.kind == "sign-up closes")
    assert close.day == START - timedelta(days=1)
    assert close.at.astimezone(ZONE).isoformat() == "2027-09-14T00:00:00-04:00"


@pytest.mark.parametrize("first", [START, date(2027, 12, 14), date(2028, 2, 22)])
@pytest.mark.parametrize("number", [1, 6, 8])
def test_a_weekly_course_of_n_meetings_spans_n_less_one_weeks_also_over_month_and_year_ends(first, number):
    """Common practice, no source; "six weeks" means six meetings."""
    made = meetings_of((Pattern(first, time(17, 30), 105, count=number),), ZONE)
    assert len(made.meetings) == made.weeks == number
    assert made.last - made.first == timedelta(weeks=number - 1)


def test_a_month_is_to_the_same_day_of_the_next_and_a_quarter_ends_the_day_before():
    """Common practice, no source: a quarter from 1 January ends on 31 March, ninety or ninety-one days."""
    assert due_of(Due(DueKind.MONTHS_AFTER_SIGN_UP, 1), date(2027, 1, 15), None) == date(2027, 2, 15)
    for year, days in ((2027, 90), (2028, 91)):
        after = due_of(Due(DueKind.MONTHS_AFTER_SIGN_UP, 3), date(year, 1, 1), None)
        assert after - timedelta(days=1) == date(year, 3, 31) and (after - date(year, 1, 1)).days == days


def test_a_percentage_code_never_goes_below_zero_and_takes_nothing_from_what_it_does_not_name():
    """Common practice, no source."""
    rates = (Rate("standard", 24000, "Standard"),)
    book = (Extra("book", 3000, "Book"),)
    ask = Ask((Heads("standard", 1),), (("book", 1),), "ALL")
    whole = Code("ALL", percent=Decimal(100), on=frozenset({"standard"}))
    assert total_on(Fees(rates, book, codes=(whole,)), ask, SIGNED, START) == 3000
    both = Code("ALL", percent=Decimal(100), on=frozenset({"standard", "book"}))
    assert total_on(Fees(rates, book, codes=(both,)), ask, SIGNED, START) == 0


def test_a_group_takes_a_seat_a_head_and_pays_once():
    """Common practice, no source."""
    assert seats_for(Seats(14, 9), 3) == Seated(10, 3)
    rates = (Rate("standard", 24000, "Standard"),)
    assert total_on(Fees(rates), Ask((Heads("standard", 3),)), SIGNED, START) == 72000

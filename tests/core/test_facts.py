from datetime import date, time
from zoneinfo import ZoneInfo

import pytest

from archgate.core.facts import claims_of, mismatches
from archgate.core.schedule import Pattern, meetings_of

EIGHT = meetings_of(
    (Pattern(date(2027, 9, 14), time(17, 30), 150, (1,), count=8),), ZoneInfo("America/New_York")
)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("A boundary wall in eight evenings", [("eight evenings", 8, "meetings")]),
        (
            "Twelve weekly sessions, 30 contact hours",
            [("Twelve weekly sessions", 12, "meetings"), ("30 contact hours", 30, "hours")],
        ),
        ("A 6-week course", [("6-week", 6, "weeks")]),
        ("Refunds up to 14 days before the start", []),
        ("Room for eight learners, from 18:00", []),
    ],
)
def test_lengths_are_read_in_words_and_figures(text, found):
    assert [(c.words, c.number, c.unit) for c in claims_of(text)] == found


def test_a_length_that_the_dates_bear_out_is_not_mentioned():
    assert mismatches("Eight evenings over eight weeks, 20 hours, 2.5 hours each", EIGHT) == []


def test_a_length_that_differs_is_said_with_what_the_dates_give():
    assert mismatches("Six evenings; 24 hours", EIGHT) == [
        '"Six evenings" does not fit the dates: there are 8 meetings.',
        '"24 hours" does not fit the dates: the meetings come to 20.00 hours.',
    ]
    assert mismatches("ten weeks", meetings_of((), ZoneInfo("UTC"))) == []

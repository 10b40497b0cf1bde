from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.schedule import (
    Change,
    Extra,
    Pattern,
    aligned_shift,
    changed,
    day_text,
    meetings_of,
    next_days,
    shifted,
)

NEW_YORK = ZoneInfo("America/New_York")
TUESDAYS = Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), count=8)


def days(schedule):
    return [m.date.isoformat()[5:] for m in schedule.meetings]


def test_eight_tuesdays_are_numbered_and_counted():
    made = meetings_of((TUESDAYS,), NEW_YORK)
    assert days(made) == ["09-14", "09-21", "09-28", "10-05", "10-12", "10-19", "10-26", "11-02"]
    assert [(m.n, m.of) for m in made.meetings] == [(n, 8) for n in range(1, 9)]
    assert (made.hours, made.weeks, made.first, made.last) == (
        "14.00",
        8,
        date(2027, 9, 14),
        date(2027, 11, 2),
    )


@pytest.mark.parametrize(
    ("minutes", "count", "hours"),
    [(20, 1, "0.33"), (20, 2, "0.67"), (100, 1, "1.67"), (50, 8, "6.67"), (50, 10, "8.33"), (3, 1, "0.05")],
)
def test_contact_hours_are_rounded_once_on_the_sum(minutes, count, hours):
    """Thirds of an hour: eight times 50 minutes are 6.67 hours, not eight times 0.83 (6.64), nor cut to 6.66."""
    made = meetings_of((Pattern(date(2027, 9, 14), time(9), minutes, (1,), count=count),), NEW_YORK)
    assert made.hours == hours


def test_a_first_date_on_another_weekday_is_no_meeting_and_is_said():
    made = meetings_of((Pattern(date(2027, 9, 15), time(9), 60, (1,), count=2),), NEW_YORK)
    assert days(made) == ["09-21", "09-28"]
    assert made.warnings == ("Wed 15 Sep 2027 is no meeting: Wednesday is not one of the weekdays.",)


def test_neither_number_nor_last_day_is_one_meeting():
    assert days(meetings_of((Pattern(date(2027, 9, 14), time(9), 60),), NEW_YORK)) == ["09-14"]


def test_the_last_day_is_included():
    made = meetings_of((Pattern(date(2027, 9, 14), time(9), 60, until=date(2027, 9, 28)),), NEW_YORK)
    assert days(made) == ["09-14", "09-21", "09-28"]


def test_every_second_week_counts_weeks_from_monday():
    made = meetings_of((Pattern(date(2027, 9, 16), time(9), 60, (1, 3), every_weeks=2, count=4),), NEW_YORK)
    assert days(made) == ["09-16", "09-28", "09-30", "10-12"]


def test_a_closure_drops_a_meeting_that_still_counts_or_moves_it_to_the_end():
    closed = frozenset({date(2027, 9, 28)})
    skip = meetings_of((TUESDAYS,), NEW_YORK, closed)
    assert len(skip.meetings) == 7 and skip.last == date(2027, 11, 2)
    assert skip.dropped[0].why == "Tue 28 Sep 2027 is a closure; the meeting is left out."
    longer = Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), count=8, extend=True)
    extend = meetings_of((longer,), NEW_YORK, closed)
    assert len(extend.meetings) == 8 and extend.last == date(2027, 11, 9)
    assert extend.dropped[0].date == date(2027, 9, 28)


def test_a_one_off_meeting_on_a_closure_stands_and_warns():
    made = meetings_of(
        (), NEW_YORK, frozenset({date(2027, 10, 10)}), (Extra(date(2027, 10, 10), time(10), 240),)
    )
    assert made.meetings[0].warnings == ("Sun 10 Oct 2027 is a closure.",)


def test_no_meeting_at_all_is_a_warning():
    assert meetings_of((), NEW_YORK).warnings == ("There is no meeting at all.",)


def test_meetings_of_several_patterns_stand_by_start_then_by_mention():
    a = Pattern(date(2027, 9, 14), time(18), 60, room="a")
    b = Pattern(date(2027, 9, 14), time(9), 60, room="b")
    c = Pattern(date(2027, 9, 14), time(18), 30, room="c")
    assert [m.room for m in meetings_of((a, b, c), NEW_YORK).meetings] == ["b", "a", "c"]


def test_minutes_are_elapsed_and_the_wall_clock_stays_over_a_change_of_clocks():
    night = Pattern(date(2027, 11, 6), time(23), 240, (5,), count=2)
    first = meetings_of((night,), NEW_YORK).meetings[0]
    assert (first.start.isoformat(), first.end.isoformat()) == (
        "2027-11-06T23:00:00-04:00",
        "2027-11-07T02:00:00-05:00",
    )
    assert first.end.astimezone(UTC) - first.start.astimezone(UTC) == timedelta(minutes=240)


def test_single_meetings_are_changed_or_left_out_before_saving():
    made = meetings_of((TUESDAYS,), NEW_YORK)
    after = changed(
        made, (Change(2, date=date(2027, 9, 23)), Change(8, dropped=True), Change(1, minutes=60)), NEW_YORK
    )
    assert days(after) == ["09-14", "09-23", "09-28", "10-05", "10-12", "10-19", "10-26"]
    assert after.meetings[0].minutes == 60 and after.meetings[-1].of == 7


def test_a_pattern_never_runs_away():
    made = meetings_of(
        (Pattern(date(2027, 1, 4), time(9), 60, tuple(range(7)), until=date(9999, 12, 31)),), NEW_YORK
    )
    assert len(made.meetings) == 2000 and "stops at 2000" in made.warnings[0]


def test_dates_are_written_one_way():
    assert day_text(date(2027, 9, 9)) == "Thu 9 Sep 2027"


@given(
    st.dates(date(2000, 1, 1), date(2099, 1, 1)),
    st.sets(st.integers(0, 6), min_size=1),
    st.integers(1, 9),
    st.integers(1, 40),
)
def test_a_pattern_agrees_with_counting_days_one_by_one(first, weekdays, every, count):
    pattern = Pattern(first, time(9), 60, tuple(sorted(weekdays)), every, count)
    made = [m.date for m in meetings_of((pattern,), NEW_YORK).meetings]
    day, wanted, monday = first, [], first - timedelta(days=first.weekday())
    while len(wanted) < count:
        if day.weekday() in weekdays and ((day - monday).days // 7) % every == 0:
            wanted.append(day)
        day += timedelta(days=1)
    assert made == wanted


@pytest.mark.parametrize("minutes", [30, 105, 1440])
def test_end_is_after_start_by_the_minutes(minutes):
    meeting = meetings_of((Pattern(date(2027, 3, 14), time(1, 45), minutes),), NEW_YORK).meetings[0]
    assert meeting.end.astimezone(UTC) - meeting.start.astimezone(UTC) == timedelta(minutes=minutes)
    assert isinstance(meeting.start, datetime)


def test_several_patterns_each_with_its_own_room_and_instructor():
    made = meetings_of(
        (
            Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), count=2, instructors=("A",), room="Hall"),
            Pattern(date(2027, 9, 18), time(10), 240, (5,), count=1, instructors=("B", "D"), room="Quarry"),
        ),
        NEW_YORK,
        extra=(Extra(date(2027, 9, 16), time(9), 60, ("C",), None),),
    )
    assert [(m.date.day, m.instructors, m.room, m.pattern) for m in made.meetings] == [
        (14, ("A",), "Hall", 1), (16, ("C",), None, None), (18, ("B", "D"), "Quarry", 2), (21, ("A",), "Hall", 1),
    ]  # fmt: skip


def test_a_pattern_moves_with_its_weekdays():
    moved = shifted(Pattern(date(2027, 9, 14), time(17, 30), 105, (1, 3), count=8), 3)
    assert (moved.first, moved.days) == (date(2027, 9, 17), (4, 6))
    ends = shifted(Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), until=date(2027, 9, 28)), 7)
    assert (ends.days, ends.until) == ((1,), date(2027, 10, 5))


def test_the_next_dates_of_a_pattern_leave_closures_out():
    pattern = Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), every_weeks=2, count=2)
    assert next_days(pattern, date(2027, 9, 28), 2, frozenset({date(2027, 10, 12)})) == [
        date(2027, 10, 26), date(2027, 11, 9),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("wanted", "begins"),
    [
        (date(2027, 1, 11), date(2027, 1, 13)),
        (date(2027, 1, 13), date(2027, 1, 13)),
        (date(2027, 1, 14), date(2027, 1, 20)),
    ],
)
def test_a_copy_begins_on_its_own_weekday_on_or_after_the_day_wanted(wanted, begins):
    first = date(2026, 10, 14)  # a Wednesday
    assert first + timedelta(days=aligned_shift(first, wanted)) == begins


def test_a_one_off_on_another_day_than_a_closure_has_no_warning():
    made = meetings_of(
        (), NEW_YORK, frozenset({date(2027, 10, 10)}), (Extra(date(2027, 10, 11), time(10), 240),)
    )
    assert made.meetings[0].warnings == ()


def test_a_meeting_changed_by_hand_keeps_its_room_its_instructor_and_its_pattern():
    plain = replace(TUESDAYS, room="Hall 2", instructors=("Ida Marsh",))
    after = changed(
        meetings_of((plain,), NEW_YORK), (Change(1, minutes=60), Change(2, room="Annex")), NEW_YORK
    )
    first, second = after.meetings[:2]
    assert (first.room, first.instructors, first.pattern, first.minutes) == ("Hall 2", ("Ida Marsh",), 1, 60)
    assert (second.room, second.instructors, second.pattern, second.minutes) == (
        "Annex",
        ("Ida Marsh",),
        1,
        105,
    )

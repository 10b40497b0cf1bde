from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.clashes import Hours, Span, first_free, overlaps, read_hours, within_hours
from archgate.core.faults import Refused

NEW_YORK = ZoneInfo("America/New_York")
BEGIN = datetime(2027, 9, 14, tzinfo=UTC)


def span(who, start, end, mark=0, fixed=False):
    return Span(who, BEGIN + timedelta(minutes=start), BEGIN + timedelta(minutes=end), mark, fixed)


def pairs(spans):
    return {frozenset((o.a.mark, o.b.mark)) for o in overlaps(spans)}


def test_times_that_only_touch_do_not_clash_and_others_do():
    spans = [span("a", 0, 60, 1), span("a", 60, 90, 2), span("a", 59, 61, 3), span("b", 0, 90, 4)]
    assert pairs(spans) == {frozenset((1, 3)), frozenset((2, 3))}
    first = next(overlaps(spans))
    assert (first.a.mark, first.b.mark, first.start, first.end) == (
        1, 3, BEGIN + timedelta(minutes=59), BEGIN + timedelta(minutes=60),
    )  # fmt: skip


def test_busy_times_clash_with_meetings_and_not_with_each_other():
    spans = [span("a", 0, 60, 1), span("a", 10, 50, 2, fixed=True), span("a", 20, 30, 3, fixed=True)]
    assert pairs(spans) == {frozenset((1, 2)), frozenset((1, 3))}


@given(st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 200), st.integers(1, 60)), max_size=40))
def test_the_sweep_finds_just_what_comparing_every_pair_finds(rows):
    spans = [span(who, start, start + long, n) for n, (who, start, long) in enumerate(rows)]
    wanted = {
        frozenset((a.mark, b.mark))
        for n, a in enumerate(spans)
        for b in spans[n + 1 :]
        if a.who == b.who and a.start < b.end and b.start < a.end
    }
    found = list(overlaps(spans))
    assert pairs(spans) == wanted and len(found) == len(wanted)
    assert all(o.start == max(o.a.start, o.b.start) and o.end == min(o.a.end, o.b.end) for o in found)


EVENINGS = (Hours(0, time(17), time(21)), Hours(2, time(9), time(12)), Hours(2, time(12), time(13)))


@pytest.mark.parametrize(
    ("day", "start", "minutes", "fits"),
    [
        (13, time(17), 240, True),  # Monday, the whole of the hours
        (13, time(17), 241, False),
        (13, time(16, 59), 60, False),
        (14, time(18), 60, False),  # no hours on a Tuesday
        (15, time(9), 240, True),  # across two hours that touch
        (15, time(12, 30), 60, False),
    ],
)
def test_weekly_hours_hold_a_meeting_whole_or_not_at_all(day, start, minutes, fits):
    begins = datetime.combine(date(2027, 9, day), start, NEW_YORK)
    ends = (begins.astimezone(UTC) + timedelta(minutes=minutes)).astimezone(NEW_YORK)
    assert within_hours(begins, ends, NEW_YORK, EVENINGS) is fits


def test_hours_may_run_to_midnight_and_on():
    night = (Hours(0, time(20), time(0)), Hours(1, time(0), time(2)))
    begins = datetime(2027, 9, 13, 22, tzinfo=NEW_YORK)
    assert within_hours(begins, begins + timedelta(hours=4), NEW_YORK, night)
    assert not within_hours(begins, begins + timedelta(hours=4, minutes=1), NEW_YORK, night)
    assert within_hours(begins, begins + timedelta(days=3), NEW_YORK, ())


@pytest.mark.parametrize(
    "row",
    [{"weekday": "XX", "from": "1:00", "to": "2:00"}, {"weekday": "MO", "from": "21:00", "to": "17:00"}, {}],
)
def test_hours_that_make_no_sense_are_refused(row):
    with pytest.raises(Refused):
        read_hours([row])


def test_the_first_free_slot_touches_nothing_taken():
    starts = [datetime(2027, 9, d, 18, tzinfo=NEW_YORK) for d in (13, 14, 15)]
    taken = [Span("", starts[0] + timedelta(hours=1), starts[0] + timedelta(hours=2), 0)]
    assert first_free(starts, 90, taken, NEW_YORK) == starts[1]
    assert first_free(starts, 60, taken, NEW_YORK) == starts[0]
    assert first_free(starts[:1], 90, taken, NEW_YORK) is None

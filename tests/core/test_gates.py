from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from archgate.core.gates import SignUp, Status, Teaching, gates_of, last_early_day, sign_up_at, teaching_at
from archgate.core.schedule import Pattern, meetings_of

NEW_YORK = ZoneInfo("America/New_York")
MEETINGS = meetings_of((Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), count=8),), NEW_YORK).meetings


def test_the_gates_of_a_run_stand_in_order_with_their_rules():
    gates = gates_of(MEETINGS, NEW_YORK, date(2027, 7, 1), ((None, 18, "Early price ends"),))
    assert [(g.kind, g.rule, g.day.isoformat()) for g in gates] == [
        ("sign-up opens", "on 2027-07-01", "2027-07-01"),
        ("early step ends", "18 days before start", "2027-08-27"),
        ("sign-up closes", "1 day before start", "2027-09-13"),
        ("starts", "first meeting", "2027-09-14"),
        ("ends", "last meeting", "2027-11-02"),
    ]
    assert gates[0].at == datetime(2027, 7, 1, 4, tzinfo=UTC)
    assert gates[1].at == datetime(2027, 8, 28, 4, tzinfo=UTC)
    assert gates[2].at == datetime(2027, 9, 14, 4, tzinfo=UTC)
    assert gates[4].at == datetime(2027, 11, 2, 23, 15, tzinfo=UTC)


def test_days_are_the_centers_also_for_a_place_in_another_zone():
    tokyo = meetings_of((Pattern(date(2027, 9, 14), time(9), 60),), ZoneInfo("Asia/Tokyo")).meetings
    closes = next(g for g in gates_of(tokyo, NEW_YORK) if g.kind == "sign-up closes")
    assert closes.day == date(2027, 9, 12)  # 14 Sep 09:00 in Tokyo is 13 Sep in New York


def test_an_early_day_is_absolute_or_counted_back_from_the_start():
    assert last_early_day(date(2027, 9, 1), None, None) == date(2027, 9, 1)
    assert last_early_day(None, 18, date(2027, 9, 14)) == date(2027, 8, 27)
    assert last_early_day(None, 18, None) is None


OPENS, CLOSES = datetime(2027, 7, 1, tzinfo=UTC), datetime(2027, 9, 14, tzinfo=UTC)


@pytest.mark.parametrize(
    ("moment", "status", "full", "state"),
    [
        (datetime(2027, 6, 30, 23, 59, 59, tzinfo=UTC), Status.PUBLISHED, False, SignUp.NOT_YET),
        (OPENS, Status.PUBLISHED, False, SignUp.OPEN),
        (OPENS, Status.PUBLISHED, True, SignUp.FULL),
        (CLOSES, Status.PUBLISHED, False, SignUp.CLOSED),
        (CLOSES, Status.PUBLISHED, True, SignUp.CLOSED),
        (OPENS, Status.DRAFT, False, SignUp.NOT_YET),
        (OPENS, Status.OFF_SALE, False, SignUp.CLOSED),
        (OPENS, Status.CANCELLED, False, SignUp.CLOSED),
    ],
)
def test_sign_up_follows_from_status_gates_and_seats(moment, status, full, state):
    found, why = sign_up_at(moment, status, OPENS, CLOSES, full)
    assert found is state and why.endswith(".")


def test_a_run_without_dates_is_not_open():
    assert sign_up_at(OPENS, Status.PUBLISHED, None, None, False)[0] is SignUp.NOT_YET


def test_teaching_goes_by_first_and_last_meeting():
    start, end = MEETINGS[0].start, MEETINGS[-1].end
    assert teaching_at(OPENS, start, end) is Teaching.BEFORE
    assert teaching_at(start, start, end) is Teaching.RUNNING
    assert teaching_at(end, start, end) is Teaching.ENDED
    assert teaching_at(end, None, None) is Teaching.BEFORE

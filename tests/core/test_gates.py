from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from archgate.core.gates import (
    Cohort,
    Rule,
    RunStatus,
    SignUp,
    Teaching,
    Window,
    gates_of,
    last_early_day,
    sign_up_at,
    teaching_at,
    window_faults,
)
from archgate.core.schedule import Pattern, meetings_of

NEW_YORK = ZoneInfo("America/New_York")
MEETINGS = meetings_of((Pattern(date(2027, 9, 14), time(17, 30), 105, (1,), count=8),), NEW_YORK).meetings


def test_the_gates_of_a_run_stand_in_order_with_their_rules():
    gates = gates_of(MEETINGS, NEW_YORK, (Window(Rule(date(2027, 7, 1))),), ((None, 18, "Early price ends"),))
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
        (datetime(2027, 6, 30, 23, 59, 59, tzinfo=UTC), RunStatus.PUBLISHED, False, SignUp.NOT_YET),
        (OPENS, RunStatus.PUBLISHED, False, SignUp.OPEN),
        (OPENS, RunStatus.PUBLISHED, True, SignUp.FULL),
        (CLOSES, RunStatus.PUBLISHED, False, SignUp.CLOSED),
        (CLOSES, RunStatus.PUBLISHED, True, SignUp.CLOSED),
        (OPENS, RunStatus.DRAFT, False, SignUp.NOT_YET),
        (OPENS, RunStatus.OFF_SALE, False, SignUp.CLOSED),
        (OPENS, RunStatus.CANCELLED, False, SignUp.CLOSED),
    ],
)
def test_sign_up_follows_from_status_gates_and_seats(moment, status, full, state):
    found, why = sign_up_at(moment, status, ((OPENS, CLOSES),), full)
    assert found is state and why.endswith(".")


def test_a_run_without_dates_is_not_open():
    assert sign_up_at(OPENS, RunStatus.PUBLISHED, ((None, None),), False)[0] is SignUp.NOT_YET


def test_teaching_goes_by_first_and_last_meeting():
    start, end = MEETINGS[0].start, MEETINGS[-1].end
    assert teaching_at(OPENS, start, end) is Teaching.BEFORE
    assert teaching_at(start, start, end) is Teaching.RUNNING
    assert teaching_at(end, start, end) is Teaching.ENDED
    assert teaching_at(end, None, None) is Teaching.BEFORE


SUMMER, FALL = Window(Rule(date(2027, 6, 1)), Rule(date(2027, 6, 30))), Window(Rule(days_before=30), None)


def test_several_windows_open_and_close_one_after_the_other():
    gates = gates_of(MEETINGS, NEW_YORK, (SUMMER, FALL))
    assert [(g.kind, g.n, g.day.isoformat()) for g in gates if g.n] == [
        ("sign-up opens", 1, "2027-06-01"),
        ("sign-up closes", 1, "2027-06-30"),
        ("sign-up opens", 2, "2027-08-15"),
        ("sign-up closes", 2, "2027-09-13"),
    ]
    moments = tuple(
        (
            next(g.at for g in gates if g.n == n and g.kind == "sign-up opens"),
            next(g.at for g in gates if g.n == n and g.kind == "sign-up closes"),
        )
        for n in (1, 2)
    )
    states = [
        sign_up_at(datetime(2027, month, day, 12, tzinfo=UTC), RunStatus.PUBLISHED, moments, False)
        for month, day in ((5, 31), (6, 15), (7, 4), (8, 20), (9, 14))
    ]
    assert [s for s, _ in states] == [SignUp.NOT_YET, SignUp.OPEN, SignUp.NOT_YET, SignUp.OPEN, SignUp.CLOSED]
    assert states[2][1] == "Sign-up is shut; it opens again later."


@pytest.mark.parametrize(
    ("windows", "said"),
    [
        ((Window(Rule(date(2027, 9, 14))),), "after it closes, the day before the start"),
        ((Window(Rule(date(2027, 7, 2)), Rule(date(2027, 7, 1))),), "after it closes."),
        ((SUMMER, Window(Rule(date(2027, 6, 30)))), "open through Wed 30 Jun 2027"),
        ((SUMMER, Window()), "needs the day on which it opens"),
    ],
)
def test_windows_that_contradict_themselves_are_named(windows, said):
    assert said in " ".join(s for _, _, s in window_faults(windows, date(2027, 9, 14), False))
    assert window_faults((SUMMER, FALL), date(2027, 9, 14), False) == []


def test_a_decision_day_is_relative_or_on_a_date():
    day = next(
        g for g in gates_of(MEETINGS, NEW_YORK, decision=Rule(days_before=10)) if g.kind == "decision day"
    )
    assert (day.day, day.rule, day.at) == (
        date(2027, 9, 4),
        "10 days before start",
        datetime(2027, 9, 4, 4, tzinfo=UTC),
    )


def test_a_cohort_starts_and_ends_with_its_days_and_access_goes_on():
    gates = gates_of((), NEW_YORK, cohort=Cohort(date(2027, 9, 14), date(2027, 11, 2), 30))
    assert [(g.kind, g.day.isoformat()) for g in gates] == [
        ("sign-up closes", "2027-09-13"),
        ("starts", "2027-09-14"),
        ("ends", "2027-11-02"),
        ("access ends", "2027-12-02"),
    ]
    assert gates[2].at == datetime(2027, 11, 3, 4, tzinfo=UTC)


def test_an_open_run_has_no_start_and_stays_open():
    assert gates_of((), NEW_YORK, open_run=True) == ()
    assert sign_up_at(OPENS, RunStatus.PUBLISHED, ((None, None),), False, open_run=True)[0] is SignUp.OPEN

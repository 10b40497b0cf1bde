"""Meeting patterns against RFC 5545 and python-dateutil.

Source of the dates: RFC 5545 section 3.8.5.3, its examples with their listed results (facts kept in
tests/data/rfc5545.json); section 3.3.5 for local times in a gap or doubled hour, with its own example dates.
"""

import itertools
import json
from datetime import date, datetime, time
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import WEEKLY, rrule
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.schedule import WEEKDAYS, Pattern, meetings_of, moment_of, monday_of, pattern_days
from made import DATA

NEW_YORK = ZoneInfo("America/New_York")
EXAMPLES = json.loads((DATA / "rfc5545.json").read_text())


def rule_of(text):
    return dict(part.split("=") for part in text.split(";"))


def expressible(example, rule):
    """A weekly or daily rule with an end, without exceptions, whose first date is one of its weekdays.

    WKST must be Monday, or make no difference: with one weekday, or every week.
    """
    known = {"FREQ", "INTERVAL", "COUNT", "UNTIL", "BYDAY", "WKST"}
    if rule["FREQ"] not in ("WEEKLY", "DAILY") or set(rule) - known or example["exdate"]:
        return False
    if rule["FREQ"] == "DAILY" and (int(rule.get("INTERVAL", 1)) > 1 or "BYDAY" in rule):
        return False
    return "COUNT" in rule or "UNTIL" in rule


def pattern_for(example, rule):
    start = datetime.strptime(example["dtstart"], "%Y%m%dT%H%M%S")
    days = tuple(range(7)) if rule["FREQ"] == "DAILY" else None
    if "BYDAY" in rule:
        days = tuple(WEEKDAYS.index(d) for d in rule["BYDAY"].split(","))
    until = None
    if "UNTIL" in rule:
        text = rule["UNTIL"]
        last = datetime.strptime(text, "%Y%m%dT%H%M%SZ").replace(tzinfo=ZoneInfo("UTC")).astimezone(NEW_YORK)
        # The last day counts only if the meeting's own time is not after the moment (UNTIL is inclusive).
        until = last.date() if last.time() >= start.time() else date.fromordinal(last.toordinal() - 1)
    count = int(rule["COUNT"]) if "COUNT" in rule else None
    return Pattern(start.date(), start.time(), 60, days, int(rule.get("INTERVAL", 1)), count, until)


CASES = [
    pytest.param(example, rule_of(text), id=f"{example['n']}-{text}")
    for example in EXAMPLES
    for text in example["rrules"]
    if example.get("expected") and expressible(example, rule_of(text))
]


def test_the_rfc_has_enough_examples_that_patterns_can_express():
    assert len(CASES) >= 8


@pytest.mark.parametrize(("example", "rule"), CASES)
def test_patterns_give_the_dates_that_rfc_5545_lists(example, rule):
    made = [
        f"{m.start:%Y-%m-%d %H:%M} {m.start.tzname()}"
        for m in meetings_of((pattern_for(example, rule),), NEW_YORK).meetings
    ]
    sunday_weeks = (
        rule.get("WKST") == "SU" and int(rule.get("INTERVAL", 1)) > 1 and "SU" in rule.get("BYDAY", "")
    )
    if sunday_weeks:
        assert (
            made != example["expected"]
        )  # patterns count weeks from Monday; the RFC shows the difference itself
    elif example["complete"]:
        assert made == example["expected"]
    else:
        assert set(example["expected"]) <= set(made)


ENDLESS = [
    pytest.param(example, rule_of(text), id=f"{example['n']}-{text}")
    for example in EXAMPLES
    for text in example["rrules"]
    if example.get("expected")
    and expressible(example, rule_of(text) | {"COUNT": "1"})
    and not {"COUNT", "UNTIL"} & set(rule_of(text))
]


@pytest.mark.parametrize(("example", "rule"), ENDLESS)
def test_rules_without_an_end_begin_as_rfc_5545_lists_them(example, rule):
    assert ENDLESS
    days = itertools.islice(pattern_days(pattern_for(example, rule)), len(example["expected"]))
    assert [d.isoformat() for d in days] == [text[:10] for text in example["expected"]]


@pytest.mark.parametrize(
    ("local", "utc"),
    [("2007-03-11 02:30", "2007-03-11 07:30"), ("2007-11-04 01:30", "2007-11-04 05:30")],
)
def test_gaps_and_doubled_hours_are_read_as_rfc_5545_section_3_3_5_says(local, utc):
    wall = datetime.strptime(local, "%Y-%m-%d %H:%M")
    assert (
        moment_of(wall.date(), wall.time(), NEW_YORK).astimezone(ZoneInfo("UTC")).strftime("%Y-%m-%d %H:%M")
        == utc
    )


# (zone, day, wall time, UTC offset expected, warns); rules of the zones: IANA tz database, package tzdata 2026.6.
CLOCKS = [
    ("America/New_York", date(2026, 3, 8), time(2, 30), "-04:00", True),
    ("America/New_York", date(2026, 11, 1), time(1, 30), "-04:00", True),
    ("Europe/Berlin", date(2026, 3, 29), time(2, 15), "+02:00", True),
    ("Europe/Berlin", date(2026, 10, 25), time(2, 15), "+02:00", True),
    ("Europe/London", date(2026, 10, 25), time(1, 0), "+01:00", True),
    ("Australia/Lord_Howe", date(2026, 10, 4), time(2, 15), "+11:00", True),
    ("Australia/Lord_Howe", date(2026, 4, 5), time(1, 45), "+11:00", True),
    ("Asia/Kolkata", date(2026, 3, 29), time(2, 15), "+05:30", False),
]


@pytest.mark.parametrize(("zone", "day", "wall", "offset", "warns"), CLOCKS)
def test_changes_of_clocks_in_several_zones(zone, day, wall, offset, warns):
    meeting = meetings_of((Pattern(day, wall, 60),), ZoneInfo(zone)).meetings[0]
    assert meeting.start.isoformat().endswith(offset)
    assert bool(meeting.warnings) is warns


def test_toronto_keeps_its_wall_clock_and_utc_moves():
    """Weekly 18:00 from 2026-03-03: UTC 23:00, then 22:00. Computed with dateutil and the IANA database."""
    made = meetings_of(
        (Pattern(date(2026, 3, 3), time(18), 120, count=4),), ZoneInfo("America/Toronto")
    ).meetings
    assert [m.start.astimezone(ZoneInfo("UTC")).hour for m in made] == [23, 22, 22, 22]


def test_the_zone_database_is_the_packages_and_not_the_systems():
    """IANA 2026f as shipped in tzdata 2026.6: Vancouver stays on UTC-7 in December 2026."""
    assert (
        datetime(2026, 12, 1, 12, tzinfo=ZoneInfo("America/Vancouver")).utcoffset().total_seconds()
        == -7 * 3600
    )


@given(
    st.dates(date(1990, 1, 1), date(2090, 1, 1)),
    st.lists(st.integers(0, 6), min_size=1, max_size=7, unique=True),
    st.integers(1, 6),
    st.one_of(st.integers(1, 30), st.integers(0, 300).map(lambda days: -days)),
)
def test_patterns_agree_with_dateutil(first, weekdays, every, end):
    """Differential against python-dateutil's rrule with WKST=MO, by number of meetings and by last day."""
    until = date.fromordinal(first.toordinal() - end) if end <= 0 else None
    pattern = Pattern(first, time(9), 60, tuple(weekdays), every, end if end > 0 else None, until)
    made = [m.date for m in meetings_of((pattern,), ZoneInfo("UTC")).meetings]
    rule = rrule(
        WEEKLY, dtstart=datetime.combine(first, time(9)), interval=every, byweekday=weekdays, wkst=0,
        count=end if end > 0 else None, until=datetime.combine(until, time(9)) if until else None,
    )  # fmt: skip
    assert made == [d.date() for d in rule]


@pytest.mark.parametrize("year", range(2020, 2033))
def test_weeks_are_iso_8601_weeks_also_at_year_ends(year):
    """ISO 8601 week numbers by Python's datetime.isocalendar: days of one ISO week share one Monday."""
    for ordinal in range(date(year, 12, 24).toordinal(), date(year + 1, 1, 8).toordinal()):
        day = date.fromordinal(ordinal)
        assert monday_of(day) == date.fromisocalendar(*day.isocalendar()[:2], 1)


def test_a_closure_takes_a_date_like_exdate_and_the_count_does_not_come_back():
    """RFC 5545 section 3.8.5.1; run with python-dateutil: COUNT=6 from 2026-03-03 less 2026-03-17 is five dates."""
    six = Pattern(date(2026, 3, 3), time(18), 120, (1,), count=6)
    made = meetings_of((six,), ZoneInfo("America/Toronto"), frozenset({date(2026, 3, 17)})).meetings
    assert [m.date.isoformat() for m in made] == [
        "2026-03-03",
        "2026-03-10",
        "2026-03-24",
        "2026-03-31",
        "2026-04-07",
    ]


@pytest.mark.parametrize(
    ("extend", "dates"),
    [
        (True, "09-14 09-21 09-28 10-05 10-19 10-26 11-02 11-09"),
        (False, "09-14 09-21 09-28 10-05 10-19 10-26"),
    ],
)
def test_eight_mondays_in_ontario_around_its_holidays(extend, dates):
    """Run with python-dateutil 2.9.0 and holidays 0.109: 7 September and 12 October 2026 are statutory in CA-ON."""
    mondays = Pattern(date(2026, 9, 7), time(18), 120, (0,), count=8, extend=extend)
    closed = frozenset({date(2026, 9, 7), date(2026, 10, 12)})
    made = meetings_of((mondays,), ZoneInfo("America/Toronto"), closed).meetings
    assert " ".join(m.date.isoformat()[5:] for m in made) == dates


@pytest.mark.parametrize(("last_hour", "held"), [(22, 4), (21, 3)])
def test_until_is_inclusive_to_the_moment(last_hour, held):
    """Run with python-dateutil: weekly 18:00 in Toronto from 2026-03-03 until 2026-03-24T22:00Z is four meetings, until
    21:59:59Z three. Our last day is whole, so the moment before the meeting means the day before."""
    moment = datetime(2026, 3, 24, last_hour, 0 if last_hour == 22 else 59, tzinfo=ZoneInfo("UTC"))
    local = moment.astimezone(ZoneInfo("America/Toronto"))
    last = local.date() if local.time() >= time(18) else date.fromordinal(local.toordinal() - 1)
    pattern = Pattern(date(2026, 3, 3), time(18), 120, until=last)
    assert len(meetings_of((pattern,), ZoneInfo("America/Toronto")).meetings) == held

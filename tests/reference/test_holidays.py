"""Public holidays and closures.

Source of the sets: those on which the databases `holidays` 0.109 (PyPI, MIT) and `date-holidays` 3.37.0 (npm, data
CC BY-SA) agree, kept as facts in tests/data/holidays.json; the check values of Ontario were worked out with
python-dateutil over that set.
"""

import json
from datetime import date, time
from zoneinfo import ZoneInfo

import pytest
from dateutil.easter import easter

from archgate.actions.schedule.places import check_region, holidays_of
from archgate.core.faults import Refused
from archgate.core.schedule import Pattern, meetings_of
from made import DATA

SETS = json.loads((DATA / "holidays.json").read_text())
AGREED = [
    name
    for name in SETS
    if name.split("-2")[0].rstrip("-") in ("US", "GB-ENG", "DE-BY", "AU-NSW", "FR-", "FR", "NZ")
]


@pytest.mark.parametrize("name", AGREED)
def test_the_holidays_of_a_region_are_those_on_which_two_databases_agree(name):
    region, _, year = name.rpartition("-")
    found = holidays_of(region.rstrip("-"), int(year))
    assert sorted(d.isoformat() for d in found) == sorted(SETS[name])


def test_at_least_three_regions_are_checked():
    assert len({n.rpartition("-")[0] for n in AGREED}) >= 3 and len(AGREED) >= 12


@pytest.mark.parametrize("year", [2024, 2025, 2026, 2027, 2038])
def test_easter_monday_follows_easter(year):
    """dateutil.easter, an independent computation (Western)."""
    assert date.fromordinal(easter(year).toordinal() + 1) in holidays_of("GB-ENG", year)


def test_mondays_in_ontario_with_holidays_skipped_or_made_up_for():
    """8 Mondays from 2026-09-07, statutory days of Ontario (the agreed part of both databases)."""
    closed = frozenset(date.fromisoformat(f"2026-{d}") for d in ("09-07", "10-12", "12-25", "12-26"))
    zone = ZoneInfo("America/Toronto")
    made_up = meetings_of((Pattern(date(2026, 9, 7), time(9), 60, count=8, extend=True),), zone, closed)
    assert [f"{m.date:%m-%d}" for m in made_up.meetings] == [
        "09-14", "09-21", "09-28", "10-05", "10-19", "10-26", "11-02", "11-09",
    ]  # fmt: skip
    assert len(meetings_of((Pattern(date(2026, 9, 7), time(9), 60, count=8),), zone, closed).meetings) == 6


def test_an_unknown_region_is_refused_with_what_to_give():
    for region in ("XX", "US-XX", "us"):
        with pytest.raises(Refused, match="give a country"):
            check_region(region)
    assert check_region(" US-NY ") == "US-NY" and check_region("") == ""

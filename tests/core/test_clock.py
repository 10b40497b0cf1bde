"""The business clock, set to a day."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from archgate import clock

NEW_YORK = ZoneInfo("America/New_York")


@pytest.mark.parametrize("hour", [0, 5, 12, 23])
@pytest.mark.parametrize("day", [date(2027, 8, 20), date(2027, 1, 20), date(2027, 3, 14)])
def test_the_clock_stands_on_the_day_it_was_set_to_at_any_hour_in_summer_and_winter(monkeypatch, hour, day):
    """Set in winter to a summer day late in the evening, it stood on the day after."""
    now = datetime(2026, 11, 26, hour, 30, tzinfo=NEW_YORK).astimezone(UTC)
    monkeypatch.setattr(clock, "system_now", lambda: now)
    moment = clock.business_now(clock.offset_for(day, NEW_YORK)).astimezone(NEW_YORK)
    assert (moment.date(), moment.hour, moment.minute) == (day, hour, 30)
    assert abs(moment.astimezone(UTC) - now) > timedelta(days=1)

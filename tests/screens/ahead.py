"""Runs ahead of the real day, since the browser lives in it."""

from datetime import timedelta

from made import TODAY, a_run


def next_tuesday(weeks=8):
    """A Tuesday so many weeks after all that other tests plan, so that little else is in sight."""
    day = TODAY + timedelta(weeks=26 + weeks)
    return day + timedelta(days=(1 - day.weekday()) % 7)


def run_ahead(office, **changes):
    pattern = {
        "first": next_tuesday().isoformat(),
        "start": "17:30",
        "minutes": 105,
        "weekdays": ["TU"],
        "count": 8,
    }
    return a_run(office, pattern=pattern, **changes)


def shown_day(day):
    return f"{day:%a} {day.day} {day:%b %Y}"

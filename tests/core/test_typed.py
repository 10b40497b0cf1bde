"""What people type, in the forms they use."""

from datetime import date

import pytest

from archgate.core.typed import read_clock, read_day, read_minutes, read_weekdays


@pytest.mark.parametrize(
    ("text", "read"),
    [("2027-09-14", "2027-09-14"), ("14 Sep 2027", "2027-09-14"), ("Tue 14 September 2027", "2027-09-14"), ("Sep 14, 2027", "2027-09-14"),
     ("9/14/2027", "2027-09-14"), ("9/14/27", "2027-09-14"), ("14 Sep", "2027-09-14"), ("3 Jan", "2028-01-03"), ("31 Feb 2027", None), ("14", None)],
)  # fmt: skip
def test_dates_are_read_as_people_type_them(text, read):
    held = read_day(text, date(2027, 8, 20))
    assert (held and held.isoformat()) == read


@pytest.mark.parametrize(
    ("text", "read"),
    [("Tue, Thu", [1, 3]), ("TU TH", [1, 3]), ("Mon-Fri", [0, 1, 2, 3, 4]), ("Tuesdays and Thursdays", [1, 3]), ("Sat + Sun", [5, 6]), ("Fri-Mon", [0, 4, 5, 6]), ("", []), ("Foo", None)],
)  # fmt: skip
def test_weekdays_are_read_as_people_type_them(text, read):
    assert read_weekdays(text) == read


@pytest.mark.parametrize(
    ("text", "read"),
    [("17:30", "17:30"), ("1730", "17:30"), ("5:30 pm", "17:30"), ("9am", "09:00"), ("12 am", "00:00"), ("12pm", "12:00"), ("9", "09:00"), ("25", None), ("13 pm", None), ("x", None)],
)  # fmt: skip
def test_times_are_read_as_people_type_them(text, read):
    assert read_clock(text) == read


@pytest.mark.parametrize(
    ("text", "read"), [("2:30", 150), ("2 h 30", 150), ("2.5 h", 150), ("2,5 h", 150), ("150 min", 150), ("90", 90), ("2", 120), ("0", None), ("long", None)],
)  # fmt: skip
def test_lengths_are_read_as_people_type_them(text, read):
    assert read_minutes(text) == read

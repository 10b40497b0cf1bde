"""What people type into a table or a field: dates, weekdays, clock times and lengths in their usual forms.

Each gives None for what cannot be read. Dates without a year mean the next such day from `today` on.
"""

from __future__ import annotations

import re
from datetime import date

from archgate.core.schedule import MONTH_NAMES, WEEKDAY_NAMES, WEEKDAYS

LEAST = 30  # minutes; "2" in the column of lengths is two hours, "90" is minutes
DAY_WORDS = {
    **{name.casefold(): n for n, name in enumerate(WEEKDAY_NAMES)},
    **{name[:3].casefold(): n for n, name in enumerate(WEEKDAY_NAMES)},
    **{code.casefold(): n for n, code in enumerate(WEEKDAYS)},
    "tues": 1, "weds": 2, "thur": 3, "thurs": 3,
}  # fmt: skip


def read_day(text: str, today: date) -> date | None:
    """A date as people type it: 2027-09-14, 14 Sep 2027, Sep 14 2027, 9/14/2027, or without a year the next such day."""
    text = text.strip().rstrip(".").replace(",", " ")
    text = re.sub(rf"^({'|'.join(n[:3] for n in WEEKDAY_NAMES)})[a-z]*\.? +", "", text, flags=re.IGNORECASE)
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
            return date.fromisoformat(text)
        if match := re.fullmatch(r"(\d{1,2})/(\d{1,2})/(\d{4}|\d{2})", text):
            month, day, year = (int(x) for x in match.groups())
            return date(year + 2000 if year < 100 else year, month, day)
        words = text.split()
        month_word = next((w for w in words if re.fullmatch(r"[A-Za-z]{3,9}\.?", w)), "")
        months = [m.casefold() for m in MONTH_NAMES]
        month = months.index(month_word[:3].casefold()) + 1 if month_word else 0
        numbers = [int(w) for w in words if w.isdigit()]
        if not month or not 1 <= len(numbers) <= 2 or len(words) != len(numbers) + 1:
            return None
        if len(numbers) == 2:
            return date(numbers[1], month, numbers[0])
        coming = date(today.year, month, numbers[0])
        return coming if coming >= today else date(today.year + 1, month, numbers[0])
    except ValueError:
        return None


def read_weekdays(text: str) -> list[int] | None:
    """Weekdays as people type them: "Tue, Thu", "TU TH", "Mon-Fri"; empty: those of the first date. None: not readable."""
    days: set[int] = set()
    text = text.casefold().replace("&", " ").replace(" and ", " ")
    for part in re.split(r"[\s,;/+]+", text):
        if not part:
            continue
        first, dash, last = part.partition("-")
        known = [DAY_WORDS.get(w.rstrip("."), DAY_WORDS.get(w.rstrip(".s"))) for w in (first, last) if w]
        if None in known or (dash and len(known) < 2):
            return None
        a, b = known[0], known[-1]
        assert a is not None and b is not None
        days |= {d % 7 for d in range(a, (b if b >= a else b + 7) + 1)}
    return sorted(days)


def read_whole(text: str) -> int | None:
    return int(text) if re.fullmatch(r"\d{1,5}", text) and int(text) else None


def read_clock(text: str) -> str | None:
    """A time of day, as 24 hours.

    >>> [read_clock(text) for text in ("17:30", "1730", "5:30 pm", "9am", "25:00")]
    ['17:30', '17:30', '17:30', '09:00', None]
    """
    match = re.fullmatch(
        r"(\d{1,2})(?:[:.]?(\d{2}))? ?(am|pm|a|p)?(?:\.?m\.?)?", text.casefold().replace(".m.", "m")
    )
    if not match:
        return None
    hour, minute, half = int(match.group(1)), int(match.group(2) or 0), (match.group(3) or "")[:1]
    if half and not 1 <= hour <= 12:
        return None
    if half:
        hour = hour % 12 + (12 if half == "p" else 0)
    return f"{hour:02d}:{minute:02d}" if hour < 24 and minute < 60 else None


def read_minutes(text: str) -> int | None:
    """A length in minutes; a bare number under 30 is hours.

    >>> [read_minutes(text) for text in ("2:30", "2 h 30", "2.5 h", "150 min", "2", "90", "long")]
    [150, 150, 150, 150, 120, 90, None]
    """
    text = text.casefold().replace(",", ".")
    if match := re.fullmatch(r"(\d{1,2}):(\d{2})", text):
        return int(match.group(1)) * 60 + int(match.group(2)) or None
    if match := re.fullmatch(r"(\d+(?:\.\d+)?) ?(?:h|hr|hrs|hours?)(?: ?(\d{1,2}) ?(?:m|min)?)?", text):
        return round(float(match.group(1)) * 60) + int(match.group(2) or 0) or None
    if match := re.fullmatch(r"(\d+(?:\.\d+)?) ?(m|min|minutes?)?", text):
        number = float(match.group(1))
        return round(number if match.group(2) or number >= LEAST else number * 60) or None
    return None

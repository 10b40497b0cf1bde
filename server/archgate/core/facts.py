"""What a text claims about a run's length, and whether its dates bear that out."""

from __future__ import annotations

import re
from dataclasses import dataclass

from archgate.core.schedule import Schedule

NUMBERS = (
    "one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen"
    " eighteen nineteen twenty"
).split()
UNITS = {
    "week": "weeks",
    "meeting": "meetings", "session": "meetings", "evening": "meetings", "morning": "meetings",
    "afternoon": "meetings", "class": "meetings", "lesson": "meetings",
    "day": "days",
    "hour": "hours",
}  # fmt: skip
CLAIM = re.compile(
    rf"\b(\d{{1,4}}(?:\.\d+)?|{'|'.join(NUMBERS)})[ -](?:(?:full|long|whole|contact|weekly|consecutive|Saturday|Sunday|Monday|"
    rf"Tuesday|Wednesday|Thursday|Friday) )?({'|'.join(UNITS)})(?:e?s)?\b(?! (?:before|after|ago|each|per|long))",
    re.IGNORECASE,
)


@dataclass(frozen=True)
class Claim:
    """A length that a text gives: "eight evenings" is 8 meetings."""

    words: str
    number: float
    unit: str  # weeks, meetings, days or hours


def claims_of(text: str) -> list[Claim]:
    """The lengths that a text gives, in words or figures, in its order. Lengths before, after or per something are none."""
    claims = []
    for match in CLAIM.finditer(text):
        word, unit = match.group(1).lower(), UNITS[match.group(2).lower()]
        number = float(NUMBERS.index(word) + 1) if word in NUMBERS else float(word)
        claims.append(Claim(match.group(0), number, unit))
    return claims


def mismatches(text: str, schedule: Schedule) -> list[str]:
    """Sentences for every length in a text that the dates do not bear out; a run without meetings bears out nothing to say.

    Weeks are calendar weeks, Monday to Sunday, from first to last meeting, or as many as there are weeks with a
    meeting; days are days with a meeting. Hours are contact hours in all, or of a single meeting.
    """
    if not schedule.meetings:
        return []
    days = {m.date for m in schedule.meetings}
    taught = {tuple(d.isocalendar()[:2]) for d in days}
    hours = schedule.minutes / 60
    real: dict[str, tuple[set[float], str]] = {
        "weeks": ({schedule.weeks, len(taught)}, f"the dates span {schedule.weeks} weeks"),
        "meetings": ({len(schedule.meetings)}, f"there are {len(schedule.meetings)} meetings"),
        "days": ({len(days)}, f"there are {len(days)} days with a meeting"),
        "hours": (
            {hours, *(m.minutes / 60 for m in schedule.meetings)},
            f"the meetings come to {schedule.hours} hours",
        ),
    }
    return [
        f'"{claim.words}" does not fit the dates: {real[claim.unit][1]}.'
        for claim in claims_of(text)
        if not any(abs(claim.number - real_number) < 0.01 for real_number in real[claim.unit][0])
    ]

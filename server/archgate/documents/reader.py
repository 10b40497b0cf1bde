"""Reading JSON objects strictly: every fault of a document at once, each with its JSON pointer.

Unknown keys are refused. A key left out, or null, is the same.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, date, datetime, time
from decimal import Decimal, InvalidOperation
from typing import TypeVar
from zoneinfo import ZoneInfo, available_timezones

from archgate.core.faults import Fault, pointer_of
from archgate.core.money import digits_of, parse_amount
from archgate.core.schedule import moment_of

Document = dict[str, object]  # a JSON object
ZONES = available_timezones()


J = TypeVar("J")
KINDS: dict[type, str] = {
    int: "a whole number",
    str: "a text",
    bool: "true or false",
    list: "a list",
    dict: "an object",
}


class Reader:
    """Reads one object of a document, collecting faults; a value that is at fault reads as None."""

    def __init__(self, value: object, at: str, faults: list[Fault], keys: str) -> None:
        self.at, self.faults = at, faults
        self.value: Document = value if isinstance(value, dict) else {}
        if not isinstance(value, dict):
            self.fault("", "An object is expected here.")
        for key in self.value:
            if key not in keys.split():
                self.fault(key, f'"{key}" is not a known key here.')

    def fault(self, key: str, message: str) -> None:
        place = self.at + pointer_of(key) if key else self.at
        self.faults.append(Fault(place, message))

    def has(self, key: str) -> bool:
        return self.value.get(key) is not None

    def take(self, key: str, kind: type[J], need: bool, name: str) -> J | None:
        """A value of one of JSON's kinds; a fault, and None, when it is another or missing."""
        value = self.value.get(key)
        if value is None:
            if need:
                self.fault(key, f"{name} is missing.")
            return None
        if not isinstance(value, kind) or (kind is int and isinstance(value, bool)):
            self.fault(key, f"{name} must be {KINDS[kind]}.")
            return None
        return value

    def texts(self, key: str, name: str) -> list[str]:
        """A list of texts."""
        values: list[object] = self.take(key, list, False, name) or []
        if any(not isinstance(x, str) for x in values):
            self.fault(key, f"{name} are a list of texts.")
        return [x for x in values if isinstance(x, str)]

    def text(self, key: str, name: str, need: bool = False) -> str | None:
        value = self.take(key, str, need, name)
        if value is not None and not value.strip():
            self.fault(key, f"{name} is empty.")
            return None
        return value

    def whole(self, key: str, name: str, low: int, high: int, need: bool = False) -> int | None:
        value = self.take(key, int, need, name)
        if value is not None and not low <= value <= high:
            self.fault(key, f"{name} must be from {low} to {high}.")
            return None
        return value

    def flag(self, key: str, name: str) -> bool:
        return bool(self.take(key, bool, False, name))

    def _parsed(self, key: str, name: str, need: bool, parse: Callable[[str], J], shape: str) -> J | None:
        text = self.text(key, name, need)
        if text is None:
            return None
        try:
            return parse(text)
        except (ValueError, InvalidOperation, OverflowError):
            self.fault(key, f'{name} must be {shape}, not "{text}".')
            return None

    def day(self, key: str, name: str, need: bool = False) -> date | None:
        return self._parsed(key, name, need, strict_date, "a date like 2027-09-14")

    def clock(self, key: str, name: str, need: bool = False) -> time | None:
        return self._parsed(key, name, need, strict_time, "a time like 17:30")

    def moment(self, key: str, name: str, zone: ZoneInfo | None, need: bool = False) -> datetime | None:
        shape = "a moment like 2027-08-20T10:00:00-04:00"
        return self._parsed(key, name, need, lambda t: strict_moment(t, zone), shape)

    def percent(self, key: str, name: str, need: bool = False) -> Decimal | None:
        percent = self._parsed(key, name, need, strict_percent, 'a plain number like "10" or "12.5"')
        if percent is not None and percent > 100:
            self.fault(key, f"{name} cannot be over 100.")
            return None
        return percent

    def number(self, key: str, name: str, decimals: int, need: bool = False) -> Decimal | None:
        """A plain number that is not negative, as text: quantities, hours, prices of a unit."""
        shape = rf"\d{{1,9}}(\.\d{{1,{decimals}}})?"
        return self._parsed(
            key, name, need, lambda t: strict_number(t, shape), 'a plain number like "9.5", not below zero'
        )

    def share(self, key: str, name: str) -> Decimal | None:
        """A plain number from 0 through 1, as text."""
        share = self._parsed(key, name, False, strict_percent, 'a plain number like "0.08"')
        if share is not None and share > 1:
            self.fault(key, f"{name} is from 0 through 1.")
            return None
        return share

    def amount(self, key: str, name: str, currency: str | None, need: bool = False) -> int | None:
        text = self.text(key, name, need)
        if text is None or currency is None:
            return None
        try:
            return parse_amount(text, currency)
        except ValueError as error:
            self.fault(key, str(error))
            return None

    def currency(self) -> str | None:
        text = self.text("currency", "The currency", need=True)
        try:
            if text is not None:
                digits_of(text)
        except ValueError as error:
            self.fault("currency", str(error))
            return None
        return text

    def zone(self) -> ZoneInfo | None:
        text = self.text("time_zone", "The time zone", need=True)
        if text is None:
            return None
        if text not in ZONES:
            self.fault("time_zone", f'"{text}" is not a time zone, like America/New_York.')
            return None
        return ZoneInfo(text)

    def rows(self, key: str, name: str, keys: str, most: int = 1000) -> list[Reader]:
        values = self.take(key, list, False, name) or []
        if len(values) > most:
            self.fault(key, f"{name} has more than {most} entries.")
            return []
        return [Reader(v, f"{self.at}/{key}/{i}", self.faults, keys) for i, v in enumerate(values)]

    def inner(self, key: str, name: str, keys: str) -> Reader | None:
        if not self.has(key):
            self.fault(key, f"{name} is missing.")
            return None
        return Reader(self.value[key], f"{self.at}/{key}", self.faults, keys)

    def one_of(self, names: tuple[str, ...], need: bool, what: str) -> str | None:
        """The single key given of several that exclude each other."""
        given = [n for n in names if self.has(n) and self.value[n] is not False]
        if len(given) > 1:
            self.fault(given[1], f"{what} takes only one of {', '.join(names)}.")
        elif not given and need:
            self.fault("", f"{what} needs one of {', '.join(names)}.")
        return given[0] if given else None


def strict_date(text: str) -> date:
    if not re.fullmatch(r"\d{4}-\d{2}-\d{2}", text, re.ASCII):
        raise ValueError(text)
    return date.fromisoformat(text)


def strict_time(text: str) -> time:
    if not re.fullmatch(r"\d{2}:\d{2}(:\d{2})?", text, re.ASCII):
        raise ValueError(text)
    return time.fromisoformat(text)


def strict_moment(text: str, zone: ZoneInfo | None) -> datetime:
    """A moment with an offset, or local time in the zone (of a doubled hour, the first)."""
    moment = datetime.fromisoformat(text)
    if "T" not in text and " " not in text:
        raise ValueError(text)
    if moment.tzinfo is None:
        return moment_of(moment.date(), moment.time(), zone or ZoneInfo("UTC"))
    return moment.astimezone(UTC)


def strict_number(text: str, shape: str) -> Decimal:
    if not re.fullmatch(shape, text, re.ASCII):
        raise ValueError(text)
    return Decimal(text)


def strict_percent(text: str) -> Decimal:
    if not re.fullmatch(r"\d{1,3}(\.\d{1,6})?", text, re.ASCII):
        raise ValueError(text)
    return Decimal(text)

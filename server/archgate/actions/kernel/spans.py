"""Slices of tables by id, for work that goes through all rows without holding up anybody."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import ColumnElement
from sqlalchemy.orm import InstrumentedAttribute


@dataclass(frozen=True)
class Span:
    """The ids after one and up to another, that one included."""

    after: int
    last: int

    def holds(self, key: InstrumentedAttribute[int]) -> ColumnElement[bool]:
        return (key > self.after) & (key <= self.last)


ALL = Span(0, 2**62)

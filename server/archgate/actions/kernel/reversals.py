"""How acts are undone that are not put back row by row: each group registers the reversals of its own acts.

A reversal takes the unit of work and the change to take back. It raises a conflict that names what has moved on since.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.tables.log import Change

Reversal: TypeAlias = Callable[[UnitOfWork, Change], None]
REVERSALS: dict[Act, Reversal] = {}


def reverses(*acts: Act) -> Callable[[Reversal], Reversal]:
    """Register a function as the reversal of acts."""

    def register(reversal: Reversal) -> Reversal:
        for act in acts:
            if act in REVERSALS:
                raise ValueError(f"{act} has a reversal already.")
            REVERSALS[act] = reversal
        return reversal

    return register

"""Turns: those who are about to lock the same run take their turn inside one process first.

The lock in the database decides who comes first; this only keeps a rush from being slowed down by its own waiting. A
process in which thirty threads wait for one row answers fewer of them: whoever has the lock gets Python's own lock
back only after the others had it.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock
from weakref import WeakValueDictionary

from archgate.actions.kernel.unit_of_work import Sessions

PATIENCE = 5.0  # seconds; the database waits as long for a lock


class Turn:
    """Whose turn it is with one run; kept as long as somebody waits."""

    def __init__(self) -> None:
        self.lock = Lock()


TURNS: WeakValueDictionary[tuple[int, int], Turn] = WeakValueDictionary()
GUARD = Lock()


@contextmanager
def turn_with(sessions: Sessions, run_id: int) -> Iterator[None]:
    """Wait for one's turn with a run; who has waited long enough goes on without, and waits for the lock itself."""
    with GUARD:
        turn = TURNS.setdefault((id(sessions), run_id), Turn())
    ours = turn.lock.acquire(timeout=PATIENCE)
    try:
        yield
    finally:
        if ours:
            turn.lock.release()

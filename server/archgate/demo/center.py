"""The made-up center at work: its people act on a day, at an hour, as people do."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time
from typing import Concatenate, ParamSpec, TypeVar
from zoneinfo import ZoneInfo

from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, act, read_only
from archgate.tables.access import User

P = ParamSpec("P")
T = TypeVar("T")
PASSWORD = "lime and stone"
ZONE = "America/New_York"


@dataclass
class Center:
    """The script at work: who acts, on which day, with the seeded choices."""

    sessions: Sessions
    today: date
    quick: bool
    users: list[User] = field(default_factory=list)
    chance: random.Random = field(default_factory=lambda: random.Random(20270519))
    day: date = date.min
    password: str = PASSWORD

    def at(self, hour: float) -> datetime:
        minutes = int(hour * 60)
        local = datetime.combine(self.day, time(minutes // 60, minutes % 60), ZoneInfo(ZONE))
        return local.astimezone(UTC)

    def act(
        self,
        hour: float,
        action: Callable[Concatenate[UnitOfWork, P], T],
        /,
        *args: P.args,
        **more: P.kwargs,
    ) -> T:
        """Somebody of the staff acts at an hour of the day."""
        user = self.users[self.chance.randrange(len(self.users))]
        return act(self.sessions, lambda uow: action(uow, *args, **more), user, at=self.at(hour))

    def read(
        self,
        hour: float,
        reading: Callable[Concatenate[UnitOfWork, P], T],
        /,
        *args: P.args,
        **more: P.kwargs,
    ) -> T:
        return read_only(
            self.sessions, lambda uow: reading(uow, *args, **more), self.users[0], at=self.at(hour)
        )

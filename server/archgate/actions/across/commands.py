"""Reminders as forms send them, and what a screen asks about."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from archgate.actions.kernel.commands import Command, Day, Flag, Id, Why


class About(Command):
    """What a reminder is about: at most one of these."""

    run_id: Id | None = None
    person_id: Id | None = None
    course_id: Id | None = None
    account_id: Id | None = None

    @property
    def named(self) -> dict[str, int]:
        return {n: v for n in About.model_fields if (v := getattr(self, n)) is not None}


class RemindCommand(About):
    """`user_id`: in whose list, one's own unless said otherwise."""

    day: Day = Field(title="The day")
    text: Why = Field(title="What to think of")
    user_id: Id | None = None


class SettleReminderCommand(Command):
    """Tick it off, take that back, or put it off to another day."""

    done: Flag | None = None
    day: Day | None = Field(None, title="The day")


class PulseCommand(Command):
    """The newest change the screen knows, and the run it shows, if one."""

    seen: Annotated[int, Field(strict=True, ge=0)] = 0
    run_id: Id | None = None


class RunsWanted(BaseModel):
    """Which runs a list shows: by words, status, sign-up and teaching, and that meet, or are between first and last meeting,
    on a day from `since` through `until`. `after` is the cursor of the page before."""

    model_config = ConfigDict(frozen=True)
    q: str = ""
    status: str = ""
    sign_up: str = ""
    teaching: str = ""
    after: str = ""
    limit: int = 30
    since: date | None = None
    until: date | None = None

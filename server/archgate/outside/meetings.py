"""Online meetings: the interface, and the stand-in that makes a link and a host key.

The stand-in is busy on the first try for one key in three, and gives the same link for the same key ever after.
"""

from __future__ import annotations

import hashlib
from typing import Protocol

from sqlalchemy.orm import Session, sessionmaker

from archgate.outside.mail import Trouble, digest
from archgate.tables.messages import MeetingStandIn


class Meetings(Protocol):
    def make(self, key: str) -> tuple[str, str]: ...


class StandInMeetings:
    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions

    def make(self, key: str) -> tuple[str, str]:
        """The link and the host key of a meeting."""
        with self.sessions.begin() as session:
            row = session.get(MeetingStandIn, key, with_for_update=True)
            if row is None:
                name = hashlib.sha256(key.encode()).hexdigest()
                link = f"https://meet.example.org/{name[:4]}-{name[4:8]}-{name[8:12]}"
                row = MeetingStandIn(
                    key=key, link=link, host_key=f"{int(name[12:20], 16) % 1_000_000:06d}", tries=0
                )
                session.add(row)
            row.tries += 1
            busy = row.tries == 1 and digest(key) % 3 == 0
            made = row.link, row.host_key
        if busy:
            raise Trouble("The meeting service is busy.")
        return made

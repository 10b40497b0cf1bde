"""Sending mail: the interface, and the stand-in that takes letters instead of a mail service.

The service is asked at least once and takes each key once. The stand-in refuses addresses at refused.example.org for
good, and letters to later.example.org until they are asked for a third time.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Protocol

from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import system_now
from archgate.tables.messages import MailStandIn


class Trouble(Exception):
    """The outside could not do it; `for_good` when asking again is of no use."""

    def __init__(self, said: str, for_good: bool = False) -> None:
        self.said, self.for_good = said, for_good
        super().__init__(said)


@dataclass(frozen=True)
class Mailing:
    """A letter as a mail service takes it: plain text and HTML, and the file that goes with it, its name first."""

    to: str
    subject: str
    text: str
    html: str
    paper: tuple[str, bytes] | None = None


class Mail(Protocol):
    def send(self, key: str, mailing: Mailing, tries: int) -> None: ...


class StandInMail:
    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions

    def send(self, key: str, mailing: Mailing, tries: int) -> None:
        paper = mailing.paper
        where = mailing.to.rpartition("@")[2].lower()
        if where == "refused.example.org":
            raise Trouble("The address is refused.", for_good=True)
        if where == "later.example.org" and tries < 3:
            raise Trouble("The mail service is busy.")
        with self.sessions.begin() as session:
            letter = {"key": key, "to_email": mailing.to, "subject": mailing.subject, "body": mailing.text,
                      "html": mailing.html, "at": system_now(), "attached": paper[0] if paper else "", "attached_size": len(paper[1]) if paper else 0}  # fmt: skip
            statement = insert(MailStandIn).values(letter)
            session.execute(statement.on_duplicate_key_update(key=MailStandIn.key))


def digest(text: str) -> int:
    return int(hashlib.sha256(text.encode()).hexdigest()[:8], 16)

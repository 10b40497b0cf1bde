"""Taking payment details: the interface, and the stand-in for a payment service.

The payer gives the details to the service, never to us; what comes back is a token and words for people. The stand-in
makes both up from the stable key, and gives the same for the same key ever after.
"""

from __future__ import annotations

import hashlib
from typing import Protocol

from sqlalchemy.orm import Session, sessionmaker

from archgate.clock import system_now
from archgate.tables.money import PaymentStandIn


class Payments(Protocol):
    def take_details(self, key: str, holder: str) -> tuple[str, str]: ...


class StandInPayments:
    def __init__(self, sessions: sessionmaker[Session]) -> None:
        self.sessions = sessions

    def take_details(self, key: str, holder: str) -> tuple[str, str]:
        """The token of a payer's details and the words by which people know them."""
        with self.sessions.begin() as session:
            row = session.get(PaymentStandIn, key, with_for_update=True)
            if row is None:
                name = hashlib.sha256(key.encode()).hexdigest()
                words = f"practice card of {holder}, ending in {int(name[:6], 16) % 100:02d}"
                row = PaymentStandIn(
                    key=key,
                    token=f"details-{name[:32]}",
                    holder=holder[:200],
                    words=words[:200],
                    at=system_now(),
                )
                session.add(row)
            return row.token, row.words

"""Money by card: how a payment goes on, and when a refused one is tried again.

A payment is begun by us, authorized by the payer on the service's page, and captured by us, so that nobody is charged for what is
no longer wanted. What the service says may come twice, late and in any order: a status only ever moves forward, and what was
captured is booked whatever we thought of it.
"""

from __future__ import annotations

from datetime import date, timedelta

from archgate.core.states import CardStatus, ServiceStatus

OVER = frozenset(
    (CardStatus.DONE, CardStatus.REFUSED, CardStatus.RELEASED, CardStatus.EXPIRED, CardStatus.UNKNOWN)
)
PAUSES = (3, 4)  # days after a first and a second refusal


def next_status(status: CardStatus, found: ServiceStatus, wanted: bool) -> CardStatus:
    """Where a payment stands once the service was asked. `wanted`: what it is for is still owed, or its seat still held.

    Money that moved is done, whatever was thought before. An authorized sum is captured if it is wanted, else released; once begun
    that is not turned round. A payment that is over stays over. Source: the order of authorization and capture is common practice,
    no source.

    >>> next_status(CardStatus.OPEN, ServiceStatus.AUTHORIZED, wanted=False)
    <CardStatus.RELEASING: 'releasing'>
    """
    if found is ServiceStatus.CAPTURED:
        return CardStatus.DONE
    if status in OVER:
        return status
    if found is ServiceStatus.OPEN:
        return CardStatus.OPEN if status is CardStatus.BEGUN else status
    if found is ServiceStatus.AUTHORIZED:
        if status in (CardStatus.CAPTURING, CardStatus.RELEASING):
            return status
        return CardStatus.CAPTURING if wanted else CardStatus.RELEASING
    return {
        ServiceStatus.REFUSED: CardStatus.REFUSED,
        ServiceStatus.RELEASED: CardStatus.RELEASED,
        ServiceStatus.EXPIRED: CardStatus.EXPIRED,
    }[found]


def makes_firm(due: bool, waits_for_card: bool, left: int) -> bool:
    """Whether a held seat is firm: nothing that is due by today is open of its sign-up, and it waits for no payment details; or nothing
    is open of it at all (`left` in smallest units). Source: common practice, no source.

    >>> makes_firm(due=False, waits_for_card=True, left=21000), makes_firm(due=False, waits_for_card=True, left=0)
    (False, True)
    """
    return not left or not (due or waits_for_card)


def next_try(refusals: int, day: date) -> date | None:
    """The day on which a charge that was refused on `day`, for the so-many-th time, is tried again by itself; None: no more, people
    look after it. Three and then four days later. Source: common practice, no source.

    >>> next_try(1, date(2027, 9, 1)), next_try(3, date(2027, 9, 8))
    (datetime.date(2027, 9, 4), None)
    """
    if not 1 <= refusals <= len(PAUSES):
        return None
    return day + timedelta(days=PAUSES[refusals - 1])

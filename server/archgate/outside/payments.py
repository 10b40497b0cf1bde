"""Money by card: the interface to a payment service, and the client that speaks it over HTTP.

Payers give their card to the service's own page, never to us; what comes back is a token and words for people. Everything that
is asked for carries a key of ours, under which the service does it once, however often it is asked. What became of it is always
asked of the service (`found`): a notice says only that there is something to ask about, so doubled, late and reordered ones do no
harm. The stand-in (`outside.card_service`) is such a service, in a process of its own; a real one needs another client only.
"""

from __future__ import annotations

import hmac
from http import HTTPStatus
from typing import Protocol, TypeVar

import httpx
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from archgate.core.states import ServiceStatus
from archgate.outside.mail import Trouble
from archgate.outside.webhooks import signature_of
from archgate.settings import Settings

R = TypeVar("R", bound=BaseModel)
WAIT = 5.0  # seconds for an answer; a charge that was not answered is asked about again
TOLERANCE = (
    300  # seconds that the time of a notice may be off, as the Standard Webhooks specification advises
)


class Found(BaseModel):
    """A payment as the service has it: sums in smallest units, `fee` what the service keeps of it, `token` and `words` of details that
    are kept on file, `said` why a card was refused."""

    model_config = ConfigDict(frozen=True)
    key: str
    status: ServiceStatus
    amount: int
    currency: str
    fee: int = 0
    page: str = ""
    token: str = ""
    words: str = ""
    said: str = ""


class PaidBack(BaseModel):
    """What came of a refund: done, or refused with a sentence."""

    model_config = ConfigDict(frozen=True)
    key: str
    done: bool
    said: str = ""


class PageAsk(BaseModel):
    """What a hosted page is for. An amount of zero takes payment details only; `keep` keeps them for later charges; `back` is where the
    payer returns to."""

    model_config = ConfigDict(frozen=True)
    amount: int = Field(ge=0)
    currency: str
    words: str
    keep: bool
    back: str


class ChargeAsk(BaseModel):
    """A charge of details on file."""

    model_config = ConfigDict(frozen=True)
    token: str
    amount: int = Field(gt=0)
    currency: str
    words: str


class RefundAsk(BaseModel):
    model_config = ConfigDict(frozen=True)
    payment: str
    amount: int = Field(gt=0)


class Cards(Protocol):
    """A payment service. Each raises Trouble when it does not answer, or cannot do what is asked."""

    def open_page(self, key: str, ask: PageAsk) -> Found: ...

    def charge(self, key: str, ask: ChargeAsk) -> Found: ...

    def found(self, key: str) -> Found: ...

    def capture(self, key: str) -> Found: ...

    def release(self, key: str) -> Found: ...

    def refund(self, key: str, ask: RefundAsk) -> PaidBack: ...


class CardsByHttp:
    """The payment service as it is asked over HTTP."""

    def __init__(self, client: httpx.Client) -> None:
        self.client = client

    def open_page(self, key: str, ask: PageAsk) -> Found:
        return self._found("PUT", f"/v1/payments/{key}", ask)

    def charge(self, key: str, ask: ChargeAsk) -> Found:
        return self._found("PUT", f"/v1/charges/{key}", ask)

    def found(self, key: str) -> Found:
        return self._found("GET", f"/v1/payments/{key}")

    def capture(self, key: str) -> Found:
        return self._found("POST", f"/v1/payments/{key}/capture")

    def release(self, key: str) -> Found:
        return self._found("POST", f"/v1/payments/{key}/release")

    def refund(self, key: str, ask: RefundAsk) -> PaidBack:
        return self._read(PaidBack, self._asked("PUT", f"/v1/refunds/{key}", ask))

    def _found(self, method: str, path: str, body: BaseModel | None = None) -> Found:
        return self._read(Found, self._asked(method, path, body))

    def _asked(self, method: str, path: str, body: BaseModel | None) -> bytes:
        headers = {"Content-Type": "application/json"}
        content = body.model_dump_json() if body else None
        try:
            response = self.client.request(method, path, content=content, headers=headers)
        except httpx.HTTPError as error:
            raise Trouble(f"The payment service does not answer ({type(error).__name__}).") from None
        if response.status_code == HTTPStatus.NOT_FOUND:
            raise Unheard("The payment service has not heard of this.", for_good=True)
        if response.is_server_error or response.status_code == HTTPStatus.TOO_MANY_REQUESTS:
            raise Trouble("The payment service is busy.")
        if not response.is_success:
            raise Trouble(
                f"The payment service refuses what it was asked ({response.status_code}).", for_good=True
            )
        return response.content

    def _read(self, kind: type[R], content: bytes) -> R:
        try:
            return kind.model_validate_json(content)
        except ValidationError:
            raise Trouble("The payment service answered something else than it should.") from None


class Unheard(Trouble):
    """The service knows nothing of a key: what was asked for never reached it."""


def cards_of(settings: Settings) -> Cards | None:
    """The payment service that the settings name; None where cards are not taken."""
    if not settings.payments:
        return None
    headers = {"Authorization": f"Bearer {settings.payments_key}"}
    return CardsByHttp(httpx.Client(base_url=settings.payments, headers=headers, timeout=WAIT))


def is_genuine(secret: str, number: str, timestamp: str, signatures: str, body: str, now: float) -> bool:
    """Whether a notice comes from the service: its signature is right, and it was signed at about this time.

    The header may hold several signatures with spaces between them; only those of version 1 are looked at. Source: the Standard
    Webhooks specification, "Verifying webhook authenticity", from memory.
    """
    if not timestamp.isascii() or not timestamp.isdigit() or abs(now - int(timestamp[:15])) > TOLERANCE:
        return False
    right = signature_of(secret, number, int(timestamp[:15]), body)
    return any(hmac.compare_digest(right.encode(), given.encode()) for given in signatures.split()[:5])

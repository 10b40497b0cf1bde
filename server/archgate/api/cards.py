"""Payments by card: begun by payers and staff, and the notices of the payment service."""

from __future__ import annotations

import time

import orjson
from fastapi import Depends, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field, ValidationError

from archgate.actions.access import own_acts, staff
from archgate.actions.access.staff import User
from archgate.actions.kernel import signing
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork, act, read_only
from archgate.actions.kernel.views import Done
from archgate.actions.money import asking, card_charges, card_views, cards
from archgate.actions.money.commands import ChargeCommand, PayByCardCommand
from archgate.actions.money.views import CardBegun, CardPaymentList, CardSeen, PayLinkSent, ToPay
from archgate.api.own_pages import person_of
from archgate.api.web import Subject, Token, address_of, may, once, run_act, run_read
from archgate.outside.payments import Cards, is_genuine

router = Subject(tags=["cards"])
MOST_BEGUN = 300  # payments begun from one address in a quarter of an hour
LARGEST_NOTICE = 16 * 1024


class NoticeData(BaseModel):
    key: str = Field(max_length=80)


class Notice(BaseModel):
    """What of a notice counts: which payment it is about. What became of it is asked."""

    data: NoticeData


def service_of(request: Request) -> Cards:
    service: Cards | None = request.app.state.cards
    if service is None:
        raise conflict("no-cards", "No payment service is set up, so cards are not taken.")
    return service


def here(request: Request) -> str:
    """Where whoever asks finds us, for the way back from the payment service's page."""
    return signing.address() or str(request.base_url).rstrip("/")


def limited(request: Request, what: str) -> None:
    """Count a payment that somebody outside begins."""
    limits = [(staff.count_key("pay", what, address_of(request)), MOST_BEGUN)]
    act(request.app.state.sessions, lambda uow: staff.take_attempt(uow, limits))


def to_page(request: Request, key: str) -> CardBegun:
    """Lead to the service's page: it is opened now, or was before. Where the service does not answer, whoever waits may try again."""
    sessions, service = request.app.state.sessions, service_of(request)
    number = act(sessions, lambda uow: cards.taken_up(uow, key, f"{here(request)}/paid/{key}"))
    asking.soon(sessions, service, number)
    begun = read_only(sessions, lambda uow: card_views.begun(uow, number))
    if not begun.page and not begun.said:
        raise Problem(
            503,
            "service",
            "The payment service does not answer just now; nothing was charged. Try again in a moment.",
        )
    return begun


# --- by payers ------------------------------------------------------------------------------------------------


@router.get("/card-payments/{token}")
def card_payment(token: Token, request: Request) -> CardSeen:
    """How a payment stands, for whoever has its key; what the service has meanwhile settled is asked for."""
    sessions = request.app.state.sessions
    number = read_only(sessions, lambda uow: cards.to_ask(uow, token))
    if number is not None:
        asking.soon(sessions, service_of(request), number)
    return read_only(sessions, lambda uow: card_views.seen(uow, token))


@router.post("/card-payments/{token}/page")
def open_card_page(token: Token, request: Request) -> CardBegun:
    """Take up a payment that was prepared, as a sign-up does: the address of the page on which the card is given."""
    limited(request, "page")
    return to_page(request, token)


@router.get("/pay-links/{token}")
def pay_link(token: Token, request: Request) -> ToPay:
    """What is behind a link to pay."""
    return read_only(
        request.app.state.sessions, lambda uow: card_views.to_pay(uow, cards.account_behind(uow, token))
    )


@router.post("/pay-links/{token}", status_code=201)
def pay_by_link(
    token: Token, body: PayByCardCommand, request: Request, key: Once | None = Depends(once)
) -> CardBegun:
    """Pay by a link, on the service's page."""
    limited(request, "link")
    begun = act(
        request.app.state.sessions,
        lambda uow: card_views.pay(uow, cards.account_behind(uow, token), body, own=False).key,
        once=key,
    )
    return to_page(request, begun)


@router.post("/own/payments", status_code=201)
def own_payment(body: PayByCardCommand, request: Request, key: Once | None = Depends(once)) -> CardBegun:
    """Pay what one owes, on the service's page or from what is on file."""
    limited(request, "own")
    begun = act(
        request.app.state.sessions,
        lambda uow: own_acts.pay(uow, person_of(uow, request), body).key,
        once=key,
    )
    return to_page(request, begun)


# --- by staff -------------------------------------------------------------------------------------------------


@router.get("/card-payments")
def list_card_payments(request: Request, user: User = Depends(may("read"))) -> CardPaymentList:
    """Charges that were refused, of those who still owe."""
    return run_read(request, user, card_views.refused)


@router.post("/accounts/{account_id}/card-details", status_code=201)
def take_card_details(
    account_id: int, request: Request, user: User = Depends(may("enroll")), key: Once | None = Depends(once)
) -> CardBegun:
    """Open the service's page on which a payer's details are given for later charges; nothing is charged."""
    begun = run_act(
        request, user, lambda uow: cards.details_asked(uow, account_id, here(request)).key, once=key
    )
    return to_page(request, begun)


@router.delete("/accounts/{account_id}/card-details")
def end_card_details(account_id: int, request: Request, user: User = Depends(may("take money"))) -> Done:
    """Charge details on file no more."""
    return run_act(request, user, lambda uow: Done(change=card_charges.end_details(uow, account_id)))


@router.post("/accounts/{account_id}/card-charges", status_code=201)
def charge_card(
    account_id: int,
    body: ChargeCommand,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> CardBegun:
    """Charge what is on file; what does not answer now is settled by the worker."""
    number = run_act(
        request, user, lambda uow: card_charges.charge_on_file(uow, account_id, body).id, once=key
    )
    asking.soon(request.app.state.sessions, service_of(request), number)
    return run_read(request, user, lambda uow: card_views.begun(uow, number))


@router.post("/accounts/{account_id}/pay-link", status_code=202)
def send_pay_link(
    account_id: int,
    request: Request,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> PayLinkSent:
    """Write to a payer with a link to pay what is open by card."""
    return run_act(request, user, lambda uow: cards.send_link(uow, account_id), once=key)


# --- by the payment service -----------------------------------------------------------------------------------


@router.post(
    "/payment-notices",
    status_code=204,
    response_class=Response,
    openapi_extra={
        "requestBody": {"content": {"application/json": {"schema": {"type": "object"}}}, "required": True}
    },
)
async def payment_notice(request: Request) -> Response:
    """A notice of the payment service, signed as Standard Webhooks has it. It is only taken as word that there is something to ask."""
    secret = request.app.state.settings.payments_secret
    body = await request.body()
    headers = request.headers
    number = headers.get("webhook-id", "")
    if len(body) > LARGEST_NOTICE or not secret or not number.isascii() or not 1 <= len(number) <= 60:
        raise Problem(401, "signature", "This notice is not signed by the payment service.")
    signed = headers.get("webhook-timestamp", ""), headers.get("webhook-signature", "")[:1000]
    if not is_genuine(secret, number, *signed, body.decode(errors="replace"), time.time()):
        raise Problem(401, "signature", "This notice is not signed by the payment service.")
    try:
        notice = Notice.model_validate(orjson.loads(body))
    except (ValidationError, orjson.JSONDecodeError):
        raise Problem(422, "notice", "This notice is not in the shape expected.") from None
    sessions = request.app.state.sessions

    def taking(uow: UnitOfWork) -> None:
        cards.noticed(uow, number, notice.data.key)

    await run_in_threadpool(act, sessions, taking)
    return Response(status_code=204)

"""The stand-in over HTTP: what the center asks, with its key, and the pages on which payers give their card."""

from __future__ import annotations

import hmac
import random
import secrets
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import httpx
from fastapi import Depends, FastAPI, Form, Header, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from sqlalchemy.orm import Session, sessionmaker

from archgate.core.money import format_amount
from archgate.core.states import ServiceStatus
from archgate.outside.card_service import rules
from archgate.outside.card_service.rules import Treatment, Weather
from archgate.outside.card_service.service import CardService, Other
from archgate.outside.payments import ChargeAsk, Found, PageAsk, PaidBack, RefundAsk

PAGES = Environment(loader=FileSystemLoader(Path(__file__).parent), undefined=StrictUndefined, autoescape=True,
                    trim_blocks=True, lstrip_blocks=True)  # fmt: skip
SLOW = 3.0  # seconds that a slow card takes
SILENCE = 8.0  # seconds without an answer, more than anybody waits
CHECK_CODE = "2718"  # what the further check asks for, and its page says
LARGEST_BODY = 8 * 1024
Text = Annotated[str, Form(max_length=200)]


def create_service(
    sessions: sessionmaker[Session], key: str, secret: str, here: str, weather: Weather | None = None,
    pause: Callable[[float], None] = time.sleep,
) -> FastAPI:  # fmt: skip
    """The stand-in as an application. `key` is what the center shows when it asks, `pause` how time passes (none in tests)."""
    service = CardService(sessions, secret, here, weather or Weather())
    app = FastAPI(title="Practice payments", openapi_url=None, docs_url=None, redoc_url=None)
    app.state.service = service

    @app.middleware("http")
    async def guard(request: Request, call_next):  # type: ignore[no-untyped-def]  # the framework's own type is not public
        length = request.headers.get("content-length", "0")
        if not length.isdigit() or int(length[:12]) > LARGEST_BODY:
            return Response("Too large.", 413)
        nonce = secrets.token_urlsafe(12)
        request.state.nonce = nonce
        response = await call_next(request)
        response.headers["Content-Security-Policy"] = (
            f"default-src 'none'; style-src 'nonce-{nonce}'; form-action 'self' http: https:; base-uri 'none'; frame-ancestors 'none'"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["Cache-Control"] = "no-store"
        return response

    def by_center(authorization: Annotated[str, Header()] = "") -> None:
        if not hmac.compare_digest(authorization.encode(), f"Bearer {key}".encode()):
            raise HTTPException(401, "This key is not known.")
        if service.weather.strikes(0.4):
            raise HTTPException(503, "Busy; nothing was done.")

    def told(key: str, found: Found | None, done: bool = False) -> Found:
        """The answer, or none at all: some cards and some weather charge without a word."""
        if found is None:
            raise HTTPException(404, "This key is not known.")
        treatment = service.treatment_of(key)
        if done and (treatment == Treatment.UNANSWERED or service.weather.strikes(0.4)):
            pause(SILENCE)
            raise HTTPException(504, "No answer.")
        if done and treatment == Treatment.SLOW:
            pause(SLOW)
        return found

    asked = [Depends(by_center)]

    @app.exception_handler(Other)
    def on_other(request: Request, error: Exception) -> Response:
        return Response(str(error), 409, media_type="text/plain")

    @app.put("/v1/payments/{key}", dependencies=asked)
    def open_page(key: str, ask: PageAsk) -> Found:
        return told(key, service.open_page(key, ask))

    @app.get("/v1/payments/{key}", dependencies=asked)
    def found(key: str) -> Found:
        return told(key, service.found(key))

    @app.post("/v1/payments/{key}/capture", dependencies=asked)
    def capture(key: str) -> Found:
        return told(key, service.capture(key), done=True)

    @app.post("/v1/payments/{key}/release", dependencies=asked)
    def release(key: str) -> Found:
        return told(key, service.release(key))

    @app.put("/v1/charges/{key}", dependencies=asked)
    def charge(key: str, ask: ChargeAsk) -> Found:
        return told(key, service.charge(key, ask), done=True)

    @app.put("/v1/refunds/{key}", dependencies=asked)
    def refund(key: str, ask: RefundAsk) -> PaidBack:
        done = service.refund(key, ask)
        if done is None:
            raise HTTPException(404, "This key is not known.")
        return done

    # --- pages ------------------------------------------------------------------------------------------------

    def shown(request: Request, page: str, said: str = "", number: str = "", holder: str = "", status: int = 200) -> Response:  # fmt: skip
        payment = service.page(page)
        template = PAGES.get_template("page.html")
        html = template.render(
            nonce=request.state.nonce, payment=payment, said=said or (payment.said if payment else ""), number=number,
            holder=holder, check=service.waits_for_check(page), code=CHECK_CODE, back=service.back_of(page), at=f"/pay/{page}",
            amount=f"{payment.currency} {format_amount(payment.amount, payment.currency)}" if payment else "",
            words=service.words_of(page),
            numbers=[(rules.spaced(n), t) for n, t in rules.NUMBERS.items()],
        )  # fmt: skip
        return HTMLResponse(html, status if payment else 404)

    def leads_on(page: str, found: Found | None) -> Response:
        """Back to the center once a card was accepted, else to the page itself: a reload sends nothing twice."""
        done = found is not None and found.status in (ServiceStatus.AUTHORIZED, ServiceStatus.CAPTURED)
        return RedirectResponse(service.back_of(page) if done else f"/pay/{page}", 303)

    @app.get("/pay/{page}")
    def see_page(page: str, request: Request) -> Response:
        return shown(request, page)

    @app.post("/pay/{page}")
    def pay(page: str, request: Request, number: Text = "", holder: Text = "") -> Response:
        fault = rules.number_fault(number) or ("" if holder.strip() else "The name on the card is missing.")
        if fault:
            return shown(request, page, fault, number, holder, 422)
        found = service.given(page, number, holder.strip())
        if found is not None and service.treatment_of(found.key) == Treatment.SLOW:
            pause(SLOW)
        return leads_on(page, found)

    @app.post("/pay/{page}/check")
    def check(page: str, code: Text = "") -> Response:
        return leads_on(page, service.checked(page, code.strip() == CHECK_CODE))

    return app


def keep_sending(service: CardService, notify: str) -> None:
    """Send notices to the center for as long as the process lives."""

    def post(body: str, headers: dict[str, str]) -> bool:
        try:
            return client.post(notify, content=body, headers=headers).is_success
        except httpx.HTTPError:
            return False

    def work() -> None:
        while True:
            try:
                service.send_due(post)
            except Exception:  # the database is away, say: it comes back
                time.sleep(1)
            time.sleep(0.2)

    client = httpx.Client(timeout=5)
    threading.Thread(target=work, daemon=True).start()


def weather_of(share: float, seed: int) -> Weather:
    return Weather(share, random.Random(seed))

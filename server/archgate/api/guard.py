"""What stands before every request: hosts and origins, sizes and times, security headers, and a sentence in trouble.

Plain ASGI, so that it sees a body as it arrives and answers a crash too. No request is held for longer than the
database may be silent: while it does not answer, requests for data are told so at once, and pages go on.
"""

from __future__ import annotations

import asyncio
import secrets
import time
from urllib.parse import urlsplit
from weakref import WeakKeyDictionary

import structlog
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from archgate.actions.kernel.unit_of_work import is_database_trouble
from archgate.api import web
from archgate.settings import Settings

App = ASGIApp

LARGEST_BODY = 12 * 1024 * 1024
CHUNK_WAIT = 10.0  # seconds between two pieces of a body
BODY_WAIT = 60.0  # seconds for a whole body
SLOTS = (
    36  # requests for data under way in one process; fewer than the threads there are, and than connections
)
SLOT_WAIT = 7.0  # seconds that a request waits for its turn
DATA = ("/api/", "/catalog", "/sitemap.xml", "/robots.txt")  # addresses whose answers come from the database
SILENT = 3.0  # seconds for which a database that did not answer is not asked again
log = structlog.get_logger()


class Guard:
    def __init__(self, app: App, settings: Settings) -> None:
        self.app, self.settings = app, settings
        self.slots: WeakKeyDictionary[asyncio.AbstractEventLoop, asyncio.Semaphore] = WeakKeyDictionary()
        self.silent_until = 0.0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce
        path: str = scope["path"]
        extra = self.headers_for(path, nonce)
        begun = False

        async def sending(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                message["headers"] = [*message.get("headers", []), *extra]
            await send(message)

        async def answer(response: Response) -> None:
            await response(scope, receive, sending)

        refused = self.refused(scope)
        if refused is not None:
            await answer(refused)
            return
        try:
            if path.startswith(DATA):
                await self.in_turn(scope, bounded(receive), sending)
            else:
                await self.app(scope, bounded(receive), sending)
        except Exception as error:
            if begun:
                raise
            await answer(self.trouble(error, path))

    async def in_turn(self, scope: Scope, receive: Receive, sending: Send) -> None:
        """A request for data takes a turn of this process; while the database is silent none is given out."""
        slots = self.slots.setdefault(asyncio.get_running_loop(), asyncio.Semaphore(SLOTS))
        try:
            await asyncio.wait_for(slots.acquire(), SLOT_WAIT)
        except TimeoutError:
            raise Busy from None
        try:
            if time.monotonic() < self.silent_until:
                raise Busy
            await self.app(scope, receive, sending)
        finally:
            slots.release()

    def trouble(self, error: Exception, path: str) -> Response:
        if isinstance(error, Busy):
            return web.answer(503, "busy", web.NOT_ANSWERING)
        if is_database_trouble(error):
            log.warning("database", path=path, said=str(getattr(error, "orig", error))[:200])
            self.silent_until = time.monotonic() + SILENT
            return web.answer(503, "database", web.NOT_ANSWERING)
        if isinstance(error, OverflowError):
            return web.answer(422, "refused", "A date or a number in this goes beyond what can be counted.")
        log.exception("crash", path=path)
        response = web.answer(
            500, "crash", "Something went wrong on our side; nothing was saved. Please try again."
        )
        response.headers["Connection"] = "close"
        return response

    def refused(self, scope: Scope) -> Response | None:
        """What is answered without asking anybody: a wrong host, another origin, a body too large."""
        headers = Headers(raw=scope["headers"])
        host = headers.get("host", "")
        if not self.settings.serves(host):
            return web.answer(421, "other-host", "This server does not serve the address that was asked for.")
        if scope["method"] in ("GET", "HEAD", "OPTIONS"):
            return None
        origin = headers.get("origin")
        if origin is not None and netloc_of(origin) != host:
            return web.answer(403, "other-origin", "This request comes from another site.")
        if headers.get("sec-fetch-site") in ("cross-site", "same-site"):
            return web.answer(403, "other-origin", "This request comes from another site.")
        length = headers.get("content-length", "0")
        if not (length.isascii() and length.isdigit()) or int(length[:18]) > LARGEST_BODY:
            response = web.answer(413, "too-large", web.TOO_LARGE)
            response.headers["Connection"] = "close"
            return response
        return None

    def headers_for(self, path: str, nonce: str) -> list[tuple[bytes, bytes]]:
        headers = {
            "X-Content-Type-Options": "nosniff",
            "X-Frame-Options": "DENY",
            "Referrer-Policy": "same-origin",
            "Cross-Origin-Opener-Policy": "same-origin",
            "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
            "Content-Security-Policy": (
                f"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data:;"
                " font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
            ),
        }
        if self.settings.secure_cookie:
            headers["Strict-Transport-Security"] = "max-age=31536000"
        if path.startswith("/api/"):
            headers["Cache-Control"] = "no-store"
        return [(name.lower().encode(), value.encode()) for name, value in headers.items()]


class Busy(Exception):
    """No turn came in time, or the database was silent a moment ago."""


def netloc_of(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def bounded(receive: Receive) -> Receive:
    """A body piece by piece, refused once it is too large (also without a length said beforehand) or too slow."""
    got, since = 0, time.monotonic()
    over = False

    async def receiving() -> Message:
        nonlocal got, over
        if over:  # what comes after the body is a disconnect, for which one may wait
            return await receive()
        left = min(CHUNK_WAIT, BODY_WAIT - (time.monotonic() - since))
        try:
            message = await asyncio.wait_for(receive(), max(left, 0.01))
        except TimeoutError:
            raise HTTPException(408, web.TOO_SLOW, headers={"Connection": "close"}) from None
        if message["type"] == "http.request":
            got += len(message.get("body", b""))
            over = not message.get("more_body", False)
            if got > LARGEST_BODY:
                raise HTTPException(413, web.TOO_LARGE, headers={"Connection": "close"})
        return message

    return receiving

"""The web application: routers, problem documents, security headers and the front end's files."""

from __future__ import annotations

import secrets
from collections.abc import Awaitable, Callable
from pathlib import Path
from urllib.parse import urlsplit

import structlog
from fastapi import APIRouter, FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from sqlalchemy.orm import Session, sessionmaker
from starlette.exceptions import HTTPException

from archgate.actions.problems import Problem
from archgate.api import (
    access,
    accounts,
    bulk,
    calc,
    codes,
    courses,
    fees,
    interest,
    live,
    messages,
    own_pages,
    people,
    places,
    plans,
    roles,
    roster,
    schedule,
    seats,
    stock,
    web,
)
from archgate.core.faults import Refused
from archgate.settings import Settings

PREFIX = "/api/v1"
SUBJECTS = (
    access,
    courses,
    fees,
    plans,
    codes,
    stock,
    accounts,
    schedule,
    places,
    people,
    own_pages,
    roster,
    roles,
    interest,
    seats,
    bulk,
    messages,
    live,
    calc,
)
LARGEST_BODY = 12 * 1024 * 1024
log = structlog.get_logger()


def create_app(settings: Settings, sessions: sessionmaker[Session]) -> FastAPI:
    app = FastAPI(
        title="Arch Gate",
        version="1",
        description="Runs, seats, fees and rosters for people who administer training.",
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.settings, app.state.sessions = settings, sessions
    api = APIRouter(
        prefix=PREFIX,
        responses={
            code: {"model": web.ProblemOut, "content": {web.MEDIA: {}}, "description": web.TITLES[code]}
            for code in (401, 403, 404, 409, 422)
        },
    )
    for module in SUBJECTS:
        api.include_router(module.router)
    app.include_router(api)
    app.add_exception_handler(Refused, web.on_refused)
    app.add_exception_handler(Problem, web.on_problem)
    app.add_exception_handler(HTTPException, web.on_http)
    app.add_exception_handler(RequestValidationError, web.on_validation)
    app.add_exception_handler(Exception, web.on_crash)
    app.middleware("http")(guard)
    serve_front_end(app, settings.web)
    return app


def routes_of() -> list[tuple[str, APIRoute]]:
    """The API's own routes with their whole paths, for the tests that walk them."""
    return [
        (PREFIX + route.path, route)
        for module in SUBJECTS
        for route in module.router.routes
        if isinstance(route, APIRoute)
    ]


async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Refuse writes from other origins and oversized bodies; add the security headers to every answer."""
    request.state.nonce = secrets.token_urlsafe(16)
    response = refused(request) or await call_next(request)
    headers = response.headers
    headers["X-Content-Type-Options"] = "nosniff"
    headers["X-Frame-Options"] = "DENY"
    headers["Referrer-Policy"] = "same-origin"
    headers["Cross-Origin-Opener-Policy"] = "same-origin"
    headers["Permissions-Policy"] = "camera=(), microphone=(), geolocation=()"
    headers["Content-Security-Policy"] = (
        f"default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{request.state.nonce}'; img-src 'self' data:;"
        " font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    )
    if request.url.path.startswith("/api/"):
        headers["Cache-Control"] = "no-store"
    return response


def refused(request: Request) -> Response | None:
    if request.method in ("GET", "HEAD", "OPTIONS"):
        return None
    origin = request.headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != request.headers.get("host"):
        return web.answer(403, "other-origin", "This request comes from another site.")
    if request.headers.get("sec-fetch-site") in ("cross-site", "same-site"):
        return web.answer(403, "other-origin", "This request comes from another site.")
    length = request.headers.get("content-length", "0")
    if not length.isdigit() or int(length) > LARGEST_BODY:
        return web.answer(413, "too-large", f"A file has at most {LARGEST_BODY // 1024 // 1024 - 2} MB.")
    return None


def serve_front_end(app: FastAPI, directory: Path) -> None:
    """The built front end; every address that is no file and no API is one of its pages."""
    index = directory / "index.html"
    if not index.exists():
        return
    app.mount("/assets", StaticFiles(directory=directory / "assets"), name="assets")
    page = index.read_text()

    @app.get("/{path:path}", include_in_schema=False)
    def front_end(path: str, request: Request) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404)
        file = (directory / path).resolve()
        if (
            path
            and file.is_file()
            and directory.resolve() in file.parents
            and file.suffix in (".svg", ".txt")
        ):
            media = "image/svg+xml" if file.suffix == ".svg" else "text/plain"
            return Response(file.read_bytes(), media_type=media)
        return HTMLResponse(
            page.replace("__NONCE__", request.state.nonce), headers={"Cache-Control": "no-cache"}
        )

"""The web application: routers, problem documents, security headers and the front end's files."""

from __future__ import annotations

import mimetypes
from pathlib import Path

from fastapi import APIRouter, FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse
from fastapi.routing import APIRoute
from sqlalchemy.orm import Session, sessionmaker
from starlette.exceptions import HTTPException

from archgate import logs
from archgate.actions.kernel.problems import Problem
from archgate.api import (
    access,
    accounts,
    attendance,
    bulk,
    calc,
    calls,
    cards,
    catalog,
    center,
    changes,
    codes,
    courses,
    enrollments,
    fees,
    guide,
    interest,
    jobs,
    live,
    many,
    messages,
    notices,
    offers,
    own_pages,
    pages,
    people,
    places,
    plans,
    preparing,
    reminders,
    roles,
    roster,
    roster_papers,
    runs,
    schedule,
    seats,
    sentences,
    staff,
    stock,
    teaching,
    teaching_own,
    teaching_papers,
    today,
    waitlist,
    web,
)
from archgate.api.guard import Guard
from archgate.api.web import PREFIX
from archgate.core.faults import Refused
from archgate.outside.payments import cards_of
from archgate.settings import Settings

SUBJECTS = (
    access,
    staff,
    courses,
    runs,
    schedule,
    notices,
    places,
    fees,
    guide,
    plans,
    codes,
    stock,
    enrollments,
    roster,
    roster_papers,
    many,
    roles,
    attendance,
    waitlist,
    offers,
    interest,
    seats,
    calls,
    center,
    people,
    own_pages,
    catalog,
    teaching,
    teaching_own,
    preparing,
    teaching_papers,
    accounts,
    cards,
    bulk,
    sentences,
    messages,
    reminders,
    today,
    jobs,
    changes,
    live,
    calc,
)


def create_app(settings: Settings, sessions: sessionmaker[Session]) -> FastAPI:
    logs.settle()
    app = FastAPI(
        title="Arch Gate",
        version="1",
        description="Runs, seats, fees and rosters for people who administer training.",
        openapi_url="/api/v1/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=lambda route: route.name,
    )
    app.state.settings, app.state.sessions, app.state.cards = settings, sessions, cards_of(settings)
    api = APIRouter(
        prefix=PREFIX,
        route_class=web.Route,
        responses={
            code: {"model": web.ProblemOut, "content": {web.MEDIA: {}}, "description": web.TITLES[code]}
            for code in (401, 403, 404, 409, 422)
        },
    )
    for module in SUBJECTS:
        api.include_router(module.router)
    app.include_router(api)
    app.include_router(pages.router)
    app.add_exception_handler(Refused, web.on_refused)
    app.add_exception_handler(Problem, web.on_problem)
    app.add_exception_handler(HTTPException, web.on_http)
    app.add_exception_handler(RequestValidationError, web.on_validation)
    app.add_middleware(Guard, settings=settings)
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


def serve_front_end(app: FastAPI, directory: Path) -> None:
    """The built front end, read once into memory: its files go on while the database does not. Every address that is no
    file and no API is one of its pages."""
    index = directory / "index.html"
    if not index.exists():
        return
    page = index.read_text()
    files = {
        f"/{file.relative_to(directory).as_posix()}": (file.read_bytes(), media_of(file))
        for file in directory.rglob("*")
        if file.is_file() and file != index and ".vite" not in file.parts
    }

    @app.get("/{path:path}", include_in_schema=False)
    async def front_end(path: str, request: Request) -> Response:
        if path.startswith("api/"):
            raise HTTPException(404)
        file = files.get(f"/{path}")
        if file is not None:
            kept = "public, max-age=31536000, immutable" if path.startswith("assets/") else "no-cache"
            return Response(file[0], media_type=file[1], headers={"Cache-Control": kept})
        if path.startswith("assets/"):
            raise HTTPException(404)
        return HTMLResponse(
            page.replace("__NONCE__", request.state.nonce), headers={"Cache-Control": "no-cache"}
        )


def media_of(file: Path) -> str:
    return mimetypes.guess_type(file.name)[0] or "application/octet-stream"

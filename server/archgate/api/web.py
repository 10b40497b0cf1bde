"""What every router uses: who asks, may they, the key that makes twice once, and problem documents."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Coroutine, Sequence
from datetime import timedelta
from enum import Enum
from functools import cached_property
from typing import Annotated, TypeVar
from urllib.parse import unquote

import orjson
from fastapi import APIRouter, Depends, Header, Path, Request, Response, params
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.routing import APIRoute
from pydantic import BaseModel, ConfigDict
from starlette.exceptions import HTTPException
from starlette.routing import Match
from starlette.types import Scope

from archgate.actions.access import staff
from archgate.actions.kernel.commands import Command, faults_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, Sessions, UnitOfWork, act, read_only
from archgate.actions.kernel.views import FaultOut
from archgate.core.faults import Fault, Refused
from archgate.core.names import text_fault, visible
from archgate.core.rights import refusal as refused_right
from archgate.core.rights import right_named
from archgate.documents.reader import Document

T = TypeVar("T")
PREFIX = "/api/v1"
COOKIE = "archgate_session"
TYPE = "urn:archgate:problem:"
MEDIA = "application/problem+json"


LINES = frozenset(
    """note notes health word summary body text remarks facts address notice receipt_note answer answers cells details why
    exception reason questions password description program requirements audience answer terms""".split()
)
MOST_DEPTH = 40


def text_faults(document: object, at: str = "", key: str = "", depth: int = 0) -> list[Fault]:
    """What no text of a body may hold, each with its place (`core.names.text_fault`)."""
    if isinstance(document, str):
        sentence = text_fault(document, lines=key in LINES)
        return [Fault(at, sentence)] if sentence else []
    if depth > MOST_DEPTH:
        return [Fault(at, "This is nested too deeply.")]
    faults: list[Fault] = []
    if isinstance(document, dict):
        for name, value in document.items():
            faults += text_faults(value, f"{at}/{name}", key if key in LINES else str(name), depth + 1)
    elif isinstance(document, list):
        for n, value in enumerate(document):
            faults += text_faults(value, f"{at}/{n}", key, depth + 1)
    return faults


def plain_texts(document: object, key: str = "") -> object:
    """A body in whose one-line texts nothing is hidden (`core.names.visible`)."""
    if isinstance(document, str):
        return document if key in LINES else visible(document)
    if isinstance(document, dict):
        return {
            name: plain_texts(value, key if key in LINES else str(name)) for name, value in document.items()
        }
    return [plain_texts(value, key) for value in document] if isinstance(document, list) else document


class BadText(HTTPException):
    """A body with texts that cannot be, every one named."""

    def __init__(self, faults: list[Fault]) -> None:
        super().__init__(422)
        self.faults = faults


class Asked(Request):
    """A request whose JSON is read strictly: no lone surrogate, no NaN, no control character; nothing hidden in a name."""

    async def json(self) -> object:
        if not hasattr(self, "_read"):
            body = await self.body()
            try:
                document = orjson.loads(body)
            except orjson.JSONDecodeError as error:
                raise json.JSONDecodeError(str(error).split(":")[0], "", 0) from None
            faults = text_faults(document)
            if faults:
                raise BadText(faults[:50])
            self._read = plain_texts(document)
        return self._read


class Route(APIRoute):
    """A route of ours: its requests are `Asked`."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[None, None, Response]]:
        handler = super().get_route_handler()

        async def asked(request: Request) -> Response:
            return await handler(Asked(request.scope, request.receive))

        return asked


class Subject(APIRouter):
    """The routes of one subject. It is asked about an address only if one of them begins like it: the framework would
    compare every request with every route there is, several times."""

    def __init__(self, tags: list[str | Enum], dependencies: Sequence[params.Depends] | None = None) -> None:
        super().__init__(tags=tags, route_class=Route, dependencies=dependencies)

    @cached_property
    def beginnings(self) -> frozenset[str]:
        return frozenset(route.path.split("/")[1] for route in self.routes if isinstance(route, APIRoute))

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        path: str = scope["path"]
        beginning = path.removeprefix(PREFIX).split("/", 2)[1:2]
        return super().matches(scope) if self.beginnings.issuperset(beginning) else (Match.NONE, {})


Token = Annotated[str, Path(pattern=r"^[!-~]{1,200}$")]  # of a link, a change or a calendar: plain characters


class ProblemOut(BaseModel):
    """An RFC 9457 problem document; `errors` names every fault with its JSON pointer."""

    model_config = ConfigDict(extra="allow")
    type: str
    title: str
    status: int
    detail: str
    errors: list[FaultOut] = []


NOT_ANSWERING = "The database does not answer just now; wait a moment and try again. What you typed is kept."
TOO_LARGE = "A file has at most 10 MB, a request 12."
TOO_SLOW = "The request did not arrive whole in time; please send it again."
TITLES = {
    400: "This could not be read",
    401: "Please sign in",
    403: "This is not yours to do",
    404: "Not found",
    405: "Not possible here",
    408: "Too slow",
    409: "Something changed meanwhile",
    413: "Too large",
    421: "Not this server",
    415: "Not this kind of content",
    422: "Some of this needs mending",
    429: "Too many attempts",
    500: "Something went wrong on our side",
    503: "Not just now",
}


def problem(status: int, kind: str, detail: str, **extra: object) -> Document:
    return {
        "type": TYPE + kind,
        "title": TITLES.get(status, "Problem"),
        "status": status,
        "detail": detail,
        **extra,
    }


def answer(status: int, kind: str, detail: str, **extra: object) -> JSONResponse:
    return JSONResponse(jsonable_encoder(problem(status, kind, detail, **extra)), status, media_type=MEDIA)


def refusal(error: Refused) -> Document:
    errors = [{"at": f.at, "message": f.message} for f in error.faults]
    many = "One thing needs" if len(errors) == 1 else f"{len(errors)} things need"
    return problem(
        422, "refused", f"{many} mending: {' '.join(f.message for f in error.faults[:3])}", errors=errors
    )


async def on_refused(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, Refused)
    return JSONResponse(refusal(error), 422, media_type=MEDIA)


async def on_problem(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, Problem)
    return answer(error.status, error.kind, error.detail, **error.extra)


async def on_http(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    if isinstance(error, BadText):
        return JSONResponse(refusal(Refused(error.faults)), 422, media_type=MEDIA)
    sentences = {
        404: "There is nothing at this address.",
        405: "This address does not take this kind of request.",
    }
    response = answer(error.status_code, "http", sentences.get(error.status_code, str(error.detail)))
    response.headers.update(error.headers or {})
    return response


def command_behind(request: Request) -> type[Command] | None:
    """The command that a request's body is read into."""
    route = request.scope.get("route")
    params = route.dependant.body_params if isinstance(route, APIRoute) else []
    kind = params[0].field_info.annotation if params else None
    return kind if isinstance(kind, type) and issubclass(kind, Command) else None


async def on_validation(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    command, raised = command_behind(request), error.errors()
    if command and all(e["loc"][:1] == ("body",) for e in raised):
        faults = faults_of(command, raised, skip=1)
        return JSONResponse(refusal(Refused(faults[:50])), 422, media_type=MEDIA)
    errors = []
    for fault in raised:
        place = [str(p) for p in fault["loc"] if p not in ("body", "query", "path", "header")]
        sentence = f"{fault['msg'].rstrip('.')}."
        if fault["type"] == "extra_forbidden":
            sentence = f'"{place[-1] if place else ""}" is not a known key here.'
        elif fault["type"] == "string_pattern_mismatch":
            sentence = "This is not in the shape expected."
        errors.append({"at": "".join(f"/{p}" for p in place), "message": sentence})
    return answer(422, "refused", "Some of this is not in the shape expected.", errors=errors)


def current_user(request: Request) -> staff.User:
    token = request.cookies.get(COOKIE)
    user = None
    if token:
        sessions: Sessions = request.app.state.sessions
        with sessions() as session:  # asked before every request: the center has no part in it
            user = staff.user_of(session, token)
    if user is None:
        raise Problem(401, "signed-out", "You are signed out; sign in to go on. What you typed is kept.")
    return user


def may(what: str) -> Callable[[staff.User], Coroutine[None, None, staff.User]]:
    """A dependency: the signed-in user, if their role holds this right. Where the role needs a second factor and none is set
    up, nothing is theirs but their own account."""
    right = right_named(what)

    async def check(
        user: staff.User = Depends(current_user),
    ) -> staff.User:  # no thread for a look into a table
        if user.role.second_factor and not user.second_factor:
            raise Problem(
                403, "second-factor", "Set up the second factor first, on the page of your account."
            )
        if not user.may(right):
            raise Problem(403, "forbidden", refused_right(user.role.name, right))
        return user

    check.act_named = what  # type: ignore[attr-defined]
    return check


async def once(
    request: Request, key: str | None = Header(default=None, alias="Idempotency-Key")
) -> Once | None:
    """The idempotency key of a request with the hash of its address and body."""
    if key is None:
        return None
    if not 8 <= len(key) <= 80 or not key.isascii():
        raise Problem(422, "bad-key", "An idempotency key has 8 to 80 plain characters.")
    body = await request.body()
    return Once(key, hashlib.sha256(str(request.url.path).encode() + b"\n" + body).hexdigest())


def address_of(request: Request) -> str:
    """From where somebody asks: what the nearest proxy of ours says, read from the right; anybody else is not believed."""
    settings = request.app.state.settings
    asks = request.client.host if request.client else "unknown"
    forwarded = [
        a.strip() for a in ",".join(request.headers.getlist("x-forwarded-for")).split(",") if a.strip()
    ]
    while forwarded and settings.trusts(asks):
        asks = forwarded.pop()
    return asks[:60] if asks.isascii() else "unknown"


def client_of(request: Request) -> staff.Client:
    """From where and with what somebody asks, for the log of sign-ins."""
    browser = visible(request.headers.get("user-agent", ""))[:200]
    return staff.Client(address_of(request), browser)


def session_of(request: Request) -> str:
    """The hash by which the session that asks is kept; empty without one."""
    token = request.cookies.get(COOKIE)
    return staff.token_hash(token) if token else ""


def keep_cookie(request: Request, response: Response, name: str, token: str, life: timedelta) -> None:
    """Keep a session's token in a cookie that scripts cannot read."""
    response.set_cookie(
        name, token, max_age=int(life.total_seconds()), httponly=True, samesite="lax",
        secure=request.app.state.settings.secure_cookie, path="/",
    )  # fmt: skip


NEW_NAMES = "Archgate-New-Names"


def new_names_of(request: Request) -> frozenset[str]:
    """The places and instructors that whoever asks wants added: names, percent-encoded, with commas between them. What is
    named elsewhere and not known is answered by the question (409, unknown-name)."""
    names = request.headers.get(NEW_NAMES, "")[:4000]
    return frozenset(" ".join(unquote(word).split()).casefold() for word in names.split(",") if word.strip())


def run_act(
    request: Request,
    user: staff.User,
    action: Callable[[UnitOfWork], T],
    once: Once | None = None,
    preview: bool = False,
) -> T:
    sessions: Sessions = request.app.state.sessions
    return act(sessions, action, user, once, preview, new_names=new_names_of(request))


def run_read(request: Request, user: staff.User, reading: Callable[[UnitOfWork], T]) -> T:
    return read_only(request.app.state.sessions, reading, user)

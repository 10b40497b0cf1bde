"""What every router uses: who asks, may they, the key that makes twice once, and problem documents."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from fastapi import Depends, Header, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict
from starlette.exceptions import HTTPException

from archgate.actions import access
from archgate.actions.problems import Problem
from archgate.actions.transaction import Once, act, look
from archgate.core.faults import Refused

COOKIE = "archgate_session"
TYPE = "urn:archgate:problem:"
MEDIA = "application/problem+json"


class Body(BaseModel):
    """A request body whose values are judged by the rules, so that every fault comes back at once."""

    model_config = ConfigDict(extra="allow")


class Patch(Body):
    """`set` holds the new values, `seen` the values the person saw: only those changed meanwhile conflict."""

    seen: dict[str, Any] | None = None
    set: dict[str, Any]


def given(body: BaseModel) -> dict[str, Any]:
    return body.model_dump(exclude_unset=True)


class FaultOut(BaseModel):
    at: str
    message: str


class ProblemOut(BaseModel):
    """An RFC 9457 problem document; `errors` names every fault with its JSON pointer."""

    model_config = ConfigDict(extra="allow")
    type: str
    title: str
    status: int
    detail: str
    errors: list[FaultOut] = []


TITLES = {
    400: "This could not be read",
    401: "Please sign in",
    403: "This is not yours to do",
    404: "Not found",
    405: "Not possible here",
    409: "Something changed meanwhile",
    413: "Too large",
    415: "Not this kind of content",
    422: "Some of this needs mending",
    429: "Too many attempts",
    500: "Something went wrong on our side",
}


def problem(status: int, kind: str, detail: str, **extra: Any) -> dict[str, Any]:
    return {
        "type": TYPE + kind,
        "title": TITLES.get(status, "Problem"),
        "status": status,
        "detail": detail,
        **extra,
    }


def answer(status: int, kind: str, detail: str, **extra: Any) -> JSONResponse:
    return JSONResponse(problem(status, kind, detail, **extra), status, media_type=MEDIA)


def refusal(error: Refused) -> dict[str, Any]:
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
    said = {404: "There is nothing at this address.", 405: "This address does not take this kind of request."}
    return answer(error.status_code, "http", said.get(error.status_code, str(error.detail)))


async def on_validation(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    errors = []
    for fault in error.errors():
        place = [str(p) for p in fault["loc"] if p not in ("body", "query", "path", "header")]
        errors.append({"at": "".join(f"/{p}" for p in place), "message": f"{fault['msg'].rstrip('.')}."})
    return answer(422, "refused", "Some of this is not in the shape expected.", errors=errors)


async def on_crash(request: Request, error: Exception) -> JSONResponse:
    return answer(500, "crash", "Something went wrong on our side; nothing was saved. Please try again.")


def current_user(request: Request) -> access.User:
    token = request.cookies.get(COOKIE)
    user = look(request.app.state.sessions, lambda deed: access.user_of(deed, token)) if token else None
    if user is None:
        raise Problem(401, "signed-out", "You are signed out; sign in to go on. What you typed is kept.")
    return user


def may(what: str) -> Callable[..., access.User]:
    """A dependency: the signed-in user, if their role may do this act."""

    def check(user: access.User = Depends(current_user)) -> access.User:
        if user.role not in access.MAY[what]:
            raise Problem(403, "forbidden", f"A {user.role} may not {what}.")
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
    """From where somebody tries to sign in."""
    return request.client.host if request.client else "unknown"


def keep_cookie(request: Request, response: Response, name: str, token: str, life: timedelta) -> None:
    """Keep a session's token in a cookie that scripts cannot read."""
    response.set_cookie(
        name, token, max_age=int(life.total_seconds()), httponly=True, samesite="lax",
        secure=request.app.state.settings.secure_cookie, path="/",
    )  # fmt: skip


def run_act(request: Request, user: access.User, deed: Callable[..., Any], **kw: Any) -> Any:
    return act(request.app.state.sessions, deed, user, **kw)


def run_look(request: Request, user: access.User, reading: Callable[..., Any]) -> Any:
    return look(request.app.state.sessions, reading, user)

"""What the public forms ask and send, without anybody of the staff; and who finds a run, its codes and its requests, for staff."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import BoundedSemaphore
from typing import Annotated, TypeVar

from fastapi import Depends, Query, Request

from archgate.actions.access import access_codes, rehearsing, requests, sign_up, sign_up_form, staff
from archgate.actions.access.public_commands import (
    AccessCodeCommand,
    AccessCodePatch,
    CodeTried,
    InterestedCommand,
    KeepSeatsCommand,
    PublicAsk,
    PublicPerson,
    RehearseCommand,
    RequestCommand,
    RequestDecision,
    SignUpCommand,
    WaitCommand,
)
from archgate.actions.access.public_views import (
    AccessCodeDone,
    AccessCodeShown,
    CodeFits,
    InterestForm,
    KeptSeats,
    PublicQuote,
    Rehearsed,
    RequestDecided,
    Requests,
    RunCodes,
    SignedUp,
    SignUpForm,
)
from archgate.actions.access.showing import Looker
from archgate.actions.access.staff import User
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import Once, UnitOfWork, act, read_only
from archgate.actions.runs import publication
from archgate.actions.runs.commands import PublicationPatch
from archgate.actions.runs.views import PublicationChanged, PublicationOut
from archgate.api.pages import looker_of
from archgate.api.web import Subject, address_of, may, once, run_act, run_read

T = TypeVar("T")
router = Subject(tags=["catalog"])
MOST_FORMS = 600  # sent from one address in a quarter of an hour
MOST_OF_ONE = 20  # with one email, from one address
TURNS, TURN_WAIT = (
    BoundedSemaphore(4),
    8.0,
)  # forms of strangers at a time in one process; seconds that one waits for its turn
MOST_CODES = 10  # codes tried for one run from one address in a quarter of an hour
Short = Annotated[str, Query(max_length=200)]


def by_stranger(
    request: Request, what: str, email: str, doing: Callable[[UnitOfWork, Looker], T], key: Once | None = None
) -> T:
    """An act of somebody outside: attempts are counted by email and address, and the same form sent twice is done once."""
    sessions, address = request.app.state.sessions, address_of(request)
    limits = [
        (staff.count_key(what, email, address), MOST_OF_ONE),
        (staff.count_key("public", address), MOST_FORMS),
    ]
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    with in_turn():
        return act(sessions, lambda uow: doing(uow, looker_of(uow, request)), once=key)


@contextmanager
def in_turn() -> Iterator[None]:
    """A few forms at a time in one process, the others wait: when sign-up opens, whoever holds a run's lock would else share the
    processor with all who stand in line for it."""
    if not TURNS.acquire(timeout=TURN_WAIT):
        raise Problem(503, "busy", "Very many sign up just now. Nothing was done; send it again in a moment.")
    try:
        yield
    finally:
        TURNS.release()


def by_code(request: Request, run_id: int, text: str, doing: Callable[[], T]) -> T:
    """Count an attempt at a code of a run, before it is looked at; one that fitted was no attempt to guess."""
    if not text.strip():
        return doing()
    sessions = request.app.state.sessions
    limits = [(staff.count_key("access code", str(run_id), address_of(request)), MOST_CODES)]
    act(sessions, lambda uow: staff.take_attempt(uow, limits))
    done = doing()
    if read_only(sessions, lambda uow: sign_up_form.code_stands(uow, run_id, text)):
        act(sessions, lambda uow: staff.give_back_attempt(uow, limits))
    return done


def on_run(
    request: Request,
    run_id: int,
    what: str,
    body: PublicPerson | KeepSeatsCommand,
    doing: Callable[[UnitOfWork, Looker], T],
    key: Once | None,
) -> T:
    """A form of a run: counted as a form, and as a try of the code it brings."""
    return by_code(
        request, run_id, body.access_code, lambda: by_stranger(request, what, body.email, doing, key)
    )


# --- by somebody outside ----------------------------------------------------------------------------------


@router.get("/catalog/runs/{run_id}")
def sign_up_form_of(run_id: int, request: Request, access_code: Short = "", key: Short = "") -> SignUpForm:
    """All that the form of a run needs; a code is counted as an attempt."""

    def reading() -> SignUpForm:
        return read_only(
            request.app.state.sessions,
            lambda uow: sign_up_form.form(uow, run_id, looker_of(uow, request), access_code, key),
        )

    return by_code(request, run_id, access_code, reading)


@router.get("/catalog/courses/{course_id}/interest")
def interest_form(course_id: int, request: Request) -> InterestForm:
    """What the form of a course's interest list asks."""
    return read_only(
        request.app.state.sessions,
        lambda uow: sign_up.interest_form(uow, course_id, looker_of(uow, request)),
    )


@router.post("/catalog/runs/{run_id}/code")
def try_code(run_id: int, body: CodeTried, request: Request) -> CodeFits:
    """Whether a code lets in now."""
    return by_code(
        request,
        run_id,
        body.access_code,
        lambda: read_only(
            request.app.state.sessions,
            lambda uow: sign_up_form.code_fits(
                uow, run_id, body.access_code, body.key, looker_of(uow, request)
            ),
        ),
    )


@router.post("/catalog/runs/{run_id}/quote")
def public_quote(run_id: int, body: PublicAsk, request: Request) -> PublicQuote:
    """What is asked costs now, and when it is due."""

    def reading() -> PublicQuote:
        return read_only(
            request.app.state.sessions,
            lambda uow: sign_up_form.quote(uow, run_id, body, looker_of(uow, request)),
        )

    return by_code(request, run_id, body.access_code, reading)


@router.post("/catalog/runs/{run_id}/kept-seats")
def keep_seats(
    run_id: int, body: KeepSeatsCommand, request: Request, key: Once | None = Depends(once)
) -> KeptSeats:
    """Keep seats for some minutes, while the form is filled in."""
    client = address_of(request)
    return on_run(
        request,
        run_id,
        "keep seats",
        body,
        lambda uow, looker: sign_up_form.keep(uow, run_id, body, looker, client),
        key,
    )


@router.post("/catalog/runs/{run_id}/sign-ups", status_code=201)
def public_sign_up(
    run_id: int, body: SignUpCommand, request: Request, key: Once | None = Depends(once)
) -> SignedUp:
    """Sign up for a run. The answer is the same whether the center knows whoever signs up or not."""
    return on_run(
        request,
        run_id,
        "sign up",
        body,
        lambda uow, looker: sign_up.sign_up(uow, run_id, body, looker),
        key,
    )


@router.post("/catalog/runs/{run_id}/waiting", status_code=201)
def public_wait(
    run_id: int, body: WaitCommand, request: Request, key: Once | None = Depends(once)
) -> SignedUp:
    """Wait for a seat on a full run."""
    return on_run(
        request, run_id, "wait", body, lambda uow, looker: sign_up.wait(uow, run_id, body, looker), key
    )


@router.post("/catalog/runs/{run_id}/requests", status_code=201)
def public_request(
    run_id: int, body: RequestCommand, request: Request, key: Once | None = Depends(once)
) -> SignedUp:
    """Ask for a seat where staff decide."""
    return on_run(
        request, run_id, "request", body, lambda uow, looker: requests.ask(uow, run_id, body, looker), key
    )


@router.post("/catalog/runs/{run_id}/interest", status_code=201)
def public_interest_in_run(
    run_id: int, body: InterestedCommand, request: Request, key: Once | None = Depends(once)
) -> SignedUp:
    """Hear when sign-up for a run opens."""
    return by_stranger(
        request,
        "interest",
        body.email,
        lambda uow, looker: sign_up.interested(uow, None, run_id, body, looker),
        key,
    )


@router.post("/catalog/courses/{course_id}/interest", status_code=201)
def public_interest(
    course_id: int, body: InterestedCommand, request: Request, key: Once | None = Depends(once)
) -> SignedUp:
    """Hear when there are further dates of a course."""
    return by_stranger(
        request,
        "interest",
        body.email,
        lambda uow, looker: sign_up.interested(uow, course_id, None, body, looker),
        key,
    )


# --- by staff ---------------------------------------------------------------------------------------------


@router.get("/runs/{run_id}/publication")
def run_publication(run_id: int, request: Request, user: User = Depends(may("read"))) -> PublicationOut:
    """Who finds a run and who signs up for it, the sentence it comes to, and what contradicts itself."""
    return run_read(request, user, lambda uow: publication.publication(uow, run_id))


@router.patch("/runs/{run_id}/publication")
def change_publication(
    run_id: int,
    body: PublicationPatch,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("publish")),
) -> PublicationChanged:
    """Change who finds a run, who signs up and when it is public; with `preview` nothing is saved."""
    return run_act(
        request, user, lambda uow: publication.change_publication(uow, run_id, body), preview=preview
    )


@router.get("/runs/{run_id}/access-codes")
def run_codes(run_id: int, request: Request, user: User = Depends(may("read"))) -> RunCodes:
    """The codes of a run, without the codes themselves, and the link that leads to it."""
    return run_read(request, user, lambda uow: access_codes.codes_of(uow, run_id))


@router.post("/runs/{run_id}/access-codes", status_code=201)
def make_access_code(
    run_id: int,
    body: AccessCodeCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> AccessCodeDone:
    return run_act(request, user, lambda uow: access_codes.make(uow, run_id, body), once=key)


@router.get("/access-codes/{access_code_id}")
def show_access_code(
    access_code_id: int, request: Request, user: User = Depends(may("enroll"))
) -> AccessCodeShown:
    """A code as it is asked for, with who came by it."""
    return run_read(request, user, lambda uow: access_codes.shown(uow, access_code_id))


@router.patch("/access-codes/{access_code_id}")
def change_access_code(
    access_code_id: int, body: AccessCodePatch, request: Request, user: User = Depends(may("enroll"))
) -> AccessCodeDone:
    """Change a code without touching who is in."""
    return run_act(request, user, lambda uow: access_codes.change(uow, access_code_id, body))


@router.get("/requests")
def list_requests(
    request: Request, run_id: int | None = None, decided: bool = False, user: User = Depends(may("read"))
) -> Requests:
    """Requests to decide on, the oldest first; or those that were decided."""
    return run_read(request, user, lambda uow: requests.listed(uow, run_id, decided))


@router.post("/requests/{seat_request_id}/decision")
def decide_request(
    seat_request_id: int,
    body: RequestDecision,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> RequestDecided:
    """Approve or refuse a request; the first decision counts."""
    return run_act(request, user, lambda uow: requests.decide(uow, seat_request_id, body), once=key)


@router.post("/runs/{run_id}/rehearsal")
def rehearse(
    run_id: int, body: RehearseCommand, request: Request, user: User = Depends(may("read"))
) -> Rehearsed:
    """What a kind of person finds, can do and pays at a moment; nothing is written."""
    return run_read(request, user, lambda uow: rehearsing.rehearse(uow, run_id, body))

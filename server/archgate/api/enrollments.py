"""Enrollments: made, changed, moved, given up."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import Depends, Query, Request

from archgate.actions.access.staff import User
from archgate.actions.enrolling import changing, enrollments, freed, parked, transfers
from archgate.actions.enrolling import heads as party
from archgate.actions.enrolling.commands import (
    AddHeadCommand,
    ChangeCommand,
    EnrollCommand,
    GiveBackCommand,
    NamePlaceCommand,
    ParkCommand,
    TransferCommand,
    WithdrawCommand,
    WithdrawHeadCommand,
)
from archgate.actions.enrolling.views import (
    EnrolledView,
    EnrollmentChanged,
    EnrollmentOut,
    GivenBack,
    HeadChanged,
    NamedView,
    ParkedOut,
    ParkedState,
    Swapped,
    Transferred,
    Withdrawal,
    Withdrawn,
)
from archgate.actions.kernel.turns import turn_with
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["roster"])


@router.post("/enrollments", status_code=201)
def enroll(
    body: EnrollCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> EnrolledView:
    """Seat a party on a run. In a preview nothing is written, and the letters are shown that would go out."""
    with turn_with(request.app.state.sessions, body.run_id):
        return run_act(
            request,
            user,
            lambda uow: enrollments.enroll(uow, body, letters=preview),
            once=key,
            preview=preview,
        )


@router.get("/enrollments/{enrollment_id}")
def get_enrollment(enrollment_id: int, request: Request, user: User = Depends(may("read"))) -> EnrollmentOut:
    return run_read(request, user, lambda uow: changing.view(uow, enrollment_id))


@router.post("/enrollments/{enrollment_id}/change")
def change_enrollment(
    enrollment_id: int,
    body: ChangeCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> EnrollmentChanged:
    """Change rates, prices, extras or the code of a sign-up; the plan is worked out again, what is paid stays paid."""
    return run_act(
        request, user, lambda uow: changing.change(uow, enrollment_id, body), once=key, preview=preview
    )


@router.post("/enrollments/{enrollment_id}/transfer")
def transfer(
    enrollment_id: int,
    body: TransferCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> Transferred:
    """Move a sign-up to another run; what was paid moves along."""
    return run_act(
        request, user, lambda uow: transfers.transfer(uow, enrollment_id, body), once=key, preview=preview
    )


@router.post("/enrollments/{enrollment_id}/swap")
def swap(
    enrollment_id: int,
    body: NamePlaceCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> Swapped:
    """Give a seat to another person; whoever pays stays the same."""
    return run_act(request, user, lambda uow: transfers.swap(uow, enrollment_id, body.person_id), once=key)


@router.post("/meetings/{meeting_id}/give-back")
def give_back(
    meeting_id: int,
    body: GiveBackCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("take money")),
    key: Once | None = Depends(once),
) -> GivenBack:
    """Give everybody on a run what a cancelled meeting was worth."""
    return run_act(
        request,
        user,
        lambda uow: changing.credit_meeting(uow, meeting_id, body),
        once=key,
        preview=preview,
    )


@router.post("/enrollments/{enrollment_id}/heads", status_code=201)
def add_head(
    enrollment_id: int,
    body: AddHeadCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> HeadChanged:
    """One head more of a party, at what its rate costs now."""
    return run_act(request, user, lambda uow: party.add(uow, enrollment_id, body), once=key, preview=preview)


@router.post("/enrollments/{enrollment_id}/heads/{n}/withdraw")
def withdraw_head(
    enrollment_id: int,
    n: int,
    body: WithdrawHeadCommand,
    request: Request,
    preview: bool = False,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> HeadChanged:
    """One head of a party leaves, with the money of that head."""
    return run_act(
        request, user, lambda uow: party.withdraw(uow, enrollment_id, n, body), once=key, preview=preview
    )


@router.get("/enrollments/{enrollment_id}/withdrawal")
def get_withdrawal(
    enrollment_id: int,
    request: Request,
    received_on: date | None = None,
    no_show: bool = False,
    heads: Annotated[int | None, Query(ge=1, le=1000)] = None,
    user: User = Depends(may("read")),
) -> Withdrawal:
    """What a withdrawal would keep, give back as credit, or leave owed, and why. Nothing is written."""
    return run_read(
        request, user, lambda uow: freed.withdrawal(uow, enrollment_id, received_on, no_show, heads)
    )


@router.post("/enrollments/{enrollment_id}/withdraw")
def withdraw(
    enrollment_id: int,
    request: Request,
    body: WithdrawCommand | None = None,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> Withdrawn:
    """Give a seat back; what the refund policy keeps stays owed or paid, the rest is credit."""
    return run_act(request, user, lambda uow: freed.withdraw(uow, enrollment_id, body), once=key)


@router.put("/enrollments/{enrollment_id}/places/{n}")
def name_place(
    enrollment_id: int, n: int, body: NamePlaceCommand, request: Request, user: User = Depends(may("enroll"))
) -> NamedView:
    """Name a head of a party."""
    return run_act(request, user, lambda uow: enrollments.name_place(uow, enrollment_id, n, body.person_id))


# --- calls put aside --------------------------------------------------------------------------------------


@router.get("/parked-calls")
def parked_calls(request: Request, user: User = Depends(may("read"))) -> list[ParkedOut]:
    """One's own calls that were put aside."""
    return run_read(request, user, parked.listed)


@router.post("/parked-calls", status_code=201)
def park_call(
    body: ParkCommand,
    request: Request,
    user: User = Depends(may("enroll")),
    key: Once | None = Depends(once),
) -> list[ParkedOut]:
    """Put a call aside; it is there on every screen of whoever did."""
    return run_act(request, user, lambda uow: parked.park(uow, body), once=key)


@router.post("/parked-calls/{call_id}/take-up")
def take_up_call(call_id: int, request: Request, user: User = Depends(may("enroll"))) -> ParkedState:
    """Take a call up, which takes it away from every other screen."""
    return run_act(request, user, lambda uow: parked.take_up(uow, call_id))

"""The instructor's own pages: by the session of their own page, never by a number in the address alone."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from fastapi import Depends, Request, Response

from archgate.actions.access import own_pages
from archgate.actions.access.own_pages import Person
from archgate.actions.enrolling.commands import MarksCommand
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork, act, read_only
from archgate.actions.schedule.commands import BusyCommand
from archgate.actions.teaching import instructors, own
from archgate.actions.teaching.commands import OwnBiographyCommand, OwnHoursCommand
from archgate.actions.teaching.own_views import FeedPath, OwnRoster, OwnTeaching
from archgate.api.own_pages import COOKIE
from archgate.api.teaching_papers import pay_file
from archgate.api.web import Subject
from archgate.papers.teaching import agreement_pdf

T = TypeVar("T")


def teaches(request: Request) -> None:
    """A dependency: whoever asks is signed in to a page of their own, and teaches here. Asked again in each act."""
    read_only(request.app.state.sessions, lambda uow: own.instructor_of(uow, person_of(uow, request)).id)


router = Subject(tags=["own teaching"], dependencies=[Depends(teaches)])


def own_read(request: Request, reading: Callable[[UnitOfWork, Person], T]) -> T:
    """Read as the person whose session it is."""
    return read_only(request.app.state.sessions, lambda uow: reading(uow, person_of(uow, request)))


def own_act(request: Request, doing: Callable[[UnitOfWork, Person], T]) -> T:
    return act(request.app.state.sessions, lambda uow: doing(uow, person_of(uow, request)))


def person_of(uow: UnitOfWork, request: Request) -> Person:
    token = request.cookies.get(COOKIE)
    person = own_pages.person_behind(uow, token) if token else None
    if person is None:
        raise Problem(401, "signed-out", "Sign in to see your page.")
    return person


@router.get("/own/teaching")
def own_teaching(request: Request) -> OwnTeaching:
    """One's own meetings, runs, availability, statement and evaluations."""
    return own_read(request, own.page)


@router.get("/own/teaching/runs/{run_id}")
def own_roster(run_id: int, request: Request) -> OwnRoster:
    """Who is on a run of one's own, and who was there."""
    return own_read(request, lambda uow, person: own.roster(uow, person, run_id))


@router.put("/own/teaching/meetings/{meeting_id}/attendance")
def own_attendance(meeting_id: int, body: MarksCommand, request: Request) -> OwnRoster:
    return own_act(request, lambda uow, person: own.mark(uow, person, meeting_id, body))


@router.put("/own/teaching/biography")
def own_biography(body: OwnBiographyCommand, request: Request) -> OwnTeaching:
    return own_act(request, lambda uow, person: own.set_biography(uow, person, body))


@router.put("/own/teaching/hours")
def own_hours(body: OwnHoursCommand, request: Request) -> OwnTeaching:
    return own_act(request, lambda uow, person: own.set_hours(uow, person, body))


@router.post("/own/teaching/absences", status_code=201)
def add_own_absence(body: BusyCommand, request: Request) -> OwnTeaching:
    return own_act(request, lambda uow, person: own.add_absence(uow, person, body))


@router.delete("/own/teaching/absences/{busy_id}")
def drop_own_absence(busy_id: int, request: Request) -> OwnTeaching:
    return own_act(request, lambda uow, person: own.drop_absence(uow, person, busy_id))


@router.post("/own/teaching/feed")
def own_feed(request: Request, renew: bool = False) -> FeedPath:
    """The secret address of one's own calendar; with `renew` a new one, and the old one ends."""
    return FeedPath(path=own_act(request, lambda uow, person: own.feed(uow, person, renew)))


@router.get("/own/teaching/statement/{name}", response_class=Response)
def own_statement(name: str, request: Request) -> Response:
    """statement.pdf, statement.csv or statement.xlsx."""
    paper = own_read(request, own.statement_paper)
    return pay_file(paper, name)


@router.get("/own/teaching/agreements/{agreement_id}.pdf", response_class=Response)
def own_agreement(agreement_id: int, request: Request) -> Response:
    paper = own_read(request, lambda uow, person: own.agreement(uow, person, agreement_id))
    headers = {"Content-Disposition": 'inline; filename="agreement.pdf"'}
    return Response(agreement_pdf(paper), media_type="application/pdf", headers=headers)


@router.get("/own/teaching/picture.jpg", response_class=Response)
def own_picture(request: Request) -> Response:
    found = own_read(
        request, lambda uow, person: instructors.picture_of(uow, own.instructor_of(uow, person).id)
    )
    return Response(found.getvalue(), media_type="image/jpeg")

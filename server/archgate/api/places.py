"""Places and instructors with their hours and absences, and the days on which the center is closed."""

from __future__ import annotations

import datetime

from fastapi import Depends, Request, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.schedule import calendars, places
from archgate.actions.schedule.commands import (
    BusyCommand,
    ClosureCommand,
    DayStateCommand,
    PlaceCommand,
    RegionCommand,
)
from archgate.actions.schedule.views import (
    BusyOut,
    ClosureChange,
    ClosureYear,
    Imported,
    PlaceOut,
)
from archgate.api.schedule import Done
from archgate.api.web import Subject, may, run_act, run_read
from archgate.core.states import OwnerKind
from archgate.papers import apart
from archgate.papers.lists import LARGEST_FILE

router = Subject(tags=["places"])
read, keep = may("read"), may("keep places")


@router.get("/places")
def list_places(request: Request, user: User = Depends(read)) -> list[PlaceOut]:
    return run_read(request, user, places.list_places)


@router.post("/places", status_code=201)
def add_place(body: PlaceCommand, request: Request, user: User = Depends(keep)) -> PlaceOut:
    return run_act(request, user, lambda uow: places.save_place(uow, None, body))


@router.patch("/places/{place_id}")
def change_place(place_id: int, body: PlaceCommand, request: Request, user: User = Depends(keep)) -> PlaceOut:
    return run_act(request, user, lambda uow: places.save_place(uow, place_id, body))


@router.delete("/places/{place_id}")
def remove_place(place_id: int, request: Request, user: User = Depends(keep)) -> Done:
    """Take a place out that nothing uses."""
    return run_act(request, user, lambda uow: places.remove(uow, "place", place_id))


@router.get("/busy/{kind}/{owner_id}")
def list_busy(kind: OwnerKind, owner_id: int, request: Request, user: User = Depends(read)) -> list[BusyOut]:
    """Absences of an instructor, or closed times of a place; `kind` is instructor or place."""
    return run_read(request, user, lambda uow: places.list_busy(uow, kind, owner_id))


@router.post("/busy/{kind}/{owner_id}", status_code=201)
def add_busy(
    kind: OwnerKind, owner_id: int, body: BusyCommand, request: Request, user: User = Depends(keep)
) -> BusyOut:
    """From a day, through a day, with times on one day or without: {"from", "through", "start", "end", "label"}."""
    return run_act(request, user, lambda uow: places.add_busy(uow, kind, owner_id, body))


@router.delete("/busy/{busy_id}")
def remove_busy(busy_id: int, request: Request, user: User = Depends(keep)) -> Done:
    return run_act(request, user, lambda uow: places.remove_busy(uow, busy_id))


@router.post("/busy/{kind}/{owner_id}/calendar")
def import_busy(
    kind: OwnerKind, owner_id: int, file: UploadFile, request: Request, user: User = Depends(keep)
) -> Imported:
    """Take the busy times of an iCalendar file; those of an earlier import of the same file are replaced."""
    name = file.filename or "calendar"
    zone, first, last = run_read(request, user, lambda uow: calendars.window_of(uow, kind, owner_id))
    times = apart.times_of(file.file.read(LARGEST_FILE + 1), zone, first, last)
    return run_act(request, user, lambda uow: calendars.import_busy(uow, kind, owner_id, name, times))


@router.get("/closures")
def list_closures(year: int, request: Request, user: User = Depends(read)) -> ClosureYear:
    return run_read(request, user, lambda uow: places.list_closures(uow, year))


@router.put("/closures/region")
def set_region(
    body: RegionCommand, request: Request, user: User = Depends(may("keep settings"))
) -> ClosureYear:
    """Whose public holidays are closed days: a country, or a part of one such as US-NY."""
    return run_act(request, user, lambda uow: places.set_region(uow, body.region))


@router.post("/closures")
def close_days(body: ClosureCommand, request: Request, user: User = Depends(keep)) -> ClosureChange:
    return run_act(request, user, lambda uow: places.add_closure(uow, body))


@router.put("/closures/{day}")
def set_closure(
    day: datetime.date, body: DayStateCommand, request: Request, user: User = Depends(keep)
) -> ClosureChange:
    """Teach on a public holiday all the same, close it again, or open a day of one's own."""
    return run_act(request, user, lambda uow: places.set_closure(uow, day, body.closed))


@router.post("/closures/calendar")
def import_closures(file: UploadFile, request: Request, user: User = Depends(keep)) -> Imported:
    """Close the whole days that an iCalendar file marks."""
    name = file.filename or "calendar"
    zone, first, last = run_read(request, user, calendars.window)
    times = apart.times_of(file.file.read(LARGEST_FILE + 1), zone, first, last)
    return run_act(request, user, lambda uow: calendars.import_closures(uow, name, times))

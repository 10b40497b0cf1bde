"""The settings of the center."""

from __future__ import annotations

from fastapi import Depends, Request, Response, UploadFile

from archgate.actions.access.staff import User
from archgate.actions.center import settings
from archgate.actions.center.commands import CenterPatch
from archgate.actions.center.views import CenterChanged, CenterOut
from archgate.actions.teaching import instructors
from archgate.api.web import Subject, may, run_act, run_read

router = Subject(tags=["center"])
keep = may("keep settings")


@router.get("/center")
def center_settings(request: Request, user: User = Depends(may("read"))) -> CenterOut:
    """The settings, and which of them stand for good."""
    return run_read(request, user, settings.shown)


@router.patch("/center")
def change_center(body: CenterPatch, request: Request, user: User = Depends(keep)) -> CenterChanged:
    """Change settings; only what somebody else changed meanwhile conflicts."""
    return run_act(request, user, lambda uow: settings.change(uow, body))


@router.put("/center/logo")
def set_logo(file: UploadFile, request: Request, user: User = Depends(keep)) -> CenterChanged:
    """A JPEG, PNG or WebP file of at most 8 MB for papers to come; it is made anew, and small."""
    made = instructors.picture_made(file.file.read(instructors.LARGEST_PICTURE + 1))
    return run_act(request, user, lambda uow: settings.set_logo(uow, made))


@router.delete("/center/logo")
def drop_logo(request: Request, user: User = Depends(keep)) -> CenterChanged:
    """Papers to come have no logo."""
    return run_act(request, user, lambda uow: settings.set_logo(uow, None))


@router.get("/center/logo.jpg", response_class=Response)
def logo(request: Request, user: User = Depends(may("read"))) -> Response:
    return Response(run_read(request, user, settings.logo), media_type="image/jpeg")

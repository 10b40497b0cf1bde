"""The guide for the office."""

from __future__ import annotations

from fastapi import Depends

from archgate.actions.access.staff import User
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.views import GuidePage
from archgate.api.web import Subject, may
from archgate.papers import guide

router = Subject(tags=["guide"])


@router.get("/guide")
def guide_index(user: User = Depends(may("read"))) -> GuidePage:
    """The first page of the guide, with all its subjects."""
    return shown("")


@router.get("/guide/{name}")
def guide_page(name: str, user: User = Depends(may("read"))) -> GuidePage:
    """A page of the guide by its name."""
    return shown(name)


def shown(name: str) -> GuidePage:
    found = guide.page(name)
    if found is None:
        raise not_found("This page of the guide")
    return GuidePage(name=found.name, title=found.title, html=found.html)

"""Names of places and instructors that nobody has named before: asked about before they are kept."""

from __future__ import annotations

import re

from sqlalchemy import select

from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.names import folded
from archgate.tables.people import Person
from archgate.tables.schedule import Place
from archgate.tables.teaching import Instructor


def ask_first(uow: UnitOfWork, kind: str, name: str) -> None:
    """Have a name that is not known asked about before it is kept. A name that is several known ones is told as such, and so is
    one that a person of the center has who does not teach yet."""
    if uow.new_names is None or name.casefold() in uow.new_names:
        return
    table = Place if kind == "place" else Instructor
    parts = [p.strip() for p in re.split(r"[,;/&]| and ", name) if p.strip()]
    known = (
        uow.session.scalars(select(table.name).where(table.name.in_(parts))).all() if len(parts) > 1 else []
    )
    hint = ""
    if known and kind == "place":
        hint = f"; {' and '.join(known)} {'is one' if len(known) == 1 else 'are several'} here, and a meeting takes one"
    elif known:
        hint = f"; {' and '.join(known)} {'is' if len(known) == 1 else 'are'} known: put a semicolon between several"
    elif kind == "instructor" and uow.session.scalar(
        select(Person.id).where(Person.folded == folded(name), Person.there()).limit(1)
    ):
        hint = "; a person of this name is known: make them an instructor on the page of instructors to keep one record"
    uow.unknown.append({"kind": kind, "name": name, "hint": hint})

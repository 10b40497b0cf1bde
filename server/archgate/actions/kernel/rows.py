"""New rows of the busiest acts, written by one statement a table, without the session's sorting of what depends on what.

They are logged and refused without the run's lock as any other row is; afterwards they stand in the session as if they
had been read. What refers to them is written after them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cache

from sqlalchemy import Column, Insert, insert, inspect
from sqlalchemy.orm import Mapper, Session, make_transient_to_detached

from archgate.actions.kernel.unit_of_work import MADE_OF, UNLOGGED, UnitOfWork, note_new, refuse_unlocked_rows
from archgate.tables import Base


def put(uow: UnitOfWork, rows: Sequence[Base]) -> None:
    """Write new rows of one table. Their lists of other rows are not written; those are put by themselves."""
    if not rows:
        return
    session = uow.session
    kind = type(rows[0])
    assert not issubclass(kind, MADE_OF), (
        "what a run is made of raises its revision when the session writes it"
    )
    if session.new:
        session.flush()  # what these rows may refer to
    mapper: Mapper[Base] = inspect(kind)
    refuse_unlocked_rows(session, rows)
    for row in rows:
        fill_in(mapper, row)
    number(session, mapper, rows)
    for row in rows:
        if not isinstance(row, UNLOGGED):
            note_new(uow, row)
        uow.touched.note_put(row)
        make_transient_to_detached(row)
    session.add_all(rows)


@cache
def columns_of(mapper: Mapper[Base]) -> list[tuple[str, Column[object]]]:
    """The columns that are written, by their attribute: all but those which the database works out."""
    attributes = [(a.key, a.columns[0]) for a in mapper.column_attrs]
    return [(key, c) for key, c in attributes if isinstance(c, Column) and c.computed is None]


@cache
def usual_of(mapper: Mapper[Base]) -> dict[str, Callable[[], object]]:
    """The values that a table has for what is not said, by attribute; each made anew."""
    return {key: usual_value(column) for key, column in columns_of(mapper) if not column.primary_key}


def usual_value(column: Column[object]) -> Callable[[], object]:
    usual = column.default
    if usual is None:
        return lambda: None
    if usual.is_scalar:
        value = usual.arg  # type: ignore[attr-defined]
        return lambda: value
    make = usual.arg  # type: ignore[attr-defined]
    return lambda: make(None)


def fill_in(mapper: Mapper[Base], row: Base) -> None:
    """Give a new row the values its table has for what was not said; past the watch that is kept over attributes, as the row will
    stand as if it had been read."""
    given = inspect(row).dict
    for key, make in usual_of(mapper).items():
        if key not in given:
            given[key] = make()


@cache
def insert_of(mapper: Mapper[Base]) -> tuple[str, tuple[str, ...], Insert, Insert]:
    """The name of a table's own key, the others, and the statements that write one row, and many that answer with their
    keys; put together once."""
    (own,) = (key for key, column in columns_of(mapper) if column.primary_key)
    table = mapper.class_
    others = tuple(key for key, _ in columns_of(mapper) if key != own)
    return (
        own,
        others,
        insert(table),
        insert(table).returning(getattr(table, own), sort_by_parameter_order=True),
    )


def number(session: Session, mapper: Mapper[Base], rows: Sequence[Base]) -> None:
    """Insert the rows, and give each the key it got."""
    own, others, one, many = insert_of(mapper)
    values = [{key: given[key] for key in others} for given in (inspect(row).dict for row in rows)]
    connection = session.connection()
    keys: Iterable[object] = (
        connection.execute(many, values).scalars()
        if len(rows) > 1
        else [connection.execute(one, values[0]).lastrowid]
    )
    for row, key in zip(rows, keys, strict=True):
        setattr(row, own, key)

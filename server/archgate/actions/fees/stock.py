"""Stock of what runs sell beside the seat: taken with an enrollment, back with a withdrawal, never below zero.

`on_hand` is changed by a conditional update and always with a move in the stock ledger, in the same transaction.
"""

from __future__ import annotations

from sqlalchemy import func, select, update

from archgate.actions.fees.commands import StockCommand
from archgate.actions.fees.views import RunCode, StockLedger, StockMoveOut, StockOut
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import refuse
from archgate.core.states import RunStatus
from archgate.tables.courses import Run
from archgate.tables.fees import Extra, StockItem, StockMove
from archgate.tables.roster import Enrollment

SHOWN = 200


def item_named(uow: UnitOfWork, name: str | None) -> StockItem | None:
    """The stock item of a name; a new name begins with nothing on hand."""
    if not name:
        return None
    item = uow.session.scalar(select(StockItem).where(StockItem.name == name))
    if item is None:
        item = StockItem(name=name, on_hand=0)
        uow.session.add(item)
        uow.session.flush()
    return item


def move(
    uow: UnitOfWork, item: StockItem, quantity: int, cause: str, enrollment_id: int | None = None
) -> None:
    """Put into stock, or take out (negative). Refused when that many are not on hand."""
    query = update(StockItem).where(StockItem.id == item.id, StockItem.on_hand + quantity >= 0)
    moved = uow.session.execute(query.values(on_hand=StockItem.on_hand + quantity))
    uow.session.refresh(item)
    if moved.rowcount != 1:  # type: ignore[attr-defined]
        raise conflict("out-of-stock", f"{item.on_hand} of {item.name} are in stock, not {-quantity}.")
    uow.session.add(
        StockMove(
            item_id=item.id,
            quantity=quantity,
            at=uow.now,
            enrollment_id=enrollment_id,
            user_id=uow.user.id if uow.user else None,
            cause=cause,
        )
    )


def take_for(uow: UnitOfWork, enrollment: Enrollment, back: bool, cause: str) -> None:
    """Take the stock of an enrollment's extras, or put it back; items in order of id, so that no two wait crosswise."""
    rows = [x for x in enrollment.extras if x.extra.item is not None]
    for row in sorted(rows, key=lambda x: x.extra.item_id or 0):
        assert row.extra.item is not None
        move(uow, row.extra.item, row.quantity if back else -row.quantity, cause, enrollment.id)


def list_stock(uow: UnitOfWork) -> list[StockOut]:
    """What is kept in stock, how much of it, and the runs that sell it."""
    rows = uow.session.scalars(select(StockItem).order_by(StockItem.name)).all()
    selling = (
        select(Extra.item_id, Run.id, Run.code)
        .join(Run, Run.id == Extra.run_id)
        .where(
            Extra.active, Extra.item_id.is_not(None), Run.status.in_((RunStatus.DRAFT, RunStatus.PUBLISHED))
        )
        .order_by(Run.code)
    )
    runs: dict[int, list[RunCode]] = {}
    for item_id, run_id, code in uow.session.execute(selling):
        runs.setdefault(item_id or 0, []).append(RunCode(id=run_id, code=code))
    return [StockOut(id=r.id, name=r.name, on_hand=r.on_hand, runs=runs.get(r.id, [])) for r in rows]


def stock_moves(uow: UnitOfWork, item_id: int) -> StockLedger:
    """The ledger of one item, newest first."""
    item = uow.session.get(StockItem, item_id)
    if item is None:
        raise not_found("This item")
    rows = uow.session.scalars(
        select(StockMove).where(StockMove.item_id == item_id).order_by(StockMove.id.desc()).limit(SHOWN)
    )
    moves = [StockMoveOut(id=m.id, quantity=m.quantity, at=uow.local(m.at), cause=m.cause) for m in rows]
    return StockLedger(id=item.id, name=item.name, on_hand=item.on_hand, moves=moves)


def count_stock(uow: UnitOfWork, command: StockCommand) -> StockLedger:
    """Put into stock, take out, or say what was counted: exactly one of `add` and `counted`, with a cause."""
    name, add, counted, cause = command.name, command.add, command.counted, command.cause or ""
    if add is None and counted is None:
        raise refuse("", "A change of stock needs one of add, counted.")
    if add is not None and counted is not None:
        raise refuse("/counted", "A change of stock takes only one of add, counted.")
    item = item_named(uow, name)
    assert item is not None
    items = uow.session.scalars(
        select(StockItem)
        .where(StockItem.id == item.id)
        .with_for_update()
        .execution_options(populate_existing=True)
    ).one()
    quantity = add if add is not None else (counted or 0) - items.on_hand
    if quantity < 0 and items.on_hand + quantity < 0:
        raise refuse("/add", f"{items.on_hand} are in stock; {-quantity} cannot go out.")
    if quantity:
        usual = "Counted" if counted is not None else "Came in" if quantity > 0 else "Went out"
        move(uow, items, quantity, cause or usual)
        uow.log(Act.CHANGE_STOCK, items.id, f"{items.name}: {quantity:+d}, {items.on_hand} on hand")
    return stock_moves(uow, items.id)


def stock_faults(uow: UnitOfWork) -> list[str]:
    """Items whose count is not the sum of their moves; none, unless something is broken. Part of the nightly check."""
    sums = (
        select(StockMove.item_id, func.sum(StockMove.quantity).label("sum"))
        .group_by(StockMove.item_id)
        .subquery()
    )
    query = select(StockItem.name, StockItem.on_hand, func.coalesce(sums.c.sum, 0)).outerjoin(
        sums, sums.c.item_id == StockItem.id
    )
    return [
        f"{name}: {on_hand} on hand, its moves make {int(moved)}."
        for name, on_hand, moved in uow.session.execute(query)
        if on_hand != int(moved)
    ]

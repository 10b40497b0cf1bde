"""Stock of what runs sell beside the seat, and what runs start from where their course says nothing."""

from __future__ import annotations

from fastapi import Depends, Request

from archgate.actions.access.staff import User
from archgate.actions.fees import stock, terms
from archgate.actions.fees.commands import StockCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.fees.views import Defaults, DefaultsChanged, StockLedger, StockOut
from archgate.actions.kernel.unit_of_work import Once
from archgate.api.web import Subject, may, once, run_act, run_read

router = Subject(tags=["fees"])


@router.get("/stock")
def list_stock(request: Request, user: User = Depends(may("read"))) -> list[StockOut]:
    return run_read(request, user, stock.list_stock)


@router.post("/stock")
def count_stock(
    body: StockCommand,
    request: Request,
    user: User = Depends(may("keep fees")),
    key: Once | None = Depends(once),
) -> StockLedger:
    """Put into stock, take out, or say what was counted; a new name makes a new item."""
    return run_act(request, user, lambda uow: stock.count_stock(uow, body), once=key)


@router.get("/stock/{item_id}")
def stock_moves(item_id: int, request: Request, user: User = Depends(may("read"))) -> StockLedger:
    return run_read(request, user, lambda uow: stock.stock_moves(uow, item_id))


@router.get("/defaults")
def get_defaults(request: Request, user: User = Depends(may("read"))) -> Defaults:
    return run_read(request, user, terms.center_defaults)


@router.patch("/defaults")
def change_defaults(
    body: CenterDefaultsPatch, request: Request, user: User = Depends(may("keep fees"))
) -> DefaultsChanged:
    """Set what runs start from where their course says nothing; null forgets a default."""
    return run_act(request, user, lambda uow: terms.change_center_defaults(uow, body))

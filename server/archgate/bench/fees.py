"""The price line of a year, for 500 runs."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

from archgate.actions.fees import prices
from archgate.actions.fees.views import PriceLine
from archgate.actions.kernel.unit_of_work import Sessions, UnitOfWork, read_only
from archgate.bench.base import START, Line, best, line, own_database
from archgate.bench.schedule import fill
from archgate.core.fees import Fees, Stretch
from archgate.documents.reader import Document


def year_of_fees(n: int) -> tuple[Fees, date]:
    """Fees as a busy run has them: three rates with two early steps and a sale, two extras, group steps, a code, a tax."""
    from decimal import Decimal

    from archgate.core.fees import Code, EarlyStep, Extra, GroupStep, Rate, Sale
    from archgate.core.taxes import Tax

    start = date(2028, 1, 3)
    sale = Sale(start - timedelta(days=200 + n % 50), start - timedelta(days=190 + n % 50), 15_000 + n)
    rates = tuple(
        Rate(code, 24_000 + 100 * n, code,
             (EarlyStep(days_before=14 + n % 9, amount=21_000), EarlyStep(days_before=60, percent=Decimal(15))), sale)
        for code in ("standard", "member", "concession")
    )  # fmt: skip
    extras = (Extra("book", 3_150, "Book"), Extra("pack", 500, "Pack", required=True))
    code = Code("C", percent=Decimal(10), last=start - timedelta(days=90))
    tax = Tax("Tax", Decimal(6), on=frozenset({"book"}))
    return Fees(rates, extras, (GroupStep(3, Decimal(5)),), (code,), (tax,)), start


def price_line() -> Iterator[Line]:
    """A year's price line of three rates for 500 runs: the rules alone, and from the tables with everything around them."""
    from archgate.core.fees import Ask, Heads, price_line_of, total_on

    runs = [year_of_fees(n) for n in range(500)]
    asks = [Ask((Heads(r, 1),), (("book", 1),), "C") for r in ("standard", "member", "concession")]
    year = timedelta(days=365)

    def lines() -> list[tuple[Stretch, ...]]:
        return [price_line_of(fees, ask, start - year, start, start) for fees, start in runs for ask in asks]

    drawn = [(fees, ask, s.first, start) for fees, start in runs for ask in asks
             for s in price_line_of(fees, ask, start - year, start, start)]  # fmt: skip
    value = best(lines)
    floor = best(lambda: [total_on(fees, ask, day, start) for fees, ask, day, start in drawn])
    yield line(
        "price-line",
        value,
        "s",
        floor,
        {"runs": 500, "rates": 3, "steps": len(drawn), "floor": "one total a step"},
    )
    yield price_line_from_tables()


def price_line_from_tables() -> Line:
    """The same of the rows of 500 runs; the floor is to read them."""
    from sqlalchemy import select
    from sqlalchemy.orm import selectinload

    from archgate.tables.courses import Run
    from archgate.tables.fees import Rate

    with own_database() as sessions:
        fill(sessions, 6_000)
        runs = add_fees(sessions)
        query = select(Run).options(
            selectinload(Run.rates).selectinload(Rate.early), selectinload(Run.extras), selectinload(Run.gates),
            selectinload(Run.all_meetings), selectinload(Run.course),
        )  # fmt: skip

        def lines(uow: UnitOfWork) -> list[list[PriceLine]]:
            return [prices.price_line(uow, run) for run in uow.session.scalars(query)]

        value = best(lambda: read_only(sessions, lines, at=START), 3)
        bare = best(lambda: read_only(sessions, lambda d: list(d.session.scalars(query)), at=START), 3)
        detail: Document = {"runs": runs, "floor": "reading the rows"}
        return line("price-line from the tables", value, "s", bare, detail)


def add_fees(sessions: Sessions) -> int:
    """Three rates with two early steps each, an extra and a close of sign-up for every run; how many runs there are."""
    from sqlalchemy import insert, select

    from archgate.tables.courses import Run
    from archgate.tables.fees import EarlyStep, Extra, Rate
    from archgate.tables.schedule import Gate

    with sessions.begin() as s:
        ids = list(s.scalars(select(Run.id)))
        rates = [(3 * r + k, r, k) for r in ids for k in range(3)]
        s.execute(insert(Rate), [
            {"id": n, "run_id": r, "code": f"r{k}", "label": f"R{k}", "amount": 24_000 - 2_000 * k, "position": k,
             "active": True, "by_agreement": False, "tags": []} for n, r, k in rates
        ])  # fmt: skip
        steps = ((14, 5), (60, 15))
        s.execute(insert(EarlyStep), [
            {"rate_id": n, "days_before": d, "percent": p} for n, _, _ in rates for d, p in steps
        ])  # fmt: skip
        s.execute(insert(Extra), [
            {"run_id": r, "code": "pack", "label": "Pack", "amount": 500, "required": True, "position": 1, "active": True}
            for r in ids
        ])  # fmt: skip
        starts = {g.run_id: g for g in s.scalars(select(Gate).where(Gate.kind == "starts"))}
        s.execute(insert(Gate), [
            {"run_id": r, "kind": "sign-up closes", "n": 1, "rule": "", "day": starts[r].day, "at": starts[r].at, "label": ""}
            for r in ids
        ])  # fmt: skip
    return len(ids)

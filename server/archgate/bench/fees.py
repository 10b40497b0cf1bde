"""The price line of a year, for 500 runs."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

from archgate.actions.fees import prices
from archgate.actions.kernel.unit_of_work import read_only
from archgate.bench.base import START, Line, best, line, own_database
from archgate.bench.schedule import fill
from archgate.core.fees import Fees, Stretch


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
    from sqlalchemy import insert, select
    from sqlalchemy.orm import selectinload

    from archgate.core.fees import Ask, Heads, price_line_of, total_on
    from archgate.tables.courses import Run
    from archgate.tables.fees import EarlyStep, Extra, Rate
    from archgate.tables.schedule import Gate

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
    with own_database() as sessions:
        fill(sessions, 6_000)
        with sessions.begin() as s:
            ids = list(s.scalars(select(Run.id)))
            s.execute(insert(Rate), [
                {"id": 3 * r + k, "run_id": r, "code": f"r{k}", "label": f"R{k}", "amount": 24_000 - 2_000 * k, "position": k,
                 "active": True, "by_agreement": False, "tags": []} for r in ids for k in range(3)
            ])  # fmt: skip
            s.execute(insert(EarlyStep), [
                {"rate_id": 3 * r + k, "days_before": d, "percent": p} for r in ids for k in range(3) for d, p in ((14, 5), (60, 15))
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
        query = select(Run).options(
            selectinload(Run.rates).selectinload(Rate.early), selectinload(Run.extras), selectinload(Run.gates),
            selectinload(Run.all_meetings), selectinload(Run.course),
        )  # fmt: skip
        value = best(
            lambda: read_only(
                sessions, lambda d: [prices.price_line(d, r) for r in d.session.scalars(query)], at=START
            ),
            3,
        )
        bare = best(lambda: read_only(sessions, lambda d: list(d.session.scalars(query)), at=START), 3)
        yield line(
            "price-line from the tables", value, "s", bare, {"runs": len(ids), "floor": "reading the rows"}
        )

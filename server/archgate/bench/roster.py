"""A roster of 15,000, whole."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta

from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.unit_of_work import Sessions, read_only
from archgate.actions.money import owing
from archgate.bench.base import START, Line, best, line, own_bench, seat_run, served
from archgate.core.quotes import quote_read


def fill_roster(sessions: Sessions, number: int) -> int:
    """A run on which so many people sit, each with an account and two installments, written in bulk; its id."""
    from sqlalchemy import insert, update

    from archgate.tables.money import Account
    from archgate.tables.plans import Installment
    from archgate.tables.roster import Enrollment
    from archgate.tables.seats import RunSeats

    run_id, user = seat_run(sessions, number + 5_000, number)
    quote = read_only(sessions, lambda d: quotes.quote_run(d, run_id, QuoteCommand()))
    kept = replace(quote_read(quote.model_dump(mode="json")), next_change=None)
    people = range(1, number + 1)
    with sessions.begin() as s:
        s.execute(insert(Account), [
            {"id": 100 + n, "owner": f"person:{n}", "person_id": n, "currency": "USD"} for n in people
        ])  # fmt: skip
        s.execute(insert(Enrollment), [
            {"id": n, "run_id": run_id, "person_id": n, "payer_id": 100 + n, "rate_id": quote.rate_id, "plan_id": quote.plan_id,
             "user_id": user.id, "status": "seated", "way_in": "list", "heads": 1, "signed_up": START.date(), "enrolled_at": START,
             "currency": "USD", "total": 24000, "quote": kept, "note": ""} for n in people
        ])  # fmt: skip
        s.execute(insert(Installment), [
            {"enrollment_id": n, "n": k, "due": START.date() + timedelta(days=30 * k), "amount": 12000, "settle": "any", "why": "", "kind": "plan"}
            for n in people for k in (1, 2)
        ])  # fmt: skip
        s.execute(update(RunSeats).values(taken=number))
        owing.keep_all(s.connection())
    return run_id


def whole_roster() -> Iterator[Line]:
    """A roster of 15,000 through the API, whole; the floor selects the same rows and writes them as JSON."""
    import orjson
    from sqlalchemy import text

    number = 15_000
    with own_bench() as bench:
        sessions = bench.sessions
        run_id, size = fill_roster(sessions, number), 0

        def ours() -> None:
            nonlocal size
            size = len(caller.read(f"/api/v1/runs/{run_id}/roster"))

        bare = text(
            "SELECT e.id, e.person_id, p.name, p.email, p.phone, e.way_in, e.total, e.signed_up, e.heads, e.note, e.status, e.quote,"
            " (SELECT SUM(i.amount) FROM installments i WHERE i.enrollment_id = e.id) AS owed, u.name"
            " FROM enrollments e JOIN people p ON p.id = e.person_id JOIN users u ON u.id = e.user_id WHERE e.run_id = :r"
            " ORDER BY e.enrolled_at, e.id"
        )

        def floor() -> None:
            with sessions() as s:
                rows = [list(r) for r in s.execute(bare, {"r": run_id})]
            orjson.dumps(rows, default=str)

        with served(bench) as client:
            caller = client()
            ours()
            value = best(ours, 3)
        yield line("roster", value, "s", best(floor, 3), {"people": number, "bytes": size})


def first_payers() -> Iterator[Line]:
    """The first page of 15,000 payers, longest overdue first, with the sums of all, through the API; the floor adds up what is
    open of each payer in one bare statement and sorts it."""
    import orjson
    from sqlalchemy import text

    number = 15_000
    with own_bench() as bench:
        sessions, size = bench.sessions, 0
        fill_roster(sessions, number)

        def ours() -> None:
            nonlocal size
            size = len(caller.read("/api/v1/outstanding")) + len(caller.read("/api/v1/outstanding/payers"))

        bare = text(
            "SELECT e.payer_id, MIN(i.due) AS first, SUM(i.amount) AS open FROM installments i"
            " JOIN enrollments e ON e.id = i.enrollment_id WHERE e.live = 1 GROUP BY e.payer_id ORDER BY first, e.payer_id"
        )

        def floor() -> None:
            with sessions() as s:
                orjson.dumps([list(r) for r in s.execute(bare)], default=str)

        with served(bench) as client:
            caller = client()
            ours()
            value = best(ours, 3)
        yield line("payers", value, "s", best(floor, 3), {"payers": number, "bytes": size})

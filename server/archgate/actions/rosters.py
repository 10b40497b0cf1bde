"""The roster of a run as screens and papers show it: who holds a seat, who waits, who left."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from archgate.actions import live, money, seats, waitlist
from archgate.actions.schedule import get_run
from archgate.actions.transaction import Deed
from archgate.core.money import format_amount
from archgate.tables.access import User
from archgate.tables.money import Account
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment, PartyPlace

ROSTER_COLUMNS = [
    "id",
    "person_id",
    "name",
    "email",
    "phone",
    "way_in",
    "batch",
    "rate",
    "payer",
    "total",
    "owed",
    "next_due",
    "next_amount",
    "signed_up",
    "entered_by",
    "heads",
    "places",
    "note",
]


def roster(deed: Deed, run_id: int) -> dict[str, Any]:
    """The whole roster in compact rows, in the order in which the seats were taken, the line, and who withdrew."""
    run = get_run(deed, run_id)
    query = (
        select(Enrollment, Account, Organization.name, User.name)
        .join(Account, Account.id == Enrollment.payer_id)
        .join(User, User.id == Enrollment.user_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .where(Enrollment.run_id == run.id)
        .options(selectinload(Enrollment.person))
        .options(selectinload(Enrollment.places).selectinload(PartyPlace.person))
        .order_by(Enrollment.enrolled_at, Enrollment.id)
    )
    found = deed.session.execute(query).all()
    due = money.open_installments(deed, [e.id for e, *_ in found if e.live])
    rows, gone = [], []
    for enrollment, _, organization, user in found:
        person = enrollment.person
        if enrollment.live is None:
            if enrollment.status == "withdrawn" and enrollment.ended_at:
                gone.append(
                    {"name": person.name, "at": enrollment.ended_at.astimezone(deed.zone).isoformat()}
                )
            continue
        still = due.get(enrollment.id, [])
        coming = money.next_due(still, run.currency) or {"due": None, "amount": None}
        rows.append(
            [
                enrollment.id,
                person.id,
                person.name,
                person.email,
                person.phone,
                enrollment.way_in,
                enrollment.batch_id,
                rate_label(enrollment),
                organization,
                format_amount(enrollment.total, run.currency),
                format_amount(sum(left for _, left in still), run.currency),
                coming["due"],
                coming["amount"],
                enrollment.signed_up.isoformat(),
                user,
                enrollment.heads,
                [
                    {"n": p.n, "person_id": p.person_id, "name": p.person and p.person.name}
                    for p in enrollment.places
                ],
                enrollment.note,
            ]
        )
    seats_now = seats.seats_of(deed, run)
    owed = sum(left for rows_ in due.values() for _, left in rows_)
    return {
        "run_id": run.id,
        "capacity": run.capacity,
        "smallest": run.smallest,
        "taken": seats_now.taken,
        "currency": run.currency,
        "fees": format_amount(sum(e.total for e, *_ in found if e.live), run.currency),
        "owed": format_amount(owed, run.currency),
        "columns": ROSTER_COLUMNS,
        "rows": rows,
        "waiting": waitlist.line_view(deed, run),
        "withdrawn": gone,
        "revision": live.revision(deed),
    }


def rate_label(enrollment: Enrollment) -> str:
    """The rates and extras as agreed, from the quote: "2 Standard, early, 1 Member; Handbook"."""
    kept = enrollment.quote.get("lines", [])
    rates, extras = ([x for x in kept if x["kind"] == kind] for kind in ("rate", "extra"))
    many = len(rates) > 1
    said = [f"{x['quantity']} {x['label']}" if many else x["label"] for x in rates]
    said = [text + (", early" if x["early"] else "") for text, x in zip(said, rates, strict=True)]
    along = [f"{x['quantity']} {x['label']}" if x["quantity"] > 1 else x["label"] for x in extras]
    return ", ".join(said) + (f"; {', '.join(along)}" if along else "")

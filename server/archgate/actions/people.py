"""People and organizations: finding, adding, and what they owe."""

from __future__ import annotations

import re
from typing import Any

from email_validator import EmailNotValidError, validate_email
from sqlalchemy import func, or_, select

from archgate.actions import money
from archgate.actions.problems import Problem, conflict
from archgate.actions.transaction import Deed
from archgate.core.documents import Reader
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment


def email_fault(text: str) -> str | None:
    """What is wrong with an email address as written; nothing is looked up."""
    try:
        validate_email(text, check_deliverability=False)
    except EmailNotValidError:
        return f'"{text}" is not an email address.'
    return None


def digits_of(phone: str | None) -> str | None:
    return re.sub(r"\D", "", phone) or None if phone else None


def new_person(
    given: str, family: str, email: str | None, phone: str | None, note: str, deed: Deed
) -> Person:
    return Person(
        given=given,
        family=family,
        name=f"{given} {family}".strip(),
        email=email,
        phone=phone,
        digits=digits_of(phone),
        note=note,
        created_at=deed.now,
    )


def create_person(deed: Deed, body: dict[str, Any]) -> dict[str, Any]:
    """Add a person. Somebody with the same name and email is pointed out (409) unless `anyway`."""
    faults: list[Fault] = []
    top = Reader(body, "", faults, "given family email phone note anyway")
    given = (top.text("given", "The given name") or "").strip() if top.value.get("given") else ""
    family = (top.text("family", "The family name") or "").strip() if top.value.get("family") else ""
    email = (top.value.get("email") or "").strip() or None
    phone = (top.value.get("phone") or "").strip() or None
    if not given and not family:
        top.fault("given", "A name is needed.")
    for key, name, most in (
        ("given", "given name", 200),
        ("family", "family name", 200),
        ("phone", "phone number", 40),
    ):
        if len(str(top.value.get(key) or "")) > most:
            top.fault(key, f"The {name} is longer than {most} characters.")
    wrong = email_fault(email) if email else None
    if wrong:
        top.fault("email", wrong)
    if phone and not digits_of(phone):
        top.fault("phone", f'"{phone}" is not a phone number.')
    if faults:
        raise Refused(faults)
    person = new_person(given, family, email, phone, str(top.value.get("note") or ""), deed)
    if not top.flag("anyway", "Anyway"):
        twin = deed.session.scalar(
            select(Person).where(
                Person.name == person.name, Person.email == email if email else Person.email.is_(None)
            )
        )
        if twin:
            raise conflict("same-person", f"{twin.name} is already known.", person=person_view(twin))
    deed.session.add(person)
    deed.session.flush()
    deed.log("add a person", "person", person.id, f"Added {person.name}")
    return person_view(person)


def person_view(person: Person) -> dict[str, Any]:
    return {
        "id": person.id,
        "given": person.given,
        "family": person.family,
        "name": person.name,
        "email": person.email,
        "phone": person.phone,
        "note": person.note,
    }


def find_people(deed: Deed, q: str, limit: int = 8) -> list[dict[str, Any]]:
    """People whose name, email or phone digits hold every word typed; case and accents do not count."""
    query = select(Person)
    for word in q.split()[:6]:
        like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        digits = digits_of(word)
        holds = [Person.name.like(like), Person.email.like(like)]
        if digits and len(digits) >= 3 and digits == re.sub(r"[-+().]", "", word):
            holds.append(Person.digits.like(f"%{digits}%"))
        query = query.where(or_(*holds))
    people = deed.session.scalars(query.order_by(Person.family, Person.given, Person.id).limit(limit)).all()
    ids = [p.id for p in people]
    runs: dict[int, int] = {}
    if ids:
        counted = select(Enrollment.person_id, func.count()).group_by(Enrollment.person_id)
        live = counted.where(Enrollment.person_id.in_(ids), Enrollment.live == 1)
        runs = {person: number for person, number in deed.session.execute(live)}  # noqa: C416
    owed = owed_by(deed, ids)
    return [{**person_view(p), "runs": runs.get(p.id, 0), **owed.get(p.id, NOTHING_OWED)} for p in people]


NOTHING_OWED: dict[str, Any] = {"owed": None, "next_due": None}


def owed_by(deed: Deed, person_ids: list[int]) -> dict[int, dict[str, Any]]:
    """What people owe on their own accounts in the center's currency, and their next installment."""
    accounts = deed.session.scalars(
        select(Account).where(Account.person_id.in_(person_ids), Account.currency == deed.center.currency)
    ).all()
    sums = money.balances(deed, [a.id for a in accounts])
    held = deed.session.execute(
        select(Enrollment.payer_id, Enrollment.id).where(
            Enrollment.payer_id.in_([a.id for a in accounts]), Enrollment.live == 1
        )
    ).all()
    due = money.open_installments(deed, [enrollment for _, enrollment in held])
    by_payer: dict[int, list[Any]] = {}
    for payer, enrollment in held:
        by_payer.setdefault(payer, []).extend(due.get(enrollment, []))
    currency = deed.center.currency
    return {
        a.person_id: {
            "owed": format_amount(sums[a.id], currency),
            "next_due": money.next_due(by_payer.get(a.id, []), currency),
        }
        for a in accounts
        if a.person_id is not None and sums.get(a.id)
    }


def find_organizations(deed: Deed, q: str) -> list[dict[str, Any]]:
    query = select(Organization).order_by(Organization.name).limit(20)
    if q.strip():
        query = query.where(Organization.name.like(f"%{q.strip()}%"))
    return [{"id": o.id, "name": o.name} for o in deed.session.scalars(query)]


def create_organization(deed: Deed, name: str) -> dict[str, Any]:
    """Add an organization; the name is unique without regard to case."""
    name = " ".join(name.split())
    if not name or len(name) > 200:
        raise Refused([Fault("/name", "A name of up to 200 characters is needed.")])
    if deed.session.scalar(select(Organization).where(Organization.name == name)):
        raise Problem(409, "same-organization", f'There is already an organization named "{name}".')
    row = Organization(name=name, created_at=deed.now)
    deed.session.add(row)
    deed.session.flush()
    deed.log("add an organization", "organization", row.id, f"Added {name}")
    return {"id": row.id, "name": row.name}

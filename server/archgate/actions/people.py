"""People and organizations: finding, adding, and what they owe."""

from __future__ import annotations

import re
from datetime import date, timedelta
from typing import Any

from email_validator import EmailNotValidError, validate_email
from rapidfuzz import fuzz
from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import aliased, joinedload

from archgate.actions import messages, money, seats
from archgate.actions.problems import Problem, conflict, not_found
from archgate.actions.schedule import decision_text, refuse_lost_update, shown
from archgate.actions.transaction import Deed, lock_row
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.names import digits_of, folded
from archgate.core.reader import Reader
from archgate.tables.access import User
from archgate.tables.courses import Course, Run
from archgate.tables.jobs import Job
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.money import Account, Payment
from archgate.tables.people import Note, Organization, Person, PersonNumber, PersonTag
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.waitlist import Interest, Waiting


def email_fault(text: str) -> str | None:
    """What is wrong with an email address as written; nothing is looked up."""
    try:
        validate_email(text, check_deliverability=False)
    except EmailNotValidError:
        return f'"{text}" is not an email address.'
    return None


def get_person(deed: Deed, person_id: int, to_change: bool = False) -> Person:
    """A person; `to_change` locks their row."""
    person = lock_row(deed, Person, person_id) if to_change else deed.session.get(Person, person_id)
    if person is None:
        raise not_found("This person")
    return person


def present(deed: Deed, person_id: int) -> Person:
    """A person to seat or to put in line, kept from being merged away meanwhile; people are locked before runs."""
    person = deed.session.get(Person, person_id, with_for_update={"read": True}, populate_existing=True)
    if person is None:
        raise not_found("This person")
    if person.merged_into_id is not None:
        into = deed.session.get_one(Person, person.merged_into_id)
        raise conflict(
            "merged", f"This record was merged into {into.name}; use that one.", person=person_view(into)
        )
    return person


def new_person(
    given: str, family: str, email: str | None, phone: str | None, note: str, deed: Deed
) -> Person:
    return Person(
        given=given,
        family=family,
        name=f"{given} {family}".strip(),
        folded=folded(f"{given} {family}"),
        email=email,
        phone=phone,
        digits=digits_of(phone) or None,
        note=note,
        created_at=deed.now,
    )


def read_person(top: Reader, row: Reader) -> dict[str, str | None]:
    """What a form says of a person, with every fault; a name is needed, all else may be missing."""
    facts: dict[str, str | None] = {}
    for key, name, most in (
        ("given", "given name", 200),
        ("family", "family name", 200),
        ("email", "email", 254),
        ("phone", "phone number", 40),
        ("note", "note", 5000),
    ):
        held = row.value.get(key)
        if held is not None and not isinstance(held, str):
            row.fault(key, f"The {name} must be a text.")
            held = None
        if held and len(held) > most:
            row.fault(key, f"The {name} is longer than {most} characters.")
        facts[key] = (held or "").strip()
    if not facts["given"] and not facts["family"]:
        row.fault("given", "A name is needed.")
    wrong = email_fault(facts["email"]) if facts["email"] else None
    if wrong:
        row.fault("email", wrong)
    if facts["phone"] and not digits_of(facts["phone"]):
        row.fault("phone", f'"{facts["phone"]}" is not a phone number.')
    if top.faults:
        raise Refused(top.faults)
    return {**facts, "email": facts["email"] or None, "phone": facts["phone"] or None}


def create_person(deed: Deed, body: dict[str, Any]) -> dict[str, Any]:
    """Add a person. Somebody with the same name and email is pointed out (409) unless `anyway`."""
    top = Reader(body, "", [], "given family email phone note anyway")
    facts = read_person(top, top)
    email = facts["email"]
    person = new_person(
        str(facts["given"]), str(facts["family"]), email, facts["phone"], str(facts["note"]), deed
    )
    if not top.flag("anyway", "Anyway"):
        twin = deed.session.scalar(
            select(Person).where(
                Person.folded == person.folded, Person.email == email if email else Person.email.is_(None)
            )
        )
        if twin:
            raise conflict("same-person", f"{twin.name} is already known.", person=person_view(twin))
    deed.session.add(person)
    deed.session.flush()
    deed.log("add a person", "person", person.id, f"Added {person.name}")
    return person_view(person)


def change_person(deed: Deed, person_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Change what is known of a person; `seen` holds the values the clerk saw."""
    person = get_person(deed, person_id, to_change=True)
    top = Reader(body, "", [], "seen set")
    row = top.inner("set", "What to change", "given family email phone note")
    if row is None:
        raise Refused(top.faults)
    now = {n: getattr(person, n) for n in ("given", "family", "email", "phone", "note")}
    names = [n for n in now if n in row.value]
    facts = read_person(
        top, Reader({**now, **row.value}, "/set", top.faults, "given family email phone note")
    )
    refuse_lost_update({n: facts[n] for n in names}, top.value.get("seen") or {}, now)
    for name in names:
        setattr(person, name, facts[name])
    person.name = f"{person.given} {person.family}".strip()
    person.folded, person.digits = folded(person.name), digits_of(person.phone) or None
    change = deed.log("change a person", "person", person.id, f"Changed {', '.join(names)} of {person.name}")
    return {**person_view(person), "change": change.key}


def tags_of(deed: Deed, person_ids: list[int]) -> dict[int, list[str]]:
    """What kind of person each of these is to the center, in order of the alphabet."""
    found: dict[int, list[str]] = {}
    query = select(PersonTag.person_id, PersonTag.tag).where(PersonTag.person_id.in_(person_ids or [0]))
    for person_id, tag in deed.session.execute(query.order_by(PersonTag.tag)):
        found.setdefault(person_id, []).append(tag)
    return found


def known_tags(deed: Deed) -> list[str]:
    return list(deed.session.scalars(select(PersonTag.tag).distinct().order_by(PersonTag.tag)))


def tag_person(deed: Deed, person_id: int, tags: list[str]) -> dict[str, Any]:
    """Say what kind of person somebody is: member, concession, staff. It decides which rates they may have."""
    person = get_person(deed, person_id, to_change=True)
    wanted = {t.strip().casefold() for t in tags if t.strip()}
    if len(wanted) > 20 or any(len(t) > 40 for t in wanted):
        raise Refused([Fault("/tags", "A person has up to 20 tags of up to 40 characters.")])
    held = {t.tag: t for t in deed.session.scalars(select(PersonTag).where(PersonTag.person_id == person.id))}
    for tag in wanted - set(held):
        deed.session.add(PersonTag(person_id=person.id, tag=tag))
    for tag in set(held) - wanted:
        deed.session.delete(held[tag])
    said = ", ".join(sorted(wanted)) or "no tag"
    change = deed.log("tag a person", "person", person.id, f"{person.name}: {said}")
    return {"change": change.key, "tags": sorted(wanted)}


def near(deed: Deed, given: str, family: str, email: str, phone: str) -> list[dict[str, Any]]:
    """People who may be the one being typed: the same email, the same phone, or nearly the same name.

    Names are compared without case and accents; 86 of 100 by edit distance is near (chosen by trying). A phone or
    email alone identifies nobody, since households share them: it is said, not decided.
    """
    name, digits = folded(f"{given} {family}"), digits_of(phone)
    wanted = [Person.email == email.strip()] if email.strip() else []
    wanted += [Person.digits == digits] if len(digits) >= 6 else []
    if len(name) >= 4:
        wanted += [
            func.soundex(Person.family) == func.soundex(family),
            Person.folded.like(like(name.split()[0])[1:]),
        ]
        wanted += [Person.folded.like(like(name.split()[-1]))] if len(name.split()) > 1 else []
    if not wanted:
        return []
    found = []
    for person in deed.session.scalars(
        select(Person).where(or_(*wanted), Person.merged_into_id.is_(None)).limit(2000)
    ):
        score = (
            max(fuzz.ratio(name, person.folded), fuzz.token_sort_ratio(name, person.folded)) if name else 0
        )
        why = ["the same name" if score == 100 else "nearly the same name"] if score >= NEAR else []
        why += (
            ["the same email"]
            if email.strip() and (person.email or "").lower() == email.strip().lower()
            else []
        )
        why += ["the same phone"] if len(digits) >= 6 and person.digits == digits else []
        if why:
            found.append((score + 50 * (len(why) - 1), {**person_view(person), "why": ", ".join(why)}))
    return [view for _, view in sorted(found, key=lambda f: -f[0])[:4]]


NEAR = 86


def like(word: str) -> str:
    """A LIKE pattern that holds a word anywhere; what is typed is never a wildcard."""
    return "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def person_view(person: Person) -> dict[str, Any]:
    return {
        "id": person.id,
        "given": person.given,
        "family": person.family,
        "name": person.name,
        "email": person.email,
        "phone": person.phone,
        "note": person.note,
        "merged_into_id": person.merged_into_id,
    }


def find_people(deed: Deed, q: str, limit: int = 8) -> list[dict[str, Any]]:
    """People whose name, email or phone digits hold every word typed; case and accents do not count."""
    query = select(Person).where(Person.merged_into_id.is_(None))
    for word in q.split()[:6]:
        digits, plain = digits_of(word), folded(word)
        holds = [Person.email.like(like(word))]
        if plain:
            holds.append(Person.folded.like(like(plain)))
        if len(digits) >= 3 and digits == re.sub(r"[-+().]", "", word):
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


NOTHING_OWED: dict[str, Any] = {"owed": None, "credit": None, "next_due": None}


def owed_by(deed: Deed, person_ids: list[int]) -> dict[int, dict[str, Any]]:
    """What people owe on their own accounts in the center's currency, or have as credit, and their next installment."""
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
            "owed": format_amount(sums[a.id], currency) if sums[a.id] > 0 else None,
            "credit": format_amount(-sums[a.id], currency) if sums[a.id] < 0 else None,
            "next_due": money.next_due(by_payer.get(a.id, []), currency),
        }
        for a in accounts
        if a.person_id is not None and sums.get(a.id)
    }


def find_organizations(
    deed: Deed, q: str, include: int | None = None, limit: int = 20
) -> list[dict[str, Any]]:
    """Organizations by a part of the name; `include` is one that stands first in any case, as it is chosen already."""
    query = select(Organization).order_by(Organization.name).limit(limit)
    for word in q.split()[:6]:
        query = query.where(Organization.name.like(like(word)))
    found = list(deed.session.scalars(query))
    chosen = deed.session.get(Organization, include) if include else None
    if chosen is not None:
        found = [chosen, *(o for o in found if o.id != chosen.id)]
    return [{"id": o.id, "name": o.name} for o in found]


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


# --- a person's page --------------------------------------------------------------------------------------


def person_page(deed: Deed, person_id: int) -> dict[str, Any]:
    """Everything about one person: runs past and coming, places in line, what is owed, notes and the log."""
    person = get_person(deed, person_id)
    return {
        **person_view(person),
        **owed_by(deed, [person.id]).get(person.id, NOTHING_OWED),
        "currency": deed.center.currency,
        "numbers": person_numbers(deed, person),
        "tags": tags_of(deed, [person.id]).get(person.id, []),
        "enrollments": enrollments_of(deed, person),
        "waiting": waiting_of(deed, person),
        "notes": notes_of(deed, person),
        "log": log_of(deed, person),
    }


def person_numbers(deed: Deed, person: Person) -> list[dict[str, Any]]:
    query = select(PersonNumber, Organization.name).outerjoin(
        Organization, Organization.id == PersonNumber.organization_id
    )
    rows = deed.session.execute(query.where(PersonNumber.person_id == person.id))
    return [
        {"organization": name or deed.center.name, "number": n.number, "department": n.department}
        for n, name in rows
    ]


def enrollments_of(deed: Deed, person: Person) -> list[dict[str, Any]]:
    """Runs a person signed up for or was named on, newest first, with what is still open of each; `payer` is whoever
    pays instead of them."""
    payer = aliased(Person)
    query = (
        select(Enrollment, Run, Course.title, func.coalesce(Organization.name, payer.name))
        .join(Run, Run.id == Enrollment.run_id)
        .join(Course, Course.id == Run.course_id)
        .join(Account, Account.id == Enrollment.payer_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .outerjoin(payer, (payer.id == Account.person_id) & (payer.id != person.id))
        .outerjoin(
            PartyPlace, (PartyPlace.enrollment_id == Enrollment.id) & (PartyPlace.person_id == person.id)
        )
        .where(or_(Enrollment.person_id == person.id, PartyPlace.id.is_not(None)))
        .order_by(Enrollment.enrolled_at.desc(), Enrollment.id.desc())
    )
    rows = deed.session.execute(query).all()
    due = money.open_installments(deed, [e.id for e, *_ in rows if e.live])
    return [
        {
            "enrollment_id": e.id,
            "run_id": run.id,
            "code": run.code,
            "title": run.title or title,
            "first": shown(run.meetings[0].date if run.meetings else run.starts_on),
            "last": shown(run.meetings[-1].date if run.meetings else run.ends_on),
            "status": e.status,
            "decision": decision_text(run),
            "access_until": shown(access_ends(run, e.signed_up)),
            "heads": e.heads,
            "guest": e.person_id != person.id,
            "payer": payer_name,
            "signed_up": e.signed_up.isoformat(),
            "currency": e.currency,
            "total": format_amount(e.total, e.currency),
            "owed": format_amount(sum(left for _, left in due.get(e.id, [])), e.currency),
            "next_due": money.next_due(due.get(e.id, []), e.currency),
        }
        for e, run, title, payer_name in rows
    ]


def access_ends(run: Run, signed_up: date) -> date | None:
    """The last day of access: of an open run so many days from the sign-up, of a cohort so many after its end."""
    start = signed_up if run.kind == "open" else run.ends_on
    return start + timedelta(days=run.access_days) if start and run.access_days is not None else None


def waiting_of(deed: Deed, person: Person) -> list[dict[str, Any]]:
    query = select(Waiting, Run).join(Run, Run.id == Waiting.run_id).where(Waiting.person_id == person.id)
    found = []
    for row, run in deed.session.execute(query.where(Waiting.live == 1).order_by(Waiting.joined_at)):
        line = [w.id for w in seats.line_of(deed, run.id, offered=True)]
        found.append({
            "waiting_id": row.id, "run_id": run.id, "code": run.code, "title": run.title or run.course.title,
            "heads": row.heads, "place": line.index(row.id) + 1, "joined": deed.local(row.joined_at),
        })  # fmt: skip
    return found


def notes_of(deed: Deed, person: Person) -> list[dict[str, Any]]:
    query = select(Note, User.name).join(User, User.id == Note.user_id).where(Note.person_id == person.id)
    rows = deed.session.execute(query.order_by(Note.id.desc()))
    return [{"at": deed.local(n.at), "by": name, "text": n.text} for n, name in rows]


def log_of(deed: Deed, person: Person, most: int = 60) -> list[dict[str, Any]]:
    """The changes that touched a person, newest first."""
    listed = select(Interest.id).where(Interest.person_id == person.id)
    own = select(Account.id).where(Account.person_id == person.id)
    paid = select(Payment.id).where(Payment.account_id.in_(own))
    held = select(Enrollment.id).where(Enrollment.person_id == person.id)
    line = select(Waiting.id).where(Waiting.person_id == person.id)
    touches = or_(
        and_(Change.subject == "person", Change.subject_id == person.id),
        and_(Change.subject == "enrollment", Change.subject_id.in_(held)),
        and_(Change.subject == "waiting", Change.subject_id.in_(line)),
        and_(Change.subject == "interest", Change.subject_id.in_(listed)),
        and_(Change.subject == "account", Change.subject_id.in_(own)),
        and_(Change.subject == "payment", Change.subject_id.in_(paid)),
    )
    query = select(Change, User.name).outerjoin(User, User.id == Change.user_id).where(touches)
    rows = deed.session.execute(query.order_by(Change.id.desc()).limit(most))
    return [{"at": deed.local(c.at), "by": name, "summary": c.summary} for c, name in rows]


def add_note(deed: Deed, person_id: int, text: str) -> dict[str, Any]:
    """Write a note on a person; it is signed and dated, and never edited."""
    person = get_person(deed, person_id)
    if not text.strip() or len(text) > 5000:
        raise Refused([Fault("/text", "A note has 1 to 5000 characters.")])
    deed.session.add(Note(person_id=person.id, user_id=deed.user_id, at=deed.now, text=text.strip()))
    deed.log("note", "person", person.id, f"Wrote a note on {person.name}")
    deed.session.flush()
    return {"notes": notes_of(deed, person)}


def messages_of(deed: Deed, person_id: int) -> list[dict[str, Any]]:
    """What was written to somebody, newest first, also under a record that was merged into theirs."""
    person = get_person(deed, person_id)
    ids = [person.id, *deed.session.scalars(select(Person.id).where(Person.merged_into_id == person.id))]
    query = select(Message).join(Job).options(joinedload(Message.job)).where(Message.person_id.in_(ids))
    rows = deed.session.scalars(query.order_by(Message.id.desc()).limit(100))
    return [messages.message_view(deed, m) for m in rows]

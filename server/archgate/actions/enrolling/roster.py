"""The roster of a run as screens and papers show it: who holds a seat, who waits, who left; and compared with another list."""

from __future__ import annotations

from datetime import UTC, datetime

import orjson
from sqlalchemy import Text, case, func, select, type_coerce

from archgate.actions.enrolling import groups, offers, roles
from archgate.actions.enrolling.roster_views import (
    Gone,
    PartyHead,
    Roster,
    RosterCompared,
    RosterRow,
    SentenceRead,
    TellDone,
    Unlisted,
)
from archgate.actions.enrolling.views import LetterOut
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import money
from archgate.actions.schedule import teachers
from archgate.actions.schedule.schedule import ordered
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.names import folded
from archgate.core.quotes import AgreedQuote, quote_read
from archgate.core.schedule import day_text
from archgate.core.states import EnrollmentStatus, Role
from archgate.papers.letters.writing import Letter
from archgate.papers.rosters import Listed, RosterPaper, Sheet
from archgate.tables.access import User
from archgate.tables.bulk import Sentence
from archgate.tables.catalog import AccessCode
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment, PartyPlace


def roster(uow: UnitOfWork, run_id: int) -> Roster:
    """The whole roster in compact rows, in the order in which the seats were taken, the line, and who withdrew.

    A roster of thousands is drawn whole, and the driver takes longer to read a row column by column than the server to
    find it: so every row comes as one JSON array, made by the server, with the key of its quote in place of the quote.
    """
    run = get_run(uow, run_id)
    owed = money.open_on(run.id)
    # A sign-up by an access code says by which.
    way_in = case(
        (AccessCode.id.is_not(None), func.concat("code ", AccessCode.label)), else_=Enrollment.way_in
    )
    row = func.json_array(
        Enrollment.id, Enrollment.person_id, Person.name, Person.email, Person.phone, way_in, Enrollment.batch_id,
        func.md5(type_coerce(Enrollment.quote, Text)), Organization.name, Enrollment.total, owed.c.left, owed.c.due,
        owed.c.part, Enrollment.signed_up, func.coalesce(User.name, "themselves"), Enrollment.heads, Enrollment.note, Enrollment.role, Enrollment.group_id,
        Enrollment.hold_until, Enrollment.set_aside_id, Enrollment.received_on, Enrollment.exception,
        type_coerce(Enrollment.answers, Text), Enrollment.sentence_id,
    )  # fmt: skip
    query = (
        select(row)
        .join(Person, Person.id == Enrollment.person_id)
        .join(Account, Account.id == Enrollment.payer_id)
        .outerjoin(User, User.id == Enrollment.user_id)
        .outerjoin(AccessCode, AccessCode.id == Enrollment.access_code_id)
        .outerjoin(Organization, Organization.id == Account.organization_id)
        .outerjoin(owed, owed.c.enrollment_id == Enrollment.id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1)
        .order_by(Enrollment.enrolled_at, Enrollment.id)
    )  # fmt: skip
    labels, places = labels_of(uow, run.id), heads_of(uow, run.id)
    rows, fees, owed_in_all, unit = list[RosterRow](), 0, 0, run.currency
    for text in uow.session.scalars(query):
        (number, person, name, email, phone, way, batch, key, payer, total, left, due, part, signed, user, heads, note, role,
         group, until, aside, received, why, answers, sentence) = orjson.loads(text)  # fmt: skip
        left = int(left or 0)
        fees, owed_in_all = fees + total, owed_in_all + left
        until = uow.local(datetime.fromisoformat(until).replace(tzinfo=UTC)) if until else None
        rows.append(RosterRow(
            number, person, name, email, phone, way, batch, labels.get(key) or label_of(uow, number), payer, format_amount(total, unit),
            format_amount(left, unit), due, format_amount(int(part), unit) if due else None, signed, user, heads,
            places.get(number, []), note, Role(role), group, until, aside, received, why, orjson.loads(answers), sentence,
        ))  # fmt: skip
    state, leaving = seats.seats_of(uow, run), offers.leave_rate(uow)
    # Not looked at one by one: the rows are as the server made them.
    return Roster.model_construct(
        run_id=run.id, capacity=run.capacity, smallest=run.smallest, taken=state.taken, currency=unit,
        fees=format_amount(fees, unit), owed=format_amount(owed_in_all, unit), columns=list(RosterRow._fields), rows=rows,
        waiting=offers.line_view(uow, run, state, leaving), withdrawn=gone_from(uow, run.id), groups=groups.groups_of(uow, run.id),
        free=state.free, held=state.held, offered=state.offered,
        set_aside=sum(s.left(uow.today) for s in state.set_asides), chance_why=leaving.why,
        revision=lookups.revision(uow), sentences=sentences_of(uow, {r.sentence for r in rows if r.sentence}),
    )  # fmt: skip


def sentences_of(uow: UnitOfWork, ids: set[int]) -> list[SentenceRead]:
    """The sentences by which people came."""
    if not ids:
        return []
    query = select(Sentence.id, Sentence.text).where(Sentence.id.in_(ids))
    return [SentenceRead(id=number, text=text) for number, text in uow.session.execute(query)]


def labels_of(uow: UnitOfWork, run_id: int) -> dict[str, str]:
    """What each quote of a run is called, by the key that `roster` has of it; most quotes of a run are the same."""
    quote = type_coerce(Enrollment.quote, Text)
    key = func.md5(quote)
    quotes = uow.session.execute(
        select(key, func.min(quote)).where(Enrollment.run_id == run_id, Enrollment.live == 1).group_by(key)
    )
    return {key: rate_label(quote_read(orjson.loads(text))) for key, text in quotes}


def label_of(uow: UnitOfWork, enrollment_id: int) -> str:
    """The label of a quote that was changed or made between two readings."""
    quote = uow.session.scalar(select(Enrollment.quote).where(Enrollment.id == enrollment_id))
    return rate_label(quote) if quote else ""


def gone_from(uow: UnitOfWork, run_id: int) -> list[Gone]:
    """Who withdrew from a run or did not come, and when."""
    query = (
        select(Person.name, Enrollment.ended_at).join(Person, Person.id == Enrollment.person_id)
        .where(Enrollment.run_id == run_id, Enrollment.status.in_((EnrollmentStatus.WITHDRAWN, EnrollmentStatus.NO_SHOW)), Enrollment.ended_at.is_not(None))
        .order_by(Enrollment.enrolled_at, Enrollment.id)
    )  # fmt: skip
    return [Gone(name=name, at=uow.local(at)) for name, at in uow.session.execute(query) if at]


def heads_of(uow: UnitOfWork, run_id: int) -> dict[int, list[PartyHead]]:
    """The heads of parties beside who signed up, by enrollment, in their order."""
    rows = uow.session.execute(
        select(PartyPlace.enrollment_id, PartyPlace.n, PartyPlace.person_id, Person.name)
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id).outerjoin(Person, Person.id == PartyPlace.person_id)
        .where(Enrollment.run_id == run_id, Enrollment.live == 1).order_by(PartyPlace.enrollment_id, PartyPlace.n)
    )  # fmt: skip
    heads: dict[int, list[PartyHead]] = {}
    for enrollment, n, person, name in rows:
        heads.setdefault(enrollment, []).append(PartyHead(n=n, person_id=person, name=name))
    return heads


def rate_label(quote: AgreedQuote) -> str:
    """The rates and extras as agreed, from the quote: "2 Standard, early, 1 Member; Handbook"."""
    rates = quote.of_kind("rate")
    labels = [
        (f"{x.quantity} {x.label}" if len(rates) > 1 else x.label) + (", early" if x.early else "")
        for x in rates
    ]
    along = [f"{x.quantity} {x.label}" if x.quantity > 1 else x.label for x in quote.of_kind("extra")]
    return ", ".join(labels) + (f"; {', '.join(along)}" if along else "")


def tell(
    uow: UnitOfWork, run_id: int, subject: str, body: str, enrollment_ids: list[int] | None = None
) -> TellDone:
    """Write to everybody with a seat on a roster, or to those chosen; who has no email is named, to be called instead.
    {name} and {given} in the text are whoever it goes to; `first` is the letter as the first of them gets it."""
    run = get_run(uow, run_id)
    faults = []
    if not subject.strip() or len(subject) > 200:
        faults.append(Fault("/subject", "The subject is a text of up to 200 characters."))
    if not body.strip() or len(body) > 10_000:
        faults.append(Fault("/body", "The message is a text of up to 10,000 characters."))
    if faults:
        raise Refused(faults)
    chosen = [Enrollment.run_id == run.id, Enrollment.live == 1]
    if enrollment_ids is not None:
        chosen.append(Enrollment.id.in_(enrollment_ids))
    named = select(PartyPlace.person_id).join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
    ids = (
        select(Enrollment.person_id)
        .where(*chosen)
        .union(named.where(*chosen, PartyPlace.person_id.is_not(None)))
    )
    whom = select(Person.id, Person.name, Person.given, Person.email).where(Person.id.in_(ids))
    people = uow.session.execute(whom.order_by(Person.family, Person.given, Person.id)).all()
    if not people:
        raise conflict("nobody", "Nobody is chosen.")
    change = uow.log(
        Act.WRITE_TO_A_ROSTER, run.id, f'Wrote "{subject.strip()}" to {len(people)} people of {run.code}'
    )
    letters = [
        (
            messages.Addressee(p.name, p.email, p.id),
            Letter(subject.strip(), with_name(body.strip(), p.name, p.given)),
        )
        for p in people
    ]
    told = messages.write_all(uow, change, letters, run.id)
    first = next(((to, letter) for to, letter in letters if to.email), letters[0])
    return TellDone(
        change=change.key,
        told=told,
        without=[p.name for p in people if not p.email],
        first=LetterOut(to=first[0].name, email=first[0].email, subject=first[1].subject, text=first[1].text),
    )


def with_name(body: str, name: str, given: str) -> str:
    """A message with the name of whoever it goes to where it says {name}, or {given}."""
    return body.replace("{name}", name).replace("{given}", given or name)


LINES = (
    ("Seat", "seat"),
    ("Name", "name"),
    ("Email", "email"),
    ("Phone", "phone"),
    ("Role", "role"),
    ("Group", "group"),
    ("Came in", "way_in"),
    ("Signed up", "signed_up"),
    ("Rate", "rate"),
    ("Payer", "payer"),
    ("Fee", "total"),
    ("Still owed", "owed"),
    ("Next due", "next_due"),
    ("Party of", "party_of"),
)
MOST_SHEETS, MOST_LINES = 60, 6_000  # of one paper: dates, and names on all of them together  # fmt: skip


def lines_of(
    uow: UnitOfWork, run_id: int, ids: list[int] | None = None, remarks: bool = False, health: bool = False
) -> tuple[str, list[list[str]]]:
    """The roster, or those chosen of it, as the lines of a file; named heads of parties have lines of their own. Notes, and
    remarks on health, leave the house only where each is asked for."""
    whole = roster(uow, run_id)
    run = get_run(uow, run_id)
    labels = {g.id: g.name for g in whole.groups}
    questions = list(run.questions)
    notes = [("Notes", "note")] if remarks else []
    columns = [*LINES, *notes, *([("Health", "health")] if health else [])]
    known = health_of(uow, run.id) if health else {}
    lines = [[label for label, _ in columns] + questions]
    chosen = None if ids is None else set(ids)
    seat = 1
    for row in whole.rows:
        learner = row.role == "learner"
        first, seat = seat, seat + (row.heads if learner else 0)
        if chosen is not None and row.id not in chosen:
            continue
        facts: dict[str, object] = {
            **row._asdict(),
            "seat": first if learner else "",
            "group": labels.get(row.group or 0, ""),
            "health": known.get(row.person_id, ""),
        }
        answered = [row.answers.get(q, "") for q in questions]
        lines.append([str(facts.get(key) or "") for _, key in columns] + answered)
        for place in row.places:
            if place.name:
                head = {
                    "seat": str(first + place.n - 1),
                    "name": place.name,
                    "role": "learner",
                    "party_of": row.name,
                    "health": known.get(place.person_id or 0, ""),
                }
                lines.append([head.get(key, "") for _, key in columns] + ["" for _ in questions])
    return run.code, lines


def health_of(uow: UnitOfWork, run_id: int) -> dict[int, str]:
    """What is known of the health of those on a run who have a remark, by person."""
    query = select(Person.id, Person.health).where(
        Person.id.in_(messages.ids_on(run_id)), Person.health != ""
    )
    return {number: text for number, text in uow.session.execute(query)}  # noqa: C416


def paper_of(
    uow: UnitOfWork,
    run_id: int,
    kind: str,
    meeting_id: int | None = None,
    remarks: bool = False,
    ids: list[int] | None = None,
    health: bool = False,
) -> RosterPaper:
    """What sign-in sheets, badges and contact lists show. Notes and remarks on health are left out unless asked for. Refused where it would
    take minutes to set."""
    run = get_run(uow, run_id)
    labels = {g.id: g.name for g in groups.groups_of(uow, run.id)}
    others = uow.session.execute(
        select(Enrollment, Person).join(Person, Person.id == Enrollment.person_id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.role != Role.LEARNER).order_by(Person.family)
    ).all()  # fmt: skip
    people = [
        Listed(
            name=p.name,
            email=p.email or "",
            phone=p.phone or "",
            group=labels.get(e.group_id or 0, ""),
            note=e.note if remarks else "",
            health=p.health if health else "",
            role=e.role if e.person_id == p.id else "learner",
        )
        for e, p in [*roles.people_of(uow, run), *((e, p) for e, p in others)]
        if ids is None or e.id in ids
    ]
    sheets = ordered(run) if kind == "sign-in" else []
    meetings = [m for m in sheets if meeting_id is None or m.id == meeting_id]
    if kind == "sign-in" and meeting_id is not None and not meetings:
        raise not_found("This meeting")
    names = len(people) * max(1, len(meetings))
    if len(meetings) > MOST_SHEETS or names > MOST_LINES:
        raise refuse(
            "/meeting_id",
            f"A paper has up to {MOST_SHEETS} dates and {MOST_LINES:,} names; this one would have {len(meetings)} and"
            f" {names:,}. Take one date, or choose some people.",
        )
    named = [
        Sheet(
            f"{day_text(m.date)}, {m.start:%H:%M}",
            m.place.name if m.place else "",
            teachers.text_of(m.teachers),
        )
        for m in meetings
    ]
    return RosterPaper(
        uow.center.name,
        run.title or run.course.title,
        run.code,
        remarks,
        health,
        people,
        named or [Sheet("", "", "")],
    )


def compare(uow: UnitOfWork, run_id: int, text: str) -> RosterCompared:
    """Who is on the roster and not on a pasted list of names or emails, one a line, and who the other way round."""
    run = get_run(uow, run_id)
    lines = [line.strip() for line in text.splitlines() if line.strip()][:20_000]
    listed = {folded(x) for x in lines} | {
        word.lower() for x in lines for word in x.replace(",", " ").replace(";", " ").split() if "@" in word
    }
    on, matched = [], set()
    for enrollment, person in roles.people_of(uow, run):
        keys = {
            folded(person.name),
            folded(f"{person.family}, {person.given}"),
            folded(f"{person.family} {person.given}"),
        }
        email = (person.email or "").lower()
        hit = (keys & listed) | ({email} & listed)
        if not hit:
            on.append(Unlisted(person_id=person.id, name=person.name, way_in=enrollment.way_in))
        matched |= keys | {email}
    missing = [
        x for x in lines
        if folded(x) not in matched and not any("@" in w and w.lower() in matched for w in x.replace(",", " ").replace(";", " ").split())
    ]  # fmt: skip
    return RosterCompared(
        run_id=run.id,
        without=on,
        missing=missing,
        both=len(roles.people_of(uow, run)) - len(on),
    )

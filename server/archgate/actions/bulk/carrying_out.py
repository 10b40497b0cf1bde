"""Standing and follow-on enrollment: sentences that put people on runs by themselves.

Whatever makes somebody what a sentence goes by (a tag, a number of an organization, a place on a run), or no longer so, leaves
word in the same transaction (`keep_up`); the worker then looks at how it is and does what the sentence says, a slice at a time. So
chains work by themselves, and one who is on the target already is left as they are.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from datetime import datetime

from sqlalchemy import ColumnElement, Subquery, delete, literal, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.bulk.running import lock_people
from archgate.actions.enrolling import enrollments, leaving, telling, waitlist
from archgate.actions.enrolling.commands import WithdrawCommand
from archgate.actions.enrolling.groups import Groups
from archgate.actions.fees import fees, quotes
from archgate.actions.fees.commands import Ask, HeadsAsked
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.kept import kept_by
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.rows import put
from archgate.actions.kernel.unit_of_work import UnitOfWork, act
from archgate.actions.money import money
from archgate.actions.seats import parties, seats
from archgate.clock import system_now
from archgate.core.faults import Refused
from archgate.core.quotes import AgreedQuote
from archgate.core.seats import NoSeat, Seated, seated_in, seats_for
from archgate.core.states import LineStatus, Role, RunStatus, SentenceKind, Told
from archgate.tables.access import User
from archgate.tables.bulk import Sentence, SentenceDue
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Person, PersonNumber, PersonTag
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting

SLICE = 100
PUT_DUE = insert(SentenceDue)
PUT_DUE = PUT_DUE.on_duplicate_key_update(at=PUT_DUE.inserted.at)


# --- word is left -----------------------------------------------------------------------------------------


def keep_up(uow: UnitOfWork) -> None:
    """Leave word of those at whom a sentence has to look after this act; a keeper of each act. Where no run is followed and nobody
    got a tag, nothing is asked."""
    touched, session = uow.touched, uow.session
    on = set(touched.joined)
    if touched.named:
        heads = (
            select(Enrollment.run_id, PartyPlace.person_id)
            .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
            .where(PartyPlace.enrollment_id.in_(touched.named), PartyPlace.person_id.is_not(None))
        )
        on |= {(run, person) for run, person in session.execute(heads) if person is not None}
    followed = {run for run in {run for run, _ in on} if is_followed(uow, run)}
    due: list[tuple[int, int]] = []
    if followed:
        for s in active(uow, Sentence.source_id.in_(followed)):
            due += [(s.id, person) for run, person in on if run == s.source_id]
    if touched.tagged:
        for s in active(uow, Sentence.tag.in_({tag for _, tag in touched.tagged})):
            due += [(s.id, person) for person, tag in touched.tagged if tag == s.tag]
    if touched.numbered:
        for s in active(uow, Sentence.organization_id.in_({of for _, of in touched.numbered})):
            due += [(s.id, person) for person, of in touched.numbered if of == s.organization_id]
    if touched.added:
        for s in active(uow, goes_by_all()):
            due += [(s.id, person) for person in touched.added]
    if due:
        now = system_now()
        rows = [{"sentence_id": n, "person_id": p, "at": now} for n, p in sorted(set(due))]
        session.connection().execute(PUT_DUE, rows)


def is_followed(uow: UnitOfWork, run_id: int) -> bool:
    """Whether a sentence goes by a run: as its seat row says, which whoever seats somebody has locked."""
    locked: dict[int, RunSeats] = uow.session.info.get("locked seats", {})
    row = locked.get(run_id)
    if row is not None:
        return row.followed
    return bool(uow.session.scalar(select(RunSeats.followed).where(RunSeats.run_id == run_id)))


def goes_by_all() -> ColumnElement[bool]:
    return (
        (Sentence.kind == SentenceKind.STANDING) & (Sentence.tag == "") & Sentence.organization_id.is_(None)
    )


def active(uow: UnitOfWork, which: ColumnElement[bool]) -> Sequence[Sentence]:
    return uow.session.scalars(select(Sentence).where(Sentence.active, which)).all()


kept_by(keep_up)


# --- carried out ------------------------------------------------------------------------------------------


def carry_out(sessions: sessionmaker[Session], most: int = 5, at: datetime | None = None) -> int:
    """Do what sentences say for those of whom word was left, so many slices at most; how many people were looked at."""
    done = 0
    for _ in range(most):
        with sessions() as session:
            first = session.scalar(select(SentenceDue.sentence_id).order_by(SentenceDue.id).limit(1))
            user = session.get(User, session.get_one(Sentence, first).user_id) if first else None
            session.expunge_all()
        if first is None or user is None:
            break
        done += act(sessions, lambda uow, n=first: one_slice(uow, n), user, at=at)  # type: ignore[misc]
    return done


def one_slice(uow: UnitOfWork, sentence_id: int) -> int:
    """The next of those of whom word was left for a sentence; what cannot be done is noted with it."""
    due = (
        select(SentenceDue)
        .where(SentenceDue.sentence_id == sentence_id)
        .order_by(SentenceDue.id)
        .limit(SLICE)
        .with_for_update(skip_locked=True)
    )
    rows = uow.session.scalars(due).all()
    if not rows:
        return 0
    people = sorted({r.person_id for r in rows})
    uow.session.execute(delete(SentenceDue).where(SentenceDue.id.in_([r.id for r in rows])))
    sentence = uow.session.get_one(Sentence, sentence_id)
    if sentence.active:
        settle(uow, sentence, people)
    return len(rows)


def settle(uow: UnitOfWork, sentence: Sentence, ids: Sequence[int]) -> None:
    """Put those on the target who are what the sentence goes by, and take off who is it no longer, if it says so."""
    lock_people(uow, ids)
    run = seats.run_to_change(uow, sentence.target_id)
    those = who(sentence)
    by: dict[int, int | None] = {}
    for person, payer in uow.session.execute(
        select(those.c.person, those.c.payer).where(those.c.person.in_(ids))
    ):
        by[person] = by.get(person) or payer
    there = {p for _, p in parties.tied_to(uow, [run.id], ids) | parties.waiting_for(uow, [run.id], ids)}
    comes = [n for n in ids if n in by and n not in there]
    gone = [n for n in ids if n not in by] if sentence.leaves else []
    change = uow.log(Act.CARRY_OUT_A_SENTENCE, sentence.id, "", run_id=run.id)
    off = take_off(uow, sentence, run, gone)
    try:
        seated, lined = put_on(uow, sentence, run, comes, by, change)
    except (Problem, Refused) as refused:
        why = refused.detail if isinstance(refused, Problem) else " ".join(f.message for f in refused.faults)
        sentence.note, sentence.missed, seated, lined = why, sentence.missed + len(comes), 0, 0
    else:
        sentence.note = "" if comes else sentence.note
    if seated or lined or off or comes:
        sentence.enrolled, sentence.lined = sentence.enrolled + seated, sentence.lined + lined
        sentence.last_at = uow.now
    change.summary = f"{seated} enrolled on {run.code}, {lined} in line, {off} taken off, by a sentence"
    if not (seated or lined or off):
        uow.entries.remove(change)


def who(sentence: Sentence) -> Subquery:  # type: ignore[explicit-any]  # each of its columns has a type of its own
    """Everybody who is what a sentence goes by, by `person`, with the account that pays for them there as `payer`, if one does."""
    nobody = literal(None, Account.id.type).label("payer")
    if sentence.kind is SentenceKind.FOLLOW_ON:
        roles = [Role.LEARNER, Role.ASSISTANT] if sentence.assistants else [Role.LEARNER]
        on = (Enrollment.run_id == sentence.source_id, Enrollment.live == 1, Enrollment.role.in_(roles))
        own = select(Enrollment.person_id.label("person"), Enrollment.payer_id.label("payer")).where(*on)
        heads = (
            select(PartyPlace.person_id, Enrollment.payer_id)
            .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
            .where(*on, PartyPlace.person_id.is_not(None))
        )
        return own.union_all(heads).subquery()
    people = select(Person.id.label("person"), nobody).where(Person.there())
    if sentence.tag:
        people = people.join(PersonTag, PersonTag.person_id == Person.id).where(PersonTag.tag == sentence.tag)
    elif sentence.organization_id:
        numbers = select(PersonNumber.person_id).where(
            PersonNumber.organization_id == sentence.organization_id
        )
        people = people.where(Person.id.in_(numbers))
    return people.subquery()


def asked(uow: UnitOfWork, sentence: Sentence, run: Run) -> tuple[quotes.ResolvedAsk, AgreedQuote]:
    """What a sentence asks of its target, and what that comes to now."""
    rates = fees.rates_of(run)
    rate = rates[0] if sentence.rate is None else next((r for r in rates if r.code == sentence.rate), None)
    if rate is None:
        raise Problem(422, "no-rate", f'{run.code} has no rate "{sentence.rate}" any more.')
    why = "By a sentence: free of charge" if sentence.rate is None else None
    ask = Ask(people=[HeadsAsked(rate_id=rate.id, count=1)], waive=why)
    resolved = quotes.resolve_ask(uow, run, ask)
    return resolved, quotes.priced(uow, resolved)


def put_on(
    uow: UnitOfWork,
    sentence: Sentence,
    run: Run,
    ids: Sequence[int],
    by: dict[int, int | None],
    change: Change,
) -> tuple[int, int]:
    """Enroll people on the target, or put them in its line when it is full; how many each."""
    if not ids:
        return 0, 0
    if run.status != RunStatus.PUBLISHED:
        raise conflict("sign-up-shut", f"{run.code} is {run.status}: nobody is put on it.")
    resolved, priced = asked(uow, sentence, run)
    people = {p.id: p for p in uow.session.scalars(select(Person).where(Person.id.in_(ids), Person.there()))}
    accounts = {
        a.id: a
        for a in uow.session.scalars(select(Account).where(Account.id.in_({n for n in by.values() if n})))
    }
    own = money.accounts_of(uow, [f"person:{n}" for n in ids], run.currency)
    state, group = seats.seats_of(uow, run), Groups(uow).of(run.id, sentence.group_name)
    coming: list[tuple[enrollments.Coming, Seated | None]] = []
    lined: list[Waiting] = []
    for number in ids:
        person = people.get(number)
        if person is None:
            continue
        payer = accounts.get(by.get(number) or 0)
        if payer is None or payer.currency != run.currency:
            payer = own[f"person:{number}"]
        seat = seats_for(state, 1)
        if isinstance(seat, NoSeat):
            continue
        if isinstance(seat, Seated):
            state = seated_in(state, seat)
            coming.append((enrollments.Coming(
                resolved, priced, person, payer, str(sentence.kind), group_id=group, sentence_id=sentence.id,
            ), seat))  # fmt: skip
        else:
            state = replace(state, waiting=(*state.waiting, 1))
            lined.append(waitlist.waiting_of(
                uow, resolved, person, payer, "", str(sentence.kind), sentence_id=sentence.id, group_id=group,
            ))  # fmt: skip
    made = enrollments.seat_people(uow, coming) if coming else []
    if made:
        seats.take(uow, run.id, len(made), sum(e.total for e in made), len(made))
        if Told.LEARNER in telling.told_of(uow, run):
            telling.queue_letters(uow, change, made, run)
    put(uow, lined)
    parties.leave_interest_all(uow, run, ids)
    return len(made), len(lined)


def take_off(uow: UnitOfWork, sentence: Sentence, run: Run, ids: Collection[int]) -> int:
    """Withdraw those from the target whom this sentence put there; how many."""
    if not ids:
        return 0
    mine = (Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.sentence_id == sentence.id)
    rows = uow.session.scalars(select(Enrollment).where(*mine, Enrollment.person_id.in_(ids))).all()
    for enrollment in rows:
        leaving.leave(uow, enrollment, run, WithdrawCommand())
    waits = uow.session.scalars(
        select(Waiting).where(
            Waiting.run_id == run.id,
            Waiting.live == 1,
            Waiting.sentence_id == sentence.id,
            Waiting.person_id.in_(ids),
        )
    ).all()
    for row in waits:
        row.status, row.ended_at = LineStatus.LEFT, uow.now
    uow.session.flush()
    return len(rows) + len(waits)

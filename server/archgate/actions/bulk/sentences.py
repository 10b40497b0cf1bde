"""Sentences that put people on runs by themselves: written, foreseen, changed, ended, shown. What they do is `carrying_out`."""

from __future__ import annotations

from dataclasses import dataclass

import sqlalchemy
from sqlalchemy import delete, func, literal, select

from archgate.actions.bulk.carrying_out import asked, who
from archgate.actions.bulk.commands import SentenceCommand, SentenceTermsCommand
from archgate.actions.bulk.views import BatchChoice, SentenceForeseen, SentenceOut
from archgate.actions.fees import fees
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.seats import seats
from archgate.clock import system_now
from archgate.core import sentences as core
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.states import SentenceKind
from archgate.tables.access import User
from archgate.tables.bulk import Sentence, SentenceDue
from archgate.tables.courses import Run
from archgate.tables.people import Organization
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting


def read(uow: UnitOfWork, command: SentenceCommand) -> Sentence:
    """A sentence of a form, not yet kept. Raises Refused, or the loop that it would close."""
    target = get_run(uow, command.target_id)
    if command.kind is SentenceKind.FOLLOW_ON:
        if command.source_id is None:
            raise refuse("/source_id", "Say which run is followed.")
        if get_run(uow, command.source_id).id == target.id:
            raise refuse("/target_id", "A run cannot follow on itself.")
        refuse_loop(uow, command.source_id, target.id)
    elif command.source_id is not None:
        raise refuse("/source_id", "A standing enrollment follows no run.")
    if command.organization_id and uow.session.get(Organization, command.organization_id) is None:
        raise refuse("/organization_id", "There is no such organization.")
    if command.tag and command.organization_id:
        raise refuse("/tag", "A sentence goes by a tag or by an organization, not by both.")
    sentence = Sentence(
        kind=command.kind,
        tag=(command.tag or "").casefold(),
        organization_id=command.organization_id,
        source_id=command.source_id,
        target_id=target.id,
        active=True,
        user_id=uow.user_id,
        made_at=uow.now,
    )
    put_terms(uow, sentence, target, command)
    return sentence


def put_terms(uow: UnitOfWork, sentence: Sentence, target: Run, command: SentenceTermsCommand) -> None:
    if command.rate is not None and command.rate not in {r.code for r in fees.rates_of(target)}:
        raise refuse("/rate", f"{target.code} has no such rate.")
    sentence.group_name, sentence.rate = command.group, command.rate
    sentence.assistants, sentence.leaves = command.assistants, command.leaves
    sentence.text = text_of(uow, sentence)


def refuse_loop(uow: UnitOfWork, source: int, target: int) -> None:
    """Refuse a follow-on enrollment that would close a loop, and draw it."""
    follows: dict[int, set[int]] = {}
    rows = select(Sentence.source_id, Sentence.target_id).where(
        Sentence.active, Sentence.source_id.is_not(None)
    )
    for one, other in uow.session.execute(rows):
        follows.setdefault(one or 0, set()).add(other)
    loop = core.loop_of(follows, source, target)
    if loop:
        codes = [get_run(uow, number).code for number in loop]
        raise Problem(
            422,
            "loop",
            f"This closes a loop: {' → '.join(codes)}. Nobody would ever come to an end of it.",
            loop=codes,
        )


def create(uow: UnitOfWork, command: SentenceCommand) -> SentenceOut:
    """Write a sentence; it holds from now on, and with `all_now` for whoever is it already."""
    if command.source_id:
        follow(uow, command.source_id, True)
    sentence = read(uow, command)
    uow.session.add(sentence)
    uow.session.flush()
    if command.all_now:
        now = literal(system_now(), SentenceDue.at.type)
        people = select(literal(sentence.id), who(sentence).c.person, now).distinct()
        names = ["sentence_id", "person_id", "at"]
        uow.session.connection().execute(sqlalchemy.insert(SentenceDue).from_select(names, people))
    change = uow.log(Act.MAKE_A_SENTENCE, sentence.id, f"Wrote: {sentence.text}", run_id=sentence.target_id)
    return sentence_view(uow, sentence).widened(SentenceOut, change=change.key)


def follow(uow: UnitOfWork, run_id: int, followed: bool) -> None:
    """Note with a run's seats whether a sentence goes by it."""
    seats.run_to_change(uow, run_id)
    uow.session.get_one(RunSeats, run_id).followed = followed


def change(uow: UnitOfWork, sentence_id: int, command: SentenceTermsCommand) -> SentenceOut:
    """Change the terms of a sentence, from now on; whom it enrolled stays as they are."""
    sentence = held(uow, sentence_id)
    put_terms(uow, sentence, get_run(uow, sentence.target_id), command)
    uow.session.flush()
    done = uow.log(
        Act.CHANGE_A_SENTENCE, sentence.id, f"Changed to: {sentence.text}", run_id=sentence.target_id
    )
    return sentence_view(uow, sentence).widened(SentenceOut, change=done.key)


def end(uow: UnitOfWork, sentence_id: int) -> SentenceOut:
    """End a sentence; whom it enrolled stays, and those at whom it had yet to look are left as they are."""
    sentence = held(uow, sentence_id)
    sentence.active = False
    uow.session.execute(delete(SentenceDue).where(SentenceDue.sentence_id == sentence.id))
    uow.session.flush()
    if sentence.source_id:
        others = select(Sentence.id).where(Sentence.active, Sentence.source_id == sentence.source_id)
        if uow.session.scalar(others.limit(1)) is None:
            follow(uow, sentence.source_id, False)
    uow.log(Act.END_A_SENTENCE, sentence.id, f"Ended: {sentence.text}", run_id=sentence.target_id)
    return sentence_view(uow, sentence)


def held(uow: UnitOfWork, sentence_id: int) -> Sentence:
    sentence = lock_row(uow, Sentence, sentence_id)
    if sentence is None:
        raise not_found("This sentence")
    if not sentence.active:
        raise conflict("ended", "This sentence was ended already.")
    return sentence


@dataclass(frozen=True)
class Reach:
    """How many are what a sentence goes by, and how many of them are on the target, or wait for it, already."""

    there: int
    already: int


def reach(uow: UnitOfWork, sentence: Sentence) -> Reach:
    people = select(who(sentence).c.person).distinct().subquery()
    there = uow.session.scalar(select(func.count()).select_from(people)) or 0
    own = select(Enrollment.person_id).where(Enrollment.run_id == sentence.target_id, Enrollment.live == 1)
    waits = select(Waiting.person_id).where(Waiting.run_id == sentence.target_id, Waiting.live == 1)
    query = select(func.count()).select_from(people).where(people.c[0].in_(own.union(waits)))
    return Reach(there, uow.session.scalar(query) or 0)


def foresee(uow: UnitOfWork, command: SentenceCommand) -> SentenceForeseen:
    """How a sentence reads, and what it does to those who are what it goes by already; nothing is written."""
    sentence, run = read(uow, command), get_run(uow, command.target_id)
    found = reach(uow, sentence)
    coming, (_, priced) = found.there - found.already, asked(uow, sentence, run)
    seated = min(coming, seats.seats_of(uow, run).free)
    return SentenceForeseen(
        text=sentence.text,
        there=found.there,
        already=found.already,
        seats=seated,
        waits=coming - seated,
        total=format_amount(priced.total * seated, run.currency),
        currency=run.currency,
        rates=[BatchChoice(value=r.code, text=r.label) for r in fees.rates_of(run)],
    )


# --- shown ------------------------------------------------------------------------------------------------


def text_of(uow: UnitOfWork, sentence: Sentence) -> str:
    target = get_run(uow, sentence.target_id)
    source = get_run(uow, sentence.source_id) if sentence.source_id else None
    paid_by = uow.session.get(Organization, sentence.organization_id) if sentence.organization_id else None
    labels = {r.code: r.label for r in target.rates}
    return core.text_of(
        core.Sentence(
            sentence.kind,
            named(target),
            named(source) if source else "",
            sentence.tag,
            paid_by.name if paid_by else "",
            sentence.group_name,
            None if sentence.rate is None else labels.get(sentence.rate, sentence.rate),
            sentence.assistants,
            sentence.leaves,
            sentence.made_at.astimezone(uow.zone).date(),
        )
    )


def named(run: Run) -> str:
    return f"{run.title or run.course.title} ({run.code})"


def sentence_view(uow: UnitOfWork, sentence: Sentence) -> SentenceOut:
    paid_by = uow.session.get(Organization, sentence.organization_id) if sentence.organization_id else None
    source = get_run(uow, sentence.source_id) if sentence.source_id else None
    due = select(func.count()).where(SentenceDue.sentence_id == sentence.id)
    return SentenceOut(
        id=sentence.id,
        kind=sentence.kind,
        text=sentence.text,
        target_id=sentence.target_id,
        target_code=get_run(uow, sentence.target_id).code,
        source_id=sentence.source_id,
        source_code=source.code if source else "",
        tag=sentence.tag,
        organization=paid_by.name if paid_by else "",
        group=sentence.group_name,
        rate=sentence.rate,
        assistants=sentence.assistants,
        leaves=sentence.leaves,
        active=sentence.active,
        by=uow.session.get_one(User, sentence.user_id).name,
        made_at=uow.local(sentence.made_at),
        enrolled=sentence.enrolled,
        lined=sentence.lined,
        missed=sentence.missed,
        due=uow.session.scalar(due) or 0,
        last_at=uow.local(sentence.last_at),
        note=sentence.note,
    )


MOST = 200


def list_sentences(uow: UnitOfWork, run_id: int | None = None, ended: bool = False) -> list[SentenceOut]:
    """All sentences, those that hold first, newest first; or those of a run, in either direction."""
    query = select(Sentence).order_by(Sentence.active.desc(), Sentence.id.desc()).limit(MOST)
    if not ended:
        query = query.where(Sentence.active)
    if run_id is not None:
        query = query.where((Sentence.source_id == run_id) | (Sentence.target_id == run_id))
    return [sentence_view(uow, s) for s in uow.session.scalars(query)]

"""Seats that come free go to those in line: offered with a deadline, answered by a signed link or at the desk, passed on.

The worker goes down every line; the acts of people are the same with a reason where they differ from the order.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import NamedTuple

from sqlalchemy import and_, func, or_, select

from archgate.actions.enrolling import replies, waitlist
from archgate.actions.enrolling.line_views import OfferDone, ReplyPage, WaitingOut
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.schedule import gates
from archgate.actions.seats import seats
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.schedule import moment_text
from archgate.core.states import LineStatus, RunStatus, WayIn
from archgate.core.waitlist import Rule, chances_of, next_offers, next_that_fits, wilson
from archgate.papers.letters.occasions import OfferLapsed, OfferTakenBack, SeatOffered
from archgate.papers.letters.writing import written
from archgate.tables.access import User
from archgate.tables.courses import Run
from archgate.tables.money import Account
from archgate.tables.people import Organization
from archgate.tables.schedule import Gate
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Waiting

PASSED = {"lapsed": "did not answer in time", "declined": "declined"}


def closing_of(uow: UnitOfWork, run: Run) -> datetime | None:
    """When the sign-up window that is open now closes."""
    for opens, closes in gates.sign_up_windows(run):
        if (opens is None or opens <= uow.now) and (closes is None or uow.now < closes):
            return closes
    return uow.now  # shut: nothing can be offered


def due_lines(uow: UnitOfWork) -> list[int]:
    """The runs whose line may move: somebody waits while seats are free and offered by themselves, or an offer ran out."""
    waits = select(Waiting.run_id).where(
        Waiting.status == LineStatus.WAITING, Waiting.live == 1, Waiting.by_hand.is_(False)
    )
    over = select(Waiting.run_id).where(Waiting.status == LineStatus.OFFERED, Waiting.offer_until <= uow.now)
    room = RunSeats.taken + seats.kept_back_of(uow.today, uow.now) < Run.capacity + Run.overbook
    moves = and_(Run.id.in_(waits), Run.status == RunStatus.PUBLISHED, Run.auto_offer, room)
    query = select(Run.id).join(RunSeats, RunSeats.run_id == Run.id).where(or_(Run.id.in_(over), moves))
    return list(uow.session.scalars(query.order_by(Run.id)))


@dataclass(frozen=True)
class WentDown:
    """What came of going down the line of a run: who let an offer go, and who has one now."""

    run_id: int
    ended: list[str]
    offered: list[str]


def go_down(uow: UnitOfWork, run_id: int) -> WentDown:
    """End the offers that ran out, and offer what is free to those next in line, where the run lets that go by itself."""
    run = seats.run_to_change(uow, run_id)
    ended = []
    for row in seats.line_of(uow, run.id, offered=True):
        if row.status == LineStatus.OFFERED and row.offer_until and row.offer_until <= uow.now:
            pass_on(uow, row, run, LineStatus.LAPSED)
            ended.append(row.person.name)
    made: list[str] = []
    if run.status == RunStatus.PUBLISHED and run.auto_offer:
        state = seats.seats_of(uow, run)
        line = [w for w in seats.line_of(uow, run.id) if not w.by_hand]
        offers, _ = next_offers(
            [seats.party(w) for w in line],
            state.free,
            Rule(run.line_rule),
            uow.now,
            run.offer_hours,
            closing_of(uow, run),
        )
        by_id = {w.id: w for w in line}
        for offer in offers:
            make_offer(uow, by_id[offer.party.id], run, offer.until)
            made.append(by_id[offer.party.id].person.name)
    return WentDown(run.id, ended, made)


def make_offer(uow: UnitOfWork, row: Waiting, run: Run, until: datetime, why: str = "") -> None:
    """Offer a party its seats until a moment, and tell it by a link of its own."""
    row.status, row.offered_at, row.offer_until = LineStatus.OFFERED, uow.now, until
    row.offers, row.asked_time, row.by_hand = row.offers + 1, False, False
    uow.session.flush()
    name, title = row.person.name, run.title or run.course.title
    many = "a seat" if row.heads == 1 else f"{row.heads} seats"
    sentence = f"Offered {many} on {run.code} to {name} until {moment_text(until, uow.zone)}{f': {why}' if why else ''}"
    change = uow.log(Act.OFFER_A_SEAT, row.id, sentence, run_id=run.id)
    letter = written(SeatOffered(uow.center.name, title, row.heads, until.astimezone(uow.zone), link_of(row)))
    messages.write(uow, change, messages.to_person(row.person), letter, run.id)


def link_of(row: Waiting) -> str:
    return f"{signing.address()}/reply/{signing.token_for('o', row.id, row.offers)}"


def pass_on(uow: UnitOfWork, row: Waiting, run: Run, how: LineStatus) -> None:
    """End a place in line whose offer was declined or not answered; the seat goes to the next."""
    row.status, row.ended_at = how, uow.now
    uow.session.flush()
    name, title = row.person.name, run.title or run.course.title
    change = uow.log(
        Act.OFFER_DECLINED if how is LineStatus.DECLINED else Act.OFFER_LAPSED,
        row.id,
        f"{name} {PASSED[how]} on {run.code}",
        run_id=run.id,
    )
    if how is LineStatus.LAPSED:
        letter = written(OfferLapsed(uow.center.name, title))
        messages.write(uow, change, messages.to_person(row.person), letter, run.id)


# --- by hand ----------------------------------------------------------------------------------------------


def offer(uow: UnitOfWork, waiting_id: int, why: str = "") -> OfferDone:
    """Offer a free seat to somebody in line by hand; out of turn only with a reason."""
    row, run = waitlist.locked(uow, waiting_id)
    if row.status == LineStatus.OFFERED:
        raise conflict("offered", f"{row.person.name} has an offer already.")
    state = seats.seats_of(uow, run)
    waitlist.refuse_out_of_turn(uow, run, row, state, why)
    closes = closing_of(uow, run)
    if run.status != RunStatus.PUBLISHED or (closes is not None and closes <= uow.now):
        raise conflict("sign-up-shut", "Sign-up is shut; seat them by hand instead.")
    until = uow.now + timedelta(hours=run.offer_hours)
    make_offer(uow, row, run, min(until, closes) if closes else until, why.strip())
    return OfferDone(change=uow.entries[-1].key, waiting_id=row.id, name=row.person.name, run_id=run.id)


def more_time(uow: UnitOfWork, waiting_id: int, hours: int) -> OfferDone:
    """Give somebody longer to answer, not beyond the close of sign-up."""
    row, run = waitlist.locked(uow, waiting_id)
    if row.status != LineStatus.OFFERED or row.offer_until is None:
        raise conflict("no-offer", f"{row.person.name} has no offer to answer.")
    if not 1 <= hours <= 24 * 60:
        raise refuse("/hours", "Give from 1 to 1440 hours more.")
    closes = closing_of(uow, run)
    until = max(row.offer_until, uow.now) + timedelta(hours=hours)
    row.offer_until, row.asked_time = min(until, closes) if closes else until, False
    uow.session.flush()
    sentence = f"{row.person.name} may answer until {moment_text(row.offer_until, uow.zone)} on {run.code}"
    change = uow.log(Act.GIVE_MORE_TIME, row.id, sentence, run_id=run.id)
    return OfferDone(change=change.key, waiting_id=row.id, name=row.person.name, run_id=run.id)


def take_back(uow: UnitOfWork, waiting_id: int, why: str) -> OfferDone:
    """Take an open offer back, with the reason. The party keeps its place and is told; its link says so; and whatever comes free
    is offered to it by hand only, else it would have the same offer again at once."""
    row, run = waitlist.locked(uow, waiting_id)
    if row.status != LineStatus.OFFERED:
        raise conflict("no-offer", f"{row.person.name} has no offer any more.")
    if not why.strip():
        raise refuse("/why", "Say why; they are told that the offer no longer stands.")
    row.status, row.offer_until, row.asked_time = LineStatus.WAITING, None, False
    row.by_hand = True
    uow.session.flush()
    change = uow.log(
        Act.TAKE_AN_OFFER_BACK,
        row.id,
        f"Took the offer of {row.person.name} on {run.code} back: {why.strip()}",
        run_id=run.id,
    )
    letter = written(OfferTakenBack(uow.center.name, run.title or run.course.title))
    messages.write(uow, change, messages.to_person(row.person), letter, run.id)
    return OfferDone(change=change.key, waiting_id=row.id, name=row.person.name, run_id=run.id)


# --- the reply page ---------------------------------------------------------------------------------------


def offer_behind(uow: UnitOfWork, token: str) -> tuple[Waiting, Run]:
    """The offer behind a link, whoever holds it; a link that was not made here names nothing."""
    read = signing.token_read(token)
    row = uow.session.get(Waiting, read[1]) if read and read[0] == "o" else None
    if row is None or read is None or read[2] > row.offers:
        raise not_found("This offer")
    return row, get_run(uow, row.run_id)


def reply_page(uow: UnitOfWork, token: str) -> ReplyPage:
    """What an offer's page shows: the run, the price now and what is due, until when, and whether it still stands."""
    row, run = offer_behind(uow, token)
    read = signing.token_read(token)
    current = read is not None and read[2] == row.offers
    stands = (
        current
        and row.status == LineStatus.OFFERED
        and row.offer_until is not None
        and row.offer_until > uow.now
    )
    states = {
        "seated": "You have taken it.",
        "declined": "You have declined it.",
        "left": "You have left the line.",
    }
    over = states.get(row.status, "This offer has run out; the seat has gone to the next in line.")
    page = replies.page_of(
        uow, run, row.person, "" if stands else over, lambda: waitlist.resolve_ask(uow, run, row)
    )
    until = moment_text(row.offer_until, uow.zone) if page.stands and row.offer_until else None
    return page.widened(ReplyPage, kind="offer", heads=row.heads, until=until, asked_time=row.asked_time)


def reply(uow: UnitOfWork, token: str, answer: str, total: str = "") -> ReplyPage:
    """Take an offer, decline it, or ask for more time. Logged as theirs."""
    row, run = offer_behind(uow, token)
    seats.lock_seats(uow, run)
    uow.session.refresh(row)
    page = reply_page(uow, token)
    if not page.stands:
        raise conflict("offer-over", page.said)
    name = row.person.name
    if answer == "decline":
        pass_on(uow, row, run, LineStatus.DECLINED)
    elif answer == "time":
        row.asked_time = True
        uow.session.flush()
        uow.log(Act.ASK_FOR_TIME, row.id, f"{name} asks for more time on {run.code}", run_id=run.id)
    elif answer == "take":
        waitlist.seat_row(uow, row, run, total, way_in=WayIn.OFFER)
        uow.log(
            Act.TAKE_AN_OFFER,
            row.id,
            f"{name} took the seat on {run.code} by the link",
            run_id=run.id,
        )
    else:
        raise refuse("/answer", "The answer is one of take, decline, time.")
    replies.by_the_person(uow)
    return reply_page(uow, token)


def keeper_of(uow: UnitOfWork, token: str) -> User | None:
    """Who put the party behind a link in line: what it does by the link is written in their name where rows need one. Nobody did where the party came by itself."""
    number = offer_behind(uow, token)[0].user_id
    return uow.session.get_one(User, number) if number else None


# --- chances ----------------------------------------------------------------------------------------------


class LeaveRate(NamedTuple):
    """The share of seats that are given up again, between what it lies for 95 in 100, and the sentence that says it."""

    rate: Decimal
    range: tuple[Decimal, Decimal]
    why: str


def leave_rate(uow: UnitOfWork) -> LeaveRate:
    """The share of seats that were given up again on the center's runs that are over, how sure that is, and the sentence.

    Only runs that are over count: a seat sold today has not been kept for months. The range is Wilson's interval for 95 in
    100 (E. B. Wilson, 1927). One seat given up of two is added to the estimate, so that a young center is neither certain
    nor hopeless.
    """
    over = select(func.coalesce(func.sum(RunSeats.gone), 0), func.coalesce(func.sum(RunSeats.taken), 0)).join(
        Gate, Gate.run_id == RunSeats.run_id
    )
    gone, kept = (
        int(n) for n in uow.session.execute(over.where(Gate.kind == "ends", Gate.at <= uow.now)).one()
    )
    every = gone + kept
    rate = (Decimal(gone + 1) / Decimal(every + 2)).quantize(Decimal("0.000001"))
    low, high = wilson(gone, every)
    if not every:
        return LeaveRate(rate, (low, high), "No run of this center is over yet, so this is a guess.")
    sentence = (
        f"Of {every} seats on runs that are over, {gone} {'was' if gone == 1 else 'were'} given up again: about"
        f" {round(rate * 100)} in 100, by so few cases {round(low * 100)} to {round(high * 100)}."
    )
    return LeaveRate(rate, (low, high), sentence)


def chances(state: core_seats.Seats, leaving: LeaveRate, line: list[Waiting]) -> list[tuple[str, str, str]]:
    """The chance of each party in line, as decimal texts: the estimate, and between what it lies."""
    out = state.whole - state.free  # whatever is not free counts as taken
    parties = [seats.party(w) for w in line]
    by_rate = [chances_of(parties, state.whole, out, r) for r in (leaving.rate, *leaving.range)]
    return [(str(a), str(b), str(c)) for a, b, c in zip(*by_rate, strict=True)]


def chance_said(low: str, high: str) -> str:
    """A chance in words: between what it lies, by what the center has seen so far."""
    first, last = (int((Decimal(share) * 100).to_integral_value()) for share in (low, high))
    if (first, last) == (0, 100):
        return "The center has not seen enough yet to say how likely a seat is."
    if last == 0:
        return "By what the center has seen so far, a seat is not likely."
    span = f"{first} in 100" if first == last else f"between {first} and {last} in 100"
    return f"By what the center has seen so far, the chance of a seat is {span}."


def line_view(uow: UnitOfWork, run: Run, state: core_seats.Seats, leaving: LeaveRate) -> list[WaitingOut]:
    """Who waits, in order, with open offers, who of them the free seats fit next, and everybody's chance."""
    line = seats.line_of(uow, run.id, offered=True)
    if not line:
        return []
    waiting = [w for w in line if w.status == LineStatus.WAITING]
    in_turn = [seats.party(w) for w in waiting if not w.by_hand]
    following = next_that_fits(in_turn, state.free, Rule(run.line_rule))
    chance = dict(zip((w.id for w in waiting), chances(state, leaving, waiting), strict=True))
    owners = dict(
        uow.session.execute(
            select(Account.id, Organization.name)
            .join(Organization, Organization.id == Account.organization_id)
            .where(Account.id.in_([w.payer_id for w in line]))
        ).all()
    )
    labels = {r.id: r.label for r in run.rates}
    people = {w.person_id: w.person for w in line}
    return [
        WaitingOut(
            id=w.id,
            person_id=w.person_id,
            name=people[w.person_id].name,
            email=people[w.person_id].email,
            phone=people[w.person_id].phone,
            heads=w.heads,
            place=n,
            joined=uow.local(w.joined_at),
            rate=labels.get(w.rate_id, ""),
            payer=owners.get(w.payer_id),
            way_in=w.way_in,
            note=w.note,
            next=following is not None and following.id == w.id,
            fits=w.heads <= state.free,
            status=w.status,
            until=uow.local(w.offer_until),
            asked_time=w.asked_time,
            by_hand=w.by_hand,
            offers=w.offers,
            chance=chance[w.id][0] if w.id in chance else None,
            chance_range=list(chance[w.id][1:]) if w.id in chance else None,
            answers=w.answers,
            head_start=w.head_start,
        )
        for n, w in enumerate(line, 1)
    ]

"""The form by which somebody outside signs up: the run as they find it, what is asked for and its price, seats kept for some
minutes."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy import select

from archgate.actions.access import access_codes, showing
from archgate.actions.access.public_commands import (
    KeepSeatsCommand,
    PublicAsk,
)
from archgate.actions.access.public_views import (
    CodeFits,
    KeptSeats,
    PublicDue,
    PublicExtraOut,
    PublicLine,
    PublicPlan,
    PublicQuote,
    PublicRate,
    SignUpForm,
)
from archgate.actions.access.showing import Looker
from archgate.actions.courses import courses, texts
from archgate.actions.fees import fees, plans, quotes
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import cards, payments
from archgate.actions.people import people
from archgate.actions.runs import publication
from archgate.actions.seats import made_of, seats
from archgate.core import eligibility
from archgate.core import fees as core_fees
from archgate.core import publication as core
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote
from archgate.core.states import HoldStatus, SignUp
from archgate.papers.markdown import html_of
from archgate.tables.catalog import AccessCode
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.people import Person
from archgate.tables.plans import Plan
from archgate.tables.seats import HeldPlace

MINUTES = 10  # for which seats are kept
AGAIN = timedelta(hours=1)  # after which the same email and client may have seats of a run kept anew
MOST_KEPT = 4  # forms of one client at the same time, on one run
OWN_RATE = "Sign in to your own page to have it."


# --- what is there --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Found:
    """A run that whoever looks finds, and the code they brought."""

    run: Run
    code: AccessCode | None
    looker: Looker

    @property
    def visitor(self) -> core.Visitor:
        return self.looker.visitor(self.run.id, self.code is not None)


def found(uow: UnitOfWork, run_id: int, looker: Looker, access_code: str = "", key: str = "") -> Found:
    """A run as whoever looks finds it: by the catalog, by its link, or by its code; else it is as if it were not there."""
    run = uow.session.get(Run, run_id)
    if run is None:
        raise not_found("This date")
    code = access_codes.fitting(uow, run, access_code)
    led = code is not None or access_codes.leads_to(key, run.id)
    why = core.why_not_found(publication.settings_of(run), looker.visitor(run.id, led), uow.now, uow.zone)
    if why:
        raise Problem(404, "not-found", why[0].public)
    return Found(run, code, looker)


def now_of(uow: UnitOfWork, there: Found, full: bool) -> tuple[SignUp, str, tuple[core.WhyNot, ...]]:
    """How sign-up stands now, in words too, and why whoever looks does not sign up by themselves."""
    state, said = fees.sign_up_of(uow, there.run, full)
    page = publication.settings_of(there.run)
    return state, said, core.why_no_sign_up(page, there.visitor, state, said)


def form(uow: UnitOfWork, run_id: int, looker: Looker, access_code: str, key: str) -> SignUpForm:
    """All that the form of a run needs, with what can be done now."""
    there = found(uow, run_id, looker, access_code, key)
    run = there.run
    (run, taken), *_ = showing.runs_shown(uow, [run.id], whole=True)
    version = texts.version_of(uow, run.course_id, run.course.published_n or 0)
    card = texts.card_of(texts.text_of(version.content))
    page = texts.address_for(run.course_id, version.title)
    shown = showing.run_shown(uow, run, taken, card, page, looker, code=there.code is not None)
    person, terms = looker.person, courses.center_form(uow).terms or ""
    return SignUpForm(
        run_id=run.id,
        course_id=run.course_id,
        title=run.title or version.title,
        when=shown.when,
        first=shown.first,
        last=shown.last,
        where=shown.where.name if shown.where else "",
        center=uow.center.name,
        currency=run.currency,
        state=shown.state,
        act=shown.acts,
        said=shown.said,
        seats=shown.seats.said if shown.seats else "",
        rates=rates_of(uow, run, person),
        extras=[
            PublicExtraOut(
                id=x.id,
                label=x.label,
                amount=format_amount(x.amount, run.currency),
                required=x.required,
                most=x.most,
            )
            for x in run.extras
            if x.active
        ],
        plans=[PublicPlan(id=p.id, name=p.name, note=p.note) for p in plans_of(uow, run, looker.person)],
        questions=run.questions,
        terms=html_of(terms) if terms else "",
        terms_mark=terms_mark(terms),
        person=(person.given or person.name) if person else None,
        email=person.email if person else None,
        phone=person.phone if person else None,
        given=person.given if person else "",
        family=person.family if person else "",
        minutes=MINUTES,
        most=min(12, run.capacity + run.overbook),
    )


def terms_mark(terms: str) -> str:
    """By which terms are known again: who agrees has seen these, and none that came since."""
    return hashlib.sha256(terms.encode()).hexdigest()[:16] if terms else ""


def rates_of(uow: UnitOfWork, run: Run, person: Person | None) -> list[PublicRate]:
    """The rates one can sign up at, each with why whoever looks cannot have it; those agreed on are the staff's."""
    facts, sold = quotes.facts_of(uow, run, person), fees.heads_at(uow, run)
    start = fees.start_of(uow, run)
    rates = []
    for rate in fees.rates_of(run):
        if rate.by_agreement:
            continue
        taken = sold.get(rate.id, 0)
        why = (
            why_not_stranger(uow, rate, taken, 1)
            if person is None
            else eligibility.why_not(fees.who_terms(uow, rate), facts, uow.today, taken, 1)
        )
        rates.append(
            PublicRate(
                id=rate.id,
                label=rate.label,
                amount=format_amount(core_fees.lowest(fees.core_rate(rate), uow.today, start), run.currency),
                why_not=why,
                left=None if rate.most is None else max(0, rate.most - sold.get(rate.id, 0)),
            )
        )
    return rates


def plans_of(uow: UnitOfWork, run: Run, person: Person | None) -> list[Plan]:
    """The plans that can be chosen without the staff: those that take payment details where cards are taken, or by whoever has some
    on file."""
    offered = plans.offered(uow, run)
    if cards.taken():
        return offered
    has = any(p.details for p in offered) and payments.words_of(uow, run, person, None) is not None
    return [p for p in offered if has or not p.details]


# --- what it costs --------------------------------------------------------------------------------------------


def resolved(uow: UnitOfWork, run: Run, ask: PublicAsk, person: Person | None) -> quotes.ResolvedAsk:
    """What is asked, found on the run. Rates that depend on who one is, and plans and rates of the staff, are refused."""
    if uow.center_plans is None:
        uow.center_plans = plans.of_the_center(uow)  # read once; they are asked for several times below
    offered = {p.id for p in plans_of(uow, run, person)}
    if not offered:
        raise Problem(
            422,
            "no-plan",
            "Signing up for this date needs a call to us: its payment is arranged by telephone.",
        )
    if ask.plan_id is not None and ask.plan_id not in offered:
        raise Refused([Fault("/plan_id", "This plan is not offered here.")])
    plan_id = ask.plan_id or next(p.id for p in plans.offered(uow, run) if p.id in offered)
    allowed = [r for r in fees.rates_of(run) if not r.by_agreement]
    if not allowed:
        raise Problem(
            422, "no-rate", "Signing up for this date needs a call to us: its price is agreed by telephone."
        )
    usual = next((r for r in allowed if not showing.is_personal(r)), allowed[0])
    by_hand = {r.id for r in fees.rates_of(run) if r.by_agreement}
    faults = [
        Fault(f"/people/{n}/rate_id", "This rate is agreed by telephone.")
        for n, row in enumerate(ask.people)
        if row.rate_id in by_hand
    ]
    if faults:
        raise Refused(faults)
    rows = [{"rate_id": row.rate_id or usual.id, "count": row.count} for row in ask.people]
    body = {
        "people": rows or [{"rate_id": usual.id, "count": 1}],
        "extras": [{"extra_id": x.extra_id, "count": x.count} for x in ask.extras if x.count],
        "code": ask.code or None,
        "plan_id": plan_id,
    }
    made = quotes.resolve_ask(uow, run, command_of(Ask, body), person)
    if len(made.heads) > 12:
        raise Refused(
            [Fault("/people", "Up to 12 people sign up together; more are a list: please call us.")]
        )
    refuse_rates(uow, made, person)
    return made


def refuse_rates(uow: UnitOfWork, made: quotes.ResolvedAsk, person: Person | None) -> None:
    """Refuse rates that cannot be had. Somebody who is not signed in is nobody's member, whatever address they give."""
    if person is not None:
        quotes.refuse_rates(uow, made, person, None)
        return
    sold, faults = fees.heads_at(uow, made.run), []
    for i, (rate, count, _) in enumerate(made.rates):
        same = sum(n for r, n, _ in made.rates[:i] if r.id == rate.id)
        why = why_not_stranger(uow, rate, sold.get(rate.id, 0) + same, count)
        if why:
            faults.append(Fault(f"/people/{i}/rate_id", why))
    if faults:
        raise Refused(faults)


def why_not_stranger(uow: UnitOfWork, rate: Rate, taken: int, count: int) -> str | None:
    """Why somebody of whom nothing is known cannot have a rate."""
    why = eligibility.why_not(fees.who_terms(uow, rate), eligibility.Person(), uow.today, taken, count)
    return f"{why} {OWN_RATE}" if why and showing.is_personal(rate) else why


def quote(uow: UnitOfWork, run_id: int, ask: PublicAsk, looker: Looker) -> PublicQuote:
    """What is asked costs now, when it is due, and whether seats are there for it."""
    there = found(uow, run_id, looker, ask.access_code, ask.key)
    made = resolved(uow, there.run, ask, looker.person)
    priced = quotes.priced(uow, made)
    state = seats.seats_of(uow, there.run)
    seat = core_seats.seats_for(state, len(made.heads))
    sign_up, _, reasons = now_of(uow, there, state.free == 0)
    can = not reasons and sign_up is SignUp.OPEN and isinstance(seat, core_seats.Seated)
    why = reasons[0].public if reasons else "" if isinstance(seat, core_seats.Seated) else seat.why
    return quote_out(priced, made, can, "" if can else why)


def quote_out(priced: AgreedQuote, made: quotes.ResolvedAsk, can: bool, said: str) -> PublicQuote:
    def text(units: int) -> str:
        return format_amount(units, priced.currency)

    return PublicQuote(
        currency=priced.currency,
        lines=[PublicLine(label=x.label, amount=text(x.amount), why=x.why) for x in priced.lines],
        taxes=[PublicLine(label=t.name, amount=text(t.amount), why="") for t in priced.taxes],
        total=text(priced.total),
        due_now=text(priced.due_now),
        dues=dues_of(priced),
        heads=len(made.heads),
        can=can,
        said=said,
        card=quotes.needs_details(made, priced.total),
    )


def dues_of(priced: AgreedQuote) -> list[PublicDue]:
    return [
        PublicDue(day=i.due, amount=format_amount(i.amount, priced.currency)) for i in priced.installments
    ]


# --- seats kept while the form is filled in -------------------------------------------------------------------


def key_hash(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()


def none_kept(said: str) -> KeptSeats:
    return KeptSeats(kept=False, key="", until=None, seconds=0, said=said)


def keep(uow: UnitOfWork, run_id: int, command: KeepSeatsCommand, looker: Looker, client: str) -> KeptSeats:
    """Keep seats for `MINUTES` while somebody fills in the form: one form per email and client, not renewed, and never all the seats
    that are left for one client; beyond its first form a client keeps at most a quarter of the run. Where none are kept one can
    sign up all the same, as long as there are seats."""
    made_of.look_ahead(uow, run_id)
    there = found(uow, run_id, looker, command.access_code, command.key)
    wrong = people.email_fault(command.email)
    if wrong:
        raise Refused([Fault("/email", wrong)])
    own = hashlib.sha256(client.encode()).hexdigest()
    # Most of a rush are told here, so that they do not stand in line for the run's lock with those who get a seat.
    why = why_not_kept(uow, there, command, own)
    if why:
        return none_kept(why)
    run, _ = made_of.lock_run(uow, run_id)
    why = why_not_kept(uow, there, command, own)
    if why:
        return none_kept(why)
    key, until = secrets.token_urlsafe(24), uow.now + timedelta(minutes=MINUTES)
    row = HeldPlace(
        run_id=run.id,
        for_whom="Somebody signing up",
        seats=command.heads,
        last=until.astimezone(uow.zone).date(),
        note="",
        status=HoldStatus.HELD,
        user_id=None,
        until=until,
        key_hash=key_hash(key),
        email=command.email,
        client=own,
        made_at=uow.now,
    )
    uow.session.add(row)
    uow.session.flush()
    words = "The seat is" if command.heads == 1 else f"{command.heads} seats are"
    return KeptSeats(
        kept=True,
        key=key,
        until=uow.local(until),
        seconds=MINUTES * 60,
        said=f"{words} kept for you meanwhile.",
    )


def why_not_kept(uow: UnitOfWork, there: Found, command: KeepSeatsCommand, own: str) -> str:
    """Why no seats are kept for a form; empty when they can be. For certain under the run's lock only."""
    run = there.run
    state = seats.seats_of(uow, run)
    sign_up, said, reasons = now_of(uow, there, state.free == 0)
    if reasons or sign_up is not SignUp.OPEN:
        raise conflict("sign-up-shut", reasons[0].public if reasons else said)
    mine = uow.session.scalars(
        select(HeldPlace)
        .where(HeldPlace.run_id == run.id, HeldPlace.client == own, HeldPlace.made_at > uow.now - AGAIN)
        .execution_options(populate_existing=True)
    ).all()
    held = [h for h in mine if h.status is HoldStatus.HELD and h.until and h.until > uow.now]
    if any(h.email.casefold() == command.email.casefold() for h in mine):
        return "Seats were kept for this address already; they are not kept again. Sign up as long as there are seats."
    share = max(2, state.whole // 4)
    if len(held) >= MOST_KEPT or (held and sum(h.seats for h in held) + command.heads > share):
        return "Other forms are being filled in from here; no more seats are kept. Sign up as long as there are seats."
    if command.heads >= state.free:
        return "The last seats are not kept while you fill in; whoever signs up first has them."
    if isinstance(core_seats.seats_for(state, command.heads), core_seats.Waits):
        return "Others wait for these seats and come first."
    return ""


def held_by(uow: UnitOfWork, run: Run, key: str) -> HeldPlace | None:
    """The kept seats behind a key, as long as they are kept; read under the run's lock."""
    if not key:
        return None
    row = uow.session.scalar(
        select(HeldPlace).where(HeldPlace.key_hash == key_hash(key), HeldPlace.run_id == run.id)
    )
    if row is None or row.status is not HoldStatus.HELD or row.until is None or row.until <= uow.now:
        return None
    return row


def code_fits(uow: UnitOfWork, run_id: int, text: str, key: str, looker: Looker) -> CodeFits:
    """Whether a code lets in now."""
    run = uow.session.get(Run, run_id)
    if run is None:
        raise not_found("This date")
    if access_codes.fitting(uow, run, text) is None:
        found(uow, run_id, looker, "", key)  # whoever does not find the run is told nothing of its codes
        return CodeFits(fits=False, said="This code does not fit, or not now.")
    found(uow, run_id, looker, text, key)
    return CodeFits(fits=True, said="")


def code_stands(uow: UnitOfWork, run_id: int, text: str) -> bool:
    """Whether a code is one of a run that lets in, or did for its last use just now."""
    run = uow.session.get(Run, run_id)
    return run is not None and access_codes.known(uow, run, text)

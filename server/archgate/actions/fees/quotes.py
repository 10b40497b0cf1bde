"""What a sign-up asks for and what it costs: the quote behind the desk, the roster, lists and kept quotes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time

from sqlalchemy import select

from archgate.actions.fees import codes, fees, plans
from archgate.actions.fees.commands import AgreedPrice, Ask, ExtraAsked, HeadsAsked, QuoteCommand
from archgate.actions.fees.term_commands import PlanExampleCommand
from archgate.actions.fees.views import (
    Choices,
    DueView,
    ExampleOut,
    ExtraChoice,
    GroupStepIO,
    RateChoice,
    RunQuoteView,
    SeatQuoteView,
    SeatView,
    run_quote_view,
    seat_quote_view,
)
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import payments
from archgate.actions.people import people
from archgate.actions.schedule import schedule
from archgate.actions.seats import parties, seats
from archgate.core import eligibility, gates
from archgate.core import fees as core_fees
from archgate.core import plans as core_plans
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused, pointer_of
from archgate.core.money import format_amount, parse_amount
from archgate.core.quotes import AgreedQuote, agreed_of, document_of
from archgate.core.schedule import moment_of
from archgate.core.states import SignUp
from archgate.documents.calculators import PLAN_LINE_KEYS, read_plan_line
from archgate.documents.reader import Document, Reader
from archgate.tables.courses import Run
from archgate.tables.fees import DiscountCode, Extra, Rate
from archgate.tables.people import Person, PersonNumber, PersonTag
from archgate.tables.plans import Plan
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Gate

MOST_REASON = 500


@dataclass(frozen=True)
class ResolvedAsk:
    """What is asked of a run, with the rows it names. `heads` holds the rate of each head, the first of who signs up."""

    run: Run
    plan: Plan
    rates: tuple[tuple[Rate, int, core_fees.Agreed | None], ...]
    extras: tuple[tuple[Extra, int], ...]
    code: DiscountCode | None
    waived: str = ""  # why the seats cost nothing, if they do not

    @property
    def heads(self) -> list[Rate]:
        return [rate for rate, count, _ in self.rates for _ in range(count)]

    @property
    def ask(self) -> core_fees.Ask:
        free = core_fees.Agreed(0, self.waived) if self.waived else None
        return core_fees.Ask(
            tuple(core_fees.Heads(rate.code, count, free or agreed) for rate, count, agreed in self.rates),
            tuple((extra.code, count) for extra, count in self.extras),
            self.code.code if self.code else None,
        )

    @property
    def fees(self) -> core_fees.Fees:
        code = codes.core_code(self.code) if self.code else None
        rates, extras = [rate for rate, _, _ in self.rates], [extra for extra, _ in self.extras]
        terms = fees.core_fees(self.run, rates, code, extras)
        if not self.waived:
            return terms
        return replace(terms, rates=tuple(replace(r, by_agreement=True) for r in terms.rates))

    @property
    def document(self) -> Document:
        """The ask as a body sends it; what is kept of it with a place in line and a kept quote."""
        people = [
            HeadsAsked(
                rate_id=rate.id,
                count=count,
                agreed=None
                if agreed is None
                else AgreedPrice(
                    amount=format_amount(agreed.amount, self.run.currency), reason=agreed.reason
                ),
            )
            for rate, count, agreed in self.rates
        ]
        ask = Ask(
            people=people,
            extras=[ExtraAsked(extra_id=extra.id, count=count) for extra, count in self.extras],
            code=self.code.code if self.code else None,
            plan_id=self.plan.id,
            waive=self.waived or None,
        )
        return ask.model_dump(mode="json", exclude={"rate_id", "heads"})


def resolve_ask(
    uow: UnitOfWork, run: Run, ask: Ask, person: Person | None = None, as_kept: bool = False
) -> ResolvedAsk:
    """What an ask names, found on the run. `rate_id` and `heads` are the short form of `people`. `held`: rates and plans
    that were agreed to before are taken also when no longer offered. Without any rate, the first that the person may have.
    Refused with every name that the run does not have."""
    faults: list[Fault] = []
    rates = rates_asked(run, ask, as_kept, faults)
    heads = ask.heads if ask.heads is not None else 1
    if not 1 <= (sum(count for _, count, _ in rates) or heads) <= core_seats.LARGEST_PARTY:
        at = "/people" if rates else "/heads"
        faults.append(Fault(at, f"A party has 1 to {core_seats.LARGEST_PARTY} heads."))
    extras: list[tuple[Extra, int]] = []
    known = {x.id: x for x in run.extras if as_kept or x.active}
    for i, row in enumerate(ask.extras):
        if row.extra_id in known:
            extras.append((known[row.extra_id], row.count))
        else:
            faults.append(Fault(f"/extras/{i}/extra_id", "The run has no such extra."))
    if faults:
        raise Refused(faults)
    if not rates:
        rate = usual_rate(uow, run, person) if ask.rate_id is None else rate_held(run, ask.rate_id, as_kept)
        rates = [(rate, heads, None)]
    plan = plan_held(uow, run, ask.plan_id, as_kept)
    code = codes.code_held(uow, ask.code) if as_kept else codes.code_typed(uow, run, ask.code)
    return ResolvedAsk(run, plan, tuple(rates), tuple(extras), code, ask.waive or "")


def rates_asked(
    run: Run, ask: Ask, as_kept: bool, faults: list[Fault]
) -> list[tuple[Rate, int, core_fees.Agreed | None]]:
    """The rates of the heads asked for, with what was agreed; whatever the run has not is a fault."""
    offered = {r.id: r for r in (run.rates if as_kept else fees.rates_of(run))}
    heads = []
    for i, row in enumerate(ask.people):
        rate = offered.get(row.rate_id) if row.rate_id else next(iter(offered.values()), None)
        agreed = None
        if row.agreed:
            try:
                agreed = core_fees.Agreed(parse_amount(row.agreed.amount, run.currency), row.agreed.reason)
            except ValueError as error:
                faults.append(Fault(f"/people/{i}/agreed/amount", str(error)))
        if rate is None:
            faults.append(Fault(f"/people/{i}/rate_id", "The run has no such rate."))
        else:
            heads.append((rate, row.count, agreed))
    return heads


def rate_held(run: Run, rate_id: int, as_kept: bool) -> Rate:
    rate = next((r for r in run.rates if r.id == rate_id), None) if as_kept else None
    return rate or fees.rate_of(run, rate_id)


def plan_held(uow: UnitOfWork, run: Run, plan_id: int | None, as_kept: bool) -> Plan:
    plan = uow.session.get(Plan, plan_id) if as_kept and plan_id else None
    return plan or plans.plan_of(uow, run, plan_id)


def usual_rate(uow: UnitOfWork, run: Run, person: Person | None) -> Rate:
    """The first rate that this person may have now, else the run's first."""
    facts, taken = facts_of(uow, run, person), fees.heads_at(uow, run)
    for rate in fees.rates_of(run):
        if eligibility.why_not(fees.who_terms(uow, rate), facts, uow.today, taken.get(rate.id, 0), 1) is None:
            return rate
    return fees.rate_of(run, None)


def facts_of(
    uow: UnitOfWork, run: Run, person: Person | None, organization_id: int | None = None
) -> eligibility.Person | None:
    """What decides who may have a rate: tags, organizations (also the one that pays), and courses that have ended."""
    if person is None:
        return None
    facts = facts_of_all(uow, run, [person.id])[person.id]
    return facts.paid_by(organization_id) if organization_id else facts


def facts_of_all(uow: UnitOfWork, run: Run, people_ids: Sequence[int]) -> dict[int, eligibility.Person]:
    """The same of many people; each kind of facts is read only if a rate of the run asks for it."""
    tags: dict[int, set[str]] = {}
    belongs: dict[int, set[int]] = {}
    took: dict[int, set[int]] = {}
    if any(rate.tags for rate in run.rates):
        tagged = select(PersonTag.person_id, PersonTag.tag).where(PersonTag.person_id.in_(people_ids))
        for person, tag in uow.session.execute(tagged):
            tags.setdefault(person, set()).add(tag)
    if any(rate.organization_id for rate in run.rates):
        of = select(PersonNumber.person_id, PersonNumber.organization_id)
        for person, organization in uow.session.execute(of.where(PersonNumber.person_id.in_(people_ids))):
            if organization is not None:
                belongs.setdefault(person, set()).add(organization)
    if any(rate.past_course_id for rate in run.rates):
        ended = select(Gate.run_id).where(Gate.kind == "ends", Gate.at <= uow.now)
        past = (
            select(Enrollment.person_id, Run.course_id)
            .join(Enrollment, Enrollment.run_id == Run.id)
            .where(Enrollment.person_id.in_(people_ids), Enrollment.live == 1, Run.id.in_(ended))
        )
        for person, course in uow.session.execute(past):
            took.setdefault(person, set()).add(course)
    nothing: frozenset[int] = frozenset()
    return {
        person: eligibility.Person(
            frozenset(tags.get(person, ())),
            frozenset(belongs.get(person, nothing)),
            frozenset(took.get(person, nothing)),
        )
        for person in people_ids
    }


def refuse_rates(
    uow: UnitOfWork,
    resolved: ResolvedAsk,
    person: Person | None,
    organization_id: int | None,
    received: date | None = None,
) -> None:
    """Refuse rates that cannot be had: not by this person, not today (or on the day the form was received), not by so many
    more heads."""
    facts, taken = facts_of(uow, resolved.run, person, organization_id), fees.heads_at(uow, resolved.run)
    faults = []
    for i, (rate, count, _) in enumerate(resolved.rates):
        same = sum(n for r, n, _ in resolved.rates[:i] if r.id == rate.id)
        terms = fees.who_terms(uow, rate)
        why_not = eligibility.why_not(
            terms, facts, received or uow.today, taken.get(rate.id, 0) + same, count
        )
        if why_not:
            faults.append(Fault(f"/people/{i}/rate_id", why_not))
    if faults:
        raise Refused(faults)


def refuse_full(uow: UnitOfWork, resolved: ResolvedAsk) -> None:
    """Refuse an ask that was agreed to before when its rates have no seats left; all else of it stands."""
    taken = fees.heads_at(uow, resolved.run)
    for i, (rate, count, _) in enumerate(resolved.rates):
        sentence = eligibility.full_at(fees.who_terms(uow, rate), taken.get(rate.id, 0), count)
        if sentence:
            raise Refused([Fault(f"/people/{i}/rate_id", f"{rate.label}: {sentence}")])
        taken[rate.id] = taken.get(rate.id, 0) + count


# --- the quote --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Special:
    """What makes a sign-up an exception: the day its form came in, why it is made all the same, whose seats it takes."""

    received_on: date | None = None
    exception: str = ""
    set_aside_id: int | None = None
    held_place_id: int | None = None


NOTHING_SPECIAL = Special()
EARLY = "Head start of the interest list"


def special_of(
    uow: UnitOfWork,
    received_on: date | None,
    exception: str | None,
    set_aside_id: int | None = None,
    held_place_id: int | None = None,
) -> Special:
    """An earlier day of receipt needs a reason, as a sign-up after the close does."""
    why, faults = (exception or "").strip(), []
    if received_on is not None and received_on > uow.today:
        faults.append(Fault("/received_on", "The form cannot have come in after today."))
    if received_on is not None and received_on < uow.today and not why:
        faults.append(Fault("/exception", "Say why the earlier day counts."))
    if faults:
        raise Refused(faults)
    return Special(None if received_on == uow.today else received_on, why, set_aside_id, held_place_id)


def terms_for(
    uow: UnitOfWork, resolved: ResolvedAsk, at: datetime | None = None, received: date | None = None
) -> tuple[core_fees.Quote, core_plans.Installments]:
    """Quote and installments of a sign-up now, or as it would be at another moment.

    `received`: the form came in on that day and has its price; what is due falls due as of today all the same.
    """
    run, moment = resolved.run, at or uow.now
    if received is not None and received != uow.today:
        moment = moment_of(received, time(12), uow.zone)
    start = fees.start_of(uow, run)
    try:
        quote = core_fees.quote_for(resolved.fees, resolved.ask, moment, start, uow.zone, run.currency)
    except Refused as refused:
        raise Refused([ask_fault(resolved, f) for f in refused.faults]) from None
    day = uow.today if received is not None else gates.local_day(moment, uow.zone)
    return quote, due_of(uow, resolved, quote.total, day)


def due_of(uow: UnitOfWork, resolved: ResolvedAsk, total: int, day: date) -> core_plans.Installments:
    start = fees.start_of(uow, resolved.run)
    try:
        return core_plans.installments_of(
            plans.core_lines(resolved.plan), total, day, start, resolved.run.currency
        )
    except Refused as refused:
        raise Refused(
            [Fault("/plan_id", f"{resolved.plan.name}: {f.message}") for f in refused.faults]
        ) from None


def ask_fault(resolved: ResolvedAsk, fault: Fault) -> Fault:
    """A fault of the core's ask as one of the body's: extras are named there by their row."""
    at = fault.at.removeprefix("/ask")
    for i, (extra, _) in enumerate(resolved.extras):
        if at == pointer_of("extras", extra.code):
            return Fault(f"/extras/{i}/count", fault.message)
    return Fault(at, fault.message)


def priced(uow: UnitOfWork, resolved: ResolvedAsk, received: date | None = None) -> AgreedQuote:
    """What a sign-up costs now, or as its form came in, and when it is due: as it is shown, and kept if it comes to it."""
    return agreed_of(*terms_for(uow, resolved, received=received))


def refuse_other_total(agreed: AgreedQuote, shown: str) -> None:
    """Refuse when the total is no longer what the screen showed; both are answered, and the quote as it is now."""
    now = format_amount(agreed.total, agreed.currency)
    if now != shown:
        sentence = f"The total was {shown} when it was shown and is {now} now."
        raise conflict("total-changed", sentence, shown=shown, now=now, quote=document_of(agreed))


def quote_run(uow: UnitOfWork, run_id: int, asked: QuoteCommand) -> RunQuoteView:
    """What a sign-up for this run costs, whether there is a seat or a place in line, and whether one can sign up.

    Beside the ask, `person_id` and `organization_id` say who it is for, and `day` asks as if it were another day.
    """
    run = get_run(uow, run_id, whole=True)
    special = special_of(uow, asked.received_on, asked.exception, asked.set_aside_id, asked.held_place_id)
    person = people.get_person(uow, asked.person_id) if asked.person_id else None
    if person is not None and not special.exception and parties.told_early(uow, run, person.id):
        special = replace(special, exception=EARLY)
    resolved = resolve_ask(uow, run, asked, person)
    quoted = sign_up_quote(uow, resolved, person, asked.organization_id, asked.day, special)
    names = parties.names_typed(asked.names)
    return run_quote_view(quoted, parties.names_view(uow, run, names, len(resolved.heads) - 1))


def sign_up_quote(
    uow: UnitOfWork,
    resolved: ResolvedAsk,
    person: Person | None = None,
    organization_id: int | None = None,
    day: date | None = None,
    special: Special = NOTHING_SPECIAL,
) -> SeatQuoteView:
    """The quote of a sign-up, with its seat or its place in line, and what else it could have."""
    run = resolved.run
    refuse_rates(uow, resolved, person, organization_id, special.received_on)
    if person is not None:
        codes.refuse_person(uow, resolved.code, person.id)
    at = moment_of(day, time(12), uow.zone) if day and day != uow.today else None
    quote, due = terms_for(uow, resolved, at, special.received_on)
    words = payments.words_of(uow, run, person, organization_id)
    group = special.set_aside_id or seats.group_for(uow, run, person.id if person else None, organization_id)
    seat = seat_view(uow, resolved, quote.total, words, group, special)
    return seat_quote_view(agreed_of(quote, due), seat)


def seat_view(
    uow: UnitOfWork,
    resolved: ResolvedAsk,
    total: int,
    words: str | None,
    group: int | None = None,
    special: Special = NOTHING_SPECIAL,
) -> SeatView:
    """The seat or the place in line of a sign-up, whether one can sign up, and whether payment details are missing."""
    run, heads = resolved.run, len(resolved.heads)
    state = seats.seats_of(uow, run)
    if special.held_place_id is not None:
        mine = seats.held_for(uow, run, special.held_place_id)
        state = replace(state, held=state.held - min(mine, heads), waiting=())
    seat = core_seats.seats_for(state, heads, group)
    sign_up, why = fees.sign_up_of(uow, run, state.free_for(group) == 0)
    late = run.known and sign_up in (SignUp.CLOSED, SignUp.NOT_YET)
    aside = next(
        (s.name for s in state.set_asides if isinstance(seat, core_seats.Seated) and s.id == seat.set_aside),
        None,
    )
    seated = isinstance(seat, core_seats.Seated)
    begun = sign_up in (SignUp.OPEN, SignUp.FULL) or (late and bool(special.exception))
    never = isinstance(seat, core_seats.NoSeat)
    return SeatView(
        run_id=run.id,
        rate_id=resolved.rates[0][0].id,
        plan_id=resolved.plan.id,
        heads=heads,
        seat=seat.first if isinstance(seat, core_seats.Seated) else None,
        place=seat.place if isinstance(seat, core_seats.Waits) else None,
        capacity=run.capacity,
        set_aside=aside,
        late=late,
        sign_up=sign_up,
        why=seat.why if begun and not isinstance(seat, core_seats.Seated) else why,
        can_enroll=begun and seated,
        can_wait=begun and not seated and not never,
        details_needed=needs_details(resolved, total),
        details=words,
        early=special.exception == EARLY,
        access_until=schedule.access_ends(run, uow.today),
    )


def choices(uow: UnitOfWork, run_id: int, person_id: int | None, organization_id: int | None) -> Choices:
    """What a sign-up can choose from: rates with today's price and why one cannot be had, extras, plans, codes or not."""
    run = get_run(uow, run_id)
    person = people.get_person(uow, person_id) if person_id else None
    facts, taken = facts_of(uow, run, person, organization_id), fees.heads_at(uow, run)
    fees_of_run, start = fees.core_fees(run), fees.start_of(uow, run)
    currency = run.currency
    rates = []
    for rate in fees.rates_of(run):
        terms, sold = fees.who_terms(uow, rate), taken.get(rate.id, 0)
        core = fees.core_rate(rate)
        rates.append(
            RateChoice(
                id=rate.id,
                label=rate.label,
                amount=format_amount(core_fees.lowest(core, uow.today, start), currency),
                by_agreement=rate.by_agreement,
                why_not=eligibility.why_not(terms, facts, uow.today, sold, 1),
                left=None if rate.most is None else max(0, rate.most - sold),
            )
        )
    extras = [
        ExtraChoice(
            id=row.id,
            label=row.label,
            amount=format_amount(row.amount, currency),
            required=row.required,
            most=row.most,
            stock=row.item.on_hand if row.item else None,
        )
        for row in run.extras
        if row.active
    ]
    offered = [plans.plan_view(p, currency) for p in plans.offered(uow, run)]
    group = [GroupStepIO(from_=g.people, percent=str(g.percent)) for g in fees_of_run.group]
    return Choices(run_id=run.id, rates=rates, extras=extras, plans=offered, group=group)


def needs_details(resolved: ResolvedAsk, total: int) -> bool:
    """Whether payment details must be on file: the plan takes them, and there is something to pay."""
    return resolved.plan.details and total > 0


def details_missing(
    uow: UnitOfWork, resolved: ResolvedAsk, total: int, person: Person, organization_id: int | None
) -> bool:
    """Whether a plan takes payment details at sign-up, and whoever pays has none on file."""
    if not needs_details(resolved, total):
        return False
    return payments.words_of(uow, resolved.run, person, organization_id) is None


def refuse_missing_details(
    uow: UnitOfWork, resolved: ResolvedAsk, total: int, person: Person, organization_id: int | None
) -> None:
    """Refuse a plan that takes payment details at sign-up while whoever pays has none on file."""
    if details_missing(uow, resolved, total, person, organization_id):
        sentence = f"The plan {resolved.plan.name} takes payment details at sign-up; none are on file for whoever pays."
        raise Problem(422, "details-needed", sentence)


def plan_example(uow: UnitOfWork, command: PlanExampleCommand) -> ExampleOut:
    """What a plan that is being typed asks of one person: on a run at its price of the sign-up date, or on a total.

    What is wrong with the lines is said in `said`, by how much they miss the whole; nothing else is refused for it.
    """
    faults: list[Fault] = []
    top = Reader(document(command), "", faults, "run_id rate_id total lines signed_up")
    run = get_run(uow, command.run_id) if command.run_id else None
    currency = run.currency if run else uow.center.currency
    rate_id = command.rate_id
    total = top.amount("total", "The total", currency)
    signed_up = command.signed_up or uow.today
    read = [read_plan_line(r, currency) for r in top.rows("lines", "The lines", PLAN_LINE_KEYS)]
    start = fees.start_of(uow, run) if run else None
    if run is not None and total is None:
        terms = fees.core_fees(run)
        ask = core_fees.Ask((core_fees.Heads(fees.rate_of(run, rate_id).code, 1),))
        total = core_fees.total_on(terms, ask, signed_up, start)
    total = total or 0
    nothing = format_amount(0, currency)
    sentences, due = [f.message for f in faults], DueView(installments=[], due_now=nothing, due_later=nothing)
    if not faults:
        try:
            due = plans.example((x for x in read if x), total, signed_up, start, currency)
        except Refused as refused:
            sentences = [f.message for f in refused.faults]
    return due.widened(
        ExampleOut,
        signed_up=signed_up.isoformat(),
        start=start.isoformat() if start else None,
        total=format_amount(total, currency),
        currency=currency,
        said=sentences,
    )

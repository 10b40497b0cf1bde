"""One head more of a party, or one fewer, with the money of that head: the rest of the sign-up stands as it was agreed.

A head that comes later pays what its rate costs now; one that goes gives its share of the price back, less what the refund policy
keeps of it, which becomes a line of the sign-up. The plan is worked out again as with any change.
"""

from __future__ import annotations

from dataclasses import replace

from archgate.actions.enrolling import changing, enrollments, freed, leaving
from archgate.actions.enrolling.commands import AddHeadCommand, WithdrawHeadCommand
from archgate.actions.enrolling.views import HeadChanged
from archgate.actions.fees import fees, quotes
from archgate.actions.fees.commands import Ask, ExtraAsked, HeadsAsked
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts
from archgate.actions.people import people
from archgate.actions.seats import seats
from archgate.core import fees as core_fees
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote, Line, agreed_of
from archgate.core.states import LineKind
from archgate.documents.reader import Document
from archgate.tables.courses import Run
from archgate.tables.fees import Rate
from archgate.tables.log import Change
from archgate.tables.roster import Enrollment, PartyPlace


def add(uow: UnitOfWork, enrollment_id: int, command: AddHeadCommand) -> HeadChanged:
    """One head more, at what its rate costs now; named, or to be named later. It takes a seat as any sign-up does: after those in
    line. `total` is the new total that was shown."""
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    enrollments.refuse_no_learner(enrollment)
    if enrollment.heads >= core_seats.LARGEST_PARTY:
        raise conflict("too-large", f"A party has at most {core_seats.LARGEST_PARTY} heads.")
    enrollments.refuse_sign_up(uow, run, None, command.exception or "")
    person = people.present(uow, command.person_id) if command.person_id else None
    if person:
        enrollments.refuse_twice(uow, run, person)
    seat = core_seats.seats_for(seats.seats_of(uow, run), 1, enrollment.set_aside_id)
    if not isinstance(seat, core_seats.Seated):
        raise conflict("full", seat.why)
    rate = rate_of_head(uow, run, enrollment, command.rate_id)
    quote = quote_with(uow, enrollment, run, rate)
    place = PartyPlace(
        enrollment_id=enrollment.id,
        n=enrollment.heads + 1,
        rate_id=rate.id,
        person_id=person.id if person else None,
    )
    enrollment.places.append(place)
    enrollment.heads += 1
    seats.take(uow, run.id, 1)
    uow.session.flush()
    who = person.name if person else "one to be named"
    return changed(
        uow,
        enrollment,
        run,
        quote,
        command.total,
        (Act.ADD_A_HEAD, f"{who} joins the party of {enrollment.person.name} on {run.code}"),
    )


def rate_of_head(uow: UnitOfWork, run: Run, enrollment: Enrollment, rate_id: int | None) -> Rate:
    """The rate of a head that joins: the one asked for, else that of who signed up while it is still offered."""
    offered = {r.id: r for r in fees.rates_of(run)}
    wanted = rate_id if rate_id is not None else enrollment.rate_id
    if wanted in offered:
        return offered[wanted]
    if rate_id is not None:
        raise refuse("/rate_id", "The run has no such rate.")
    return fees.rate_of(run, None)


def quote_with(uow: UnitOfWork, enrollment: Enrollment, run: Run, rate: Rate) -> AgreedQuote:
    """The sign-up with one head more at a rate's price of now; required extras come along."""
    ask = changing.ask_of(uow, enrollment, run)
    required = {x.id for x in run.extras if x.required and x.active}
    taken = {x.extra_id: x.count for x in ask.extras}
    extras = {**taken, **{n: max(taken.get(n, 0), enrollment.heads + 1) for n in required}}
    asked = ask.model_copy(
        update={
            "people": [*ask.people, HeadsAsked(rate_id=rate.id, count=1)],
            "extras": [ExtraAsked(extra_id=n, count=count) for n, count in extras.items()],
        }
    )
    resolved = quotes.resolve_ask(uow, run, asked, enrollment.person, as_kept=True)
    now = price_now(uow, enrollment, run, rate)
    had = list(enrollment.quote.of_kind("rate"))
    agreed = core_fees.Agreed(now.unit, now.why)
    return changing.quote_of_rows(
        uow, enrollment, resolved, [*kept_rows(had), (core_fees.Heads(rate.code, 1, agreed), now)]
    )


def price_now(uow: UnitOfWork, enrollment: Enrollment, run: Run, rate: Rate) -> Line:
    """What one head costs at a rate now, as a line."""
    alone = quotes.resolve_ask(uow, run, Ask(rate_id=rate.id, heads=1), enrollment.person, as_kept=True)
    return agreed_of(
        core_fees.quote_for(
            replace(alone.fees, extras=(), group=()),
            core_fees.Ask((core_fees.Heads(rate.code, 1),)),
            uow.now,
            fees.start_of(uow, run),
            uow.zone,
            run.currency,
        )
    ).of_kind("rate")[0]


def kept_rows(lines: list[Line]) -> list[tuple[core_fees.Heads, Line | None]]:
    """Heads as they were agreed."""
    return [(core_fees.Heads(x.code, x.quantity, core_fees.Agreed(x.unit, x.why)), x) for x in lines]


def withdraw(uow: UnitOfWork, enrollment_id: int, n: int, command: WithdrawHeadCommand) -> HeadChanged:
    """One head fewer: not the one who signed up, whose seat is given to somebody else, or withdrawn with the party. What the
    policy keeps of the head's share is a line of the sign-up; `keep` is another sum, with `why`."""
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    enrollments.refuse_no_learner(enrollment)
    place = next((p for p in enrollment.places if p.n == n), None)
    if place is None:
        raise not_found("This place of the party")
    who = place.person.name if place.person else f"head {n}"
    old = enrollment.quote
    quote = quote_without(uow, enrollment, run, n)
    share = max(0, old.total - quote.total)
    day = leaving.day_received(uow, command.received_on)
    policy = leaving.policy_keeps(uow, enrollment, run, day, share)
    kept, reason = policy.amount, policy.why
    if command.keep is not None:
        kept, reason = leaving.kept_differently(enrollment, policy, command.keep, command.why or "", share)
    if kept:
        line = Line(LineKind.KEPT, "", f"Kept of {who}", 1, kept, kept, reason)
        quote = replace(quote, lines=(*quote.lines, line))
    uow.session.delete(place)
    enrollment.places.remove(place)
    uow.session.flush()
    for later in sorted((p for p in enrollment.places if p.n > n), key=lambda p: p.n):
        later.n -= 1
        uow.session.flush()
    enrollment.heads -= 1
    seats.take(uow, run.id, -1)
    uow.session.flush()
    said = freed.settle(uow, run, 1, command.seat, who)
    view = changed(
        uow,
        enrollment,
        run,
        quote,
        None,
        (Act.WITHDRAW_A_HEAD, f"{who} leaves the party of {enrollment.person.name} on {run.code}"),
    )
    currency = enrollment.currency
    return view.model_copy(
        update={"kept": format_amount(kept, currency), "why": reason if share else "", "seat": said}
    )


def quote_without(uow: UnitOfWork, enrollment: Enrollment, run: Run, n: int) -> AgreedQuote:
    """The sign-up without head `n`, each other head at what was agreed; required extras go with the head."""
    lines = list(enrollment.quote.of_kind("rate"))
    at = next(i for i, x in enumerate(lines) if sum(y.quantity for y in lines[: i + 1]) >= n)
    lines[at] = replace(lines[at], quantity=lines[at].quantity - 1, amount=lines[at].amount - lines[at].unit)
    lines = [x for x in lines if x.quantity]
    ids = {r.code: r.id for r in run.rates}
    ask = changing.ask_of(uow, enrollment, run)
    required, heads = {x.id for x in run.extras if x.required}, enrollment.heads
    extras = [
        ExtraAsked(extra_id=x.extra_id, count=x.count - 1)
        if x.extra_id in required and x.count >= heads
        else x
        for x in ask.extras
    ]
    asked = ask.model_copy(
        update={
            "people": [HeadsAsked(rate_id=ids[x.code], count=x.quantity) for x in lines],
            "extras": [x for x in extras if x.count],
        }
    )
    resolved = quotes.resolve_ask(uow, run, asked, enrollment.person, as_kept=True)
    return changing.quote_of_rows(uow, enrollment, resolved, kept_rows(lines))


def changed(
    uow: UnitOfWork,
    enrollment: Enrollment,
    run: Run,
    quote: AgreedQuote,
    shown: str | None,
    done: tuple[Act, str],
) -> HeadChanged:
    """Write the money of a party that has another number of heads: charges anew, the plan worked out again."""
    if shown is not None:
        quotes.refuse_other_total(quote, shown)
    act, summary = done
    old, before = enrollment.quote, changing.plan_view(uow, enrollment)
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    changing.apply(uow, enrollment, run, quote, summary)
    changing.replan(uow, enrollment, "Changed after sign-up.", summary)
    accounts.settle_with_credit(uow, account)
    changing.keep_dues(uow, enrollment)
    change = uow.log(act, enrollment.id, summary, run_id=run.id)
    return HeadChanged(
        **dict(changing.changed_view(uow, enrollment, change, old, before)),
        heads=enrollment.heads,
        kept=format_amount(0, enrollment.currency),
        why="",
        seat="",
    )


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.ADD_A_HEAD)
def undo_add(uow: UnitOfWork, change: Change) -> None:
    """Take the head that was added last out again, as long as nobody else was named for it."""
    enrollment, run, _ = changing.as_it_was_left(uow, change)
    made = place_in(change, added=True)
    place = next((p for p in enrollment.places if p.n == made["n"]), None)
    if place is None or place.n != enrollment.heads or place.person_id != made.get("person_id"):
        raise conflict("moved-on", "The party has changed again since.")
    uow.session.delete(place)
    enrollment.places.remove(place)
    enrollment.heads -= 1
    seats.take(uow, run.id, -1)
    uow.session.flush()
    changing.back_to(uow, change, enrollment, run)


@reverses(Act.WITHDRAW_A_HEAD)
def undo_withdraw(uow: UnitOfWork, change: Change) -> None:
    """The head back in its place, if its seat is still free."""
    enrollment, run, row = changing.as_it_was_left(uow, change)
    gone = place_in(change, added=False)
    freed.not_free(uow, run, change.at, 1)
    state = replace(seats.seats_of(uow, run, row), waiting=())
    seat = core_seats.seats_for(state, 1, enrollment.set_aside_id)
    if not isinstance(seat, core_seats.Seated):
        raise conflict("full", f"The seat is gone: {seat.why[0].lower()}{seat.why[1:]}")
    n, person_id, rate_id = (
        int(str(gone[k])) if gone.get(k) else None for k in ("n", "person_id", "rate_id")
    )
    if n is None or rate_id is None:
        raise conflict("moved-on", "The party has changed again since.")
    if person_id is not None:
        enrollments.refuse_twice(uow, run, people.get_person(uow, person_id))
    for later in sorted((p for p in enrollment.places if p.n >= n), key=lambda p: -p.n):
        later.n += 1
        uow.session.flush()
    enrollment.places.append(
        PartyPlace(enrollment_id=enrollment.id, n=n, rate_id=rate_id, person_id=person_id)
    )
    enrollment.heads += 1
    seats.take(uow, run.id, 1)
    uow.session.flush()
    uow.session.refresh(enrollment, ["places"])
    changing.back_to(uow, change, enrollment, run)


def place_in(change: Change, added: bool) -> Document:
    """The head that a change added or took out, as the log has it."""
    for row in change.rows:
        if row["table"] == "party_places" and row["before" if added else "after"] is None:
            return row["after" if added else "before"] or {}
    raise conflict("moved-on", "This was done before the last upgrade and can no longer be undone.")

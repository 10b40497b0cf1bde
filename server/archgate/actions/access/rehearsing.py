"""Rehearse: what somebody would find, could do and would pay, by the same answers as the public pages give, at any moment."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from archgate.actions.access import access_codes, showing, sign_up_form
from archgate.actions.access.public_commands import RehearseCommand
from archgate.actions.access.public_views import ReasonOut, Rehearsed
from archgate.actions.fees import fees, quotes
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run, lacks_organization
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import publication
from archgate.actions.runs.publication import moment_typed
from archgate.actions.schedule import gates, schedule
from archgate.actions.seats import seats
from archgate.core import eligibility
from archgate.core import publication as core
from archgate.core import seats as core_seats
from archgate.core.faults import Fault, Refused
from archgate.core.publication import WhyNot
from archgate.core.schedule import moment_text
from archgate.core.states import PageSetting, RunKind, SignUp
from archgate.tables.courses import Run
from archgate.tables.fees import Rate

WHERE = {
    PageSetting.COURSE: "the page of the course",
    PageSetting.STATUS: "the state of the run",
    PageSetting.SHOWN: "when it is public",
    PageSetting.FOUND_BY: "who finds it",
    PageSetting.SIGNS_UP: "who signs up",
    PageSetting.CODE: "the access codes",
    PageSetting.WINDOWS: "the sign-up windows",
    PageSetting.SEATS: "the seats",
    PageSetting.CLIENT: "the client",
    PageSetting.ELSEWHERE: "the link to sign-up elsewhere",
    PageSetting.RATE: "who may have the rate",
}
LONGEST = timedelta(days=3660)


def rehearse(uow: UnitOfWork, run_id: int, asked: RehearseCommand) -> Rehearsed:
    """What a kind of person finds at a moment, whether they can sign up and every reason why not with the setting that causes it,
    what they pay and when, and when access opens and ends. Nothing is written."""
    moment = moment_typed(uow, asked.at) or uow.now
    if abs(moment - uow.now) > LONGEST:
        raise Refused([Fault("/at", "This is more than ten years away.")])
    if lacks_organization(uow, asked.organization_id):
        raise Refused([Fault("/organization_id", "There is no such organization.")])
    then = replace(uow, now=moment)
    run = get_run(then, run_id, whole=True)
    code = access_codes.fitting(then, run, asked.access_code)
    visitor = core.Visitor(asked.account, asked.tied, code is not None)
    page = publication.settings_of(run)
    state = seats.seats_of(then, run)
    sign_up, said = fees.sign_up_of(then, run, state.free == 0)
    found = core.why_not_found(page, visitor, moment, uow.zone)
    reasons = list(core.why_no_sign_up(page, visitor, sign_up, said))
    if asked.access_code.strip() and code is None:
        reasons.append(
            WhyNot(PageSetting.CODE, "This code does not fit, or not now.", "The code lets nobody in then.")
        )
    seat = core_seats.seats_for(state, asked.heads)
    if not isinstance(seat, core_seats.Seated):
        reasons.append(WhyNot(PageSetting.SEATS, seat.why, seat.why))
    rate = rate_of(run, asked.rate_id)
    why_rate = rate_refused(then, rate, asked) if rate is not None else None
    if rate is None:
        reasons.append(WhyNot(PageSetting.RATE, "There is no price.", "The run has no rate for anybody."))
    elif why_rate:
        reasons.append(WhyNot(PageSetting.RATE, why_rate, why_rate))
    quote, trouble = None, ""
    if rate is not None:
        body = {
            "people": [{"rate_id": rate.id, "count": asked.heads}],
            "code": asked.code or None,
            "plan_id": asked.plan_id,
        }
        try:
            made = quotes.resolve_ask(then, run, command_of(Ask, body))
            quote = sign_up_form.quote_out(quotes.priced(then, made), made, not reasons, "")
        except Refused as refused:
            trouble = refused.faults[0].message
        except Problem as problem:
            trouble = problem.detail
    starts, ends = gates.gate_at(run, "starts"), schedule.access_ends(run, then.today)
    opens = (
        "at once"
        if run.kind is RunKind.OPEN
        else moment_text(starts, uow.zone)
        if starts
        else "not known yet"
    )
    return Rehearsed(
        at=uow.local(moment),
        finds=not found,
        why_not_found=[reason_out(r) for r in found],
        signs_up=not found and not reasons and not trouble and sign_up is SignUp.OPEN,
        waits=not found and sign_up is SignUp.FULL and all(r.setting is PageSetting.SEATS for r in reasons),
        why_not=[reason_out(r) for r in reasons],
        rate=rate.label if rate else "",
        quote=quote,
        trouble=trouble,
        access_opens=opens,
        access_ends=ends,
        seats=state.free,
    )


def reason_out(reason: WhyNot) -> ReasonOut:
    return ReasonOut(
        setting=reason.setting, where=WHERE[reason.setting], staff=reason.staff, public=reason.public
    )


def rate_of(run: Run, rate_id: int | None) -> Rate | None:
    offered = fees.rates_of(run)
    if rate_id is not None:
        return next((r for r in offered if r.id == rate_id), None)
    return next(iter(showing.public_rates(run) or offered), None)


def rate_refused(uow: UnitOfWork, rate: Rate, asked: RehearseCommand) -> str | None:
    """Why somebody of this kind cannot have a rate at that moment, by the rule of the desk."""
    if rate.by_agreement:
        return "This rate is agreed case by case; only staff give it."
    kind = eligibility.Person(
        frozenset(t.casefold() for t in asked.tags),
        frozenset(filter(None, (asked.organization_id,))),
        frozenset(),
    )
    run = uow.session.get_one(Run, rate.run_id)
    sold = fees.heads_at(uow, run).get(rate.id, 0)
    return eligibility.why_not(fees.who_terms(uow, rate), kind, uow.today, sold, asked.heads)

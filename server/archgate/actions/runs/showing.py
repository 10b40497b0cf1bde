"""What screens show of a run; facts are worked out, never typed."""

from __future__ import annotations

from datetime import timedelta

from archgate.actions.courses import courses
from archgate.actions.fees import course_defaults, fees, prices
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs import lifecycle, notices
from archgate.actions.runs.readiness import readiness
from archgate.actions.runs.views import (
    CancelledMeeting,
    Finding,
    GateOut,
    NamedWeek,
    NextMeeting,
    RuleIO,
    RunLine,
    RunOut,
    WindowIO,
)
from archgate.actions.schedule import gates, kept_clashes, schedule, teachers
from archgate.actions.seats import seats
from archgate.core import gates as core_gates
from archgate.core.schedule import hours_of
from archgate.core.states import Role, RunKind, SignUp, Told
from archgate.tables.courses import Run


def run_view(uow: UnitOfWork, run_id: int) -> RunOut:
    """Everything a screen shows of one run; facts are worked out, never typed."""
    run = get_run(uow, run_id, whole=True)
    dates = schedule.schedule_of(run)
    state = seats.seats_of(uow, run)
    clashing = kept_clashes.of_run(uow, run.id)
    line = run_line(uow, run, state.taken, sum(state.waiting) + state.offered, state.kept)
    return RunOut(
        **dict(line),
        **dict(fees.terms_view(run)),
        course=courses.course_view(run.course),
        own_title=run.title,
        note=run.note,
        receipt_note=run.receipt_note,
        overbook=run.overbook,
        line_rule=run.line_rule,
        auto_offer=run.auto_offer,
        offer_hours=run.offer_hours,
        hold_hours=run.hold_hours,
        told=[Told(who) for who in run.told] if run.told is not None else None,
        questions=run.questions,
        notice=notices.notice_of(uow, run),
        sign_up_opens=run.sign_up_opens,
        weeks=dates.weeks,
        windows=[WindowIO.model_validate(w) for w in run.windows],
        decision_rule=RuleIO.model_validate(run.decision_rule) if run.decision_rule else None,
        week_names=run.week_names,
        named_weeks=named_weeks(run),
        usual_role=usual_role(uow, run),
        client_id=run.client_id,
        files=lifecycle.files_of(uow, run.id),
        patterns=[schedule.pattern_view(uow, p) for p in run.patterns],
        dates=schedule.meetings_view(uow, run),
        cancelled=cancelled_view(run),
        clashes=clashing,
        gates=[
            GateOut(kind=g.kind, rule=g.rule, day=g.day, at=g.at, label=g.label)
            for g in sorted(run.gates, key=lambda g: g.at)
        ],
        price_line=prices.price_line(uow, run),
        origins=fees.origins(uow, run.course, course_defaults.default_values(run)),
        readiness=[Finding(at=f.at, message=f.message, error=f.error) for f in readiness(uow, run, clashing)],
        now=uow.local(uow.now),
    )


def usual_role(uow: UnitOfWork, run: Run) -> Role:
    """The role that somebody added without a seat has, unless another is said: the course's, else the center's, else assistant."""
    return courses.course_form(run.course).role or courses.center_form(uow).role or Role.ASSISTANT


def cancelled_view(run: Run) -> list[CancelledMeeting]:
    """Meetings that were to be and are not held."""
    return [
        CancelledMeeting(id=m.id, date=m.date, start=m.start, why=m.cancel_why)
        for m in sorted(run.all_meetings, key=lambda m: m.starts_at)
        if m.cancelled_at is not None
    ]


def named_weeks(run: Run) -> list[NamedWeek]:
    """The weeks of a cohort from its first day, named or numbered; the last may be shorter."""
    if not run.starts_on or not run.ends_on:
        return []
    weeks: list[NamedWeek] = []
    day = run.starts_on
    while day <= run.ends_on and len(weeks) < 520:
        n = len(weeks)
        name = run.week_names[n] if n < len(run.week_names) and run.week_names[n] else f"Week {n + 1}"
        last = min(day + timedelta(days=6), run.ends_on)
        number = sum(day <= m.date <= last for m in run.meetings)
        weeks.append(NamedWeek(name=name, from_=day, to=last, meetings=number))
        day += timedelta(days=7)
    return weeks


def run_line(uow: UnitOfWork, run: Run, taken: int, waiting: int, kept: int = 0) -> RunLine:
    """What stands on every line that shows a run; `kept` of its seats are held, on offer or set aside."""
    meetings = schedule.ordered(run)
    sign_up, why = fees.sign_up_of(uow, run, taken + kept >= run.capacity + run.overbook)
    if sign_up is SignUp.FULL and kept:
        why = f"No seat is free: {taken} of {run.capacity + run.overbook} are taken, {kept} held for others."
    starts, ends = gates.gate_at(run, "starts"), gates.gate_at(run, "ends")
    teaching = core_gates.teaching_at(uow.now, starts, ends)
    coming = next((m for m in meetings if m.ends_at > uow.now), None)
    zone = schedule.zone_of(run, coming.place if coming else run.place)
    first, last = (run.starts_on, run.ends_on) if run.kind == RunKind.COHORT else (None, None)
    return RunLine(
        id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        course_title=run.course.title,
        course_code=run.course.code,
        kind=run.kind,
        status=run.status,
        decision=run.decision,
        decision_until=run.decision_until,
        decision_day=next((g.day for g in run.gates if g.kind == "decision day"), None),
        starts_on=run.starts_on,
        ends_on=run.ends_on,
        access_days=run.access_days,
        client=run.client.name if run.client else None,
        sign_up=sign_up,
        sign_up_why=why,
        teaching=teaching,
        place=run.place.name if run.place else "",
        instructor=teachers.text_of(run.teachers),
        time_zone=run.time_zone,
        currency=run.currency,
        first=first or (meetings[0].date if meetings else None),
        last=last or (meetings[-1].date if meetings else None),
        meetings=len(meetings),
        hours=hours_of(sum(m.minutes for m in meetings)),
        next_meeting=NextMeeting(
            date=coming.date,
            start=coming.starts_at.astimezone(zone).time(),
            end=coming.ends_at.astimezone(zone).time(),
            place=coming.place.name if coming.place else "",
        )
        if coming
        else None,
        capacity=run.capacity,
        smallest=run.smallest,
        taken=taken,
        kept=kept,
        waiting=waiting,
        price=fees.price_now(uow, run),
    )

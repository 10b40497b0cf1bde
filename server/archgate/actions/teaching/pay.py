"""What a run pays its instructors: worked out from the facts each time, until a pay request is made of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import TypeAlias

from sqlalchemy import func, select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import amount_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import Done
from archgate.actions.money import money
from archgate.actions.schedule import schedule, teachers
from archgate.actions.seats import seats
from archgate.actions.teaching.commands import DeductCommand, PayLineCommand, PayTermsCommand
from archgate.actions.teaching.instructors import get_instructor, minutes_of, pay_facts, pay_view
from archgate.actions.teaching.views import (
    AtSeatsOut,
    MeetingTeacherOut,
    MeetingTeachers,
    PaidOut,
    PatternTeachers,
    PayExtraOut,
    PayLineOut,
    RunTeaching,
    TeacherOut,
)
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import decimal_text, format_amount, shares_of
from archgate.core.pay import (
    Facts,
    Pay,
    PayExtra,
    Term,
    at_every_number,
    break_even,
    pay_of,
    rounded,
    share_faults,
)
from archgate.core.schedule import WEEKDAY_NAMES, WEEKDAYS
from archgate.core.states import Part, PayKind
from archgate.core.teaching import hours_text
from archgate.tables.courses import Run
from archgate.tables.money import Allocation, Payment
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting, MeetingPattern
from archgate.tables.teaching import Instructor, PayLine, PayRequest, PayRequestLine, PayTerm

Said: TypeAlias = tuple[PayKind, int, Decimal]  # a kind of pay with its amount, or its percent
OF_THE_RUN = (PayKind.FLAT, PayKind.HEAD, PayKind.SHARE)
MOST_SHOWN = 60  # numbers of seats that the table of a run shows


@dataclass(frozen=True)
class Paying:
    """What a run's pay is worked out from. `agreed`: everybody's pay is known."""

    facts: Facts
    terms: tuple[Term, ...]
    extra: tuple[PayExtra, ...]
    agreed: bool

    @property
    def trouble(self) -> str:
        """Why nothing can be worked out, in a sentence; empty where it can."""
        faults = share_faults(self.terms, lambda n: f"/terms/{n}")
        return faults[0].message if faults else ""

    @property
    def pay(self) -> Pay:
        return pay_of(self.facts, self.terms, self.extra)


def fees_of_run(uow: UnitOfWork, run_id: int) -> int:
    """What payment services and banks kept of what was paid for a run. A payment's fee is shared by largest remainder among
    the runs it settles, by run, and what of it settles nothing."""
    of_run = (
        select(Allocation.posting_id)
        .join(Installment, Installment.id == Allocation.installment_id)
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .where(Enrollment.run_id == run_id)
    )
    query = (
        select(Payment.id, Payment.fee, Payment.amount, Enrollment.run_id, func.sum(Allocation.amount))
        .join(Allocation, Allocation.posting_id == Payment.posting_id)
        .join(Installment, Installment.id == Allocation.installment_id)
        .join(Enrollment, Enrollment.id == Installment.enrollment_id)
        .where(Payment.fee > 0, Payment.posting_id.in_(of_run))
        .group_by(Payment.id, Enrollment.run_id)
        .order_by(Payment.id, Enrollment.run_id)
    )
    by_payment: dict[int, tuple[int, int, dict[int, int]]] = {}
    for number, fee, amount, run, settled in uow.session.execute(query):
        _, _, settles = by_payment.setdefault(number, (fee, amount, {}))
        settles[run] = max(0, int(settled))
    together = 0
    for fee, amount, settles in by_payment.values():
        weights = [*settles.values(), max(0, amount - sum(settles.values()))]
        if any(weights):
            together += dict(zip(settles, shares_of(fee, weights), strict=False)).get(run_id, 0)
    return together


def counted(m: Meeting, through: date | None) -> bool:
    """Whether a meeting is paid: it is held, or fell out and is paid all the same."""
    paid = m.cancelled_at is None or bool(m.instructor_paid)
    return paid and (through is None or m.date <= through)


def is_paid_whole(run: Run, through: date | None) -> bool:
    """Whether what is paid for the run as a whole counts by a day: once its last meeting, or its last day, was."""
    last = max([m.date for m in run.meetings] + ([run.ends_on] if run.ends_on else []), default=None)
    return through is None or (last is not None and last <= through)


def has_begun(run: Run, through: date | None) -> bool:
    first = min([m.date for m in run.meetings] + ([run.starts_on] if run.starts_on else []), default=None)
    return through is None or (first is not None and first <= through)


def those_paid(run: Run) -> dict[int, tuple[Instructor, Part, bool]]:
    """Who teaches a run, or meetings of it, in their order: with their part, and whether they do so as usual."""
    found = {t.instructor_id: (t.instructor, t.part, True) for t in run.teachers}
    for m in run.all_meetings:
        if counted(m, None):
            for t in m.teachers:
                found.setdefault(t.instructor_id, (t.instructor, t.part, False))
    return found


def terms_by(uow: UnitOfWork, run_id: int) -> dict[int, PayTerm]:
    rows = uow.session.scalars(select(PayTerm).where(PayTerm.run_id == run_id))
    return {row.instructor_id: row for row in rows}


def usual_term(run: Run, i: Instructor, currency: str) -> Said | None:
    """Somebody's usual pay, which is in the center's currency."""
    if i.pay_kind is None or (i.pay_kind is not PayKind.SHARE and run.currency != currency):
        return None
    return i.pay_kind, i.pay_amount, i.pay_percent


@dataclass(frozen=True)
class Known:
    """What is known of a run's money and pay, read once: its sums, its payment fees, the terms agreed for it, by instructor,
    and the lines beside them."""

    sums: dict[str, int]
    fees: int
    own: dict[int, PayTerm]
    lines: tuple[PayLine, ...]


def known_of(uow: UnitOfWork, run_id: int) -> Known:
    lines = uow.session.scalars(select(PayLine).where(PayLine.run_id == run_id).order_by(PayLine.id))
    return Known(
        money.sums_of_run(uow, run_id), fees_of_run(uow, run_id), terms_by(uow, run_id), tuple(lines)
    )


def paying(uow: UnitOfWork, run: Run, through: date | None = None) -> Paying:
    return paying_by(uow, run, known_of(uow, run.id), through)


def paying_by(uow: UnitOfWork, run: Run, known: Known, through: date | None) -> Paying:
    """The facts and terms of a run's pay, through a day or whole. What counts for the run as a whole (flat, a head, a share)
    is paid once it has ended. Somebody who only steps in for some meetings gets that part of their usual pay for a run."""
    held = [m for m in run.all_meetings if counted(m, through)]
    facts = Facts(
        run.currency,
        hours_of(sum(m.minutes for m in held)),
        len(held),
        known.sums["heads"],
        known.sums["total"],
        known.fees,
        run.pay_deduct,
    )
    terms, agreed = list[Term](), True
    for number, (i, part, usual) in those_paid(run).items():
        row = known.own.get(number)
        said = (row.kind, row.amount, row.percent) if row else usual_term(run, i, uow.center.currency)
        if said is None:
            agreed = False
        elif said[0] not in OF_THE_RUN or is_paid_whole(run, through):
            terms.append(term_of(run, i, part, said, row, held, steps_in=not usual))
    extra = [PayExtra(str(x.instructor_id), x.label, x.quantity, x.unit) for x in known.lines]
    return Paying(facts, tuple(terms), tuple(extra) if has_begun(run, through) else (), agreed)


def minutes_taught(meetings: Sequence[Meeting], instructor_id: int) -> tuple[int, int]:
    """How many of these meetings somebody teaches, and their minutes."""
    own = [m.minutes for m in meetings if any(t.instructor_id == instructor_id for t in m.teachers)]
    return len(own), sum(own)


def term_of(
    run: Run,
    i: Instructor,
    part: Part,
    said: Said,
    row: PayTerm | None,
    held: Sequence[Meeting],
    steps_in: bool,
) -> Term:
    """Somebody's term with their own meetings and hours among those that are held. Hours that were agreed on count as far as
    they have been taught; the usual pay for a whole run of somebody who only steps in, by their part of its meetings."""
    kind, amount, percent = said
    every = [m for m in run.all_meetings if counted(m, None)]
    number, minutes = minutes_taught(held, i.id)
    if kind in OF_THE_RUN and row is None and steps_in:
        part_of = Decimal(number) / max(1, len(every))
        amount, percent = rounded(amount * part_of), (percent * part_of).quantize(Decimal("0.000001"))
    if row is not None and row.minutes is not None:
        _, whole = minutes_taught(every, i.id)
        minutes = row.minutes * minutes // whole if whole else row.minutes
    return Term(str(i.id), kind, amount, percent, hours_of(minutes), number, part)


def hours_of(minutes: int) -> Decimal:
    """Contact hours; not rounded before the pay is."""
    return Decimal(minutes) / 60


@dataclass(frozen=True)
class Costed:
    """By which term somebody would be paid, and why; no term: to be agreed."""

    facts: Facts
    term: Term | None
    why: str


def costs_of(uow: UnitOfWork, run: Run, people: Sequence[Instructor], part: Part) -> dict[int, Costed]:
    """By what each of these would be paid on a run. A choice is weighed by all its meetings, and by the heads that the run
    needs where fewer are in so far: else whoever is paid by the head would cost nothing before anybody has signed up."""
    known = known_of(uow, run.id)
    facts = paying_by(uow, run, known, None).facts
    facts = replace(facts, meetings=max(1, facts.meetings))
    lacking = max(0, run.smallest - facts.heads)
    if lacking:
        income = facts.income + each_of(run, facts)[0] * lacking
        fees = facts.payment_fees * income // facts.income if facts.income else 0
        facts = replace(facts, heads=run.smallest, income=income, payment_fees=fees)
    found = {}
    for i in people:
        row = known.own.get(i.id)
        said = (row.kind, row.amount, row.percent) if row else usual_term(run, i, uow.center.currency)
        term = Term(str(i.id), said[0], said[1], said[2], part=part) if said else None
        shown = pay_view(*said, run.currency) if said else None
        why = f"{shown.text}{', agreed for this run' if row else ''}" if shown else "to be agreed"
        if lacking and said and said[0] in (PayKind.HEAD, PayKind.SHARE):
            why += f", with the {run.smallest} heads that it needs"
        found[i.id] = Costed(facts, term, why)
    return found


# --- what a run pays, as its page shows it ----------------------------------------------------------------


def requested_of(uow: UnitOfWork, run_id: int) -> dict[int, int]:
    """What was asked for of a run so far, by instructor."""
    rows = uow.session.execute(
        select(PayRequest.instructor_id, func.sum(PayRequestLine.amount))
        .join(PayRequestLine, PayRequestLine.request_id == PayRequest.id)
        .where(PayRequestLine.run_id == run_id)
        .group_by(PayRequest.instructor_id)
    )
    return {number: int(amount) for number, amount in rows}


def each_of(run: Run, facts: Facts) -> tuple[int, str]:
    """What one more head brings in, and why: the average so far, else the first rate."""
    if facts.heads and facts.income:
        return facts.income // facts.heads, "the average of those who are in"
    rate = next((r for r in run.rates if r.active and not r.by_agreement), None)
    return (rate.amount, f"the rate {rate.label}") if rate else (0, "no rate is set")


def teaching_of(uow: UnitOfWork, run_id: int) -> RunTeaching:
    """Who teaches a run and what it pays, now and with each number of heads; and what a cancellation would save."""
    from archgate.actions.teaching import papers

    run = get_run(uow, run_id, whole=True)
    known = known_of(uow, run.id)
    now, so_far = paying_by(uow, run, known, None), paying_by(uow, run, known, uow.today)
    trouble = now.trouble
    pay = Pay((), now.facts.after_fees) if trouble else now.pay
    names = {n: i.name for n, (i, _, _) in those_paid(run).items()}
    requested = requested_of(uow, run.id)
    others = (set(requested) | {int(p.who) for p in pay.people}) - set(names)
    names |= teachers.names_by_id(uow, others) if others else {}
    currency = run.currency
    earned = {} if so_far.trouble else {p.who: p.total for p in so_far.pay.people}

    def text(units: int) -> str:
        return format_amount(units, currency)

    each, why = each_of(run, now.facts)
    percent = Decimal(now.facts.payment_fees * 100) / now.facts.income if now.facts.income else Decimal(0)
    most = min(run.capacity, MOST_SHOWN)
    table = at_every_number(now.facts, each, percent, () if trouble else now.terms, now.extra, most)
    saved = 0 if trouble or so_far.trouble else pay.total - so_far.pay.total
    return RunTeaching(
        run_id=run.id,
        code=run.code,
        currency=currency,
        taught_by=teachers.text_of(run.teachers),
        teachers=teachers_of(uow, run, known.own),
        unstaffed=sum(not m.teachers and m.ends_at > uow.now for m in run.meetings),
        patterns=[
            PatternTeachers(n=p.n, text=pattern_text(p), taught_by=teachers.text_of(p.teachers))
            for p in run.patterns
        ],
        meetings=[
            MeetingTeachers(
                id=m.id,
                n=n,
                date=m.date,
                start=m.start,
                taught_by=teachers.text_of(m.teachers),
                teachers=[
                    MeetingTeacherOut(instructor_id=t.instructor_id, name=t.instructor.name, part=t.part)
                    for t in m.teachers
                ],
                past=m.ends_at <= uow.now,
            )
            for n, m in enumerate(schedule.ordered(run), 1)
        ],
        agreed=now.agreed,
        trouble=trouble,
        income=text(now.facts.income),
        payment_fees=text(now.facts.payment_fees),
        deduct=text(now.facts.deduct),
        paid=[
            PaidOut(
                instructor_id=int(p.who),
                name=names.get(int(p.who), ""),
                lines=[PayLineOut(label=x.label, amount=text(x.amount), why=x.why) for x in p.lines],
                total=text(p.total),
                requested=text(requested.get(int(p.who), 0)),
                due=text(p.total - requested.get(int(p.who), 0)),
                due_now=text(earned.get(p.who, 0) - requested.get(int(p.who), 0)),
            )
            for p in pay.people
        ],
        extra=extra_of(known.lines),
        pay=text(pay.total),
        center=text(pay.center),
        heads=now.facts.heads,
        each=text(each),
        each_why=why,
        seats=[
            AtSeatsOut(heads=r.heads, income=text(r.income), pay=text(r.pay), center=text(r.center))
            for r in table
        ],
        break_even=break_even(table),
        saved_if_cancelled=text(max(0, saved)),
        agreements=papers.agreements_of(uow, run_id=run.id),
        requests=papers.requests_of(uow, run_id=run.id),
    )


def pattern_text(p: MeetingPattern) -> str:
    days = ", ".join(WEEKDAY_NAMES[WEEKDAYS.index(d)][:3] for d in p.weekdays.split(","))
    return f"{days} at {p.start:%H:%M}"


def extra_of(lines: Sequence[PayLine]) -> list[PayExtraOut]:
    return [
        PayExtraOut(
            id=x.id,
            instructor_id=x.instructor_id,
            label=x.label,
            quantity=decimal_text(x.quantity),
            unit=decimal_text(x.unit),
        )
        for x in lines
    ]


def teachers_of(uow: UnitOfWork, run: Run, own: dict[int, PayTerm]) -> list[TeacherOut]:
    every = [m for m in run.all_meetings if counted(m, None)]
    shown = []
    for number, (i, part, usual) in those_paid(run).items():
        row = own.get(number)
        said = (row.kind, row.amount, row.percent) if row else usual_term(run, i, uow.center.currency)
        meetings, minutes = minutes_taught(every, number)
        shown.append(
            TeacherOut(
                instructor_id=number,
                name=i.name,
                email=i.email,
                phone=i.phone,
                part=part,
                usual=usual,
                meetings=meetings,
                hours=hours_text(minutes),
                pay=pay_view(*said, run.currency) if said else None,
                own_terms=row is not None,
                own_hours=hours_text(row.minutes) if row and row.minutes is not None else None,
            )
        )
    return shown


# --- changed ----------------------------------------------------------------------------------------------


def set_terms(uow: UnitOfWork, run_id: int, instructor_id: int, command: PayTermsCommand) -> Done:
    """Agree on somebody's pay for a run, or have their usual one hold. Shares of a run are at most the whole."""
    run = seats.run_to_change(uow, run_id)
    i = get_instructor(uow, instructor_id)
    if instructor_id not in those_paid(run):
        raise conflict("not-teaching", f"{i.name} does not teach {run.code}; assign them first.")
    row = terms_by(uow, run.id).get(instructor_id)
    if command.pay is None:
        if row is None:
            raise conflict("usual", f"{i.name} is paid as usual already.")
        uow.session.delete(row)
        said = "as usual"
    else:
        faults = list[Fault]()
        kind, amount, percent = pay_facts(command.pay, run.currency, "/pay", faults)
        if faults:
            raise Refused(faults)
        if row is None:
            row = PayTerm(run_id=run.id, instructor_id=instructor_id)
            uow.session.add(row)
        row.kind, row.amount, row.percent, row.minutes = kind, amount, percent, minutes_of(command.hours)
        shown = pay_view(kind, amount, percent, run.currency)
        said = shown.text if shown else ""
    uow.session.flush()
    trouble = paying(uow, run).trouble
    if trouble:
        raise refuse("/pay/percent", trouble)
    return Done(change=uow.log(Act.CHANGE_PAY, run.id, f"{i.name} is paid {said} for {run.code}").key)


def add_line(uow: UnitOfWork, run_id: int, command: PayLineCommand) -> Done:
    """Add a line beside the terms, such as preparation or mileage."""
    run = seats.run_to_change(uow, run_id)
    i = get_instructor(uow, command.instructor_id)
    if i.id not in those_paid(run):
        raise refuse("/instructor_id", f"{i.name} does not teach {run.code}.")
    row = PayLine(
        run_id=run.id, instructor_id=i.id, label=command.label, quantity=Decimal(command.quantity),
        unit=Decimal(command.unit),
    )  # fmt: skip
    if row.quantity * row.unit > 10**9:
        raise refuse("/unit", "That comes to more than a billion.")
    uow.session.add(row)
    uow.session.flush()
    return Done(change=uow.log(Act.CHANGE_PAY, run.id, f"{row.label} for {i.name} on {run.code}").key)


def drop_line(uow: UnitOfWork, line_id: int) -> Done:
    row = uow.session.get(PayLine, line_id)
    if row is None:
        raise not_found("This line")
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    uow.session.delete(row)
    return Done(change=uow.log(Act.CHANGE_PAY, run.id, f"Took {row.label} out of the pay of {run.code}").key)


def set_deduct(uow: UnitOfWork, run_id: int, command: DeductCommand) -> Done:
    """What the center takes of the income before shares are paid."""
    run = seats.run_to_change(uow, run_id)
    faults = list[Fault]()
    amount = amount_of(command.amount, run.currency, "/amount", faults)
    if faults or amount is None:
        raise Refused(faults)
    run.pay_deduct = amount
    said = f"{format_amount(amount, run.currency)} is deducted from the income of {run.code} before shares"
    return Done(change=uow.log(Act.CHANGE_PAY, run.id, said).key)

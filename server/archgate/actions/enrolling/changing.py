"""Changing a sign-up that holds its seat: other rates, prices, extras or code, credit for a meeting that falls out.

What changed is charged or credited, and the plan is worked out again (`core.plans.replanned`); what is paid stays paid.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from functools import partial

from sqlalchemy import exists, select
from sqlalchemy.orm import aliased

from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import ChangeCommand, GiveBackCommand
from archgate.actions.enrolling.views import (
    EnrollmentChanged,
    EnrollmentOut,
    ExtraTaken,
    GivenBack,
    HeadsAt,
    MeetingCredit,
    PlanRow,
)
from archgate.actions.fees import codes, fees, quotes, stock
from archgate.actions.fees.commands import Ask, ExtraAsked, HeadsAsked
from archgate.actions.fees.views import quote_view
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts, held, money
from archgate.actions.schedule import schedule
from archgate.actions.seats import seats
from archgate.core import eligibility, ledger, plans, refunds
from archgate.core import fees as core_fees
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.quotes import AgreedQuote, Due, Line, agreed_of, quote_read
from archgate.core.schedule import day_text
from archgate.core.states import LineKind
from archgate.core.taxes import taxes_on
from archgate.documents.reader import Document
from archgate.tables.bulk import Sentence
from archgate.tables.courses import Run
from archgate.tables.fees import CodeUse, DiscountCode, EnrollmentExtra
from archgate.tables.log import Change, RowChange
from archgate.tables.money import Posting
from archgate.tables.plans import Installment
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting
from archgate.tables.seats import RunSeats


def change(uow: UnitOfWork, enrollment_id: int, command: ChangeCommand) -> EnrollmentChanged:
    """Change what a sign-up asks for: rates, agreed prices, extras, code; what is not named stays.

    Prices are those of the day of sign-up, and what was asked for before keeps the price it was agreed at; with `fresh`
    all of it is priced as of now. When the total is another than was shown, both are answered (409).
    """
    enrollment, run, _ = enrollments.locked_enrollment(uow, enrollment_id)
    enrollments.refuse_no_learner(enrollment)
    fresh, why = command.fresh, (command.why or "").strip()
    asked = command.over(ask_of(uow, enrollment, run))
    resolved = quotes.resolve_ask(uow, run, asked, enrollment.person, as_kept=True)
    if len(resolved.heads) != enrollment.heads:
        raise Refused(
            [Fault("/people", f"The party has {enrollment.heads} heads, not {len(resolved.heads)}.")]
        )
    quote = priced(uow, enrollment, resolved, fresh)
    if command.total is not None:
        quotes.refuse_other_total(quote, command.total)
    old, before = enrollment.quote, plan_view(uow, enrollment)
    if same(old, quote):
        raise conflict("nothing-to-do", "Nothing changes.")
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    name = enrollment.person.name
    cause = f"{name}, {run.code}, changed{': ' + why if why else ''}"
    apply(uow, enrollment, run, quote, cause)
    replan(uow, enrollment, "Changed after sign-up.", cause)
    accounts.settle_with_credit(uow, account)
    keep_dues(uow, enrollment)
    done = uow.log(
        Act.CHANGE_A_SIGN_UP, enrollment.id,
        f"Changed the sign-up of {name} on {run.code}{': ' + why if why else ''}", run_id=run.id,
    )  # fmt: skip
    return changed_view(uow, enrollment, done, old, before)


def changed_view(
    uow: UnitOfWork, enrollment: Enrollment, done: Change, old: AgreedQuote, before: list[PlanRow]
) -> EnrollmentChanged:
    """What became of a changed sign-up: its total and installments before and after, and the credit of the account."""
    now, account = quote_view(enrollment.quote), accounts.get_account(uow, enrollment.payer_id)
    return EnrollmentChanged(
        change=done.key,
        enrollment_id=enrollment.id,
        name=enrollment.person.name,
        currency=enrollment.currency,
        total_before=format_amount(old.total, old.currency),
        total=now.total,
        lines=now.lines,
        taxes=now.taxes,
        before=before,
        after=plan_view(uow, enrollment),
        credit=format_amount(sum(f for _, f in accounts.free_payments(uow, account)), enrollment.currency),
    )


def view(uow: UnitOfWork, enrollment_id: int) -> EnrollmentOut:
    """One sign-up: the quote as agreed, what it asks for, who pays, and its installments with what is left of each."""
    enrollment = uow.session.get(Enrollment, enrollment_id)
    if enrollment is None:
        raise not_found("This enrollment")
    run, account = lookups.get_run(uow, enrollment.run_id), accounts.get_account(uow, enrollment.payer_id)
    came = uow.session.get(Enrollment, enrollment.came_from_id) if enrollment.came_from_id else None
    ask = ask_of(uow, enrollment, run)
    return EnrollmentOut(
        id=enrollment.id, run_id=enrollment.run_id, person_id=enrollment.person_id,
        name=enrollment.person.name, status=enrollment.status, role=enrollment.role, heads=enrollment.heads,
        held_until=uow.local(enrollment.hold_until),
        waits_for_card=held.waits_for_card(uow, enrollment),
        signed_up=enrollment.signed_up, way_in=enrollment.way_in, note=enrollment.note,
        came_from=lookups.get_run(uow, came.run_id).code if came else None,
        account_id=account.id, payer=accounts.payer_name(uow, account), quote=quote_view(enrollment.quote),
        people=[HeadsAt(rate_id=x.rate_id, count=x.count) for x in ask.people],
        extras=[ExtraTaken(extra_id=x.extra_id, count=x.count) for x in ask.extras], code=ask.code,
        plan=plan_view(uow, enrollment), order_number=enrollment.order_number, contact=enrollment.contact,
        batch_id=enrollment.batch_id,
        sentence=sentence_of(uow, enrollment),
        access_until=schedule.access_ends(run, enrollment.signed_up),
        next_due=money.next_due(
            money.open_installments(uow, [enrollment.id]).get(enrollment.id, []), enrollment.currency
        ),
    )  # fmt: skip


def sentence_of(uow: UnitOfWork, enrollment: Enrollment) -> str:
    """The sentence by which somebody came, as it reads; empty for everybody else."""
    sentence = uow.session.get(Sentence, enrollment.sentence_id) if enrollment.sentence_id else None
    return sentence.text if sentence else ""


# --- what was asked for, and what it costs now ------------------------------------------------------------


def same(one: AgreedQuote, other: AgreedQuote) -> bool:
    """Whether two quotes come to the same, line by line; when it is due does not count."""
    return (one.lines, one.total) == (other.lines, other.total)


def ask_of(uow: UnitOfWork, enrollment: Enrollment, run: Run) -> Ask:
    """What a sign-up asks for now."""
    ids = {r.code: r.id for r in run.rates}
    code = uow.session.scalar(
        select(DiscountCode.code).join(CodeUse, CodeUse.code_id == DiscountCode.id)
        .where(CodeUse.enrollment_id == enrollment.id, CodeUse.live)
    )  # fmt: skip
    return Ask(
        people=[HeadsAsked(rate_id=ids[x.code], count=x.quantity) for x in enrollment.quote.of_kind("rate")],
        extras=[ExtraAsked(extra_id=x.extra_id, count=x.quantity) for x in enrollment.extras],
        code=code, plan_id=enrollment.plan_id,
    )  # fmt: skip


def priced(uow: UnitOfWork, enrollment: Enrollment, resolved: quotes.ResolvedAsk, fresh: bool) -> AgreedQuote:
    """The quote of a changed ask. Without `fresh` what was asked for before keeps the price it was agreed at."""
    was = enrollment.quote
    left = [] if fresh else list(was.of_kind("rate"))
    rows: list[tuple[core_fees.Heads, Line | None]] = []
    for rate, count, agreed in resolved.rates:
        line = next((x for x in left if x.code == rate.code), None) if agreed is None else None
        if line:
            left.remove(line)
            agreed = core_fees.Agreed(line.unit, line.why)
        rows.append((core_fees.Heads(rate.code, count, agreed), line))
    refuse_new_rates(uow, enrollment, resolved, [line is not None for _, line in rows])
    return quote_of_rows(uow, enrollment, resolved, rows, fresh)


def quote_of_rows(
    uow: UnitOfWork,
    enrollment: Enrollment,
    resolved: quotes.ResolvedAsk,
    rows: list[tuple[core_fees.Heads, Line | None]],
    fresh: bool = False,
) -> AgreedQuote:
    """The quote of an ask whose heads are given, each with the line it was agreed by, if it was."""
    run, was = resolved.run, enrollment.quote
    ask = core_fees.Ask(tuple(heads for heads, _ in rows), resolved.ask.extras, resolved.ask.code)
    moment = uow.now if fresh else enrollment.enrolled_at
    kept = kept_fees(enrollment, resolved, {line.code for _, line in rows if line}, fresh)
    try:
        quote = core_fees.quote_for(kept, ask, moment, fees.start_of(uow, run), uow.zone, was.currency)
    except Refused as refused:
        raise Refused([quotes.ask_fault(resolved, f) for f in refused.faults]) from None
    quote_now = replace(agreed_of(quote), next_change=None)
    at_rate = iter(rows)
    as_agreed = [(x, next(at_rate)[1] if x.kind == "rate" else None) for x in quote_now.lines]
    lines = tuple(
        replace(x, label=line.label, why=line.why, early=line.early) if line else x for x, line in as_agreed
    )
    quote_now = replace(quote_now, lines=lines)
    for credit in was.of_kind("credit"):
        quote_now = quote_now.credited(credit)
    return replace(quote_now, lines=(*quote_now.lines, *was.of_kind(LineKind.KEPT)))


def kept_fees(
    enrollment: Enrollment, resolved: quotes.ResolvedAsk, agreed: set[str], fresh: bool
) -> core_fees.Fees:
    """The fees of an ask as they hold for somebody who is in: rates that were agreed may be named with their price, extras
    keep theirs unless all is `fresh`, and what they have of the stock is theirs."""
    quantities = {x.extra.code: x.quantity for x in enrollment.extras}
    units = {} if fresh else {x.code: x.unit for x in enrollment.quote.of_kind("extra")}
    now = resolved.fees
    rates = tuple(replace(r, by_agreement=r.by_agreement or r.code in agreed) for r in now.rates)
    extras = tuple(
        replace(
            x, amount=units.get(x.code, x.amount),
            stock=None if x.stock is None else x.stock + quantities.get(x.code, 0),
        )
        for x in now.extras
    )  # fmt: skip
    return replace(now, rates=rates, extras=extras)


def refuse_new_rates(
    uow: UnitOfWork, enrollment: Enrollment, resolved: quotes.ResolvedAsk, had: list[bool]
) -> None:
    """Refuse rates that the party did not have and cannot have; its own heads are not counted twice."""
    own = Counter([enrollment.rate_id, *(p.rate_id for p in enrollment.places)])
    taken = fees.heads_at(uow, resolved.run)
    account = accounts.get_account(uow, enrollment.payer_id)
    facts = quotes.facts_of(uow, resolved.run, enrollment.person, account.organization_id)
    faults = []
    for i, (rate, count, _) in enumerate(resolved.rates):
        if had[i]:
            continue
        sold = taken.get(rate.id, 0) - own.get(rate.id, 0)
        why_not = eligibility.why_not(fees.who_terms(uow, rate), facts, uow.today, sold, count)
        if why_not:
            faults.append(Fault(f"/people/{i}/rate_id", why_not))
    if faults:
        raise Refused(faults)


# --- writing it -------------------------------------------------------------------------------------------


def apply(uow: UnitOfWork, enrollment: Enrollment, run: Run, quote: AgreedQuote, cause: str) -> None:
    """Make a sign-up what a quote says: rates of the heads, extras with their stock, the code's use, the charges."""
    by_code = {r.code: r for r in run.rates}
    heads = [by_code[x.code] for x in quote.of_kind("rate") for _ in range(x.quantity)]
    enrollment.rate_id = heads[0].id
    for place in enrollment.places:
        place.rate_id = heads[place.n - 1].id
    wanted = {extra.id: (extra, count) for extra, count in enrollments.taken_along(run, quote)}
    by_id = {x.extra_id: x for x in enrollment.extras}
    for number in sorted({*wanted, *by_id}):
        extra, count = wanted.get(number) or (by_id[number].extra, 0)
        now = by_id[number].quantity if number in by_id else 0
        if extra.item and count != now:
            stock.move(uow, extra.item, now - count, cause, enrollment.id)
        if not count:
            enrollment.extras.remove(by_id[number])
            uow.session.delete(by_id[number])
        elif number in by_id:
            by_id[number].quantity = count
        else:
            enrollment.extras.append(EnrollmentExtra(extra_id=extra.id, quantity=count, extra=extra))
    off = quote.of_kind("code")
    code = codes.code_held(uow, off[0].code) if off else None
    codes.change_use(uow, code, enrollment, -sum(x.amount for x in off))
    was = enrollment.quote
    enrollment.quote = replace(quote, installments=was.installments, due_now=was.due_now)
    enrollment.total = quote.total
    uow.session.flush()
    money.recharge(uow, enrollment, cause)


def standing_of(
    uow: UnitOfWork, enrollment: Enrollment
) -> tuple[list[Installment], tuple[plans.Standing, ...]]:
    rows = sorted((i for i in enrollment.installments if i.kind == "plan"), key=lambda i: i.n)
    left = {i.id: part for i, part in money.open_installments(uow, [enrollment.id]).get(enrollment.id, [])}
    return rows, tuple(plans.Standing(i.n, i.due, i.amount, i.amount - left.get(i.id, 0)) for i in rows)


def replan(uow: UnitOfWork, enrollment: Enrollment, why: str, cause: str) -> None:
    """Work the plan of a sign-up out again for its total; what it comes to less is no longer owed, or credit."""
    uow.session.flush()
    rows, standing = standing_of(uow, enrollment)
    new_plan = plans.replanned(standing, enrollment.total, uow.today)
    for row, amount in zip(rows, new_plan.amounts, strict=True):
        set_amount(row, amount)
    if new_plan.extra:
        n = max((i.n for i in enrollment.installments), default=0) + 1
        enrollment.installments.append(
            Installment(n=n, due=uow.today, amount=new_plan.extra, settle="any", why=why)
        )
    if new_plan.credit:
        moved = tuple(replace(s, amount=a) for s, a in zip(standing, new_plan.amounts, strict=True))
        for row, cut in zip(rows, plans.credited(moved, new_plan.credit), strict=True):
            if cut.paid:
                money.free(uow, row, cut.paid, cause)
            if cut.open or cut.paid:
                set_amount(row, row.amount - cut.open - cut.paid)
    uow.session.flush()


def set_amount(row: Installment, amount: int) -> None:
    """An installment that comes to nothing no longer counts; its row stays for what was settled of it."""
    if amount:
        row.amount = amount
    else:
        row.kind = "void"


def keep_dues(uow: UnitOfWork, enrollment: Enrollment) -> None:
    """The installments of a kept quote follow the plan as it is now."""
    rows = sorted((i for i in enrollment.installments if i.kind == "plan"), key=lambda i: (i.due, i.n))
    dues = tuple(Due(i.n, i.due, i.amount, i.settle, i.why) for i in rows)
    now = sum(i.amount for i in dues if i.due <= uow.today)
    enrollment.quote = replace(enrollment.quote, installments=dues, due_now=now)
    uow.session.flush()


def plan_view(uow: UnitOfWork, enrollment: Enrollment) -> list[PlanRow]:
    """The installments of a sign-up with what is left of each."""
    uow.session.flush()
    left = {i.id: part for i, part in money.open_installments(uow, [enrollment.id]).get(enrollment.id, [])}
    rows = sorted((i for i in enrollment.installments if i.kind == "plan"), key=lambda i: (i.due, i.n))
    currency = enrollment.currency
    return [
        PlanRow(
            due=i.due,
            amount=format_amount(i.amount, currency),
            left=format_amount(left.get(i.id, 0), currency),
        )
        for i in rows
    ]


@reverses(Act.CHANGE_A_SIGN_UP)
def undo_change(uow: UnitOfWork, change: Change) -> None:
    """Make a sign-up what it was before a change, its installments too as long as nothing was paid on them since."""
    enrollment, run, _ = as_it_was_left(uow, change)
    back_to(uow, change, enrollment, run)


def quotes_logged(change: Change, enrollment: Enrollment) -> tuple[AgreedQuote, AgreedQuote]:
    """The quote of a sign-up before and after a change."""
    logged = [
        r for r in change.rows
        if r["table"] == "enrollments" and r["id"] == enrollment.id and "quote" in (r["before"] or {})
    ]  # fmt: skip
    return logged_quote(logged[0]["before"]), logged_quote(logged[-1]["after"])


def as_it_was_left(uow: UnitOfWork, change: Change) -> tuple[Enrollment, Run, RunSeats]:
    """The sign-up of a change, locked, refused when it is no longer as the change left it."""
    enrollment, run, row = enrollments.locked_enrollment(uow, change.subject_id)
    if not enrollment.holds_seat:
        raise conflict("moved-on", f"{enrollment.person.name} no longer holds a seat on {run.code}.")
    if not same(enrollment.quote, quotes_logged(change, enrollment)[1]):
        raise conflict("moved-on", "The sign-up has been changed again since.")
    return enrollment, run, row


def back_to(uow: UnitOfWork, change: Change, enrollment: Enrollment, run: Run) -> None:
    """The money of a sign-up as it was before a change."""
    cause, old = f"Undid: {change.summary}", quotes_logged(change, enrollment)[0]
    account = accounts.get_account(uow, enrollment.payer_id, lock=True)
    apply(uow, enrollment, run, old, cause)
    restore_plan(uow, change, enrollment)
    replan(uow, enrollment, "Changed after sign-up.", cause)
    accounts.settle_with_credit(uow, account)
    keep_dues(uow, enrollment)


def logged_quote(row: Document | None) -> AgreedQuote:
    """The quote of a logged enrollment."""
    kept = (row or {})["quote"]
    if not isinstance(kept, dict):
        raise conflict("moved-on", "This was done before the last upgrade and can no longer be undone.")
    return quote_read(kept)


def restore_plan(uow: UnitOfWork, change: Change, enrollment: Enrollment) -> None:
    """The installments as they were, where what was paid of them since allows it; the caller works the rest out."""
    first: dict[int, RowChange] = {}
    for logged in change.rows:
        if logged["table"] == "installments":
            first.setdefault(logged["id"], logged)
    paid = {row.id: s.paid for row, s in zip(*standing_of(uow, enrollment), strict=True)}
    for row in enrollment.installments:
        if row.id not in first:
            continue
        before = first[row.id]["before"]
        if before is None and not paid.get(row.id):
            row.kind = "void"
        elif before is not None:
            row.kind = str(before.get("kind", row.kind))
            amount = before.get("amount", row.amount)
            if isinstance(amount, int) and amount >= paid.get(row.id, 0):
                row.amount = amount
    uow.session.flush()


# --- a meeting that fell out ------------------------------------------------------------------------------


def credit_line(uow: UnitOfWork, enrollment: Enrollment, run: Run, meeting: Meeting) -> Line | None:
    """What a meeting is worth of a sign-up, as a line of its quote; nothing of what is no seat, or was free."""
    quote = enrollment.quote
    base = sum(
        x.amount for x in quote.lines if x.kind not in (LineKind.EXTRA, LineKind.CREDIT, LineKind.KEPT)
    )
    replaced = {m.replaces_id for m in run.all_meetings}
    planned = [m for m in run.all_meetings if m.id not in replaced]
    if base <= 0 or meeting not in planned:
        return None
    share = refunds.share_of_meeting(base, [m.minutes for m in planned], planned.index(meeting))
    share = min(share, sum(x.amount for x in quote.lines if x.kind not in (LineKind.EXTRA, LineKind.KEPT)))
    if share <= 0:
        return None
    taxes, charged = fees.core_taxes(run.taxes), {t.name: t.amount for t in quote.taxes}
    parts = [
        (t.name, min(part, charged.get(t.name, 0)))
        for t, part in zip(taxes, taxes_on(taxes, {quote.of_kind("rate")[0].code: share}), strict=True)
    ]
    return Line(
        "credit", "", f"Meeting on {day_text(meeting.date)} not held", 1, -share, -share,
        "The price shared among all planned meetings by their length.",
        taxes=tuple((name, amount) for name, amount in parts if amount), meeting_id=meeting.id,
    )  # fmt: skip


def credit_meeting(uow: UnitOfWork, meeting_id: int, command: GiveBackCommand) -> GivenBack:
    """Give everybody on a run what a cancelled meeting was worth: off what is still owed, else as credit.

    `total` is the sum of all that the screen showed. Whoever has it already, pays nothing, or signed up when the meeting was
    cancelled already, is left as they are.
    """
    meeting = uow.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = seats.run_to_change(uow, meeting.run_id)
    shown_total = command.total
    if meeting.cancelled_at is None:
        raise conflict("not-cancelled", "This meeting is held; only a cancelled one is given back.")
    live = uow.session.scalars(
        select(Enrollment)
        .where(Enrollment.run_id == run.id, *messages.in_when_cancelled(meeting))
        .order_by(Enrollment.id)
    ).all()
    rows, total = [], 0
    for enrollment in live:
        has = any(x.meeting_id == meeting.id for x in enrollment.quote.lines)
        line = None if has else credit_line(uow, enrollment, run, meeting)
        if line is None:
            continue
        account = accounts.get_account(uow, enrollment.payer_id, lock=True)
        was, free = enrollment.total, credit_of(uow, enrollment)
        enrollment.quote = enrollment.quote.credited(line)
        enrollment.total = enrollment.quote.total
        less = was - enrollment.total
        cause = f"{enrollment.person.name}, {run.code}, {line.label[0].lower()}{line.label[1:]}"
        posting = ledger.credit_of(
            account.id, partial(money.center_account, uow, currency=enrollment.currency), less,
            line.taxes, enrollment.currency,
        )  # fmt: skip
        money.post(uow, posting, uow.today, cause, enrollment_id=enrollment.id, meeting_id=meeting.id)
        replan(uow, enrollment, line.label, cause)
        accounts.settle_with_credit(uow, account)
        keep_dues(uow, enrollment)
        total += less
        rows.append(MeetingCredit(
            name=enrollment.person.name, account_id=account.id, amount=format_amount(less, run.currency),
            credit=format_amount(max(0, credit_of(uow, enrollment) - free), run.currency),
        ))  # fmt: skip
    if not rows:
        raise conflict("nothing-to-do", "Nobody on this run has anything to get back for this meeting.")
    text = format_amount(total, run.currency)
    if shown_total is not None and shown_total != text:
        sentence = f"The sum was {shown_total} when it was shown and is {text} now."
        raise conflict("total-changed", sentence, shown=shown_total, now=text)
    day = day_text(meeting.date)
    done = uow.log(
        Act.GIVE_BACK_A_MEETING, meeting.id, f"Gave {text} back for the meeting of {run.code} on {day}",
        run_id=run.id,
    )  # fmt: skip
    return GivenBack(change=done.key, currency=run.currency, total=text, people=rows)


def credit_of(uow: UnitOfWork, enrollment: Enrollment) -> int:
    account = accounts.get_account(uow, enrollment.payer_id)
    return sum(f for _, f in accounts.free_payments(uow, account))


@reverses(Act.GIVE_BACK_A_MEETING)
def undo_credit(uow: UnitOfWork, change: Change) -> None:
    """Take back what was given for a meeting from everybody who still holds the seat."""
    meeting = uow.session.get_one(Meeting, change.subject_id)
    seats.run_to_change(uow, meeting.run_id)
    reversal = aliased(Posting)
    postings = uow.session.scalars(
        select(Posting).where(
            Posting.meeting_id == meeting.id, Posting.kind == ledger.Kind.CREDIT, ~exists().where(reversal.reverses_id == Posting.id)
        )
    ).all()  # fmt: skip
    for posting in postings:
        enrollment = uow.session.get_one(Enrollment, posting.enrollment_id)
        uow.session.refresh(enrollment)
        line = next((x for x in enrollment.quote.lines if x.meeting_id == meeting.id), None)
        if not enrollment.holds_seat or line is None:
            continue
        account = accounts.get_account(uow, enrollment.payer_id, lock=True)
        enrollment.quote = enrollment.quote.without_credit(line)
        enrollment.total = enrollment.quote.total
        cause = f"Undid: {change.summary}"
        money.post(
            uow, ledger.reversal_of(money.core_posting(posting)), uow.today, cause,
            enrollment_id=enrollment.id, meeting_id=meeting.id, reverses_id=posting.id,
        )  # fmt: skip
        restore_plan(uow, change, enrollment)
        replan(uow, enrollment, "Changed after sign-up.", cause)
        accounts.settle_with_credit(uow, account)
        keep_dues(uow, enrollment)

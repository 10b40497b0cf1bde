"""The life of a run beside its dates: decided, taken off sale, cancelled, archived, kept for one client."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

from sqlalchemy import func, select

from archgate.actions.enrolling import leaving, telling
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import outcome
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import DueBack, Outcome, Touch
from archgate.actions.messages import messages
from archgate.actions.money import accounts, money
from archgate.actions.runs.commands import DecideCommand
from archgate.actions.runs.views import Figures, FileOut
from archgate.actions.schedule import gates, schedule
from archgate.actions.schedule.schedule import decision_text
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused, refuse
from archgate.core.money import format_amount
from archgate.core.schedule import day_text
from archgate.core.states import Decision, EnrollmentStatus, HoldStatus, LineStatus, Role, RunStatus
from archgate.papers.letters.occasions import GoesAhead, RunCancelled
from archgate.papers.letters.writing import written
from archgate.tables.courses import Attachment, Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment, PartyPlace
from archgate.tables.schedule import Meeting
from archgate.tables.seats import HeldPlace
from archgate.tables.waitlist import Waiting

LARGEST_FILE = 10 * 1024 * 1024
MEDIA = {b"%PDF-": "application/pdf", b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}


# --- the decision -----------------------------------------------------------------------------------------


def figures(uow: UnitOfWork, run: Run) -> Figures:
    """What a decision is weighed up with: seats paid in part or whole, not at all, and only held; parties unnamed, money, hours.

    Firm: something was paid, or the fee is zero. Held: until a first payment; kept: places held without names, beside those taken. What teaching costs, and what a cancellation saves of it, says
    `teaching.pay.teaching_of`, which the screen shows beside these.
    """
    sums = money.sums_of_run(uow, run.id)
    heads, firm = sums["heads"], sums["firm"]
    heads_named = (
        select(func.count(PartyPlace.person_id))
        .join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.role == Role.LEARNER)
    )
    coming = [m for m in run.meetings if m.starts_at > uow.now]
    line = select(func.coalesce(func.sum(Waiting.heads), 0)).where(
        Waiting.run_id == run.id, Waiting.live == 1
    )
    places = select(func.coalesce(func.sum(HeldPlace.seats), 0)).where(
        HeldPlace.run_id == run.id, HeldPlace.status == HoldStatus.HELD, HeldPlace.last >= uow.today
    )
    people = select(func.count()).select_from(messages.ids_on(run.id).subquery())
    counts = select(*(q.scalar_subquery() for q in (heads_named, line, places, people)))
    others, waiting, kept, told = (int(n or 0) for n in uow.session.execute(counts).one())
    named = sums["number"] + others
    day = next((g.day for g in run.gates if g.kind == "decision day"), None)
    return Figures(
        run_id=run.id,
        code=run.code,
        title=run.title or run.course.title,
        decision=run.decision,
        until=run.decision_until,
        day=day,
        smallest=run.smallest,
        capacity=run.capacity,
        taken=heads,
        firm=firm,
        unpaid=heads - firm - sums["held"],
        held=sums["held"],
        kept=kept,
        unnamed=heads - named,
        waiting=waiting,
        currency=run.currency,
        income=format_amount(sums["total"], run.currency),
        paid=format_amount(sums["total"] - sums["open"], run.currency),
        hours_saved=schedule.Schedule(tuple(schedule.core_meeting(run, m) for m in coming)).hours,
        start=schedule.start_day(uow, run),
        people=told,
    )


def decide(uow: UnitOfWork, run_id: int, command: DecideCommand) -> Outcome:
    """Say whether a run goes ahead. Going ahead tells everybody; waiting moves the decision day to a date."""
    run = seats.run_to_change(uow, run_id)
    schedule.refuse_closed(run)
    faults: list[Fault] = []
    decision, until = command.decision, command.until

    def fault(key: str, message: str) -> None:
        faults.append(Fault(f"/{key}", message))

    if decision is Decision.CANCELLED:
        fault("decision", "A run is cancelled by its own act.")
    if decision is Decision.WAITS and until is None:
        fault("until", "Say until when it waits.")
    if until and until <= uow.today:
        fault("until", f"{day_text(until)} is not ahead of today.")
    end = schedule.end_day(uow, run)
    if until and end and until > end:
        fault("until", f"{day_text(until)} is after the run ends on {day_text(end)}.")
    if run.status == RunStatus.DRAFT:
        fault("decision", "A draft is not decided; publish it first.")
    if faults:
        raise Refused(faults)
    if command.seen not in (None, run.decision):
        raise conflict(
            "changed-meanwhile",
            f"Somebody else said meanwhile that it is {run.decision}.",
            fields={"decision": {"seen": command.seen, "now": run.decision, "yours": decision}},
        )
    before = decision_text(run)
    run.decision, run.decision_until = decision, until if decision == Decision.WAITS else None
    gates.settle_gates(uow, run)
    change = uow.log(Act.DECIDE, run.id, f"{run.code}: {decision_text(run)}")
    told = 0
    if decision == Decision.GOING_AHEAD and before != decision:
        occasion = GoesAhead(uow.center.name, messages.named(run), "", telling.begins(uow, run, placed=True))
        told = messages.tell_run(uow, run, change, occasion)
    return outcome(
        uow, run, change.key, [Touch(label="Decision", before=before, after=decision_text(run))]
    ).widened(Outcome, told=told)


# --- off sale, cancelled, archived ------------------------------------------------------------------------


def set_sale(uow: UnitOfWork, run_id: int, on: bool) -> Outcome:
    """Take a published run off sale, or put it back; those enrolled and those in line stay as they are."""
    run = seats.run_to_change(uow, run_id)
    wanted, now = (
        (RunStatus.PUBLISHED, RunStatus.OFF_SALE) if on else (RunStatus.OFF_SALE, RunStatus.PUBLISHED)
    )
    if run.status != now:
        raise conflict("status", f"The run is {run.status}.")
    run.status = wanted
    change = uow.log(
        Act.PUT_ON_SALE if on else Act.TAKE_OFF_SALE,
        run.id,
        f"{'Put' if on else 'Took'} {run.code} {'back on' if on else 'off'} sale",
    )
    return outcome(uow, run, change.key, [Touch(label="Status", before=now, after=wanted)])


def cancel_run(uow: UnitOfWork, run_id: int, why: str) -> Outcome:
    """Cancel a run: its meetings fall out, seats are given back with their charges, the line is dissolved, all are told.

    What somebody has paid stays on their account as credit, which is what is due back to them.
    """
    run = seats.run_to_change(uow, run_id)
    if run.status in (RunStatus.CANCELLED, RunStatus.ARCHIVED):
        raise conflict("status", f"The run is {run.status} already.")
    if run.status == RunStatus.DRAFT:
        raise conflict("status", "A draft was never public; archive it instead.")
    if len(why) > 500:
        raise refuse("/why", "The reason is longer than 500 characters.")
    weighed = figures(uow, run)
    live = uow.session.scalars(
        select(Enrollment).where(Enrollment.run_id == run.id, Enrollment.live == 1)
    ).all()
    due_back = refunds_of(uow, run, live)
    before = run.status
    run.status, run.decision, run.decision_until = RunStatus.CANCELLED, Decision.CANCELLED, None
    change = uow.log(
        Act.CANCEL_A_RUN, run.id, f"Cancelled {run.code}{': ' + why.strip() if why.strip() else ''}"
    )
    begins = telling.begins(uow, run)
    occasion = RunCancelled(
        uow.center.name, messages.named(run), "", begins.day if begins else None, why.strip(), seat=True
    )
    theirs = becomes_credit(uow, live)
    told = messages.tell_run(
        uow, run, change, occasion,
        of_each={n: replace(occasion, back=back, currency=run.currency) for n, back in theirs.people.items()},
    )  # fmt: skip
    told += tell_other_payers(uow, run, change, occasion, theirs)
    for e in live:
        leaving.end(uow, e, EnrollmentStatus.RUN_CANCELLED, f"{run.code} was cancelled")
    line = seats.line_of(uow, run.id, offered=True)
    for w in line:
        messages.write(
            uow,
            change,
            messages.to_person(w.person),
            written(replace(occasion, name=w.person.name, seat=False)),
            run.id,
        )
        w.status, w.ended_at = LineStatus.RUN_CANCELLED, uow.now
    fallen = [m for m in run.meetings if m.ends_at > uow.now]
    for m in fallen:
        m.cancelled_at, m.cancel_why = uow.now, why.strip() or "the run is cancelled"
        m.sequence += 1
    uow.session.flush()
    touches = [
        Touch(label="Status", before=before, after="cancelled"),
        Touch(label="Seats given back", before=str(weighed.taken), after="0"),
        Touch(label="Parties in line", before=str(len(line)), after="0"),
        Touch(label="Meetings that fall out", before=None, after=str(len(fallen))),
        Touch(label="Charges taken back", before=None, after=weighed.income, money=True),
        Touch(label="Due back to payers", before=None, after=weighed.paid, money=True),
    ]
    return outcome(uow, run, change.key, touches).widened(
        Outcome, enrolled=len(live), told=told + len(line), due_back=due_back
    )


@dataclass(frozen=True)
class TheirsAgain:
    """What was paid for a run and is credit of its payers when it is cancelled: by person, and by organization."""

    people: dict[int, int]
    organizations: dict[int, int]


def becomes_credit(uow: UnitOfWork, live: Sequence[Enrollment]) -> TheirsAgain:
    paid = money.paid_of(uow, [e.id for e in live])
    theirs = TheirsAgain({}, {})
    payers = {e.payer_id for e in live if paid.get(e.id)}
    accounts_of = {a.id: a for a in uow.session.scalars(select(Account).where(Account.id.in_(payers)))}
    for e in live:
        back, account = paid.get(e.id, 0), accounts_of.get(e.payer_id)
        if account is None:
            continue
        if account.organization_id is not None:
            key, sums = account.organization_id, theirs.organizations
        elif account.person_id is not None:
            key, sums = account.person_id, theirs.people
        else:
            continue
        sums[key] = sums.get(key, 0) + back
    return theirs


def tell_other_payers(
    uow: UnitOfWork, run: Run, change: Change, occasion: RunCancelled, theirs: TheirsAgain
) -> int:
    """Write to whoever paid and is not on the run: a parent, an organization. Those on it are told with the others."""
    on_run = {p.id for p in messages.people_on(uow, run.id)}
    others = {n: back for n, back in theirs.people.items() if n not in on_run}
    payers = [
        (messages.to_person(uow.session.get_one(Person, n)), back) for n, back in sorted(others.items())
    ]
    for n, back in sorted(theirs.organizations.items()):
        payer = uow.session.get_one(Organization, n)
        payers.append((messages.Addressee(payer.name, payer.email), back))
    for to, back in payers:
        letter = replace(occasion, name=to.name, seat=False, back=back, currency=run.currency)
        messages.write(uow, change, to, written(letter), run.id)
    return len(payers)


def refunds_of(uow: UnitOfWork, run: Run, live: Sequence[Enrollment]) -> list[DueBack]:
    """What every sign-up gets back when its run is cancelled: all of it, whatever the refund policy keeps otherwise."""
    ids = [e.id for e in live]
    paid, unpaid = money.paid_of(uow, ids), money.open_installments(uow, ids)
    payers = {number: uow.session.get_one(Account, number) for number in {e.payer_id for e in live}}
    rows = []
    for e in live:
        back, open_now = paid.get(e.id, 0), sum(left for _, left in unpaid.get(e.id, ()))
        account = payers[e.payer_id]
        whose = "" if account.person_id == e.person_id else f" of {accounts.payer_name(uow, account)}"
        parts = [f"paid, becomes credit{whose}"] if back else []
        parts += (
            [f"{format_amount(open_now, run.currency)} no longer owed{'' if back else whose}"]
            if open_now
            else []
        )
        if parts:
            rows.append(
                DueBack(name=e.person.name, amount=format_amount(back, run.currency), why="; ".join(parts))
            )
    return rows


@reverses(Act.CANCEL_A_RUN)
def uncancel(uow: UnitOfWork, change: Change) -> None:
    """Undo of a cancelled run: status, meetings, seats on the same terms, and the line as it was."""
    run = get_run(uow, change.subject_id)
    row = seats.lock_seats(uow, run)
    if run.status != RunStatus.CANCELLED:
        raise conflict("moved-on", f"{run.code} is {run.status} by now.")
    for logged in change.rows:
        before, after = logged["before"] or {}, logged["after"] or {}
        if logged["table"] == "runs" and "status" in before:
            run.status = RunStatus(str(before["status"]))
            run.decision = Decision(str(before.get("decision", run.decision)))
            until = before.get("decision_until")
            run.decision_until = date.fromisoformat(until) if isinstance(until, str) else run.decision_until
        elif logged["table"] == "meetings" and after.get("cancelled_at"):
            m = uow.session.get_one(Meeting, logged["id"])
            m.cancelled_at, m.cancel_why = None, ""
            m.sequence += 1
        elif logged["table"] == "waiting" and after.get("status") == "run cancelled":
            w = uow.session.get_one(Waiting, logged["id"])
            w.status, w.ended_at = LineStatus.WAITING, None
    uow.session.flush()
    uow.session.refresh(run, ["all_meetings"])
    ended = [
        r["id"]
        for r in change.rows
        if r["table"] == "enrollments" and (r["after"] or {}).get("status") == "run cancelled"
    ]
    for enrollment in uow.session.scalars(
        select(Enrollment).where(Enrollment.id.in_(ended)).order_by(Enrollment.id)
    ):
        leaving.seat_again(uow, enrollment, run, row, f"Undid the cancellation of {run.code}")
    gates.settle_gates(uow, run)


def archive(uow: UnitOfWork, run_id: int) -> Outcome:
    """Put a run away that is over, cancelled, or a draft nobody needs; it leaves every list but "all"."""
    run = seats.run_to_change(uow, run_id)
    if run.status == RunStatus.ARCHIVED:
        raise conflict("status", "The run is archived already.")
    ends = gates.gate_at(run, "ends")
    over = ends is not None and ends <= uow.now
    if run.status not in (RunStatus.DRAFT, RunStatus.CANCELLED) and not over:
        raise conflict("status", "Only a run that is over, cancelled or a draft can be archived.")
    owed = [
        e.person.name
        for e in uow.session.scalars(
            select(Enrollment).where(Enrollment.run_id == run.id, Enrollment.live == 1)
        )
        if money.open_installments(uow, [e.id])
    ]
    before, run.status = run.status, RunStatus.ARCHIVED
    change = uow.log(Act.ARCHIVE, run.id, f"Archived {run.code}")
    touches = [Touch(label="Status", before=before, after="archived")]
    if owed:
        touches.append(
            Touch(label="Installments still owed", before=None, after=f"{len(owed)}: {', '.join(owed[:4])}")
        )
    return outcome(uow, run, change.key, touches)


def bring_back(uow: UnitOfWork, run_id: int) -> Outcome:
    """Take a run out of the archive, as what it was when it went there."""
    run = seats.run_to_change(uow, run_id)
    if run.status != RunStatus.ARCHIVED:
        raise conflict("status", f"The run is {run.status}.")
    query = (
        select(Change).where(Change.run_id == run.id, Change.action == Act.ARCHIVE).order_by(Change.id.desc())
    )
    last = uow.session.scalars(query.limit(1)).first()
    logged = (r["before"] or {} for r in (last.rows if last else ()) if r["table"] == "runs")
    was = RunStatus(str(next(logged, {}).get("status", RunStatus.DRAFT)))
    run.status = was
    change = uow.log(Act.BRING_BACK, run.id, f"Brought {run.code} back from the archive")
    return outcome(uow, run, change.key, [Touch(label="Status", before="archived", after=was)])


# --- the contract of a contract run -----------------------------------------------------------------------


def attach(uow: UnitOfWork, run_id: int, name: str, content: bytes) -> FileOut:
    """Keep a file with a run: PDF or picture, by its content, up to 10 MB."""
    run = seats.run_to_change(uow, run_id)
    media = next((m for start, m in MEDIA.items() if content.startswith(start)), None)
    if media is None:
        raise Problem(422, "file-kind", "A contract is kept as PDF, PNG or JPEG.")
    if len(content) > LARGEST_FILE:
        raise Problem(413, "too-large", "A file has at most 10 MB.")
    name = name.replace("/", "_").replace("\\", "_")[-200:] or "contract"
    row = Attachment(
        run_id=run.id,
        name=name,
        media=media,
        size=len(content),
        content=content,
        user_id=uow.user_id,
        at=uow.now,
    )
    uow.session.add(row)
    uow.session.flush()
    uow.log(Act.ATTACH_A_FILE, run.id, f"Attached {name} to {run.code}")
    return file_view(row)


def file_view(row: Attachment) -> FileOut:
    return FileOut(id=row.id, name=row.name, media=row.media, size=row.size, at=row.at)


def take_off_file(uow: UnitOfWork, file_id: int) -> Outcome:
    """Take a file off its run; an undo brings it back."""
    row = uow.session.get(Attachment, file_id)
    if row is None:
        raise not_found("This file")
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    if row.removed_at is not None:
        raise not_found("This file")
    row.removed_at = uow.now
    uow.session.flush()
    change = uow.log(Act.TAKE_OFF_A_FILE, run.id, f"Took {row.name} off {run.code}")
    return outcome(uow, run, change.key, [Touch(label="File", before=row.name, after=None)])


@reverses(Act.TAKE_OFF_A_FILE)
def undo_take_off(uow: UnitOfWork, change: Change) -> None:
    """The file back on its run; files are kept out of the log, so it is found by the moment."""
    run = seats.run_to_change(uow, change.subject_id)
    query = select(Attachment).where(Attachment.run_id == run.id, Attachment.removed_at == change.at)
    for row in uow.session.scalars(query):
        row.removed_at = None


def files_of(uow: UnitOfWork, run_id: int) -> list[FileOut]:
    return [
        file_view(a)
        for a in uow.session.scalars(
            select(Attachment).where(Attachment.run_id == run_id, Attachment.removed_at.is_(None))
        )
    ]


def file_of(uow: UnitOfWork, file_id: int) -> tuple[str, str, bytes]:
    row = uow.session.get(Attachment, file_id)
    if row is None or row.removed_at is not None:
        raise not_found("This file")
    return row.name, row.media, row.content

"""A run's line as a whole: cleared, carried over to another run of the course, kept as a file, sent on.

Whoever has an offer to answer is left as they are: their offer is taken back first. Everybody else, or those named, in one
transaction of at most `MOST` parties.
"""

from __future__ import annotations

from sqlalchemy import select

from archgate.actions.enrolling import interest, telling, waitlist
from archgate.actions.enrolling.commands import CarryLineCommand, ClearLineCommand, SendOnCommand
from archgate.actions.enrolling.line_views import Cleared, LineCarried, LineCleared, NextRun
from archgate.actions.fees import fees, quotes
from archgate.actions.fees import plans as run_plans
from archgate.actions.fees.commands import Ask, ExtraAsked, HeadsAsked
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages, webhooks
from archgate.actions.schedule import gates
from archgate.actions.seats import parties, seats
from archgate.core.faults import refuse
from archgate.core.states import LineStatus, RunStatus
from archgate.core.waitlist import parties_text
from archgate.documents.reader import Document
from archgate.papers.letters.occasions import LineMoved, OutOfLine
from archgate.papers.letters.writing import written
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.waitlist import Waiting

MOST = 2000
OPEN_TO_A_LINE = (RunStatus.DRAFT, RunStatus.PUBLISHED, RunStatus.OFF_SALE)


def going_of(uow: UnitOfWork, run: Run, ids: list[int] | None) -> list[Waiting]:
    """Who of the line an act is about, in order; nobody with an offer."""
    rows = [w for w in seats.line_of(uow, run.id) if ids is None or w.id in ids]
    if not rows:
        raise conflict("nothing-to-do", "Nobody waits here without an offer.")
    if len(rows) > MOST:
        raise conflict("too-many", f"{len(rows)} parties wait; at most {MOST} go at once.")
    return rows


def clear(uow: UnitOfWork, run_id: int, command: ClearLineCommand) -> LineCleared:
    """Take everybody, or those named, out of the line; with `tell` they are written to, with the reason."""
    run = seats.run_to_change(uow, run_id)
    rows = going_of(uow, run, command.ids)
    for row in rows:
        row.status, row.ended_at = LineStatus.CLEARED, uow.now
    uow.session.flush()
    tail = f": {command.why.strip()}" if command.why.strip() else ""
    change = uow.log(
        Act.CLEAR_THE_LINE, run.id, f"Took {parties_text(len(rows))} out of the line of {run.code}{tail}"
    )
    letters = [
        (
            messages.to_person(w.person),
            written(OutOfLine(uow.center.name, w.person.name, messages.named(run), command.why.strip())),
        )
        for w in rows
    ]
    told = messages.write_all(uow, change, letters, run.id) if command.tell else 0
    return LineCleared(change=change.key, people=len(rows), told=told)


def next_runs(uow: UnitOfWork, run_id: int) -> list[NextRun]:
    """The other runs of the course that a line can be carried over to, those that begin first first."""
    run = get_run(uow, run_id)
    query = select(Run).where(
        Run.course_id == run.course_id,
        Run.id != run.id,
        Run.status.in_(OPEN_TO_A_LINE),
        Run.currency == run.currency,
    )
    later = [
        r for r in uow.session.scalars(query.order_by(Run.id).limit(200)) if not gates.has_ended(r, uow.now)
    ]
    return [NextRun(id=r.id, code=r.code, title=r.title or r.course.title) for r in later]


def carry_over(uow: UnitOfWork, run_id: int, command: CarryLineCommand) -> LineCarried:
    """Move everybody, or those named, to the line of another run of the course. Each keeps the moment of joining, the head start
    and what was asked for, as far as the other run has it. Who is on that run, or in its line, stays here, and is named."""
    if command.to_run_id == run_id:
        raise refuse("/to_run_id", "Carry it over to another run of the same course.")
    both = {n: seats.run_to_change(uow, n) for n in sorted({run_id, command.to_run_id})}
    here, there = both[run_id], both[command.to_run_id]
    if there.course_id != here.course_id or there.currency != here.currency:
        raise refuse("/to_run_id", "Carry it over to another run of the same course.")
    if there.status not in OPEN_TO_A_LINE or gates.has_ended(there, uow.now):
        raise refuse("/to_run_id", f"{there.code} takes nobody any more.")
    rows = going_of(uow, here, command.ids)
    tied = parties.tied_to(uow, [there.id], [w.person_id for w in rows])
    moved, stayed = [], []
    for row in rows:
        if (there.id, row.person_id) in tied:
            stayed.append(row.person.name)
            continue
        row.status, row.ended_at = LineStatus.CARRIED, uow.now
        moved.append(row)
    if not moved:
        raise conflict("nothing-to-do", f"Everybody who waits is on {there.code}, or in its line, already.")
    uow.session.flush()
    payers = uow.session.scalars(select(Account).where(Account.id.in_([w.payer_id for w in moved])))
    payer = {account.id: account for account in payers}
    uow.center_plans = run_plans.of_the_center(uow)  # read once for all of them
    uow.session.add_all([same_there(uow, here, there, row, payer[row.payer_id]) for row in moved])
    uow.session.flush()
    sentence = f"Carried {parties_text(len(moved))} of the line of {here.code} over to {there.code}"
    change = uow.log(Act.CARRY_THE_LINE_OVER, here.id, sentence)
    begins = telling.begins(uow, there)
    letters = [
        (
            messages.to_person(w.person),
            written(
                LineMoved(uow.center.name, w.person.name, messages.named(here), messages.named(there), begins)
            ),
        )
        for w in moved
    ]
    told = messages.write_all(uow, change, letters, there.id) if command.tell else 0
    return LineCarried(change=change.key, people=len(moved), told=told, to=there.code, stayed=stayed)


def same_there(uow: UnitOfWork, here: Run, there: Run, row: Waiting, payer: Account) -> Waiting:
    """A place in another run's line with what was asked for here: rates and extras by their codes, the plan by its name; what that
    run has not is left out, and its usual rate stands in for a rate."""
    asked = waitlist.resolve_ask(uow, here, row)
    rates = {r.code: r for r in fees.rates_of(there)}
    extras = {x.code: x for x in there.extras if x.active}
    missing = [r.code for r, _, _ in asked.rates if r.code not in rates]
    usual = quotes.usual_rate(uow, there, row.person).id if missing else None
    plan = next((p for p in run_plans.offered(uow, there) if p.name == asked.plan.name), None)
    resolved = quotes.resolve_ask(
        uow,
        there,
        Ask(
            people=[
                HeadsAsked(rate_id=rates[r.code].id if r.code in rates else usual, count=n)
                for r, n, _ in asked.rates
            ],
            extras=[
                ExtraAsked(extra_id=extras[x.code].id, count=n) for x, n in asked.extras if x.code in extras
            ],
            plan_id=plan.id if plan else None,
        ),
        row.person,
    )
    new = waitlist.waiting_of(
        uow,
        resolved,
        row.person,
        payer,
        row.note,
        row.way_in,
        order_number=row.order_number,
        contact=row.contact,
    )
    new.heads, new.joined_at, new.head_start = row.heads, row.joined_at, row.head_start
    new.answers = {q: a for q, a in row.answers.items() if q in there.questions}
    return new


def lines_of(uow: UnitOfWork, run_id: int, tag: str = "") -> list[list[str]]:
    """The line as the lines of a CSV file for mailing programs, each with the tag."""
    run = get_run(uow, run_id)
    rates = {r.id: r.label for r in run.rates}
    head = ["Place", "Given name", "Family name", "Email", "Phone", "Seats", "Rate", "Joined", "Note"]
    rows = seats.line_of(uow, run.id, offered=True)
    return [[*head, *run.questions, "Tag"]] + [
        [
            str(n),
            *interest.contact_of(w.person),
            str(w.heads),
            rates.get(w.rate_id, ""),
            w.joined_at.astimezone(uow.zone).date().isoformat(),
            w.note,
            *(w.answers.get(q, "") for q in run.questions),
            tag,
        ]
        for n, w in enumerate(rows, 1)
    ]


def send_on(uow: UnitOfWork, run_id: int, command: SendOnCommand) -> Cleared:
    """Send the line on to another system by signed webhook."""
    run = get_run(uow, run_id)
    rows = seats.line_of(uow, run.id, offered=True)
    if not rows:
        raise conflict("nothing-to-do", "Nobody waits for this run.")
    change = uow.log(Act.SEND_THE_LINE_ON, run.id, f"Sent the line of {run.code} on")
    data: Document = {
        "course": run.course.code,
        "run": run.code,
        "tag": command.tag,
        "people": [{**interest.sent_of(w), "seats": w.heads} for w in rows],
    }
    webhooks.send_on(uow, command.webhook_id, "waitlist.listed", data, change.key)
    return Cleared(change=change.key, people=len(rows))


# --- taken back -----------------------------------------------------------------------------------------


def ended_as(change: Change, status: LineStatus) -> list[int]:
    return sorted(
        r["id"] for r in change.rows if r["table"] == "waiting" and (r["after"] or {}).get("status") == status
    )


@reverses(Act.CLEAR_THE_LINE)
def undo_clear(uow: UnitOfWork, change: Change) -> None:
    """Everybody back at their place, or nobody."""
    for number in ended_as(change, LineStatus.CLEARED):
        waitlist.back_in_line(uow, number, LineStatus.CLEARED)


@reverses(Act.CARRY_THE_LINE_OVER)
def undo_carry(uow: UnitOfWork, change: Change) -> None:
    """Everybody back in the line they came from; refused once somebody has moved on in the other."""
    made = [r["id"] for r in change.rows if r["table"] == "waiting" and r["before"] is None]
    runs = {change.subject_id, *uow.session.scalars(select(Waiting.run_id).where(Waiting.id.in_(made)))}
    for run_id in sorted(runs):
        seats.run_to_change(uow, run_id)
    for row in uow.session.scalars(select(Waiting).where(Waiting.id.in_(made))):
        uow.session.refresh(row)
        if row.status != LineStatus.WAITING:
            raise conflict("moved-on", f"{row.person.name} has moved on since.")
        row.status, row.ended_at = LineStatus.TAKEN_BACK, uow.now
    uow.session.flush()
    for number in ended_as(change, LineStatus.CARRIED):
        waitlist.back_in_line(uow, number, LineStatus.CARRIED)

"""What goes on around the rosters of the made-up center: seats kept back, offers, interest, groups, roles, attendance."""

from __future__ import annotations

from datetime import timedelta
from functools import partial

from archgate.actions.access import own_pages
from archgate.actions.enrolling import (
    attendance,
    enrollments,
    freed,
    groups,
    held_places,
    interest,
    roles,
    roster,
)
from archgate.actions.enrolling import offers as line
from archgate.actions.enrolling.commands import EnrollCommand, InterestCommand, QuestionsCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.runs import making, notices, showing
from archgate.actions.runs.commands import RunPatch
from archgate.actions.seats.commands import HoldCommand, SetAsideCommand
from archgate.core.states import LineStatus, Mark, Role
from archgate.demo.center import Center

LEARNER = 148  # of the crowd: who has set a password for a page of their own
NOTICE = "Ask whether they can lift: the stones weigh up to 20 kg. Boots and a coat, whatever the weather."


def alive(center: Center, runs: dict[tuple[str, int], int], crowd: list[int]) -> None:
    """The last days around rosters and lines; `center` is the script at work."""
    wall, gate, iron, slate = runs[("DSW", 23)], runs[("TIMB", 16)], runs[("IRON", 40)], runs[("SLATE", 66)]
    kept_back(center, wall, iron)
    people(center, wall, crowd)
    seat_on_payment(center, runs[("GLASS", 6)], crowd)
    interested(center, slate, crowd)
    attended(center, runs[("SLATE", -12)])
    attended(center, runs[("DSW", -24)])
    offered(center, gate)


def day(center: Center, ahead: int) -> str:
    return str((center.today + timedelta(days=ahead)).isoformat())


def kept_back(center: Center, wall: int, iron: int) -> None:
    body = {
        "seats": 1,
        "for_whom": "Quay house owners",
        "last": day(center, 5),
        "note": "Ms. Dunmore calls on Friday",
    }
    center.act(9.7, held_places.hold, wall, command_of(HoldCommand, body))
    aside = {"name": "Guild members", "seats": 2, "last": day(center, 20), "tag": "member"}
    center.act(9.7, held_places.set_aside, iron, command_of(SetAsideCommand, aside))


def people(center: Center, wall: int, crowd: list[int]) -> None:
    """A desk notice, an assistant, and two tables."""
    center.act(9.7, notices.set_notice, wall, NOTICE)
    center.act(9.8, roles.add_with_role, wall, crowd[146], Role.ASSISTANT)
    whole = center.read(9.8, roster.roster, wall)
    learners = [r.id for r in whole.rows if r.role == "learner"]
    half = len(learners) // 2
    for name, ids in (("East end", learners[:half]), ("West end", learners[half:])):
        center.act(9.8, groups.put_in_group, wall, name, ids)


def seat_on_payment(center: Center, run_id: int, crowd: list[int]) -> None:
    """Two who signed up where a seat is only held until the first payment, and who are invited to a page of their own;
    one has paid meanwhile, and set a password."""
    rule = {"seen": {"hold_hours": None}, "set": {"hold_hours": 48}}
    center.act(9.8, making.change_run, run_id, command_of(RunPatch, rule))
    for n, person in enumerate(crowd[LEARNER - 1 : LEARNER + 1]):
        quote = center.read(9.9, quotes.quote_run, run_id, QuoteCommand())
        center.act(
            9.9,
            enrollments.enroll,
            EnrollCommand(run_id=run_id, person_id=person, total=quote.total),
        )
        if n:
            own = center.act(
                9.9,
                accounts.account_for,
                command_of(PayerCommand, {"person_id": person, "organization_id": None}),
            ).id
            paid = {"amount": quote.due_now, "method": "cash"}
            center.act(9.9, accounts.take_payment, own, command_of(PaymentCommand, paid))
        center.act(9.9, own_pages.invite, person)
    page = center.read(9.9, own_pages.page_of, crowd[LEARNER])
    assert page is not None
    token = signing.token_for("p", page.id, page.turn)
    center.act(9.9, own_pages.set_password, token, center.password, center.quick)


def interested(center: Center, slate: int, crowd: list[int]) -> None:
    """Who wants to hear of the announced run, and of a course that has no run ahead."""
    question = "Have you been on a roof before?"
    ask = {"questions": [question], "head_start_hours": 48}
    center.act(9.6, interest.set_questions, slate, None, command_of(QuestionsCommand, ask))
    answers = ("Yes, twice", "No", "Yes, as a child", "No, and I am not sure I like it", "No")
    for n, person in enumerate(crowd[120:125]):
        body = {"run_id": slate, "person_id": person, "answers": {question: answers[n]}}
        center.act(9.6, interest.show_interest, command_of(InterestCommand, body))
    course = center.read(9.6, showing.run_view, slate).course.id
    for person in crowd[125:128]:
        center.act(
            9.6,
            interest.show_interest,
            command_of(InterestCommand, {"course_id": course, "person_id": person}),
        )


def attended(center: Center, run_id: int) -> None:
    """Attendance of the meetings that are over: most were there."""
    marked = center.read(9, attendance.attendance, run_id)
    for meeting in marked.meetings:
        if meeting.past and meeting.date < center.today:
            usual = [Mark.PRESENT] * 8 + [Mark.LATE, Mark.ABSENT, Mark.EXCUSED, Mark.LEFT_EARLY]
            marks = {p.person_id: center.chance.choice(usual) for p in marked.people}
            center.act(9, attendance.mark, meeting.id, marks)


def offered(center: Center, gate: int) -> None:
    """Somebody gives a seat on the full run back; the next in line has an offer and asks for more time."""
    rows = center.read(9.9, roster.roster, gate).rows
    center.act(9.9, freed.withdraw, rows[-1].id)
    center.act(9.95, partial(line.go_down, run_id=gate))
    waiting = center.read(9.95, roster.roster, gate).waiting
    first = next((w for w in waiting if w.status == LineStatus.OFFERED), None)
    if first:
        center.act(9.95, ask_time, first.id)


def ask_time(uow: UnitOfWork, waiting_id: int) -> None:
    row, _ = line.waitlist.locked(uow, waiting_id)
    line.reply(uow, line.signing.token_for("o", row.id, row.offers), "time")

"""What goes on around the rosters of the made-up center: seats kept back, offers, interest, groups, roles, attendance."""

from __future__ import annotations

from datetime import timedelta
from functools import partial
from typing import Any

from archgate.actions.access import own_pages
from archgate.actions.enrolling import (
    attendance,
    enrollments,
    groups,
    held_places,
    interest,
    leaving,
    roles,
    roster,
)
from archgate.actions.enrolling import offers as line
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel import signing
from archgate.actions.money import accounts
from archgate.actions.runs import making, notices

LEARNER = 148  # of the crowd: who has set a password for a page of their own
NOTICE = "Ask whether they can lift: the stones weigh up to 20 kg. Boots and a coat, whatever the weather."


def alive(center: Any, runs: dict[tuple[str, int], int], crowd: list[int]) -> None:
    """The last days around rosters and lines; `center` is the script at work."""
    wall, gate, iron, slate = runs[("DSW", 23)], runs[("TIMB", 16)], runs[("IRON", 40)], runs[("SLATE", 66)]
    kept_back(center, wall, iron)
    people(center, wall, crowd)
    seat_on_payment(center, runs[("GLASS", 6)], crowd)
    interested(center, slate, crowd)
    attended(center, runs[("SLATE", -12)])
    attended(center, runs[("DSW", -24)])
    offered(center, gate)


def day(center: Any, ahead: int) -> str:
    return str((center.today + timedelta(days=ahead)).isoformat())


def kept_back(center: Any, wall: int, iron: int) -> None:
    held = {
        "seats": 1,
        "for_whom": "Quay house owners",
        "last": day(center, 5),
        "note": "Ms. Dunmore calls on Friday",
    }
    center.act(9.7, lambda d: held_places.hold(d, wall, held))
    aside = {"name": "Guild members", "seats": 2, "last": day(center, 20), "tag": "member"}
    center.act(9.7, lambda d: held_places.set_aside(d, iron, aside))


def people(center: Any, wall: int, crowd: list[int]) -> None:
    """A desk notice, an assistant, and two tables."""
    center.act(9.7, lambda d: notices.set_notice(d, wall, NOTICE))
    center.act(9.8, lambda d: roles.add_with_role(d, wall, crowd[146], "assistant"))
    found = center.look(9.8, lambda d: roster.roster(d, wall))
    rows = [dict(zip(found["columns"], r, strict=True)) for r in found["rows"]]
    learners = [r["id"] for r in rows if r["role"] == "learner"]
    half = len(learners) // 2
    for name, ids in (("East end", learners[:half]), ("West end", learners[half:])):
        center.act(9.8, lambda d, n=name, i=ids: groups.put_in_group(d, wall, n, i))


def seat_on_payment(center: Any, run_id: int, crowd: list[int]) -> None:
    """Two who signed up where a seat is only held until the first payment, and who are invited to a page of their own;
    one has paid meanwhile, and set a password."""
    rule = {"seen": {"hold_hours": None}, "set": {"hold_hours": 48}}
    center.act(9.8, lambda d: making.change_run(d, run_id, rule))
    for n, person in enumerate(crowd[LEARNER - 1 : LEARNER + 1]):
        quote = center.look(9.9, lambda d: quotes.quote_run(d, run_id, QuoteCommand()))
        center.act(
            9.9,
            lambda d, p=person, q=quote: enrollments.enroll(
                d, EnrollCommand(run_id=run_id, person_id=p, total=q.total)
            ),
        )
        if n:
            own = center.act(9.9, lambda d, p=person: accounts.account_for(d, p, None))["id"]
            paid = {"amount": quote.due_now, "method": "cash"}
            center.act(9.9, lambda d, o=own, b=paid: accounts.take_payment(d, o, b))
        center.act(9.9, lambda d, p=person: own_pages.invite(d, p))
    page = center.look(9.9, lambda d: own_pages.page_of(d, crowd[LEARNER]))
    token = signing.token_for("p", page.id, page.turn)
    center.act(9.9, lambda d: own_pages.set_password(d, token, center.password, center.quick))


def interested(center: Any, slate: int, crowd: list[int]) -> None:
    """Who wants to hear of the announced run, and of a course that has no run ahead."""
    ask = {"questions": ["Have you been on a roof before?"], "head_start_hours": 48}
    center.act(9.6, lambda d: interest.set_questions(d, slate, None, ask))
    said = ("Yes, twice", "No", "Yes, as a child", "No, and I am not sure I like it", "No")
    for n, person in enumerate(crowd[120:125]):
        body = {"run_id": slate, "person_id": person, "answers": {ask["questions"][0]: said[n]}}
        center.act(9.6, lambda d, b=body: interest.show_interest(d, b))
    course = center.look(9.6, lambda d: making.run_view(d, slate))["course"]["id"]
    for person in crowd[125:128]:
        center.act(9.6, lambda d, p=person: interest.show_interest(d, {"course_id": course, "person_id": p}))


def attended(center: Any, run_id: int) -> None:
    """Attendance of the meetings that are over: most were there."""
    found = center.look(9, lambda d: attendance.attendance(d, run_id))
    for meeting in found["meetings"]:
        if meeting["past"] and meeting["date"] < center.today.isoformat():
            usual = ["present"] * 8 + ["late", "absent", "excused", "left early"]
            marks = {p["person_id"]: center.chance.choice(usual) for p in found["people"]}
            center.act(9, lambda d, m=meeting["id"], k=marks: attendance.mark(d, m, k))


def offered(center: Any, gate: int) -> None:
    """Somebody gives a seat on the full run back; the next in line has an offer and asks for more time."""
    rows = center.look(9.9, lambda d: roster.roster(d, gate))["rows"]
    center.act(9.9, lambda d: leaving.withdraw(d, rows[-1][0]))
    center.act(9.95, partial(line.go_down, run_id=gate))
    waiting = center.look(9.95, lambda d: roster.roster(d, gate))["waiting"]
    first = next((w for w in waiting if w["status"] == "offered"), None)
    if first:
        center.act(9.95, lambda d: ask_time(d, first["id"]))


def ask_time(uow: Any, waiting_id: int) -> None:
    row, _ = line.waitlist.locked(uow, waiting_id)
    line.reply(uow, line.signing.token_for("o", row.id, row.offers), "time")

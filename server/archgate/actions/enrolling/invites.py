"""The link of somebody on an interest list, once sign-up has opened for them: take a seat, wait for one, or leave the list."""

from __future__ import annotations

from archgate.actions.enrolling import enrollments, replies, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.enrolling.line_views import ReplyPage
from archgate.actions.fees import fees, quotes
from archgate.actions.fees.commands import Ask
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act, Subject
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.seats import parties, seats
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.states import CardComes, InterestStatus, RunStatus, SignUp, WayIn
from archgate.tables.access import User
from archgate.tables.courses import Run
from archgate.tables.waitlist import Interest

WAY_IN = WayIn.INTEREST


def link_of(row: Interest) -> str:
    return f"{signing.address()}/reply/{signing.token_for('i', row.id, 1)}"


def row_behind(uow: UnitOfWork, token: str) -> tuple[Interest, Run]:
    """The name on a list behind a link; a link that was not made here names nothing."""
    read = signing.token_read(token)
    row = uow.session.get(Interest, read[1]) if read and read[0] == "i" else None
    if row is None or row.run_id is None:
        raise not_found("This invitation")
    return row, get_run(uow, row.run_id)


def keeper_of(uow: UnitOfWork, token: str) -> User | None:
    """Who put the name on the list: what is done by the link is written in their name where rows need one."""
    number = row_behind(uow, token)[0].user_id
    return uow.session.get_one(User, number) if number else None


def reply_page(uow: UnitOfWork, token: str) -> ReplyPage:
    """What an invitation shows: the run, one seat at today's price, or a place in line."""
    row, run = row_behind(uow, token)
    state = seats.seats_of(uow, run)
    group = seats.group_for(uow, run, row.person_id, None)
    seat = core_seats.seats_for(state, 1, group)
    sign_up, why = fees.sign_up_of(uow, run, False)
    early = parties.told_early(uow, run, row.person_id)
    opened = sign_up is SignUp.OPEN or (early and sign_up is SignUp.NOT_YET)
    states = {
        "enrolled": "You have signed up.",
        "cleared": "You are off the list.",
        "listed": "Sign-up has not opened yet.",
    }
    stands = row.status == InterestStatus.TOLD and run.status == RunStatus.PUBLISHED and opened
    page = replies.page_of(
        uow,
        run,
        row.person,
        "" if stands else states.get(row.status, why),
        lambda: quotes.resolve_ask(uow, run, Ask(), row.person),
    )
    return page.widened(ReplyPage, full=not isinstance(seat, core_seats.Seated))


def reply(uow: UnitOfWork, token: str, answer: str, total: str = "") -> ReplyPage:
    """Take a seat, join the line, or leave the list. Logged as the person's own."""
    row, run = row_behind(uow, token)
    seats.lock_seats(uow, run)
    uow.session.refresh(row)
    page = reply_page(uow, token)
    if not page.stands:
        raise conflict("offer-over", page.said)
    if answer == "take":
        body = {"run_id": run.id, "person_id": row.person_id, "total": total}
        try:
            enrollments.enroll(uow, command_of(EnrollCommand, body), WAY_IN, card=CardComes.FOLLOWS)
        except Problem as problem:
            if problem.kind == "details-needed":
                raise conflict(
                    "by-phone", "This plan takes payment details; please call us to sign up."
                ) from None
            raise
    elif answer == "wait":
        early = quotes.EARLY if parties.told_early(uow, run, row.person_id) else None
        waitlist.join(uow, JoinCommand(run_id=run.id, person_id=row.person_id, exception=early))
    elif answer == "decline":
        row.status, row.ended_at = InterestStatus.CLEARED, uow.now
        uow.session.flush()
        uow.log(
            Act.CLEAR_INTEREST,
            row.id,
            f"{row.person.name} left the interest list of {run.code}",
            run_id=run.id,
            subject=Subject.INTEREST,
        )
    else:
        raise refuse("/answer", "The answer is one of take, wait, decline.")
    replies.by_the_person(uow)
    done = reply_page(uow, token)
    if answer == "wait":
        return done.widened(ReplyPage, said="You are in line; we tell you when a seat is free.")
    return done

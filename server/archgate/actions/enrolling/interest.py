"""Interest lists, of a run before sign-up opens and of a course between runs. Being listed is no enrollment.

All are told at once when sign-up opens, or a head start before; from then on no new names are taken. Whoever enrolls
leaves the list by themselves.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from sqlalchemy import func, or_, select
from sqlalchemy.orm import selectinload

from archgate.actions.enrolling import invites, telling, waitlist
from archgate.actions.enrolling.commands import InterestCommand, QuestionsCommand
from archgate.actions.enrolling.line_views import (
    CarriedOver,
    Cleared,
    Demand,
    InterestDone,
    Interested,
    InterestList,
    InterestListDone,
    NextRun,
)
from archgate.actions.fees import fees as run_fees
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.lookups import get_course, get_run
from archgate.actions.kernel.problems import conflict
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.messages import messages, webhooks
from archgate.actions.people import people
from archgate.actions.schedule import gates
from archgate.actions.seats import seats
from archgate.core import seats as core_seats
from archgate.core.faults import refuse
from archgate.core.states import InterestStatus, RunStatus, SignUp
from archgate.documents.reader import Document
from archgate.papers.letters.occasions import SignUpOpens
from archgate.papers.letters.writing import written
from archgate.tables.courses import Course, Run
from archgate.tables.people import Person
from archgate.tables.schedule import Gate
from archgate.tables.seats import RunSeats
from archgate.tables.waitlist import Interest, Waiting

NOT_ENROLLED = "This is not an enrollment: no seat is kept, and nothing is owed."


def opening_of(uow: UnitOfWork, run: Run) -> datetime | None:
    """When sign-up opens first; None when it is open from publication on."""
    return min((opens for opens, _ in gates.sign_up_windows(run) if opens is not None), default=None)


def takes_names(uow: UnitOfWork, run: Run) -> str | None:
    """Why a run's interest list takes no names any more; None while it does."""
    if run.status in (RunStatus.CANCELLED, RunStatus.ARCHIVED):
        return f"The run is {run.status}."
    if run.interest_told_at is not None:
        return "Everybody on the list was told that sign-up opens; it takes no new names."
    opens = opening_of(uow, run)
    if run.status == RunStatus.PUBLISHED and (opens is None or opens <= uow.now):
        return "Sign-up has opened; enroll them instead."
    return None


def show_interest(uow: UnitOfWork, command: InterestCommand) -> InterestDone:
    """Put somebody on the interest list of a run or of a course."""
    run_id, course_id, note = command.run_id, command.course_id, command.note or ""
    if (run_id is None) == (course_id is None):
        raise refuse("/run_id", "Name a run or a course.")
    person_id, answers = command.person_id, command.answers
    person = people.present(uow, person_id)
    run = seats.run_to_change(uow, run_id) if run_id else None
    course = run.course if run else get_course(uow, course_id or 0)
    shut = takes_names(uow, run) if run else None
    if shut:
        raise conflict("list-shut", shut)
    answered = waitlist.read_answers(run.questions if run else course.questions, answers)
    key = list_key(run, course)
    if uow.session.scalar(
        select(Interest.id).where(
            Interest.list_key == key, Interest.person_id == person.id, Interest.live == 1
        )
    ):
        raise conflict("listed", f"{person.name} is on this list already.")
    row = Interest(
        list_key=key,
        course_id=course.id,
        run_id=run.id if run else None,
        person_id=person.id,
        status=InterestStatus.LISTED,
        joined_at=uow.now,
        note=note.strip(),
        answers=answered,
        user_id=uow.by,
    )
    uow.session.add(row)
    uow.session.flush()
    what = run.code if run else course.title
    change = uow.log(Act.SHOW_INTEREST, row.id, f"{person.name} wants to hear of {what}", run_id=row.run_id)
    return InterestDone(change=change.key, id=row.id, name=person.name, what=what, said=NOT_ENROLLED)


def list_key(run: Run | None, course: Course) -> str:
    return f"run:{run.id}" if run else f"course:{course.id}"


def rows_of(uow: UnitOfWork, run: Run | None, course: Course) -> list[Interest]:
    query = select(Interest).where(Interest.list_key == list_key(run, course), Interest.live == 1)
    query = query.options(selectinload(Interest.person)).order_by(Interest.joined_at, Interest.id)
    return list(uow.session.scalars(query))


def the_list(
    uow: UnitOfWork, run_id: int | None, course_id: int | None
) -> tuple[Run | None, Course, list[Interest]]:
    run = get_run(uow, run_id) if run_id else None
    course = run.course if run else get_course(uow, course_id or 0)
    return run, course, rows_of(uow, run, course)


def list_to_change(
    uow: UnitOfWork, run_id: int | None, course_id: int | None
) -> tuple[Run | None, Course, list[Interest]]:
    """A list under its lock: the run's, or that of the course's own row."""
    if run_id:
        seats.run_to_change(uow, run_id)
    else:
        lock_row(uow, Course, course_id or 0)
    return the_list(uow, run_id, course_id)


def list_view(uow: UnitOfWork, run_id: int | None, course_id: int | None) -> InterestList:
    """An interest list, first come first, with when its people are told, and runs it can be carried over to."""
    run, course, rows = the_list(uow, run_id, course_id)
    opens = opening_of(uow, run) if run else None
    tell = opens - timedelta(hours=run.head_start_hours) if run and opens else None
    later = uow.session.scalars(
        select(Run)
        .where(Run.course_id == course.id, Run.status.in_((RunStatus.DRAFT, RunStatus.PUBLISHED)))
        .order_by(Run.id)
    ).all()
    return InterestList(
        run_id=run.id if run else None,
        course_id=course.id,
        title=(run.title if run else "") or course.title,
        code=run.code if run else course.code,
        questions=run.questions if run else course.questions,
        shut=takes_names(uow, run) if run else None,
        said=NOT_ENROLLED,
        tells_at=uow.local(tell),
        head_start_hours=run.head_start_hours if run else 0,
        told_at=uow.local(run.interest_told_at) if run else None,
        people=[
            Interested(
                id=r.id,
                person_id=r.person_id,
                name=r.person.name,
                email=r.person.email,
                phone=r.person.phone,
                joined=uow.local(r.joined_at),
                note=r.note,
                answers=r.answers,
                told=r.told_at is not None,
            )
            for r in rows
        ],
        next_runs=[
            NextRun(id=n.id, code=n.code, title=n.title or course.title)
            for n in later
            if (run is None or n.id != run.id) and takes_names(uow, n) is None
        ],
    )


def set_questions(
    uow: UnitOfWork, run_id: int | None, course_id: int | None, command: QuestionsCommand
) -> InterestListDone:
    """The own questions of a list, and the head start before sign-up opens to others."""
    run, course, _ = list_to_change(uow, run_id, course_id)
    questions, hours = command.questions, command.head_start_hours
    if questions is not None and len(set(questions)) != len(questions):
        raise refuse("/questions", "Up to 12 different questions of up to 200 characters.")
    if hours is not None and run is None:
        raise refuse("/head_start_hours", "Only the list of a run has a head start.")
    if questions is not None:
        (run or course).questions = [q.strip() for q in questions]
    if hours is not None and run:
        run.head_start_hours = hours
    uow.session.flush()
    change = uow.log(
        Act.CHANGE_QUESTIONS,
        course.id,
        f"Changed the interest list of {run.code if run else course.code}",
        run_id=run.id if run else None,
    )
    return list_view(uow, run_id, course_id).widened(InterestListDone, change=change.key)


def clear(
    uow: UnitOfWork, run_id: int | None, course_id: int | None, ids: list[int] | None = None
) -> Cleared:
    """Take everybody, or those named, off a list."""
    run, course, rows = list_to_change(uow, run_id, course_id)
    going = [r for r in rows if ids is None or r.id in ids]
    if not going:
        raise conflict("nothing-to-do", "Nobody is on this list.")
    for row in going:
        row.status, row.ended_at = InterestStatus.CLEARED, uow.now
    uow.session.flush()
    what = run.code if run else course.code
    sentence = f"{len(going)} {'person' if len(going) == 1 else 'people'} off the interest list of {what}"
    change = uow.log(Act.CLEAR_INTEREST, course.id, f"Took {sentence}", run_id=run.id if run else None)
    return Cleared(change=change.key, people=len(going))


def carry_over(uow: UnitOfWork, run_id: int | None, course_id: int | None, to_run_id: int) -> CarriedOver:
    """Move a list to another run of the course, each with the moment of joining; who is there already stays once."""
    if run_id == to_run_id:
        raise refuse("/to_run_id", "Carry it over to another run of the same course.")
    both = {n: seats.run_to_change(uow, n) for n in sorted({to_run_id, run_id or to_run_id})}
    _, course, rows = list_to_change(uow, run_id, course_id)
    there = both[to_run_id]
    if there.course_id != course.id:
        raise refuse("/to_run_id", "Carry it over to another run of the same course.")
    shut = takes_names(uow, there)
    if shut:
        raise conflict("list-shut", f"{there.code}: {shut}")
    if not rows:
        raise conflict("nothing-to-do", "Nobody is on this list.")
    known = {r.person_id for r in rows_of(uow, there, course)}
    for row in rows:
        row.status, row.ended_at = InterestStatus.CARRIED, uow.now
        if row.person_id not in known:
            uow.session.add(
                Interest(
                    list_key=list_key(there, course),
                    course_id=course.id,
                    run_id=there.id,
                    person_id=row.person_id,
                    status=InterestStatus.LISTED,
                    joined_at=row.joined_at,
                    note=row.note,
                    answers=row.answers,
                    user_id=row.user_id,
                )
            )
    uow.session.flush()
    sentence = f"Carried {len(rows)} people over to {there.code}"
    change = uow.log(Act.CARRY_INTEREST_OVER, there.id, sentence)
    return CarriedOver(change=change.key, people=len(rows), to=there.code)


def lines_of(uow: UnitOfWork, run_id: int | None, course_id: int | None, tag: str = "") -> list[list[str]]:
    """A list as the lines of a CSV file for mailing programs, each with the tag."""
    run, course, rows = the_list(uow, run_id, course_id)
    questions = run.questions if run else course.questions
    head = ["Given name", "Family name", "Email", "Phone", "Joined", "Note", *questions, "Tag"]
    return [head] + [
        [
            *contact_of(r.person),
            r.joined_at.astimezone(uow.zone).date().isoformat(),
            r.note,
            *(r.answers.get(q, "") for q in questions),
            tag,
        ]
        for r in rows
    ]


def contact_of(person: Person) -> list[str]:
    """Names, email and phone of whoever waits, as cells of a file."""
    return [person.given, person.family, person.email or "", person.phone or ""]


def sent_of(row: Interest | Waiting) -> Document:
    """Whoever waits, as other systems are sent them."""
    return {
        "given": row.person.given,
        "family": row.person.family,
        "email": row.person.email,
        "phone": row.person.phone,
        "joined": row.joined_at.isoformat(),
        "answers": row.answers,
    }


def send_on(
    uow: UnitOfWork, run_id: int | None, course_id: int | None, webhook_id: int, tag: str = ""
) -> Cleared:
    """Send a list on to another system by signed webhook."""
    run, course, rows = the_list(uow, run_id, course_id)
    if not rows:
        raise conflict("nothing-to-do", "Nobody is on this list.")
    what = run.code if run else course.code
    change = uow.log(
        Act.SEND_A_LIST_ON,
        course.id,
        f"Sent the interest list of {what} on",
        run_id=run.id if run else None,
    )
    data: Document = {
        "course": course.code,
        "run": run.code if run else None,
        "tag": tag,
        "people": [sent_of(r) for r in rows],
    }
    webhooks.send_on(uow, webhook_id, "interest.listed", data, change.key)
    return Cleared(change=change.key, people=len(rows))


# --- by the clock -----------------------------------------------------------------------------------------


def due_runs(uow: UnitOfWork) -> list[int]:
    """Published runs with people to tell that sign-up opens: those on their own list, once, and those on the list of their
    course as long as there is a seat for somebody new."""
    listed = select(Interest.run_id).where(
        Interest.status == InterestStatus.LISTED, Interest.run_id.is_not(None)
    )
    courses = select(Interest.course_id).where(
        Interest.status == InterestStatus.LISTED, Interest.run_id.is_(None)
    )
    runs = uow.session.scalars(
        select(Run)
        .where(
            Run.status == RunStatus.PUBLISHED,
            or_(Run.id.in_(listed) & Run.interest_told_at.is_(None), Run.course_id.in_(courses)),
        )
        .order_by(Run.id)
    )
    return [run.id for run in runs if own_due(uow, run) or of_course_due(uow, run)]


def own_due(uow: UnitOfWork, run: Run) -> bool:
    """Whether the time has come for a run's own list: sign-up opens, or will after the head start."""
    opens = opening_of(uow, run)
    reached = opens is None or opens - timedelta(hours=run.head_start_hours) <= uow.now
    return (
        run.status == RunStatus.PUBLISHED
        and run.interest_told_at is None
        and reached
        and bool(listed_on(uow, run, False))
    )


def of_course_due(uow: UnitOfWork, run: Run) -> bool:
    """Whether those on the list of the course can sign up for this run now."""
    if not listed_on(uow, run, True):
        return False
    state, _ = run_fees.sign_up_of(uow, run, False)
    return state is SignUp.OPEN and has_room(uow, run)


def to_tell(uow: UnitOfWork, run: Run) -> int:
    """How many of the interest lists are told of this run, as it stands, when the worker comes round."""
    own = len(listed_on(uow, run, False)) if own_due(uow, run) else 0
    return own + (len(listed_on(uow, run, True)) if of_course_due(uow, run) else 0)


def listed_on(uow: UnitOfWork, run: Run, of_course: bool) -> list[Interest]:
    """Who is listed and was not told yet, on a run's own list or on that of its course."""
    return [r for r in rows_of(uow, None if of_course else run, run.course) if r.status == "listed"]


def from_course(uow: UnitOfWork, run: Run) -> list[Interest]:
    """Those on the list of the course, put onto the run's; who is on both stays there once."""
    known = {r.person_id for r in rows_of(uow, run, run.course)}
    moved = []
    for row in listed_on(uow, run, True):
        if row.person_id in known:
            row.status, row.ended_at = InterestStatus.CARRIED, uow.now
            continue
        row.list_key, row.run_id = list_key(run, run.course), run.id
        moved.append(row)
    return moved


def tell(uow: UnitOfWork, run_id: int) -> int:
    """Tell everybody on a run's list that sign-up opens, once, all at the same moment; the list is closed by that."""
    run = seats.run_to_change(uow, run_id)  # two workers never tell twice
    own = listed_on(uow, run, False) if own_due(uow, run) else []
    if of_course_due(uow, run):
        lock_row(uow, Course, run.course_id)
        own += from_course(uow, run)
    rows = sorted(own, key=lambda r: (r.joined_at, r.id))
    if not rows:
        return 0
    run.interest_told_at = uow.now
    title, opens = run.title or run.course.title, opening_of(uow, run)
    for_others = opens.astimezone(uow.zone) if opens is not None and opens > uow.now else None
    sentence = f"Told {len(rows)} people that sign-up for {run.code} opens"
    change = uow.log(Act.TELL_OF_OPENING, run.id, sentence)
    letters, begins = [], telling.begins(uow, run)
    for row in rows:
        row.status, row.told_at, person = InterestStatus.TOLD, uow.now, row.person
        letter = SignUpOpens(
            center=uow.center.name,
            name=person.given or person.name,
            title=title,
            for_others=for_others,
            begins=begins,
            link=invites.link_of(row),
        )
        letters.append((messages.to_person(person), written(letter)))
    uow.session.flush()
    messages.write_all(uow, change, letters, run.id)
    return len(rows)


# --- demand -----------------------------------------------------------------------------------------------


def demand(uow: UnitOfWork) -> list[Demand]:
    """How many wait for or are interested in each course, those without a run open to them first."""
    listed = dict(
        uow.session.execute(
            select(Interest.course_id, func.count()).where(Interest.live == 1).group_by(Interest.course_id)
        ).all()
    )
    waits = dict(
        uow.session.execute(
            select(Run.course_id, func.coalesce(func.sum(Waiting.heads), 0))
            .join(Run, Run.id == Waiting.run_id)
            .where(Waiting.live == 1)
            .group_by(Run.course_id)
        ).all()
    )
    wanted = {*listed, *waits} or {0}
    courses = uow.session.scalars(select(Course).where(Course.id.in_(wanted)))
    free_on, coming_on = runs_to_come(uow, wanted)
    demands = []
    for course in courses:
        demands.append(
            Demand(
                course_id=course.id,
                code=course.code,
                title=course.title,
                interested=int(listed.get(course.id, 0)),
                waiting=int(waits.get(course.id, 0)),
                open=free_on.get(course.id, []),
                coming=coming_on.get(course.id, []),
            )
        )
    return sorted(demands, key=lambda c: (bool(c.open), -(c.interested + c.waiting), c.title))


def runs_to_come(uow: UnitOfWork, courses: set[int]) -> tuple[dict[int, list[str]], dict[int, list[str]]]:
    """The runs of courses that are not over, by course: those where somebody new would get a seat, and those whose sign-up
    is still to come."""
    ends = select(Gate.run_id, Gate.at).where(Gate.kind == "ends").subquery()
    line = select(func.count()).where(Waiting.run_id == Run.id, Waiting.live == 1).correlate(Run)
    left = Run.capacity + Run.overbook - RunSeats.taken - seats.kept_back_of(uow.today, uow.now)
    query = (
        select(Run, left, line.scalar_subquery())
        .join(RunSeats, RunSeats.run_id == Run.id)
        .outerjoin(ends, ends.c.run_id == Run.id)
        .where(
            Run.course_id.in_(courses),
            Run.status == RunStatus.PUBLISHED,
            or_(ends.c.at.is_(None), ends.c.at > uow.now),
        )
        .options(selectinload(Run.gates))
        .order_by(Run.id)
    )
    free: dict[int, list[str]] = {}
    coming: dict[int, list[str]] = {}
    for run, seats_left, waiting in uow.session.execute(query):
        state, _ = run_fees.sign_up_of(uow, run, False)
        # Only where somebody waits does it depend on who and how many.
        if state is SignUp.OPEN and seats_left > 0 and (not waiting or has_room(uow, run)):
            free.setdefault(run.course_id, []).append(run.code)
        elif state is SignUp.NOT_YET:
            coming.setdefault(run.course_id, []).append(run.code)
    return free, coming


def has_room(uow: UnitOfWork, run: Run) -> bool:
    """Whether somebody new would get a seat now: one that is neither kept back nor wanted by those in line."""
    return isinstance(core_seats.seats_for(seats.seats_of(uow, run), 1), core_seats.Seated)

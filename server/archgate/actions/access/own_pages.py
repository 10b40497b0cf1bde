"""A learner's own page: invited by message to set a password, then their courses, dates and what is due.

Nobody needs one: people are enrolled, told and billed without it. What they do on it themselves stands in `own_acts`.
"""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

from sqlalchemy import delete, select

from archgate.actions.access import staff
from archgate.actions.access.views import (
    OwnCourse,
    OwnDue,
    OwnLink,
    OwnMeeting,
    OwnPageDone,
    OwnPageOut,
    OwnPageState,
    OwnPast,
    OwnRequest,
    OwnWaiting,
)
from archgate.actions.enrolling import of_person, offers
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.messages import messages
from archgate.actions.money import accounts, card_views, cards
from archgate.actions.money.views import Owed, ToPay
from archgate.actions.people import people
from archgate.actions.people.commands import PersonCommand, PersonPatch
from archgate.actions.people.views import PersonChanged, PersonOut
from archgate.actions.schedule import calendars, gates
from archgate.actions.schedule.schedule import ordered, zone_of
from archgate.actions.seats import seats
from archgate.actions.teaching import applications, instructors
from archgate.actions.teaching.commands import AcceptCommand, InstructorCommand
from archgate.actions.teaching.views import AcceptedOut, InstructorOut
from archgate.clock import system_now
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.states import LineStatus, PageStatus, RunStatus
from archgate.papers.letters.occasions import OwnPageInvited, PasswordLink
from archgate.papers.letters.writing import written
from archgate.tables.catalog import SeatRequest
from archgate.tables.courses import Course, Run
from archgate.tables.log import Change
from archgate.tables.money import Account
from archgate.tables.own_pages import OwnPage, OwnPageSession
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import Meeting, OnlineLink
from archgate.tables.teaching import Instructor
from archgate.tables.waitlist import Waiting

LINK_LIFE = timedelta(days=14)
SESSION_LIFE = timedelta(days=30)
MOST_PAST = 40
MOST_LINKS = 5  # mails with a link to one address in a quarter of an hour, whoever asks


def page_of(uow: UnitOfWork, person_id: int) -> OwnPage | None:
    return uow.session.scalar(select(OwnPage).where(OwnPage.person_id == person_id))


def link_of(row: OwnPage) -> str:
    return f"{signing.address()}/own/{signing.token_for('p', row.id, row.turn)}"


def state_of(uow: UnitOfWork, person_id: int) -> OwnPageState | None:
    """How far somebody's own page is, for staff; None when they have none."""
    row = page_of(uow, person_id)
    if row is None:
        return None
    return OwnPageState(
        email=row.email,
        status=row.status,
        sent=uow.local(row.sent_at),
        link_until=uow.local(row.sent_at + LINK_LIFE) if row.status == PageStatus.INVITED else None,
    )


def new_person(uow: UnitOfWork, command: PersonCommand) -> PersonOut:
    """Add a person, and with `invite` write them an invitation in the same transaction; none without it."""
    person = people.create_person(uow, command)
    if command.invite:
        invite(uow, person.id)
    return person


def invite(uow: UnitOfWork, person_id: int) -> OwnPageDone:
    """Write to somebody with a link to set a password for their own page; once more sends the same link anew.

    They sign in by their email, so two people with the same one cannot both have a page. Refused without an email.
    """
    person = people.get_person(uow, person_id)
    if person.merged_into_id:
        raise conflict("merged", f"{person.name} was merged into another record; invite from there.")
    if not person.email:
        raise refuse("/email", f"{person.name} has no email; add one, then invite.")
    row = page_of(uow, person.id)
    if row is not None and row.status == PageStatus.OPEN:
        raise conflict("has-page", f"{person.name} has set a password already.")
    other = uow.session.scalar(select(OwnPage).where(OwnPage.email == person.email))
    if other is not None and other.person_id != person.id:
        whose = people.get_person(uow, other.person_id)
        raise conflict(
            "email-in-use",
            f"{whose.name} signs in by {person.email}; give {person.name} another email first.",
        )
    change = send_invitation(uow, person, person.email, row)
    return OwnPageDone(change=change.key, own_page=state_of(uow, person.id))


def send_invitation(uow: UnitOfWork, person: Person, email: str, row: OwnPage | None) -> Change:
    """Write to somebody of whom it is known that they may have a page by this address; `row`: the page that is there already."""
    if row is None:
        row = OwnPage(person_id=person.id, turn=1)
        uow.session.add(row)
    # Once more: the same link, valid anew.
    row.email, row.status, row.sent_at = email, PageStatus.INVITED, uow.now
    uow.session.flush()
    change = uow.log(Act.INVITE, person.id, f"Invited {person.name} to an own page")
    through = (uow.now + LINK_LIFE).astimezone(uow.zone).date()
    letter = OwnPageInvited(uow.center.name, person.given or person.name, link_of(row), through)
    messages.write(uow, change, messages.to_person(person), written(letter))
    return change


def change_person(uow: UnitOfWork, person_id: int, command: PersonPatch) -> PersonChanged:
    """Change what is known of a person; their own page follows their email."""
    done = people.change_person(uow, person_id, command)
    follow_email(uow, people.get_person(uow, person_id))
    return done


def follow_email(uow: UnitOfWork, person: Person) -> None:
    """Have somebody's page signed in to by the email they have now. An invitation that was not used ends when the email
    changes: it went to another address. A page in use cannot lose its email, nor take one that another signs in by."""
    row = page_of(uow, person.id)
    if row is None or (person.email or "").casefold() == row.email.casefold():
        return
    if row.status == PageStatus.INVITED:
        uow.session.delete(row)
        uow.session.flush()
        return
    if not person.email:
        raise refuse(
            "/set/email", f"{person.name} signs in to their own page by this email; close the page first."
        )
    other = uow.session.scalar(select(OwnPage).where(OwnPage.email == person.email))
    if other is not None:
        whose = people.get_person(uow, other.person_id)
        raise refuse("/set/email", f"{whose.name} signs in by {person.email} already.")
    row.email = person.email
    uow.session.flush()


def save_instructor(uow: UnitOfWork, instructor_id: int | None, command: InstructorCommand) -> InstructorOut:
    """Add or change an instructor; their own page follows their email."""
    done = instructors.save(uow, instructor_id, command)
    follow_email(uow, people.get_person(uow, done.person_id))
    return done


def accept(uow: UnitOfWork, application_id: int, command: AcceptCommand) -> AcceptedOut:
    """From an application to an instructor, and with `invite` to an own page, in one step."""
    made = applications.make_instructor(uow, application_id, command)
    invited = command.invite and page_of(uow, made.person_id) is None
    if invited:
        invite(uow, made.person_id)
    shown = instructors.instructor_view(uow, made.id)
    return AcceptedOut(change=uow.entries[0].key, instructor=shown, invited=invited)


def account_of(uow: UnitOfWork, email: str) -> int | None:
    return uow.session.scalar(
        select(OwnPage.id).where(OwnPage.email == email, OwnPage.status == PageStatus.OPEN)
    )


def close(uow: UnitOfWork, person_id: int) -> OwnPageDone:
    """Take an invitation back, or close a page: its links, its password and its sessions end."""
    person, row = people.get_person(uow, person_id), page_of(uow, person_id)
    if row is None:
        raise conflict("no-page", f"{person.name} has no own page.")
    uow.session.delete(row)
    uow.session.flush()
    change = uow.log(Act.CLOSE_AN_OWN_PAGE, person.id, f"Closed the own page of {person.name}")
    return OwnPageDone(change=change.key, own_page=None)


# --- by the learner ---------------------------------------------------------------------------------------


def row_behind(uow: UnitOfWork, token: str) -> OwnPage:
    read = signing.token_read(token)
    row = uow.session.get(OwnPage, read[1]) if read and read[0] == "p" else None
    if row is None:
        raise not_found("This invitation")
    return row


def link_state(uow: UnitOfWork, token: str) -> OwnLink:
    """What the link shows: whose page it is, and whether a password can be set by it; else why not."""
    row = row_behind(uow, token)
    turn = (signing.token_read(token) or ("", 0, 0))[2]
    sentence = ""
    if turn != row.turn:
        sentence = "This link was used, or a newer one was sent. Sign in, or ask for a new link."
    elif uow.now > row.sent_at + LINK_LIFE:
        sentence = "This link has run out. Ask for a new one."
    person = people.get_person(uow, row.person_id)
    return OwnLink(
        center=uow.center.name,
        name=person.given or person.name,
        email=row.email,
        stands=not sentence,
        said=sentence,
    )


def set_password(uow: UnitOfWork, token: str, password: str, quick: bool) -> str:
    """Set the password by the link and sign in; the link is used up, and other browsers are signed out. Returns the
    token of the session."""
    row = row_behind(uow, token)
    uow.session.refresh(row, with_for_update=True)  # of two browsers at once, only one uses the link
    state = link_state(uow, token)
    if not state.stands:
        raise conflict("link-over", state.said)
    weak = staff.password_fault(password)
    if weak:
        raise refuse("/password", weak)
    if password.casefold() == row.email.casefold():
        raise refuse("/password", "The email is not a password.")
    row.status, row.password, row.turn = PageStatus.OPEN, staff.hasher(quick).hash(password), row.turn + 1
    uow.session.execute(delete(OwnPageSession).where(OwnPageSession.own_page_id == row.id))
    name = people.get_person(uow, row.person_id).name
    change = uow.log(Act.SET_A_PASSWORD, row.person_id, f"{name} set a password for their own page")
    change.user_id = None  # they did it, nobody of the staff
    return open_session(uow, row)


def open_session(uow: UnitOfWork, row: OwnPage) -> str:
    token, now = secrets.token_urlsafe(32), system_now()
    uow.session.execute(delete(OwnPageSession).where(OwnPageSession.expires_at <= now))
    uow.session.add(
        OwnPageSession(token_hash=staff.token_hash(token), own_page_id=row.id, expires_at=now + SESSION_LIFE)
    )
    return token


def sign_in(uow: UnitOfWork, email: str, password: str, quick: bool) -> str | None:
    """A session's token, or None when email and password do not fit; an unknown email costs as much time."""
    row = uow.session.scalar(select(OwnPage).where(OwnPage.email == email, OwnPage.status == PageStatus.OPEN))
    stored = row.password if row and row.password else staff.decoy(quick)
    fits = staff.hasher(quick).verify(password, stored)
    return open_session(uow, row) if row is not None and fits else None


def sign_out(uow: UnitOfWork, token: str) -> None:
    uow.session.execute(delete(OwnPageSession).where(OwnPageSession.token_hash == staff.token_hash(token)))


def new_link(uow: UnitOfWork, email: str) -> None:
    """Send a link to set a password, to whoever has a page by this email. Nobody is told whether there is one. A link that
    was sent and not used stays the one that works, so that asking voids nothing; too many mails are not sent."""
    row = uow.session.scalar(select(OwnPage).where(OwnPage.email == email))
    if row is None:
        return
    try:
        staff.take_attempt(uow, [(staff.count_key("mail", email), MOST_LINKS)])
    except Problem:
        return
    row.sent_at = uow.now
    person = people.get_person(uow, row.person_id)
    change = uow.log(Act.NEW_LINK, person.id, f"{person.name} asked for a link to set a password")
    change.user_id = None
    letter = PasswordLink(uow.center.name, person.given or person.name, link_of(row))
    messages.write(uow, change, messages.Addressee(person.name, row.email, person.id), written(letter))


def person_behind(uow: UnitOfWork, token: str) -> Person | None:
    """Whose session a token is, if it still stands."""
    query = (
        select(Person)
        .join(OwnPage, OwnPage.person_id == Person.id)
        .join(OwnPageSession, OwnPageSession.own_page_id == OwnPage.id)
        .where(
            OwnPageSession.token_hash == staff.token_hash(token),
            OwnPageSession.expires_at > system_now(),
            OwnPage.status == PageStatus.OPEN,
        )
    )
    return uow.session.scalar(query)


def own_page(uow: UnitOfWork, person: Person) -> OwnPageOut:
    """What somebody sees of themselves: courses now and coming with the dates ahead, what is due when, places in line.

    Money stands only with what they pay themselves; notes and the log are the staff's.
    """
    courses, past = [], []
    links = links_of(uow, person)
    for enrolled in of_person.enrollments_of(uow, person):
        run = uow.session.get_one(Run, enrolled.run_id)
        still_open = enrolled.access_until is not None and enrolled.access_until >= uow.today
        if enrolled.status not in ("seated", "held") or (is_over(run, uow.now) and not still_open):
            past.append(
                OwnPast(
                    title=enrolled.title,
                    code=enrolled.code,
                    first=enrolled.first,
                    last=enrolled.last,
                    status="" if enrolled.status in ("seated", "held") else str(enrolled.status),
                )
            )
            continue
        ahead = [m for m in ordered(run) if m.ends_at > uow.now]
        theirs = enrolled.payer is None and not enrolled.guest
        courses.append(
            OwnCourse(
                enrollment_id=enrolled.enrollment_id if theirs and enrolled.role == "learner" else None,
                dues=dues_of(uow, enrolled.enrollment_id) if theirs else [],
                title=enrolled.title,
                code=enrolled.code,
                heads=enrolled.heads,
                held=enrolled.status == "held",
                meetings=[meeting_view(run, m, links) for m in ahead],
                access_until=enrolled.access_until,
                currency=enrolled.currency,
                total=enrolled.total if theirs else None,
                owed=enrolled.owed if theirs else None,
                next_due=enrolled.next_due if theirs else None,
            )
        )
    owes = accounts.owed_by(uow, [person.id]).get(person.id, Owed())
    return OwnPageOut(
        center=uow.center.name,
        name=person.given or person.name,
        email=person.email,
        today=uow.today,
        currency=uow.center.currency,
        owed=owes.owed,
        credit=owes.credit,
        next_due=owes.next_due,
        courses=courses,
        waiting=waiting_of(uow, person),
        requests=requests_of(uow, person),
        past=past[:MOST_PAST],
        given=person.given,
        family=person.family,
        phone=person.phone,
        teaches=uow.session.scalar(
            select(Instructor.id).where(Instructor.person_id == person.id, Instructor.active)
        )
        is not None,
        pay=own_to_pay(uow, person) if owes.owed else None,
    )


def own_to_pay(uow: UnitOfWork, person: Person) -> ToPay | None:
    """What somebody may pay by card on their own page; None where nothing is open, or cards are not taken."""
    account = own_account(uow, person)
    shown = card_views.to_pay(uow, account, own=True) if account is not None and cards.taken() else None
    return shown if shown is not None and (shown.open or shown.card_by) else None


def own_account(uow: UnitOfWork, person: Person) -> Account | None:
    """The account from which somebody pays for themselves."""
    query = select(Account).where(Account.owner == f"person:{person.id}")
    return uow.session.scalar(query.where(Account.currency == uow.center.currency))


def links_of(uow: UnitOfWork, person: Person) -> dict[int, str]:
    """The links of online meetings ahead, by meeting, of runs that somebody is on."""
    query = select(OnlineLink.meeting_id, OnlineLink.link).join(Meeting, Meeting.id == OnlineLink.meeting_id)
    rows = uow.session.execute(
        query.where(Meeting.run_id.in_(calendars.runs_of(person.id)), Meeting.ends_at > uow.now)
    )
    return {meeting: link for meeting, link in rows if link}


def meeting_view(run: Run, m: Meeting, links: dict[int, str]) -> OwnMeeting:
    """A meeting ahead with all that whoever is on it needs to get there."""
    place = m.place
    return OwnMeeting(
        start=m.starts_at.astimezone(zone_of(run, place)).isoformat(),
        minutes=m.minutes,
        place=place.name if place else "",
        address=" ".join(place.address.split()) if place else "",
        map_link=place.map_link if place and place.map_link.startswith("https://") else "",
        link=links.get(m.id, ""),
    )


def dues_of(uow: UnitOfWork, enrollment_id: int) -> list[OwnDue]:
    """The plan of a sign-up: every sum with its day, and what is still open of it."""
    enrollment = uow.session.get_one(Enrollment, enrollment_id)
    return [
        OwnDue(
            day=i.due,
            amount=format_amount(i.amount, enrollment.currency),
            open=format_amount(i.open, enrollment.currency),
        )
        for i in enrollment.installments
    ]


def waiting_of(uow: UnitOfWork, person: Person) -> list[OwnWaiting]:
    """Places in line with the chance they have, and the page of an open offer."""
    found = []
    for w in of_person.waiting_of(uow, person):
        row = uow.session.get_one(Waiting, w.waiting_id)
        offered = (
            row.status is LineStatus.OFFERED and row.offer_until is not None and row.offer_until > uow.now
        )
        found.append(
            OwnWaiting(
                title=w.title,
                code=w.code,
                place=w.place,
                heads=w.heads,
                chance="" if offered else chance_of(uow, row),
                offer=f"/reply/{signing.token_for('o', row.id, row.offers)}" if offered else None,
                until=uow.local(row.offer_until) if offered else None,
            )
        )
    return found


def chance_of(uow: UnitOfWork, row: Waiting) -> str:
    """The chance of a party in line, in words."""
    run = uow.session.get_one(Run, row.run_id)
    state, leaving = seats.seats_of(uow, run), offers.leave_rate(uow)
    line = seats.line_of(uow, run.id)
    at = next((n for n, w in enumerate(line) if w.id == row.id), None)
    if at is None:
        return ""
    return offers.chance_said(*offers.chances(state, leaving, line)[at][1:])


def requests_of(uow: UnitOfWork, person: Person) -> list[OwnRequest]:
    """The requests that somebody sent while signed in, or that became theirs; open ones and those decided of late."""
    query = (
        select(SeatRequest, Run, Course.title)
        .join(Run, Run.id == SeatRequest.run_id)
        .join(Course, Course.id == Run.course_id)
        .where(SeatRequest.person_id == person.id)
        .order_by(SeatRequest.id.desc())
        .limit(20)
    )
    return [
        OwnRequest(title=run.title or title, code=run.code, status=row.status, word=row.word)
        for row, run, title in uow.session.execute(query)
    ]


def is_over(run: Run, now: datetime) -> bool:
    return run.status == RunStatus.CANCELLED or gates.has_ended(run, now)

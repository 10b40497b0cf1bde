"""Who is on a roster beside its learners, groups inside a run, attendance, and the roster compared with another list."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select, update

from archgate.actions import fees, money, people, plans, roster, schedule, seats
from archgate.actions.problems import Problem, conflict, not_found
from archgate.actions.schedule import get_run
from archgate.actions.transaction import Deed
from archgate.core.faults import refuse
from archgate.core.money import format_amount
from archgate.core.names import folded
from archgate.core.schedule import day_text
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Person
from archgate.tables.roster import Attendance, Enrollment, PartyPlace, RunGroup
from archgate.tables.schedule import Meeting

ROLES = ("learner", "assistant", "instructor", "observer")
MARKS = ("present", "late", "left early", "excused", "absent")
THERE = ("present", "late", "left early")


# --- roles ------------------------------------------------------------------------------------------------


def refuse_role(deed: Deed, role: str) -> None:
    """Anything but a learner is asked for by name; instructors are added only by those who may."""
    if role not in ROLES:
        raise refuse("/role", f"The role is one of {', '.join(ROLES)}.")
    if role == "instructor" and (deed.user is None or deed.user.role != "administrator"):
        raise Problem(403, "forbidden", "Only an administrator adds instructors to a roster.")


def add_with_role(deed: Deed, run_id: int, person_id: int, role: str) -> dict[str, Any]:
    """Put somebody on a roster who is no learner: without a seat and without a price."""
    refuse_role(deed, role)
    if role == "learner":
        raise refuse("/role", "Learners are enrolled, with a seat and a price.")
    person, run = people.present(deed, person_id), seats.run_to_change(deed, run_id)
    if run.status in ("cancelled", "archived"):
        raise conflict("status", f"The run is {run.status}.")
    roster.refuse_twice(deed, run, person)
    payer = money.account_of(deed, f"person:{person.id}", run.currency)
    row = Enrollment(
        run_id=run.id, person_id=person.id, payer_id=payer.id, rate_id=fees.rate_of(run, None).id,
        plan_id=plans.plan_of(deed, run, None).id, user_id=deed.user_id, status="seated", role=role, way_in="staff", heads=1,
        signed_up=deed.today, enrolled_at=deed.now, currency=run.currency, total=0, quote=nothing(run.currency), note="",
    )  # fmt: skip
    deed.session.add(row)
    deed.session.flush()
    change = deed.log(
        "add to a roster", "enrollment", row.id, f"{person.name} is {role} on {run.code}", run_id=run.id
    )
    return on_roster(change, row)


def on_roster(change: Change, row: Enrollment) -> dict[str, Any]:
    return {
        "change": change.key, "enrollment_id": row.id, "name": row.person.name, "role": row.role, "run_id": row.run_id,
    }  # fmt: skip


def nothing(currency: str) -> dict[str, Any]:
    """The quote of somebody who pays nothing because nothing is sold to them."""
    zero = format_amount(0, currency)
    return {
        "currency": currency, "lines": [], "subtotal": zero, "taxes": [], "total": zero, "next_change": None,
        "installments": [], "due_now": zero, "due_later": zero,
    }  # fmt: skip


def set_role(deed: Deed, enrollment_id: int, role: str) -> dict[str, Any]:
    """Change the role of somebody who is no learner; a learner's seat and money are settled by withdrawing first."""
    refuse_role(deed, role)
    enrollment, run, _ = roster.locked_enrollment(deed, enrollment_id)
    if not enrollment.holds_seat:
        raise conflict("not-seated", "This person is no longer on the roster.")
    if "learner" in (role, enrollment.role) and role != enrollment.role:
        said = "A learner holds a seat and pays: withdraw first, then add with the other role."
        raise conflict(
            "learner",
            said if enrollment.role == "learner" else "Learners are enrolled at the desk, with a seat.",
        )
    before, enrollment.role = enrollment.role, role
    deed.session.flush()
    change = deed.log(
        "change a role", "enrollment", enrollment.id, f"{enrollment.person.name} on {run.code}: {before}, now {role}",
        run_id=run.id,
    )  # fmt: skip
    return on_roster(change, enrollment)


def take_off(deed: Deed, enrollment_id: int) -> dict[str, Any]:
    """Take somebody who is no learner off a roster."""
    enrollment, run, _ = roster.locked_enrollment(deed, enrollment_id)
    if enrollment.role == "learner" or not enrollment.holds_seat:
        raise conflict("learner", "Learners withdraw.")
    enrollment.status, enrollment.ended_at = "taken off", deed.now
    deed.session.flush()
    name = enrollment.person.name
    change = deed.log(
        "take off a roster", "enrollment", enrollment.id, f"{name} is no longer on {run.code}", run_id=run.id
    )
    return on_roster(change, enrollment)


# --- groups -----------------------------------------------------------------------------------------------


def put_in_group(deed: Deed, run_id: int, name: str | None, enrollment_ids: list[int]) -> dict[str, Any]:
    """Put people of a roster into a group of the run, made when first named; without a name, out of theirs."""
    run = seats.run_to_change(deed, run_id)
    said = (name or "").strip()
    if len(said) > 100:
        raise refuse("/name", "The name of a group has up to 100 characters.")
    if not 1 <= len(enrollment_ids) <= 20_000:
        raise refuse("/enrollment_ids", "Choose somebody.")
    rows = deed.session.execute(
        select(Enrollment.id, Enrollment.group_id).where(
            Enrollment.id.in_(enrollment_ids), Enrollment.run_id == run.id, Enrollment.live == 1
        )
    ).all()
    if len(rows) != len(set(enrollment_ids)):
        raise conflict("moved-on", "Somebody chosen is no longer on this roster.")
    group = None
    if said:
        group = deed.session.scalar(select(RunGroup).where(RunGroup.run_id == run.id, RunGroup.name == said))
        if group is None:
            group = RunGroup(run_id=run.id, name=said)
            deed.session.add(group)
            deed.session.flush()
    into = group.id if group else None
    moved = [number for number, was in rows if was != into]
    deed.session.execute(update(Enrollment).where(Enrollment.id.in_(moved)).values(group_id=into))
    deed.rows += [
        {"table": "enrollments", "id": number, "before": {"group_id": was}, "after": {"group_id": into}}
        for number, was in rows
        if was != into
    ]
    for empty in deed.session.scalars(select(RunGroup).where(RunGroup.run_id == run.id)).all():
        if deed.session.scalar(select(Enrollment.id).where(Enrollment.group_id == empty.id).limit(1)) is None:
            deed.session.delete(empty)
    deed.session.flush()
    many = f"{len(rows)} {'person' if len(rows) == 1 else 'people'}"
    change = deed.log(
        "group people", "run", run.id, f"{many} of {run.code}: {f'group {said}' if said else 'no group'}"
    )
    return {"change": change.key, "people": len(rows), "groups": groups_of(deed, run.id)}


def groups_of(deed: Deed, run_id: int) -> list[dict[str, Any]]:
    rows = deed.session.execute(
        select(RunGroup.id, RunGroup.name, func.count(Enrollment.id))
        .outerjoin(Enrollment, (Enrollment.group_id == RunGroup.id) & (Enrollment.live == 1))
        .where(RunGroup.run_id == run_id).group_by(RunGroup.id, RunGroup.name).order_by(RunGroup.name)
    )  # fmt: skip
    return [{"id": number, "name": name, "people": int(many)} for number, name, many in rows]


# --- attendance -------------------------------------------------------------------------------------------


def people_of(deed: Deed, run: Run) -> list[tuple[Enrollment, Person]]:
    """Every learner with a name on a roster, named heads included, in the order of their names."""
    own = deed.session.execute(
        select(Enrollment, Person).join(Person, Person.id == Enrollment.person_id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1, Enrollment.role == "learner")
    ).all()  # fmt: skip
    others = deed.session.execute(
        select(Enrollment, Person).join(PartyPlace, PartyPlace.enrollment_id == Enrollment.id)
        .join(Person, Person.id == PartyPlace.person_id)
        .where(Enrollment.run_id == run.id, Enrollment.live == 1)
    ).all()  # fmt: skip
    return sorted(((e, p) for e, p in [*own, *others]), key=lambda r: (r[1].family, r[1].given, r[1].id))


def attendance(deed: Deed, run_id: int) -> dict[str, Any]:
    """Who was at which meeting, and the share of the marked meetings each attended."""
    run = get_run(deed, run_id)
    meetings = schedule.ordered(run)
    marks: dict[int, dict[int, str]] = {}
    for row in deed.session.scalars(
        select(Attendance).where(Attendance.meeting_id.in_([m.id for m in meetings] or [0]))
    ):
        marks.setdefault(row.person_id, {})[row.meeting_id] = row.status
    return {
        "run_id": run.id, "code": run.code, "marks": list(MARKS),
        "meetings": [
            {"id": m.id, "date": m.date.isoformat(), "start": f"{m.start:%H:%M}", "past": m.starts_at <= deed.now} for m in meetings
        ],
        "people": [
            {"person_id": p.id, "enrollment_id": e.id, "name": p.name, "marks": {str(k): v for k, v in marks.get(p.id, {}).items()},
             "share": share_of(marks.get(p.id, {}))}
            for e, p in people_of(deed, run)
        ],
    }  # fmt: skip


def share_of(marks: dict[int, str]) -> str | None:
    """The share of somebody's marked meetings that were attended, in whole percent half up; excused ones do not count."""
    counted = [m for m in marks.values() if m != "excused"]
    if not counted:
        return None
    there = sum(m in THERE for m in counted)
    return str((200 * there + len(counted)) // (2 * len(counted)))


def mark(deed: Deed, meeting_id: int, marks: dict[int, str | None], anyway: bool = False) -> dict[str, Any]:
    """Say who was at a meeting; None takes a mark back. Every mark is of somebody on the roster. A meeting that is on a later
    day is asked about first (409), unless `anyway`."""
    meeting = deed.session.get(Meeting, meeting_id)
    if meeting is None:
        raise not_found("This meeting")
    run = seats.run_to_change(deed, meeting.run_id)
    if meeting.cancelled_at is not None:
        raise conflict("not-held", "This meeting was cancelled.")
    if not anyway and meeting.starts_at.astimezone(deed.zone).date() > deed.today:
        raise conflict(
            "ahead", f"This meeting is on {day_text(meeting.date)}, still ahead. Mark it all the same?"
        )
    known = {p.id for _, p in people_of(deed, run)}
    for person_id, status in marks.items():
        if person_id not in known:
            raise refuse(f"/marks/{person_id}", "This person is not on the roster.")
        if status is not None and status not in MARKS:
            raise refuse(f"/marks/{person_id}", f"The mark is one of {', '.join(MARKS)}.")
    held = {
        a.person_id: a
        for a in deed.session.scalars(
            select(Attendance).where(
                Attendance.meeting_id == meeting.id, Attendance.person_id.in_(marks or [0])
            )
        )
    }
    for person_id, status in marks.items():
        row = held.get(person_id)
        if status is None:
            if row:
                deed.session.delete(row)
        elif row is None:
            deed.session.add(
                Attendance(
                    meeting_id=meeting.id,
                    person_id=person_id,
                    status=status,
                    user_id=deed.user_id,
                    at=deed.now,
                )
            )
        else:
            row.status, row.user_id, row.at = status, deed.user_id, deed.now
    deed.session.flush()
    change = deed.log(
        "mark attendance",
        "run",
        run.id,
        f"Attendance of {run.code} on {day_text(meeting.date)}: {len(marks)} marked",
    )
    return {"change": change.key, **attendance(deed, run.id)}


# --- the roster beside another list -----------------------------------------------------------------------


def compare(deed: Deed, run_id: int, text: str) -> dict[str, Any]:
    """Who is on the roster and not on a pasted list of names or emails, one a line, and who the other way round."""
    run = get_run(deed, run_id)
    lines = [line.strip() for line in text.splitlines() if line.strip()][:20_000]
    listed = {folded(x) for x in lines} | {
        word.lower() for x in lines for word in x.replace(",", " ").replace(";", " ").split() if "@" in word
    }
    on, matched = [], set()
    for enrollment, person in people_of(deed, run):
        keys = {
            folded(person.name),
            folded(f"{person.family}, {person.given}"),
            folded(f"{person.family} {person.given}"),
        }
        email = (person.email or "").lower()
        hit = (keys & listed) | ({email} & listed)
        if not hit:
            on.append({"person_id": person.id, "name": person.name, "way_in": enrollment.way_in})
        matched |= keys | {email}
    missing = [
        x for x in lines
        if folded(x) not in matched and not any("@" in w and w.lower() in matched for w in x.replace(",", " ").replace(";", " ").split())
    ]  # fmt: skip
    return {"run_id": run.id, "without": on, "missing": missing, "both": len(people_of(deed, run)) - len(on)}

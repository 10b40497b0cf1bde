"""Clashes as rows: kept by the acts that can make or heal them, so that lists read instead of looking through every meeting.

What is kept is what `clashes.everywhere` finds among coming meetings; `faults` compares them every night.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import date, datetime

from sqlalchemy import Integer, bindparam, cast, delete, func, insert, or_, select, text
from sqlalchemy.orm import aliased
from sqlalchemy.sql.elements import ColumnElement

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.kept import kept_by
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.kernel.views import ClashOut, Done
from archgate.actions.schedule import clashes
from archgate.actions.schedule.clashes import SHOWN, Clash, Row, key_of, worded
from archgate.actions.schedule.commands import AcceptClashCommand
from archgate.core.clashes import Kind
from archgate.core.faults import refuse
from archgate.core.schedule import day_text
from archgate.tables.courses import Center
from archgate.tables.roster import Enrollment
from archgate.tables.schedule import AcceptedClash, KeptClash, Meeting

CHUNK = 1000
MANY = 20  # runs written by one act, from which all clashes are worked out anew by one sweep
# Own seats under a shared lock, and places in parties; a lock in the middle of a union has no words in the library.
RUNS_OF = text("""
(SELECT e.person_id, e.run_id FROM enrollments e WHERE e.live = 1 AND e.person_id IN :people LOCK IN SHARE MODE)
UNION ALL
(SELECT p.person_id, e.run_id FROM party_places p JOIN enrollments e ON e.id = p.enrollment_id
 WHERE e.live = 1 AND p.person_id IN :people)""").bindparams(bindparam("people", expanding=True))
A, B = aliased(Meeting), aliased(Meeting)


# --- keeping ----------------------------------------------------------------------------------------------


def keep_up(uow: UnitOfWork) -> None:
    """Bring the clashes up to date that this act can have made or healed; a keeper of each act.

    Dates are written by one at a time from here to the commit (the center's row is locked), so that of two acts that put
    two runs into one room, the later sees the earlier. Two acts that bring somebody onto two runs meet at that person's
    enrollments, which are read under a shared lock.
    """
    touched = uow.touched
    dated = touched.dated | owners_runs(uow)
    if touched.closed_days or len(dated) > MANY:
        locked(uow)
        keep_all(uow)
        return
    if dated:
        locked(uow)
        keep_runs(uow, dated)
    people = set(touched.seated)
    if touched.rosters or touched.heads_of:
        people |= learners_kept(uow)
        forget(uow, KeptClash.kind == Kind.LEARNER, KeptClash.who.in_(people or {0}))
    keep_people(uow, people)


def locked(uow: UnitOfWork) -> None:
    uow.session.flush()
    uow.session.execute(select(Center.id).where(Center.id == 1).with_for_update())


def owners_runs(uow: UnitOfWork) -> set[int]:
    """The runs that coming meetings have with a place or an instructor who was written."""
    places, instructors = uow.touched.places, uow.touched.instructors
    if not places and not instructors:
        return set()
    theirs = or_(Meeting.place_id.in_(places or {0}), clashes.taught_by(*instructors))
    return set(
        uow.session.scalars(select(Meeting.run_id).where(theirs, Meeting.ends_at > uow.now).distinct())
    )


def learners_kept(uow: UnitOfWork) -> set[int]:
    """Whoever stands in a clash of a run whose roster was written: they may have left it."""
    runs = set(uow.touched.rosters)
    if uow.touched.heads_of:
        runs.update(
            uow.session.scalars(select(Enrollment.run_id).where(Enrollment.id.in_(uow.touched.heads_of)))
        )
    return set(
        uow.session.scalars(
            select(KeptClash.who).where(KeptClash.kind == Kind.LEARNER, of_runs(runs)).distinct()
        )
    )


def of_runs(runs: Collection[int]) -> ColumnElement[bool]:
    wanted = runs or {0}
    return or_(KeptClash.run_id.in_(wanted), KeptClash.other_run_id.in_(wanted))


def forget(uow: UnitOfWork, *which: ColumnElement[bool]) -> None:
    uow.session.connection().execute(delete(KeptClash).where(*which))


def keep_all(uow: UnitOfWork) -> None:
    """Work out all of them anew, as after rows were written past the acts."""
    forget(uow)
    put(uow, clashes.everywhere(uow))


def keep_runs(uow: UnitOfWork, runs: set[int]) -> None:
    """Work out anew the clashes in which these runs take part."""
    coming = clashes.held().where(Meeting.ends_at > uow.now)
    own = clashes.rows_of(uow, coming.where(Meeting.run_id.in_(runs)))
    forget(uow, of_runs(runs))
    put(uow, clashes.found_for(uow, own) + clashes.too_small(uow, runs) + clashes.learner_clashes(uow, runs))


def keep_people(uow: UnitOfWork, people: set[int]) -> None:
    """Work out anew the clashes of these learners, who may have come onto a run or left one."""
    ordered = sorted(people)
    for at in range(0, len(ordered), CHUNK):
        several = runs_of(uow, ordered[at : at + CHUNK])
        if several:
            forget(uow, KeptClash.kind == Kind.LEARNER, KeptClash.who.in_(several))
            put(uow, clashes.of_learners(uow, several))


def runs_of(uow: UnitOfWork, people: list[int]) -> dict[int, set[int]]:
    """The runs on which each of these people has a seat of their own or is named as a head, of those who are on several.
    Read under a shared lock: whoever else brings one of them onto a run just now has done so, or comes after."""
    found: dict[int, set[int]] = {}
    for person, run in uow.session.execute(RUNS_OF, {"people": people}):
        found.setdefault(person, set()).add(run)
    return {person: runs for person, runs in found.items() if len(runs) > 1}


def put(uow: UnitOfWork, found: Iterable[Clash]) -> None:
    rows = [facts for clash in found for facts in facts_of(clash)]
    for at in range(0, len(rows), CHUNK):
        uow.session.connection().execute(insert(KeptClash), rows[at : at + CHUNK])


def facts_of(c: Clash) -> list[dict[str, object]]:
    """The rows of a clash: one, or one for each of its learners."""
    facts: dict[str, object] = {
        "kind": str(c.kind),
        "meeting_id": c.a.id,
        "other_meeting_id": c.b.id if c.b else None,
        "run_id": c.a.run_id,
        "other_run_id": c.b.run_id if c.b else None,
        "starts_at": c.start,
        "ends_at": c.end,
        "until": min(c.a.ends_at, c.b.ends_at) if c.b else c.a.ends_at,
        "label": c.label,
        "of_place": c.place,
        "busy": c.busy,
        "size": c.size,
    }
    return [{**facts, "who": who} for who in (c.people if c.kind is Kind.LEARNER else (c.who,))]


# --- reading ----------------------------------------------------------------------------------------------


def kept(uow: UnitOfWork, *which: ColumnElement[bool], most: int | None = SHOWN) -> list[Clash]:
    """Kept clashes that are not over, by time, a pair of meetings once with all its learners."""
    learner = KeptClash.kind == Kind.LEARNER
    query = (
        select(
            KeptClash.kind,
            func.if_(learner, 0, KeptClash.who),
            KeptClash.starts_at,
            KeptClash.ends_at,
            func.min(KeptClash.label),
            func.max(cast(KeptClash.of_place, Integer)),
            KeptClash.busy,
            KeptClash.size,
            func.group_concat(KeptClash.who),
            *columns_of(A),
            *columns_of(B),
        )
        .join(A, A.id == KeptClash.meeting_id)
        .outerjoin(B, B.id == KeptClash.other_meeting_id)
        .where(KeptClash.until > uow.now, *which)
        .group_by(
            KeptClash.kind, func.if_(learner, 0, KeptClash.who), KeptClash.busy, KeptClash.size,
            KeptClash.meeting_id, KeptClash.other_meeting_id, KeptClash.starts_at, KeptClash.ends_at,
        )
        .order_by(KeptClash.starts_at, KeptClash.kind, KeptClash.meeting_id)
    )  # fmt: skip
    width = len(OF_MEETING)
    found = []
    for kind, who, start, end, label, of_place, busy, size, people, *meetings in uow.session.execute(
        query.limit(most) if most else query
    ):
        b = Row(*meetings[width:]) if meetings[width] is not None else None
        learners = tuple(sorted(int(n) for n in people.split(","))) if kind == Kind.LEARNER else ()
        found.append(
            Clash(
                Kind(kind),
                who,
                Row(*meetings[:width]),
                b,
                start,
                end,
                label,
                bool(of_place),
                busy,
                size,
                learners,
            )
        )
    return found


OF_MEETING = Row._fields[:-1]  # those who teach it are looked up where they are needed


def columns_of(table: type[Meeting]) -> list[ColumnElement[object]]:
    return [getattr(table, name) for name in OF_MEETING]


def of_run(uow: UnitOfWork, run_id: int) -> list[ClashOut]:
    """The clashes of a run's coming meetings."""
    return worded(uow, kept(uow, of_runs({run_id})))


def of_center(uow: UnitOfWork, most: int | None = SHOWN) -> list[ClashOut]:
    """Every clash from now on, by time, so many at most."""
    return worded(uow, kept(uow, most=most))


def clashing_meetings(uow: UnitOfWork, span: tuple[date, date]) -> list[int]:
    """The meetings of these days that take part in a clash which nobody accepted."""
    found = kept(uow, or_(A.date.between(*span), B.date.between(*span)), most=None)
    accepted = set(uow.session.scalars(select(AcceptedClash.key))) if found else set()
    rows = (r for c in found if not accepted or key_of(c) not in accepted for r in (c.a, c.b))
    return sorted({r.id for r in rows if r is not None and span[0] <= r.date <= span[1]})


def faults(uow: UnitOfWork) -> list[str]:
    """Where what is kept is not what coming meetings give; part of the nightly check."""

    def known(found: list[Clash]) -> set[tuple[str, datetime, tuple[int, ...]]]:
        return {(key_of(c), c.start, tuple(sorted(c.people))) for c in found}

    real, stored = known(clashes.everywhere(uow)), known(kept(uow, most=None))
    return [
        f"A clash of {start:%Y-%m-%d} is not kept: {key}." for key, start, _ in sorted(real - stored)[:20]
    ] + [
        f"A clash of {start:%Y-%m-%d} is kept that is none: {key}."
        for key, start, _ in sorted(stored - real)[:20]
    ]


def sweep(uow: UnitOfWork) -> None:
    """Forget those that are over."""
    forget(uow, KeptClash.until <= uow.now)


# --- accepting --------------------------------------------------------------------------------------------


def accept(uow: UnitOfWork, command: AcceptClashCommand) -> Done:
    """Let a clash stand, with a reason. It comes up again when a time of it changes."""
    key, reason = command.key, command.reason
    if not reason:
        raise refuse("/reason", "Give the reason why this clash may stand, in up to 500 characters.")
    clash = next((c for c in of_center(uow, None) if c.key == key), None)
    if clash is None:
        raise not_found("This clash")
    row = uow.session.scalar(select(AcceptedClash).where(AcceptedClash.key == key)) or AcceptedClash(key=key)
    row.reason, row.user_id, row.at = reason, uow.user_id, uow.now
    uow.session.add(row)
    change = uow.log(
        Act.ACCEPT_A_CLASH,
        clash.run.id if clash.run else 0,
        f"Accepted on {day_text(clash.date)}: {clash.text.rstrip('.')} ({reason})",
    )
    return Done(change=change.key)


def reopen(uow: UnitOfWork, key: str) -> Done:
    """Take an acceptance back."""
    gone = uow.session.execute(delete(AcceptedClash).where(AcceptedClash.key == key))
    if not gone.rowcount:  # type: ignore[attr-defined]
        raise not_found("This accepted clash")
    change = uow.log(Act.REOPEN_A_CLASH, 1, "Took back the acceptance of a clash")
    return Done(change=change.key)


kept_by(keep_up, last=True)

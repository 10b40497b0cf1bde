"""Access codes of runs: made by a button, hidden until asked for, changed without touching who is in."""

from __future__ import annotations

import secrets

from sqlalchemy import select

from archgate.actions.access.public_commands import AccessCodeCommand, AccessCodeFacts, AccessCodePatch
from archgate.actions.access.public_views import (
    AccessCodeDone,
    AccessCodeOut,
    AccessCodeShown,
    CameByCode,
    RunCodes,
)
from archgate.actions.courses import texts
from archgate.actions.kernel import signing
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs.publication import as_typed, moment_typed
from archgate.actions.seats import seats
from archgate.core.faults import Fault, Refused
from archgate.core.schedule import moment_text
from archgate.tables.catalog import AccessCode
from archgate.tables.courses import Run
from archgate.tables.people import Person
from archgate.tables.roster import Enrollment

MOST_CODES = 200  # of one run
LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"  # none that is mistaken for another
FACTS = ("label", "starts", "ends", "most", "active")
COLUMNS = {"starts": "starts_at", "ends": "ends_at"}


def codes_of(uow: UnitOfWork, run_id: int) -> RunCodes:
    """The codes of a run without the codes themselves, and the link that leads to it."""
    run = get_run(uow, run_id)
    rows = uow.session.scalars(select(AccessCode).where(AccessCode.run_id == run.id).order_by(AccessCode.id))
    return RunCodes(codes=[code_view(uow, row) for row in rows], link=link_of(run))


def link_of(run: Run) -> str:
    """The address that leads straight to the sign-up of a run; whoever has it finds the run, and is asked for a code if it has one."""
    page = texts.address_for(run.course_id, run.course.title)
    key = signing.token_for("r", run.id, 0)
    return f"{signing.address()}{page}/sign-up?run={run.id}&key={key}"


def leads_to(key: str, run_id: int) -> bool:
    """Whether a key is that of the link to this run."""
    read = signing.token_read(key) if key else None
    return read is not None and read[:2] == ("r", run_id)


def code_view(uow: UnitOfWork, row: AccessCode) -> AccessCodeOut:
    return AccessCodeOut(
        id=row.id,
        label=row.label,
        starts=as_typed(uow, row.starts_at),
        ends=as_typed(uow, row.ends_at),
        most=row.most,
        used=row.used,
        active=row.active,
        state=why_not(uow, row) or "lets in",
    )


def why_not(uow: UnitOfWork, row: AccessCode) -> str:
    """Why a code lets nobody in now; empty when it does."""
    if not row.active:
        return "ended"
    if row.starts_at and uow.now < row.starts_at:
        return f"from {moment_text(row.starts_at, uow.zone)}"
    if row.ends_at and uow.now >= row.ends_at:
        return f"ended {moment_text(row.ends_at, uow.zone)}"
    if row.most is not None and row.used >= row.most:
        return "used up"
    return ""


def shown(uow: UnitOfWork, code_id: int) -> AccessCodeShown:
    """A code as it is asked for, with who came by it and when."""
    row = uow.session.get(AccessCode, code_id)
    if row is None:
        raise not_found("This code")
    query = (
        select(Enrollment.id, Enrollment.person_id, Person.name, Enrollment.enrolled_at)
        .join(Person, Person.id == Enrollment.person_id)
        .where(Enrollment.access_code_id == row.id)
        .order_by(Enrollment.id)
        .limit(1000)
    )
    users = [
        CameByCode(enrollment_id=n, person_id=person, name=name, at=uow.local(at))
        for n, person, name, at in uow.session.execute(query)
    ]
    return code_view(uow, row).widened(AccessCodeShown, code=row.code, users=users)


def make(uow: UnitOfWork, run_id: int, command: AccessCodeCommand) -> AccessCodeDone:
    """A new code of a run."""
    run = seats.run_to_change(uow, run_id)
    rows = uow.session.scalars(select(AccessCode).where(AccessCode.run_id == run.id)).all()
    faults = []
    code = " ".join(command.code.split())
    if len(rows) >= MOST_CODES:
        faults.append(Fault("/label", f"A run has at most {MOST_CODES} codes."))
    if code and any(row.code.casefold() == code.casefold() for row in rows):
        faults.append(Fault("/code", f'The run has the code "{code}" already.'))
    if code and len(code) < 4:
        faults.append(Fault("/code", "A code has at least 4 characters; shorter ones are guessed."))
    row = AccessCode(
        run_id=run.id,
        label=command.label,
        code=code or made(),
        starts_at=moment_typed(uow, command.starts),
        ends_at=moment_typed(uow, command.ends),
        most=command.most,
        used=0,
        active=True,
        made_at=uow.now,
    )
    faults += _faults(row, "")
    if faults:
        raise Refused(faults)
    uow.session.add(row)
    uow.session.flush()
    change = uow.log(Act.KEEP_ACCESS_CODES, run.id, f"Made the code {row.label} for {run.code}")
    return shown(uow, row.id).widened(AccessCodeDone, change=change.key)


def made() -> str:
    """A code that nobody guesses and everybody can spell: eight letters and figures in two halves, some 39 bits."""
    letters = "".join(secrets.choice(LETTERS) for _ in range(8))
    return f"{letters[:4]}-{letters[4:]}"


def _faults(row: AccessCode, at: str) -> list[Fault]:
    if row.starts_at and row.ends_at and row.ends_at <= row.starts_at:
        return [Fault(f"{at}/ends", "The code would end before it lets anybody in.")]
    if row.most is not None and row.most < row.used:
        return [Fault(f"{at}/most", f"It was used {row.used} times already.")]
    return []


def change(uow: UnitOfWork, code_id: int, command: AccessCodePatch) -> AccessCodeDone:
    """Change when a code lets in, how often, its label, or end it; who came by it stays in."""
    row = uow.session.get(AccessCode, code_id)
    if row is None:
        raise not_found("This code")
    run = seats.run_to_change(uow, row.run_id)
    uow.session.refresh(row)
    new, seen = _values(uow, command.set), _values(uow, command.seen)
    refuse_lost_update(new, seen, {name: getattr(row, name) for name in new})
    for name, value in new.items():
        if value is None and name in ("label", "active"):
            raise Refused([Fault(f"/set/{name}", "This cannot be empty.")])
        setattr(row, name, value)
    faults = _faults(row, "/set")
    if faults:
        raise Refused(faults)
    uow.session.flush()
    done = uow.log(Act.KEEP_ACCESS_CODES, run.id, f"Changed the code {row.label} of {run.code}")
    return shown(uow, row.id).widened(AccessCodeDone, change=done.key)


def _values(uow: UnitOfWork, facts: AccessCodeFacts) -> dict[str, object]:
    values: dict[str, object] = {}
    for name in FACTS:
        if name in facts.model_fields_set:
            given = getattr(facts, name)
            moment = name in COLUMNS
            values[COLUMNS.get(name, name)] = moment_typed(uow, given) if moment else given
    return values


def fitting(uow: UnitOfWork, run: Run, text: str) -> AccessCode | None:
    """The code of a run that somebody typed, without regard to case and blanks, if it lets in now."""
    row = typed(uow, run, text)
    return row if row is not None and not why_not(uow, row) else None


def known(uow: UnitOfWork, run: Run, text: str) -> bool:
    """Whether a code was given out by the run, whatever became of it: whoever types it did not guess."""
    return typed(uow, run, text) is not None


def typed(uow: UnitOfWork, run: Run, text: str) -> AccessCode | None:
    plain = " ".join(text.split()).casefold().encode()
    if not plain:
        return None
    rows = uow.session.scalars(select(AccessCode).where(AccessCode.run_id == run.id)).all()
    return next((r for r in rows if secrets.compare_digest(r.code.casefold().encode(), plain)), None)

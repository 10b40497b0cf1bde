"""Lists as they come in: files, pasted cells, people who were chosen; read otherwise, corrected, decided on."""

from __future__ import annotations

import hashlib

from sqlalchemy import Select, delete, func, insert, select, update

from archgate.actions.bulk import judging
from archgate.actions.bulk.commands import BatchChangeCommand, ChooseCommand, DecideLinesCommand, RowFixForm
from archgate.actions.bulk.rows import get_batch, refuse_unless
from archgate.actions.bulk.views import Chosen
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.core.faults import Fault, Refused
from archgate.core.headings import FACTS, columns_of, guessed_columns
from archgate.core.names import folded
from archgate.core.states import BatchStatus, LineOutcome, ListSource, RowDecision, RowKind
from archgate.papers.lists import MOST_ROWS, Table
from archgate.tables.bulk import Batch, BatchFile, BatchRow
from archgate.tables.money import Account
from archgate.tables.people import Organization, Person, PersonNumber, PersonTag
from archgate.tables.roster import Enrollment, PartyPlace, RunGroup

PUT = insert(BatchRow)
AT_A_TIME = 2000
BLANK: dict[str, object] = {
    "fixed": None, "is_odd": False, "name": "", "verdict": None, "why": "", "kind": None, "fact": "", "suggested": "", "near": None,
    "run_id": None, "person_id": None, "payer_id": None, "rate": "", "heads": 0, "total": 0, "dues": 0, "is_new": False, "currency": "",
    "outcome": None, "said": "", "enrollment_id": None, "waiting_id": None, "added": False, "change_key": "", "back": False,
}  # fmt: skip


def create_batch(
    uow: UnitOfWork,
    run_id: int | None,
    file_name: str,
    data: bytes,
    table: Table,
    source: ListSource = ListSource.FILE,
) -> Batch:
    """Keep a list, `table` as it was read from its file before, and judge it; nobody is enrolled yet. A long one is judged by
    the worker."""
    run = get_run(uow, run_id) if run_id else None
    batch = Batch(
        run_id=run.id if run else None,
        user_id=uow.user_id,
        status=BatchStatus.JUDGED,
        source=source,
        file_name=file_name[:200] or "list.csv",
        file_hash=hashlib.sha256(data).hexdigest(),
        created_at=uow.now,
    )
    take_in(uow, batch, table)
    earlier = select(Batch.organization_id).where(
        Batch.file_hash == batch.file_hash, Batch.status == BatchStatus.ENROLLED
    )
    batch.organization_id = uow.session.scalar(earlier.order_by(Batch.id.desc()).limit(1))
    uow.session.add(batch)
    uow.session.flush()
    if len(table.sheets) > 1:
        uow.session.execute(insert(BatchFile), {"batch_id": batch.id, "data": data})
    put_rows(uow, batch, table)
    for_run = f" for {run.code}" if run else ""
    uow.log(Act.READ_A_LIST, batch.id, f"Read {batch.file_name}{for_run}")
    judging.judge_now(uow, batch)
    return batch


def take_in(uow: UnitOfWork, batch: Batch, table: Table) -> None:
    """What is known of a list once its table was read. Columns are those that were used last for the same headings, else as
    their headings say."""
    batch.reading, batch.sheet, batch.sheets = table.reading, table.sheet[:200], table.sheets
    batch.headings, batch.lines = list(table.headings), len(table.rows)
    words = "\n".join(folded(h) for h in table.headings) if table.headed else ""
    batch.headings_hash = hashlib.sha256(words.encode()).hexdigest() if words else ""
    batch.columns = columns_used(uow, batch) or dict(
        columns_of(table.headings)
        if table.headed
        else guessed_columns([cells for _, cells in table.rows[:50]])
    )


def columns_used(uow: UnitOfWork, batch: Batch) -> dict[str, int] | None:
    """The columns of the last list with the same headings that was enrolled."""
    if not batch.headings_hash:
        return None
    used = select(Batch.columns).where(
        Batch.headings_hash == batch.headings_hash, Batch.confirmed_at.is_not(None)
    )
    return uow.session.scalar(used.order_by(Batch.id.desc()).limit(1))


def put_rows(uow: UnitOfWork, batch: Batch, table: Table) -> None:
    """The rows of a list as they came."""
    for at in range(0, len(table.rows), AT_A_TIME):
        rows = [
            {
                **BLANK,
                "batch_id": batch.id,
                "line": line,
                "cells": list(cells),
                "odd": table.odd.get(line, ""),
            }
            for line, cells in table.rows[at : at + AT_A_TIME]
        ]
        uow.session.connection().execute(PUT, rows)


def change_batch(uow: UnitOfWork, batch_id: int, command: BatchChangeCommand) -> Batch:
    """Pick other columns, who pays, or what else holds for all, while nothing of it is enrolled."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED)
    if command.columns is not None:
        unknown = set(command.columns) - set(FACTS)
        if unknown:
            raise Refused([Fault("/columns", f"There is no fact named {', '.join(sorted(unknown))}.")])
        batch.columns = {fact: i for fact, i in command.columns.items() if i is not None}
    if "organization_id" in command.model_fields_set:
        if lookups.lacks_organization(uow, command.organization_id):
            raise Refused([Fault("/organization_id", lookups.NO_ORGANIZATION)])
        batch.organization_id = command.organization_id
    for name in ("rate", "plan", "code", "extras", "group_name", "order_number", "contact"):
        if name in command.model_fields_set:
            setattr(batch, name, getattr(command, name) or "")
    uow.log(Act.CHANGE_A_LIST, batch.id, f"Changed how {batch.file_name} is read")
    uow.session.flush()
    judging.judge_now(uow, batch)
    return batch


def file_of(uow: UnitOfWork, batch_id: int) -> bytes:
    """What a list of several sheets came in as."""
    data = uow.session.scalar(select(BatchFile.data).where(BatchFile.batch_id == batch_id))
    if data is None:
        raise Problem(422, "one-sheet", "This list has one sheet only.")
    return data


def read_anew(uow: UnitOfWork, batch_id: int, table: Table) -> Batch:
    """Take another sheet of the workbook; what was corrected in the sheet before is dropped with it."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED)
    if batch.confirmed_at is not None:
        raise Problem(409, "batch-done", "Some of this sheet is enrolled already; read the file anew.")
    uow.session.execute(delete(BatchRow).where(BatchRow.batch_id == batch.id))
    take_in(uow, batch, table)
    put_rows(uow, batch, table)
    uow.log(Act.CHANGE_A_LIST, batch.id, f'Took the sheet "{batch.sheet}" of {batch.file_name}')
    uow.session.flush()
    judging.judge_now(uow, batch)
    return batch


def judge_again(uow: UnitOfWork, batch_id: int) -> Batch:
    """Judge what is left of a list by how people, seats and terms are now; of one that was taken back, what was taken back."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED, BatchStatus.STOPPED, BatchStatus.TAKEN_BACK)
    if batch.status is BatchStatus.TAKEN_BACK:
        back = (BatchRow.batch_id == batch.id, BatchRow.outcome == LineOutcome.TAKEN_BACK)
        anew = {"outcome": None, "said": "", "enrollment_id": None, "waiting_id": None, "added": False}
        uow.session.execute(update(BatchRow).where(*back).values(anew))
        batch.confirmed_at = batch.enrolled_at = None
    uow.log(Act.JUDGE_A_LIST, batch.id, f"Judged {batch.file_name} anew")
    judging.judge_now(uow, batch)
    return batch


# --- corrected and decided --------------------------------------------------------------------------------


def fix_row(uow: UnitOfWork, batch_id: int, line: int, command: RowFixForm) -> Batch:
    """Correct a line in place; the list's own cells are kept beside. An empty body takes the corrections back."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED)
    row = uow.session.scalar(select(BatchRow).where(BatchRow.batch_id == batch.id, BatchRow.line == line))
    if row is None:
        raise not_found("This line")
    if row.outcome is not None:
        raise Problem(409, "batch-done", f"Line {line} is {row.outcome} already.")
    given = {k: str(v) for k, v in document(command).items() if v is not None}
    row.fixed = {**(row.fixed or {}), **given} if given else None
    uow.log(Act.CORRECT_A_LINE, batch.id, f"Corrected line {line} of {batch.file_name}")
    uow.session.flush()
    judging.judge_touched(uow, batch, [row.id])
    return batch


# What can be decided on lines of a kind, the likeliest first.
DECISIONS: dict[RowKind, tuple[RowDecision, ...]] = {
    RowKind.NO_EMAIL: (RowDecision.WITHOUT_EMAIL,),
    RowKind.NOT_KNOWN_BY: (RowDecision.AS_NEW,),
    RowKind.BAD_EMAIL: (RowDecision.AS_SUGGESTED, RowDecision.WITHOUT_EMAIL),
    RowKind.SAME_EMAIL: (RowDecision.AS_KNOWN, RowDecision.AS_NEW),
    RowKind.SAME_PHONE: (RowDecision.AS_KNOWN, RowDecision.AS_NEW),
    RowKind.OTHER_NUMBER: (RowDecision.AS_KNOWN, RowDecision.AS_NEW),
    RowKind.BAD_NUMBER: (RowDecision.EMPTY,),
    RowKind.NO_RATE: (RowDecision.AS_SUGGESTED, RowDecision.USUAL),
    RowKind.NO_RUN: (RowDecision.AS_SUGGESTED,),
    RowKind.NO_PLAN: (RowDecision.AS_SUGGESTED, RowDecision.USUAL),
    RowKind.NO_EXTRA: (RowDecision.AS_SUGGESTED, RowDecision.USUAL),
    RowKind.NO_PAYER: (RowDecision.AS_SUGGESTED, RowDecision.USUAL),
    RowKind.BAD_PARTY: (RowDecision.USUAL,),
}
# Which fact is left empty where that is decided.
EMPTIED = {
    RowKind.BAD_NUMBER: "number", RowKind.NO_RATE: "rate", RowKind.NO_PLAN: "plan", RowKind.NO_EXTRA: "extras",
    RowKind.NO_PAYER: "payer", RowKind.BAD_PARTY: "party",
}  # fmt: skip


def decisions_on(kind: RowKind, suggested: bool = True) -> list[RowDecision]:
    """What can be decided on lines of a kind; to take what is suggested only where something is."""
    likely = [d for d in DECISIONS.get(kind, ()) if suggested or d is not RowDecision.AS_SUGGESTED]
    return [*likely, RowDecision.LEAVE_OUT]


def decided(row: BatchRow, kind: RowKind, decision: RowDecision) -> dict[str, str] | None:
    """What a decision puts into a line; None where it does not fit it (nothing was suggested, nobody is near)."""
    match decision:
        case RowDecision.LEAVE_OUT:
            return {"left_out": "yes"}
        case RowDecision.WITHOUT_EMAIL:
            return {"no_email": "yes", "email": ""}
        case RowDecision.AS_NEW:
            return {"somebody_new": "yes"}
        case RowDecision.AS_KNOWN:
            return {"person": str(row.near[0])} if row.near else None
        case RowDecision.AS_SUGGESTED:
            return {row.fact: row.suggested} if row.fact and row.suggested else None
        case RowDecision.USUAL | RowDecision.EMPTY:
            return {EMPTIED[kind]: ""}
    return {}


def decide(uow: UnitOfWork, batch_id: int, command: DecideLinesCommand) -> tuple[Batch, int]:
    """One decision for all lines of a kind; how many it was put into."""
    batch = get_batch(uow, batch_id, to_change=True)
    refuse_unless(batch, BatchStatus.JUDGED)
    kind, decision = command.kind, command.decision
    if decision not in decisions_on(kind):
        raise Refused([Fault("/decision", f'"{decision}" cannot be decided on lines with this: {kind}.')])
    query = select(BatchRow).where(
        BatchRow.batch_id == batch.id, BatchRow.kind == kind, BatchRow.outcome.is_(None)
    )
    touched: list[int] = []
    for row in uow.session.scalars(query):
        given = decided(row, kind, decision)
        if given:
            row.fixed = {**(row.fixed or {}), **given}
            touched.append(row.id)
    if not touched:
        raise Problem(
            422, "nothing-decided", "None of these lines can be decided so; look at them one by one."
        )
    lines = f"{len(touched)} {'line' if len(touched) == 1 else 'lines'}"
    uow.log(Act.DECIDE_ON_LINES, batch.id, f"{lines} of {batch.file_name} ({kind}): {decision}")
    uow.session.flush()
    judging.judge_touched(uow, batch, touched)
    return batch, len(touched)


# --- people who are known ---------------------------------------------------------------------------------


def choice(command: ChooseCommand) -> Select[int]:
    """The ids of those who are chosen."""
    query = select(Person.id).where(Person.there())
    if command.tag:
        query = query.where(Person.id.in_(tagged(command.tag)))
    if command.organization_id:
        of = select(PersonNumber.person_id).where(PersonNumber.organization_id == command.organization_id)
        paid = select(Enrollment.person_id).where(
            Enrollment.payer_id.in_(accounts_of(command.organization_id))
        )
        query = query.where(Person.id.in_(of.union(paid)))
    if command.role or command.of_run_id:
        query = query.where(Person.id.in_(on_rosters(command)))
    if command.but_tag:
        query = query.where(Person.id.not_in(tagged(command.but_tag)))
    if command.but_run_id:
        query = query.where(
            Person.id.not_in(on_rosters(ChooseCommand(run_id=1, of_run_id=command.but_run_id)))
        )
    return query


def tagged(tag: str) -> Select[int]:
    return select(PersonTag.person_id).where(PersonTag.tag == tag.casefold())


def accounts_of(organization_id: int) -> Select[int]:
    return select(Account.id).where(Account.organization_id == organization_id)


def on_rosters(command: ChooseCommand) -> Select[int]:
    """Everybody on a run, or on any, in a role, or in a group; named heads of parties are learners."""
    which = [Enrollment.live == 1]
    which += [Enrollment.run_id == command.of_run_id] if command.of_run_id else []
    if command.group:
        which.append(Enrollment.group_id.in_(select(RunGroup.id).where(RunGroup.name == command.group)))
    own = select(Enrollment.person_id).where(*which)
    if command.role:
        return own.where(Enrollment.role == command.role)
    named = select(PartyPlace.person_id).join(Enrollment, Enrollment.id == PartyPlace.enrollment_id)
    both = own.union_all(named.where(*which, PartyPlace.person_id.is_not(None))).subquery()
    return select(both.c[0])


MOST_NAMES = 200


def preview_choice(uow: UnitOfWork, command: ChooseCommand) -> Chosen:
    """How many people a choice holds, and the first of them by name."""
    chosen = choice(command).subquery()
    number = uow.session.scalar(select(func.count()).select_from(chosen)) or 0
    first = select(Person.name).join(chosen, chosen.c[0] == Person.id).order_by(Person.family, Person.given)
    return Chosen(people=number, names=list(uow.session.scalars(first.limit(MOST_NAMES))))


HEADINGS = ["Given name", "Family name", "Email", "Phone"]


def choose_people(uow: UnitOfWork, command: ChooseCommand) -> Batch:
    """Make a list of people who are known, in the order of their names, for a run."""
    run = get_run(uow, command.run_id)
    chosen = choice(command).subquery()
    query = select(Person.id, Person.given, Person.family, Person.email, Person.phone).join(
        chosen, chosen.c[0] == Person.id
    )
    people = uow.session.execute(
        query.order_by(Person.family, Person.given, Person.id).limit(MOST_ROWS + 1)
    ).all()
    if not people:
        raise Problem(422, "nobody", "Nobody is chosen by this.")
    if len(people) > MOST_ROWS:
        raise Problem(
            422, "too-many", f"More than {MOST_ROWS:,} people are chosen by this; say more of them."
        )
    batch = Batch(
        run_id=run.id,
        user_id=uow.user_id,
        status=BatchStatus.JUDGED,
        source=ListSource.PEOPLE,
        file_name=words_of(uow, command)[:200],
        file_hash="",
        reading=f"people who are known already, {len(people):,} lines",
        sheets=[],
        headings=HEADINGS,
        columns={"given": 0, "family": 1, "email": 2, "phone": 3},
        lines=len(people),
        created_at=uow.now,
    )
    uow.session.add(batch)
    uow.session.flush()
    rows = [
        {**BLANK, "batch_id": batch.id, "line": n, "odd": "", "fixed": {"person": str(number)},
         "cells": [given, family, email or "", phone or ""]}
        for n, (number, given, family, email, phone) in enumerate(people, 1)
    ]  # fmt: skip
    for at in range(0, len(rows), AT_A_TIME):
        uow.session.connection().execute(PUT, rows[at : at + AT_A_TIME])
    uow.log(Act.READ_A_LIST, batch.id, f"Chose {len(people)} people for {run.code}")
    judging.judge_now(uow, batch)
    return batch


def words_of(uow: UnitOfWork, command: ChooseCommand) -> str:
    """A choice in words: who they are."""
    parts = [f"{command.role}s" if command.role else "people"]
    parts += [f"tagged {command.tag}"] if command.tag else []
    if command.organization_id:
        parts.append(f"of {organization_name(uow, command.organization_id)}")
    parts += [f"in group {command.group}"] if command.group else []
    parts += [f"on {get_run(uow, command.of_run_id).code}"] if command.of_run_id else []
    parts += [f"without tag {command.but_tag}"] if command.but_tag else []
    parts += [f"not on {get_run(uow, command.but_run_id).code}"] if command.but_run_id else []
    return " ".join(parts) if len(parts) > 1 or command.role else "everybody known"


def organization_name(uow: UnitOfWork, number: int) -> str:
    organization = uow.session.get(Organization, number)
    if organization is None:
        raise Refused([Fault("/organization_id", lookups.NO_ORGANIZATION)])
    return organization.name

"""Batches: a list put onto a run in one step, judged before anything is written."""

from __future__ import annotations

import hashlib
from typing import Any

from sqlalchemy import select

from archgate.actions import courses, fees, money, people, roster
from archgate.actions.problems import Problem, conflict, not_found
from archgate.actions.transaction import Deed
from archgate.core import seats, verdicts
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.papers.lists import read_table
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.people import Organization, Person, PersonNumber


def create_batch(deed: Deed, run_id: int, file_name: str, data: bytes) -> dict[str, Any]:
    """Read a list for a run and judge it; nobody is enrolled yet."""
    run = courses.get_run(deed, run_id)
    try:
        table = read_table(data)
    except ValueError as error:
        raise Refused([Fault("/file", str(error))]) from None
    columns: dict[str, Any] = dict(verdicts.columns_of(table.headings))
    batch = Batch(
        run_id=run.id,
        user_id=deed.user_id,
        rate_id=fees.rate_of(run, None).id,
        plan_id=fees.plan_of(run, None).id,
        status="judged",
        file_name=file_name[:200] or "list.csv",
        file_hash=hashlib.sha256(data).hexdigest(),
        reading=table.reading,
        headings=list(table.headings),
        columns=columns,
        created_at=deed.now,
        rows=[BatchRow(line=line, cells=list(cells)) for line, cells in table.rows],
    )
    earlier = select(Batch.organization_id).where(
        Batch.file_hash == batch.file_hash, Batch.status == "enrolled"
    )
    batch.organization_id = deed.session.scalar(earlier.order_by(Batch.id.desc()).limit(1))
    deed.session.add(batch)
    deed.session.flush()
    deed.log("read a list", "batch", batch.id, f"Read {batch.file_name} for {run.code}")
    return batch_view(deed, batch.id)


def get_batch(deed: Deed, batch_id: int) -> Batch:
    batch = deed.session.get(Batch, batch_id)
    if batch is None:
        raise not_found("This list")
    return batch


def change_batch(deed: Deed, batch_id: int, body: dict[str, Any]) -> dict[str, Any]:
    """Pick other columns or the organization that pays, while nothing is enrolled."""
    batch = get_batch(deed, batch_id)
    if batch.status != "judged":
        raise conflict("batch-done", "This list has been enrolled already.")
    columns = body.get("columns")
    if columns is not None:
        unknown = set(columns) - set(verdicts.FACTS)
        if unknown:
            raise Refused([Fault("/columns", f"There is no fact named {', '.join(sorted(unknown))}.")])
        batch.columns = {fact: i for fact, i in columns.items() if i is not None}
    if "organization_id" in body:
        number = body["organization_id"]
        if number is not None and deed.session.get(Organization, number) is None:
            raise Refused([Fault("/organization_id", "There is no such organization.")])
        batch.organization_id = number
    deed.log("change a list", "batch", batch.id, f"Changed how {batch.file_name} is read")
    deed.session.flush()
    return batch_view(deed, batch.id)


def known_people(deed: Deed, batch: Batch, rows: list[verdicts.Row]) -> verdicts.Known:
    """Who of the list the center knows: by staff number of the paying organization, and by name and email."""
    numbers = [r.number for r in rows if r.number]
    by_number: dict[str, tuple[int, str]] = {}
    if numbers and batch.organization_id:
        found = deed.session.execute(
            select(PersonNumber.number, Person.id, Person.name)
            .join(Person, Person.id == PersonNumber.person_id)
            .where(PersonNumber.organization_id == batch.organization_id, PersonNumber.number.in_(numbers))
        )
        by_number = {number: (person, name) for number, person, name in found}
    emails = [r.email for r in rows if r.email]
    by_email: dict[tuple[str, str], int] = {}
    if emails:
        query = (
            select(Person.id, Person.name, Person.email)
            .where(Person.email.in_(emails))
            .order_by(Person.id.desc())
        )
        by_email = {
            (verdicts.folded(name), (email or "").lower()): person
            for person, name, email in deed.session.execute(query)
        }
    ids = [person for person, _ in by_number.values()] + list(by_email.values())
    return verdicts.Known(by_number, by_email, frozenset(roster.live_on(deed, batch.run_id, ids)))


def judged(deed: Deed, batch: Batch, free: int) -> tuple[list[str], list[verdicts.Verdict]]:
    """The verdicts as things stand now; without usable columns, the reasons why there are none."""
    columns = {fact: int(i) for fact, i in batch.columns.items()}
    width = len(batch.headings)
    wrong = verdicts.column_faults(columns, width)
    if wrong:
        return wrong, []
    rows = [(r.line, r.cells) for r in batch.rows]
    read = [verdicts.read_row(line, cells, columns) for line, cells in rows]
    known = known_people(deed, batch, read)
    return [], verdicts.judge(rows, columns, width, known, free, people.email_fault)


def batch_view(deed: Deed, batch_id: int) -> dict[str, Any]:
    """The list as judged now, or, once enrolled, the report of what became of every line."""
    batch = get_batch(deed, batch_id)
    run = courses.get_run(deed, batch.run_id)
    state = fees.seats_of(deed, run)
    quote, due = fees.terms_for(
        deed, run, fees.rate_of(run, batch.rate_id), fees.plan_of(run, batch.plan_id), 1
    )
    sign_up, why = fees.sign_up_of(deed, run, False)
    wrong: list[str] = []
    if batch.report is None:
        wrong, found = judged(deed, batch, state.free)
        items = [verdict_view(v) for v in found]
    else:
        items = batch.report
    counts = {v: sum(1 for i in items if i["verdict"] == v) for v in ("enrolled", *ALL_VERDICTS)}
    people_count = counts["enrolled"] if batch.report is not None else counts[verdicts.WILL_ENROLL]
    payer = deed.session.get(Organization, batch.organization_id) if batch.organization_id else None
    earlier = deed.session.scalar(
        select(Batch).where(
            Batch.file_hash == batch.file_hash,
            Batch.run_id == run.id,
            Batch.status == "enrolled",
            Batch.id != batch.id,
        )
    )
    return {
        "id": batch.id,
        "run_id": run.id,
        "run_code": run.code,
        "run_title": run.title or run.course.title,
        "status": batch.status,
        "file_name": batch.file_name,
        "reading": batch.reading,
        "headings": batch.headings,
        "columns": batch.columns,
        "column_faults": wrong,
        "organization": payer and {"id": payer.id, "name": payer.name},
        "counts": counts,
        "people": people_count,
        "each": format_amount(quote.total, run.currency),
        "total": format_amount(quote.total * people_count, run.currency),
        "currency": run.currency,
        "capacity": run.capacity,
        "taken": state.taken,
        "can_enroll": str(sign_up) == "open" and people_count > 0 and batch.status == "judged",
        "why": why,
        "quote": fees.quote_view(quote, due),
        "earlier": earlier and earlier.enrolled_at and earlier.enrolled_at.astimezone(deed.zone).isoformat(),
        "items": items,
    }


ALL_VERDICTS = (verdicts.WILL_ENROLL, verdicts.ALREADY_IN, verdicts.NO_SEAT, verdicts.NEEDS_FIXING)


def verdict_view(
    found: verdicts.Verdict, verdict: str | None = None, why: str | None = None
) -> dict[str, Any]:
    row = found.row
    return {
        "line": row.line,
        "name": row.name,
        "email": row.email,
        "number": row.number,
        "department": row.department,
        "verdict": verdict or found.verdict,
        "why": why or found.why,
        "person_id": found.person,
    }


def enroll_batch(deed: Deed, batch_id: int, people_shown: int, total_shown: str) -> dict[str, Any]:
    """Enroll everybody whose verdict is `will enroll`, in one transaction.

    `people_shown` and `total_shown` are what the person confirmed; when either differs by now, nothing is
    written and both are answered (409).
    """
    batch = get_batch(deed, batch_id)
    run = courses.get_run(deed, batch.run_id)
    row = courses.lock_seats(deed, run)
    deed.session.refresh(batch)
    if batch.status != "judged":
        raise conflict("batch-done", "This list has been enrolled already.")
    rate, plan = fees.rate_of(run, batch.rate_id), fees.plan_of(run, batch.plan_id)
    wrong, found = judged(deed, batch, seats.Seats(run.capacity, row.taken).free)
    if wrong:
        raise Refused([Fault("/columns", w) for w in wrong])
    going = [v for v in found if v.verdict == verdicts.WILL_ENROLL]
    quote, due = fees.terms_for(deed, run, rate, plan, 1)
    total = format_amount(quote.total * len(going), run.currency)
    if (people_shown, total_shown) != (len(going), total):
        said = f"It was {people_shown} people for {total_shown} when it was shown and is {len(going)} for {total} now."
        raise conflict("batch-changed", said, shown={"people": people_shown, "total": total_shown},
                       now={"people": len(going), "total": total})  # fmt: skip
    if not going:
        raise Problem(422, "nobody", "Nobody on this list would be enrolled.")
    roster.refuse_sign_up(deed, run, row.taken)
    row.taken += len(going)
    batch.status, batch.enrolled_at = "enrolled", deed.now
    report = []
    view = fees.quote_view(quote, due)
    for verdict in found:
        if verdict.verdict != verdicts.WILL_ENROLL:
            report.append(verdict_view(verdict))
            continue
        person = person_for(deed, batch, verdict)
        owner = roster.payer_owner(deed, person, batch.organization_id)
        payer = money.account_of(deed, owner, run.currency)
        roster.seat_person(deed, run, person, payer, rate, plan, quote.total, view, "list", batch.id)
        why = "Known; has a seat." if verdict.person else "Added; has a seat."
        report.append({**verdict_view(verdict, "enrolled", why), "person_id": person.id})
    batch.report = report
    change = deed.log(
        "enroll a list", "batch", batch.id, f"Enrolled {len(going)} people of {batch.file_name} on {run.code}"
    )
    deed.session.flush()
    return {**batch_view(deed, batch.id), "change": change.key}


def person_for(deed: Deed, batch: Batch, verdict: verdicts.Verdict) -> Person:
    """The known person of a line, or a new one; a staff number is remembered for the next list."""
    row = verdict.row
    person = deed.session.get(Person, verdict.person) if verdict.person else None
    if person is None:
        person = people.new_person(row.given, row.family, row.email, row.phone, "", deed)
        deed.session.add(person)
        deed.session.flush()
    if row.number and batch.organization_id:
        key = (PersonNumber.organization_id == batch.organization_id, PersonNumber.number == row.number)
        if deed.session.scalar(select(PersonNumber.id).where(*key)) is None:
            deed.session.add(
                PersonNumber(
                    organization_id=batch.organization_id,
                    person_id=person.id,
                    number=row.number,
                    department=row.department[:200],
                )
            )
    return person

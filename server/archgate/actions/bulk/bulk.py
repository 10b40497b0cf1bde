"""Batches: a list put onto a run in one step, judged before anything is written."""

from __future__ import annotations

import hashlib
from collections import Counter
from dataclasses import dataclass
from functools import cached_property
from typing import TypeAlias

from sqlalchemy import select

from archgate.actions.bulk.commands import BatchChangeCommand, RowFixForm
from archgate.actions.bulk.views import BatchItem, BatchOut, BatchRate, BatchRows, BatchSum
from archgate.actions.enrolling import enrollments, leaving, telling, waitlist
from archgate.actions.fees import fees, quotes
from archgate.actions.fees.commands import Ask, HeadsAsked
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.commands import document
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem, conflict, not_found
from archgate.actions.kernel.reversals import reverses
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.money import money
from archgate.actions.people import people
from archgate.actions.people.views import OrganizationOut
from archgate.actions.seats import parties, seats
from archgate.core import eligibility, verdicts
from archgate.core import fees as core_fees
from archgate.core import plans as core_plans
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount, parse_amount
from archgate.core.names import digits_of, folded
from archgate.core.quotes import agreed_of
from archgate.core.states import BatchStatus, EnrollmentStatus, LineStatus, SignUp
from archgate.papers.lists import Table
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Organization, Person, PersonNumber
from archgate.tables.roster import Enrollment
from archgate.tables.waitlist import Waiting

ENROLLED, WAITING = "enrolled", "waiting"


Priced: TypeAlias = tuple[quotes.ResolvedAsk, core_fees.Quote, core_plans.Installments]


@dataclass
class Judging:
    """A list under judgment: the run's terms as they stand, and what each line would cost."""

    uow: UnitOfWork
    batch: Batch
    run: Run

    def __post_init__(self) -> None:
        self._quotes: dict[tuple[str | None, int], Priced] = {}
        self._terms: dict[int, eligibility.Terms] = {}
        self._at: dict[int, int] | None = None

    @cached_property
    def lines(self) -> list[verdicts.Verdict]:
        rows = [(r.line, r.cells, r.fixed, r.odd) for r in self.batch.rows]
        width = len(self.batch.headings)
        read = [verdicts.read_row(line, cells, self.columns, fixed) for line, cells, fixed, _ in rows]
        known = known_people(self.uow, self.batch, read)
        return verdicts.judge(
            rows, self.columns, width, known, self.terms, people.email_fault, self.rate_fault
        )

    def rate_fault(self, code: str, person_id: int | None, heads: int) -> str | None:
        """Why a line cannot have its rate; the heads of the lines before it count against the rate's number."""
        rate = next(r for r in fees.rates_of(self.run) if r.code == code)
        terms = self._terms.setdefault(rate.id, fees.who_terms(self.uow, rate))
        if terms == eligibility.Terms():
            return None
        if self._at is None:
            self._at = fees.heads_at(self.uow, self.run)
        person = self.uow.session.get(Person, person_id) if person_id else None
        facts = quotes.facts_of(self.uow, self.run, person, self.batch.organization_id) or eligibility.Person(
            organizations=frozenset([self.batch.organization_id] if self.batch.organization_id else [])
        )
        why = eligibility.why_not(terms, facts, self.uow.today, self._at.get(rate.id, 0), heads)
        if why is None:
            self._at[rate.id] = self._at.get(rate.id, 0) + heads
        return why

    @cached_property
    def columns(self) -> dict[str, int]:
        return {fact: int(i) for fact, i in self.batch.columns.items()}

    @cached_property
    def terms(self) -> verdicts.Terms:
        state = seats.seats_of(self.uow, self.run)
        rates = fees.rates_of(self.run)
        words = {folded(r.code): r.code for r in rates} | {folded(r.label): r.code for r in rates}
        groups = seats.Groups(self.uow, self.run)
        return verdicts.Terms(
            words,
            fees.rate_of(self.run, None).code,
            state,
            lambda person: groups.of(person, self.batch.organization_id),
        )

    def terms_of(self, verdict: verdicts.Verdict) -> Priced:
        """What a line asks for, its quote and installments; the same for all lines of one rate and party."""
        key = (verdict.rate, verdict.row.party or 1)
        if key not in self._quotes:
            rate = next(r for r in fees.rates_of(self.run) if r.code == verdict.rate)
            resolved = quotes.resolve_ask(
                self.uow, self.run, Ask(people=[HeadsAsked(rate_id=rate.id, count=key[1])])
            )
            self._quotes[key] = (resolved, *quotes.terms_for(self.uow, resolved))
        return self._quotes[key]

    def of(self, verdict: str) -> list[verdicts.Verdict]:
        return [v for v in self.lines if v.verdict == verdict]

    @property
    def seats(self) -> int:
        return sum(v.row.party or 1 for v in self.of(verdicts.WILL_ENROLL))

    @property
    def total(self) -> int:
        return sum(self.terms_of(v)[1].total for v in self.of(verdicts.WILL_ENROLL))


def create_batch(uow: UnitOfWork, run_id: int, file_name: str, data: bytes, table: Table) -> BatchOut:
    """Judge a list for a run, `table` as it was read from its file before; nobody is enrolled yet."""
    run = get_run(uow, run_id)
    columns = dict(
        verdicts.columns_of(table.headings)
        if table.headed
        else verdicts.guessed_columns([cells for _, cells in table.rows])
    )
    batch = Batch(
        run_id=run.id,
        user_id=uow.user_id,
        status=BatchStatus.JUDGED,
        file_name=file_name[:200] or "list.csv",
        file_hash=hashlib.sha256(data).hexdigest(),
        reading=table.reading,
        headings=list(table.headings),
        columns=columns,
        created_at=uow.now,
        rows=[
            BatchRow(line=line, cells=list(cells), odd=table.odd.get(line, "")) for line, cells in table.rows
        ],
    )
    earlier = select(Batch.organization_id).where(
        Batch.file_hash == batch.file_hash, Batch.status == BatchStatus.ENROLLED
    )
    batch.organization_id = uow.session.scalar(earlier.order_by(Batch.id.desc()).limit(1))
    uow.session.add(batch)
    uow.session.flush()
    uow.log(Act.READ_A_LIST, batch.id, f"Read {batch.file_name} for {run.code}")
    return batch_view(uow, batch.id)


def get_batch(uow: UnitOfWork, batch_id: int) -> Batch:
    batch = uow.session.get(Batch, batch_id)
    if batch is None:
        raise not_found("This list")
    return batch


def change_batch(uow: UnitOfWork, batch_id: int, command: BatchChangeCommand) -> BatchOut:
    """Pick other columns or the organization that pays, while nothing is enrolled."""
    batch = get_batch(uow, batch_id)
    if batch.status != BatchStatus.JUDGED:
        raise conflict("batch-done", "This list has been enrolled already.")
    columns = command.columns
    if columns is not None:
        unknown = set(columns) - set(verdicts.FACTS)
        if unknown:
            raise Refused([Fault("/columns", f"There is no fact named {', '.join(sorted(unknown))}.")])
        batch.columns = {fact: i for fact, i in columns.items() if i is not None}
    if "organization_id" in command.model_fields_set:
        number = command.organization_id
        if lookups.lacks_organization(uow, number):
            raise Refused([Fault("/organization_id", lookups.NO_ORGANIZATION)])
        batch.organization_id = number
    uow.log(Act.CHANGE_A_LIST, batch.id, f"Changed how {batch.file_name} is read")
    uow.session.flush()
    return batch_view(uow, batch.id)


def fix_row(uow: UnitOfWork, batch_id: int, line: int, command: RowFixForm) -> BatchOut:
    """Correct a line in place; the file's own cells are kept beside. An empty body takes the corrections back."""
    batch = get_batch(uow, batch_id)
    if batch.status != BatchStatus.JUDGED:
        raise conflict("batch-done", "This list has been enrolled already.")
    row = next((r for r in batch.rows if r.line == line), None)
    if row is None:
        raise not_found("This line")
    given = {k: str(v) for k, v in document(command).items() if v is not None}
    row.fixed = {**(row.fixed or {}), **given} if given else None
    uow.log(Act.CORRECT_A_LINE, batch.id, f"Corrected line {line} of {batch.file_name}")
    uow.session.flush()
    return batch_view(uow, batch.id)


def known_people(uow: UnitOfWork, batch: Batch, rows: list[verdicts.Row]) -> verdicts.Known:
    """Who of the list the center knows: by staff number of the paying organization, by name with email or phone."""
    numbers = [r.number for r in rows if r.number]
    by_number: dict[str, tuple[int, str]] = {}
    if numbers:
        # Whose number it is: that of the organization that pays, else the center's own, in which it is one person.
        whose = (
            PersonNumber.organization_id == batch.organization_id
            if batch.organization_id
            else PersonNumber.organization_id.is_(None)
        )
        numbered = uow.session.execute(
            select(PersonNumber.number, Person.id, Person.name)
            .join(Person, Person.id == PersonNumber.person_id)
            .where(whose, PersonNumber.number.in_(numbers))
            .order_by(PersonNumber.id.desc())
        )
        by_number = {number: (person, name) for number, person, name in numbered}
    whose_email: dict[str, list[str]] = {}
    by_email: dict[tuple[str, str], int] = {}
    emails = [r.email for r in rows if r.email]
    if emails:
        mailed = select(Person.id, Person.folded, Person.email, Person.name).where(
            Person.email.in_(emails), Person.merged_into_id.is_(None)
        )
        for person, name, email, full in uow.session.execute(mailed.order_by(Person.id.desc())):
            by_email[(name, str(email).lower())] = person
            whose_email.setdefault(str(email).lower(), []).append(full)
    by_phone: dict[tuple[str, str], int] = {}
    phones = [digits_of(r.phone) for r in rows if r.phone and not r.email]
    if phones:
        query = select(Person.id, Person.folded, Person.digits).where(
            Person.digits.in_(phones), Person.merged_into_id.is_(None)
        )
        for person, name, number in uow.session.execute(query.order_by(Person.id.desc())):
            by_phone[(name, str(number))] = person
    ids = [person for person, _ in by_number.values()] + list(by_email.values()) + list(by_phone.values())
    waiting = {w.person_id for w in seats.line_of(uow, batch.run_id, offered=True)}
    on_roster = frozenset(parties.live_on(uow, batch.run_id, ids))
    held_by = {email: " and ".join(sorted(names)[:3]) for email, names in whose_email.items()}
    return verdicts.Known(by_number, by_email, by_phone, held_by, on_roster, frozenset(waiting))


def batch_view(uow: UnitOfWork, batch_id: int) -> BatchOut:
    """The list as judged now, or, once enrolled, the report of what became of every line."""
    batch = get_batch(uow, batch_id)
    run = get_run(uow, batch.run_id)
    state = seats.seats_of(uow, run)
    wrong, items = lines_of(uow, batch, run)
    done = batch.report is not None
    page = page_of(items, 0)
    counts = Counter(i.verdict for i in items)
    going = [i for i in items if i.verdict in (ENROLLED, verdicts.WILL_ENROLL)]
    payer = uow.session.get(Organization, batch.organization_id) if batch.organization_id else None
    sign_up, why = fees.sign_up_of(uow, run, False)
    same = Batch.file_hash == batch.file_hash, Batch.run_id == run.id, Batch.id != batch.id
    earlier = uow.session.scalar(select(Batch).where(*same, Batch.status == BatchStatus.ENROLLED))
    total = 0 if wrong else sum(parse_amount(i.total, run.currency) for i in going)
    waits = sum(1 for i in items if i.verdict == verdicts.WILL_WAIT)
    return BatchOut(
        id=batch.id,
        run_id=run.id,
        run_code=run.code,
        run_title=run.title or run.course.title,
        status=batch.status,
        file_name=batch.file_name,
        reading=batch.reading,
        headings=batch.headings,
        columns=batch.columns,
        column_faults=wrong,
        organization=OrganizationOut(id=payer.id, name=payer.name) if payer else None,
        counts={name: counts[name] for name in (ENROLLED, WAITING, *verdicts.VERDICTS) if counts[name]},
        people=len(going),
        seats=sum(i.party for i in going),
        waits=waits,
        total=format_amount(total, run.currency),
        sums=sums_of(going, run.currency),
        rates=[BatchRate(code=r.code, label=r.label) for r in fees.rates_of(run)],
        currency=run.currency,
        capacity=run.capacity,
        taken=state.taken,
        can_enroll=str(sign_up) == "open" and bool(going or waits) and not done,
        why=why,
        earlier=uow.local(earlier.enrolled_at) if earlier else None,
        lines=len(items),
        odd=sum(1 for i in items if i.odd),
        numbered=any(i.number for i in items),
        items=page.items,
        next=page.next,
    )


PAGE = 200
ODD = "odd"


def lines_of(uow: UnitOfWork, batch: Batch, run: Run) -> tuple[list[str], list[BatchItem]]:
    """What is wrong with the columns, and every line: as judged now, or as the report says once enrolled."""
    if batch.report is not None:
        return [], [BatchItem.model_validate(line) for line in batch.report]
    judging = Judging(uow, batch, run)
    wrong = verdicts.column_faults(judging.columns, len(batch.headings))
    return wrong, [] if wrong else [verdict_view(judging, v) for v in judging.lines]


def page_of(items: list[BatchItem], after: int) -> BatchRows:
    """The lines that follow a line, up to a page, with the last one's number where more follow."""
    behind = [i for i in items if i.line > after]
    more = len(behind) > PAGE
    return BatchRows(items=behind[:PAGE], next=behind[PAGE - 1].line if more else None)


def batch_rows(uow: UnitOfWork, batch_id: int, only: str, after: int) -> BatchRows:
    """A page of the lines of a list: all, those of a verdict, or those with something odd about them."""
    batch = get_batch(uow, batch_id)
    _, items = lines_of(uow, batch, get_run(uow, batch.run_id))
    if only == ODD:
        items = [i for i in items if i.odd]
    elif only:
        items = [i for i in items if i.verdict == only]
    return page_of(items, after)


def sums_of(items: list[BatchItem], currency: str) -> list[BatchSum]:
    """Heads and money by rate, for the confirmation."""
    heads: Counter[str] = Counter()
    amounts: Counter[str] = Counter()
    for item in items:
        heads[item.rate] += item.party
        amounts[item.rate] += parse_amount(item.total, currency)
    return [BatchSum(rate=r, heads=n, total=format_amount(amounts[r], currency)) for r, n in heads.items()]


def verdict_view(
    judging: Judging, found: verdicts.Verdict, verdict: str | None = None, why: str | None = None
) -> BatchItem:
    row = found.row
    priced = found.verdict in (verdicts.WILL_ENROLL, verdicts.WILL_WAIT)
    resolved, quote, _ = judging.terms_of(found) if priced else (None, None, None)
    return BatchItem(
        line=row.line,
        given=row.given,
        family=row.family,
        name=row.name,
        email=row.email,
        phone=row.phone,
        number=row.number,
        department=row.department,
        rate=resolved.heads[0].label if resolved else row.rate,
        party=row.party or 0,
        remarks=row.remarks,
        no_email=row.no_email,
        somebody_new=row.somebody_new,
        odd=list(row.odd),
        total=format_amount(quote.total if quote else 0, judging.run.currency),
        verdict=verdict or found.verdict,
        why=why or found.why,
        person_id=found.person,
    )


def enroll_batch(uow: UnitOfWork, batch_id: int, people_shown: int, total_shown: str) -> BatchOut:
    """Enroll everybody whose verdict is `will enroll`, and line up those who will wait, in one transaction.

    `people_shown` and `total_shown` are what the person confirmed; when either differs by now, nothing is
    written and both are answered (409).
    """
    batch = get_batch(uow, batch_id)
    run = get_run(uow, batch.run_id)
    seats.lock_seats(uow, run)
    uow.session.refresh(batch)
    if batch.status != BatchStatus.JUDGED:
        raise conflict("batch-done", "This list has been enrolled already.")
    judging = Judging(uow, batch, run)
    wrong = verdicts.column_faults(judging.columns, len(batch.headings))
    if wrong:
        raise Refused([Fault("/columns", w) for w in wrong])
    going, waits = judging.of(verdicts.WILL_ENROLL), judging.of(verdicts.WILL_WAIT)
    total = format_amount(judging.total, run.currency)
    if (people_shown, total_shown) != (len(going), total):
        sentence = f"It was {people_shown} sign-ups for {total_shown} when it was shown and is {len(going)} for {total} now."
        raise conflict(
            "batch-changed",
            sentence,
            shown={"people": people_shown, "total": total_shown},
            now={"people": len(going), "total": total},
        )
    if not going and not waits:
        raise Problem(422, "nobody", "Nobody on this list would be enrolled.")
    sign_up, why = fees.sign_up_of(uow, run, full=False)
    if sign_up is not SignUp.OPEN:
        raise conflict("sign-up-shut", why)
    seats.take(uow, run.id, judging.seats)
    batch.status, batch.enrolled_at = BatchStatus.ENROLLED, uow.now
    batch.report = [settle_line(judging, line).model_dump(mode="json") for line in judging.lines]
    lined = f" and put {len(waits)} in line" if waits else ""
    change = uow.log(
        Act.ENROLL_A_LIST,
        batch.id,
        f"Enrolled {len(going)} people of {batch.file_name}{lined} on {run.code}",
        run_id=run.id,
    )
    uow.session.flush()
    seated = select(Enrollment).where(Enrollment.batch_id == batch.id).order_by(Enrollment.id)
    telling.tell_of_many(uow, change, uow.session.scalars(seated).all(), run)
    return batch_view(uow, batch.id).widened(BatchOut, change=change.key)


def settle_line(judging: Judging, verdict: verdicts.Verdict) -> BatchItem:
    """Do what a line's verdict says, and report it."""
    if verdict.verdict not in (verdicts.WILL_ENROLL, verdicts.WILL_WAIT):
        return verdict_view(judging, verdict)
    uow, batch, run, row = judging.uow, judging.batch, judging.run, verdict.row
    person = person_for(uow, batch, verdict)
    payer = money.account_of(
        uow, enrollments.payer_owner(uow, run, person, batch.organization_id), run.currency
    )
    resolved, quote, due = judging.terms_of(verdict)
    heads = len(resolved.heads)
    who = "Known" if verdict.person else "Added"
    if verdict.verdict == verdicts.WILL_WAIT:
        waitlist.line_up(uow, resolved, person, payer, row.remarks, "list", batch.id)
        view = verdict_view(judging, verdict, WAITING, f"{who}; waits in line.")
    else:
        priced = agreed_of(quote, due)
        coming = enrollments.Coming(resolved, priced, person, payer, "list", row.remarks, batch.id)
        enrollments.seat_person(uow, coming, verdict.seat)
        has = "a seat" if heads == 1 else f"{heads} seats"
        view = verdict_view(judging, verdict, ENROLLED, f"{who}; has {has}.")
    return view.widened(BatchItem, person_id=person.id)


def person_for(uow: UnitOfWork, batch: Batch, verdict: verdicts.Verdict) -> Person:
    """The known person of a line, or a new one; a staff number is remembered for the next list."""
    row = verdict.row
    person = uow.session.get(Person, verdict.person) if verdict.person else None
    if person is None:
        person = people.new_person(row.given, row.family, row.email, row.phone, "", uow)
        uow.session.add(person)
        uow.session.flush()
    if row.number:
        whose = PersonNumber.organization_id
        key = (
            whose == batch.organization_id if batch.organization_id else whose.is_(None),
            PersonNumber.number == row.number,
        )
        if uow.session.scalar(select(PersonNumber.id).where(*key)) is None:
            uow.session.add(
                PersonNumber(
                    organization_id=batch.organization_id,
                    person_id=person.id,
                    number=row.number,
                    department=row.department[:200],
                )
            )
    return person


# --- taken back -----------------------------------------------------------------------------------------


@reverses(Act.ENROLL_A_LIST)
def undo_batch(uow: UnitOfWork, change: Change) -> None:
    """Take back every seat of a list that is still as the list made it; all of it, or nothing."""
    batch = uow.session.get_one(Batch, change.subject_id)
    seats.run_to_change(uow, batch.run_id)
    rows = uow.session.scalars(select(Enrollment).where(Enrollment.batch_id == batch.id)).all()
    gone = [e.person.name for e in rows if not e.holds_seat]
    if gone:
        raise conflict("moved-on", f"It has moved on since: {', '.join(gone[:3])} no longer holds the seat.")
    for enrollment in rows:
        leaving.end(uow, enrollment, EnrollmentStatus.TAKEN_BACK, f"Undid the list {batch.file_name}")
    for waiting in uow.session.scalars(
        select(Waiting).where(Waiting.batch_id == batch.id, Waiting.live == 1)
    ):
        waiting.status, waiting.ended_at = LineStatus.TAKEN_BACK, uow.now
    batch.status, batch.report, batch.enrolled_at = BatchStatus.JUDGED, None, None

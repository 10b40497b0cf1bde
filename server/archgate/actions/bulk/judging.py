"""Lists under judgment: what each line is judged against, who of it is known, and its verdict kept with it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import func, or_, select, update
from sqlalchemy.dialects.mysql import insert

from archgate.actions.bulk.on_runs import OnRun
from archgate.actions.fees import quotes
from archgate.actions.kernel import lookups
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.people import people
from archgate.actions.seats import parties, seats
from archgate.core import verdicts
from archgate.core.headings import column_faults
from archgate.core.names import digits_of, folded
from archgate.core.states import BatchStatus, RowKind, Verdict
from archgate.tables.bulk import Batch, BatchRow
from archgate.tables.courses import Run
from archgate.tables.log import Change
from archgate.tables.people import Organization, Person, PersonNumber

CHUNK = 1000  # rows judged at a time
AT_ONCE = 1000  # rows up to which a list is judged while somebody waits for it


class Line(NamedTuple):
    """A line of a list as it is judged."""

    id: int
    line: int
    cells: list[str]
    fixed: dict[str, str] | None
    odd: str


LINE = (BatchRow.id, BatchRow.line, BatchRow.cells, BatchRow.fixed, BatchRow.odd)


@dataclass
class Judging:
    """A list under judgment at a moment, line after line in their order."""

    uow: UnitOfWork
    batch: Batch
    moment: datetime
    sure: bool = False

    def __post_init__(self) -> None:
        self.columns = {fact: int(i) for fact, i in self.batch.columns.items()}
        self.on: dict[int, OnRun] = {}
        self._words: dict[str, verdicts.Terms | verdicts.Fault] = {}
        self._payers: dict[str, int | verdicts.Fault | None] = {}
        self._emails: dict[str, str | None] = {}
        self.judge = verdicts.Judge(
            self.terms_of, self.payer_of, self.email_fault, len(self.batch.headings), sure=self.sure
        )

    def email_fault(self, text: str) -> str | None:
        if len(self._emails) > 5 * CHUNK:
            self._emails.clear()
        if text not in self._emails:
            self._emails[text] = people.email_fault(text)
        return self._emails[text]

    def terms_of(self, word: str) -> verdicts.Terms | verdicts.Fault:
        """The terms of the run that a line names by its code; without a word, of the run the list is for."""
        key = word.casefold()
        if key not in self._words:
            self._words[key] = self.find_terms(word)
        return self._words[key]

    def find_terms(self, word: str) -> verdicts.Terms | verdicts.Fault:
        if word:
            run = self.uow.session.scalar(select(Run).where(Run.code == word[:100]))
        else:
            run = lookups.get_run(self.uow, self.batch.run_id) if self.batch.run_id else None
        if run is None:
            why = f'There is no run "{word}".' if word else "The line names no run."
            codes = {folded(c): c for c in self.codes_like(word)} if word else {}
            return verdicts.Fault(RowKind.NO_RUN, why, "run", verdicts.nearest(word, codes) if codes else "")
        return self.on_run(run).terms

    def codes_like(self, word: str) -> list[str]:
        """Codes of runs that begin as a word does: one of them may be meant."""
        begin = people.like(word[:3]).removeprefix("%")
        return list(self.uow.session.scalars(select(Run.code).where(Run.code.like(begin)).limit(200)))

    def on_run(self, run: Run) -> OnRun:
        if run.id not in self.on:
            self.on[run.id] = OnRun(self.uow, self.batch, run, self.moment)
            self.judge.seats.setdefault(run.id, seats.seats_of(self.uow, run))
        return self.on[run.id]

    def payer_of(self, word: str) -> int | verdicts.Fault | None:
        """The organization that pays for a line: the one it names, else that of the list."""
        if not word:
            return self.batch.organization_id
        key = word.casefold()
        if key not in self._payers:
            number = self.uow.session.scalar(select(Organization.id).where(Organization.name == word[:200]))
            self._payers[key] = number or verdicts.Fault(
                RowKind.NO_PAYER,
                f'There is no organization "{word}" that pays.',
                "payer",
                self.payer_like(word),
            )
        return self._payers[key]

    def payer_like(self, word: str) -> str:
        begin = people.like(word[:3]).removeprefix("%")
        names = self.uow.session.scalars(
            select(Organization.name).where(Organization.name.like(begin)).limit(200)
        )
        known = {folded(n): n for n in names}
        return verdicts.nearest(word, known) if known else ""

    def read(self, line: Line) -> verdicts.Row:
        return verdicts.read_row(line.line, line.cells, self.columns, line.fixed, line.odd)

    def judged(self, lines: Sequence[Line], decided: Callable[[Line, verdicts.Row], verdicts.Row] | None = None,
               waits: frozenset[int] = frozenset()) -> Iterator[tuple[Line, verdicts.Judged]]:  # fmt: skip
        """The verdicts on lines that follow those judged before. `decided` puts into a row what was decided of it; lines of the
        ids in `waits` wait, though there be a seat."""
        rows = [(line, self.read(line)) for line in lines]
        if decided is not None:
            rows = [(line, decided(line, row)) for line, row in rows]
        known = self.known([row for _, row in rows])
        for line, row in rows:
            touched = bool(line.fixed) and not row.left_out
            yield line, self.judge.judge(row, line.cells, known, touched, line.id in waits)

    def known(self, rows: Sequence[verdicts.Row]) -> verdicts.Known:
        """Who of some lines the center knows, and who of them is on their runs already; by few statements."""
        for row in rows:
            self.terms_of(row.run)
        payers = {p for p in (self.payer_of(row.payer) for row in rows) if isinstance(p, int)}
        known = replace(
            known_people(self.uow, rows, payers), ids=there(self.uow, {r.person for r in rows if r.person})
        )
        ids = {s.id for s in (*known.by_number.values(), *known.by_phone.values())} | set(known.ids)
        ids |= {s.id for some in known.by_email.values() for s in some}
        for on in self.on.values():
            if any(r.tags or r.organization_id or r.past_course_id for r in on.run.rates):
                on.facts.update(quotes.facts_of_all(self.uow, on.run, sorted(ids)))
        return replace(
            known,
            on_roster=frozenset(parties.tied_to(self.uow, self.on, ids)),
            waiting=frozenset(parties.waiting_for(self.uow, self.on, ids)),
        )


def there(uow: UnitOfWork, ids: set[int]) -> frozenset[int]:
    if not ids:
        return frozenset()
    return frozenset(uow.session.scalars(select(Person.id).where(Person.id.in_(ids), Person.there())))


def known_people(uow: UnitOfWork, rows: Sequence[verdicts.Row], payers: set[int]) -> verdicts.Known:
    """Who of some lines the center knows: by staff number of the organization that pays, or of the center itself; by email;
    by name with phone."""
    numbers = {r.number for r in rows if r.number}
    emails = {r.email.lower() for r in rows if r.email}
    phones = {digits_of(r.phone) for r in rows if r.phone} - {""}
    by_number: dict[tuple[int | None, str], verdicts.Somebody] = {}
    if numbers:
        whose = PersonNumber.organization_id
        of = select(whose, PersonNumber.number, Person.id, Person.name, Person.folded)
        query = of.join(Person, Person.id == PersonNumber.person_id).where(
            PersonNumber.number.in_(numbers), or_(whose.is_(None), whose.in_(payers or {0})), Person.there()
        )
        for organization, number, key, name, plain in uow.session.execute(
            query.order_by(PersonNumber.id.desc())
        ):
            by_number[organization, number] = verdicts.Somebody(key, name, plain)
    by_email: dict[str, list[verdicts.Somebody]] = {}
    if emails:
        mailed = select(Person.email, Person.id, Person.name, Person.folded).where(
            Person.email.in_(emails), Person.there()
        )
        for email, key, name, plain in uow.session.execute(mailed.order_by(Person.id)):
            by_email.setdefault(str(email).lower(), []).append(verdicts.Somebody(key, name, plain))
    by_phone: dict[tuple[str, str], verdicts.Somebody] = {}
    if phones:
        called = select(Person.digits, Person.id, Person.name, Person.folded).where(
            Person.digits.in_(phones), Person.there()
        )
        for digits, key, name, plain in uow.session.execute(called.order_by(Person.id.desc())):
            by_phone[plain, str(digits)] = verdicts.Somebody(key, name, plain)
    return verdicts.Known(by_number, by_email, by_phone)


# --- kept -------------------------------------------------------------------------------------------------


KEEP = insert(BatchRow)
JUDGED_COLUMNS = (
    "is_odd", "name", "verdict", "why", "kind", "fact", "suggested", "near", "run_id", "person_id", "payer_id", "rate", "heads",
    "total", "dues", "is_new", "currency",
)  # fmt: skip
KEEP_VERDICTS = KEEP.on_duplicate_key_update({name: KEEP.inserted[name] for name in JUDGED_COLUMNS})


def facts_of(judging: Judging, line: Line, judged: verdicts.Judged) -> dict[str, object]:
    """What is kept of a verdict: what it comes to, and in how many installments, only of those that come onto a run."""
    row, on = judged.row, judging.on.get(judged.run or 0)
    heads = row.party or 0
    rate, total, dues = row.rate, 0, 0
    if on is not None and judged.rate and judged.verdict in (Verdict.WILL_ENROLL, Verdict.WILL_WAIT):
        priced = on.price(row, judged.rate)
        rate = on.labels[judged.rate]
        if not isinstance(priced, list):
            total, dues = priced[1].total, len(priced[1].installments)
    return {
        "id": line.id, "batch_id": judging.batch.id, "line": line.line, "cells": [], "is_odd": bool(row.odd),
        "name": row.name[:401], "verdict": judged.verdict, "why": judged.why, "kind": judged.kind, "fact": judged.fact,
        "suggested": judged.suggested[:200], "near": list(judged.near) or None, "run_id": judged.run, "person_id": judged.person,
        "payer_id": judged.payer, "rate": rate[:200], "heads": heads, "total": total, "dues": dues, "is_new": judged.new,
        "currency": on.run.currency if on else "",
    }  # fmt: skip


def lines_after(uow: UnitOfWork, batch_id: int, after: int, most: int = CHUNK) -> list[Line]:
    """The lines that follow one, of those that are still to be enrolled."""
    left = (BatchRow.batch_id == batch_id, BatchRow.line > after, BatchRow.outcome.is_(None))
    query = select(*LINE).where(*left).order_by(BatchRow.line).limit(most)
    return [Line(*row) for row in uow.session.execute(query)]


def faults_of_columns(batch: Batch) -> list[str]:
    columns = {fact: int(i) for fact, i in batch.columns.items()}
    return column_faults(columns, len(batch.headings), batch.run_id is None)


def judge_now(uow: UnitOfWork, batch: Batch) -> None:
    """Judge a list anew: at once if it is short, else the worker does it."""
    batch.judged_after = None
    if faults_of_columns(batch):
        batch.status = BatchStatus.JUDGED
        return
    if batch.lines > AT_ONCE:
        batch.status, batch.alive_at, batch.worker, batch.begun_at = BatchStatus.JUDGING, None, "", uow.now
        left = (BatchRow.batch_id == batch.id, BatchRow.outcome.is_(None))
        uow.session.execute(update(BatchRow).where(*left).values(verdict=None))
        uow.session.flush()
        return
    after, judging, newest = 0, Judging(uow, batch, uow.now), lookups.revision(uow)
    uow.session.flush()
    while lines := lines_after(uow, batch.id, after):
        rows = [facts_of(judging, line, judged) for line, judged in judging.judged(lines)]
        uow.session.connection().execute(KEEP_VERDICTS, rows)
        after = lines[-1].line
    batch.status, batch.judged_after, batch.judged_at = BatchStatus.JUDGED, newest, uow.now


def judge_touched(uow: UnitOfWork, batch: Batch, ids: Sequence[int]) -> None:
    """Judge the rows that were corrected or decided on. Of a long list only those, and whoever has the same name, as long as
    everybody gets a seat; where seats or numbers are short, what one row takes another lacks, and all of it is judged anew."""
    if batch.lines <= AT_ONCE or batch.judged_after is None or faults_of_columns(batch):
        judge_now(uow, batch)
        return
    of = (BatchRow.batch_id == batch.id, BatchRow.outcome.is_(None))
    judging, lines = Judging(uow, batch, uow.now), touched_lines(uow, batch, ids)
    if lines is None or uow.session.scalar(
        select(BatchRow.id).where(*of, BatchRow.verdict == Verdict.WILL_WAIT).limit(1)
    ):
        judge_now(uow, batch)
        return
    judging.known([judging.read(line) for line in lines])
    others = (
        select(BatchRow.run_id, func.sum(BatchRow.heads))
        .where(*of, BatchRow.verdict == Verdict.WILL_ENROLL, BatchRow.id.not_in([line.id for line in lines]))
        .group_by(BatchRow.run_id)
    )
    for run_id, heads in uow.session.execute(others):
        if run_id in judging.judge.seats:
            state = judging.judge.seats[run_id]
            judging.judge.seats[run_id] = replace(state, taken=state.taken + int(heads))
    rows = [facts_of(judging, line, judged) for line, judged in judging.judged(lines)]
    short = any(r["verdict"] is Verdict.WILL_WAIT for r in rows) or any(
        on.is_counted for on in judging.on.values()
    )
    if short:
        judge_now(uow, batch)
    else:
        uow.session.connection().execute(KEEP_VERDICTS, rows)


def touched_lines(uow: UnitOfWork, batch: Batch, ids: Sequence[int]) -> list[Line] | None:
    """Rows that were touched, with all who have the name they had, or have now; None if that is too many."""
    some = [Line(*r) for r in uow.session.execute(select(*LINE).where(BatchRow.id.in_(ids)))]
    columns = {fact: int(i) for fact, i in batch.columns.items()}
    names = {verdicts.read_row(x.line, x.cells, columns, x.fixed).name[:401] for x in some}
    names |= set(uow.session.scalars(select(BatchRow.name).where(BatchRow.id.in_(ids))))
    if len(some) > AT_ONCE or len(names) > AT_ONCE:
        return None
    alike = select(*LINE).where(
        BatchRow.batch_id == batch.id, BatchRow.outcome.is_(None), BatchRow.name.in_(names - {""})
    )
    by_id = {x.id: x for x in [*some, *(Line(*r) for r in uow.session.execute(alike.limit(AT_ONCE + 1)))]}
    return sorted(by_id.values(), key=lambda x: x.line) if len(by_id) <= AT_ONCE else None


MOVES = (
    "person",
    "organization",
    "center",
    "code",
    "plan",
    "stock",
    "course",
)  # whatever of these changes, a verdict may
# What is done to people and runs without any verdict being another.
QUIET = (
    Act.NOTE, Act.REMIND, Act.SETTLE_A_REMINDER, Act.READ_A_NOTICE, Act.CHANGE_A_NOTICE, Act.MARK_ATTENDANCE, Act.NOTE_A_CALL,
    Act.WRITE_TO_A_ROSTER, Act.INVITE, Act.NEW_LINK, Act.SET_A_PASSWORD, Act.CLOSE_AN_OWN_PAGE, Act.ATTACH_A_FILE,
    Act.ACCEPT_A_CLASH, Act.REOPEN_A_CLASH, Act.GROUP_PEOPLE,
)  # fmt: skip


def has_moved(uow: UnitOfWork, batch: Batch) -> bool:
    """Whether people, seats or terms have changed since a list was judged."""
    if batch.judged_after is None:
        return True
    runs = (
        select(BatchRow.run_id).where(BatchRow.batch_id == batch.id, BatchRow.run_id.is_not(None)).distinct()
    )
    later = select(Change.id).where(
        Change.id > batch.judged_after,
        Change.action.not_in([str(a) for a in QUIET]),
        or_(Change.run_id.in_(runs), Change.subject.in_(MOVES)),
    )
    return uow.session.scalar(later.limit(1)) is not None

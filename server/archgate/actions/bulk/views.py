"""What is answered about lists."""

from __future__ import annotations

from archgate.actions.kernel.commands import Moment, View
from archgate.actions.people.views import OrganizationOut
from archgate.core.states import (
    BatchStatus,
    LineOutcome,
    ListSource,
    RowDecision,
    RowKind,
    SentenceKind,
    Told,
    Verdict,
)


class NearPerson(View):
    """Somebody known who may be meant by a line."""

    id: int
    name: str
    email: str | None
    phone: str | None
    runs: int


class BatchItem(View):
    line: int
    given: str
    family: str
    name: str
    email: str | None
    phone: str | None
    number: str | None
    department: str
    run: str
    run_id: int | None
    group: str
    rate: str
    rate_word: str
    extras: str
    code: str
    plan: str
    payer: str
    order: str
    contact: str
    party: int
    remarks: str
    no_email: bool
    somebody_new: bool
    fixed: bool
    odd: list[str]
    total: str
    currency: str
    verdict: Verdict | None
    outcome: LineOutcome | None
    why: str
    kind: RowKind | None
    fact: str
    suggested: str
    near: list[NearPerson]
    person_id: int | None
    enrollment_id: int | None


class BatchSum(View):
    rate: str
    heads: int
    total: str
    currency: str


class BatchRun(View):
    """What a list does to one run; `taken` and `capacity` as they are now."""

    id: int
    code: str
    title: str
    sign_ups: int
    seats: int
    waits: int
    taken: int
    capacity: int
    total: str
    currency: str


class BatchPayer(View):
    """What somebody pays of a list: an organization, or `id` None, all learners who pay for themselves."""

    id: int | None
    name: str
    sign_ups: int
    total: str
    currency: str


class BatchKind(View):
    """Lines that have the same trouble, and what can be decided on all of them."""

    kind: RowKind
    lines: int
    decisions: list[RowDecision]


class BatchChoice(View):
    """What can be said for all of a list."""

    value: str
    text: str


class BatchProgress(View):
    """How far a list is that is being worked on; `seconds_left` is a guess by what was done so far."""

    done: int
    of: int
    per_second: float | None
    seconds_left: int | None


class BatchRows(View):
    """A page of lines; `next` is the line after which the next page begins, `total` how many there are."""

    items: list[BatchItem]
    next: int | None
    total: int


class BatchOut(View):
    """A list as it stands: how it was read, what confirming does, and its first lines.

    `counts` are by verdict of lines that are to come, and by outcome of those that are done; `odd` counts lines that are fine
    but worth a look. `moved`: people, seats or terms changed since it was judged.
    """

    id: int
    run_id: int | None
    run_code: str
    run_title: str
    status: BatchStatus
    source: ListSource
    file_name: str
    reading: str
    sheet: str
    sheets: list[str]
    headings: list[str]
    columns: dict[str, int]
    column_faults: list[str]
    organization: OrganizationOut | None
    rate: str
    plan: str
    code: str
    extras: str
    group_name: str
    order_number: str
    contact: str
    told: list[Told] | None
    told_usually: list[Told]
    counts: dict[str, int]
    kinds: list[BatchKind]
    people: int
    seats: int
    waits: int
    total: str
    sums: list[BatchSum]
    runs: list[BatchRun]
    payers: list[BatchPayer]
    new_people: int
    letters: int
    installments: int
    currency: str
    capacity: int
    taken: int
    can_enroll: bool
    why: str
    earlier: Moment | None
    lines: int
    odd: int
    numbered: bool
    moved: bool
    judged_at: Moment | None
    by: str
    enrolled_at: Moment | None
    progress: BatchProgress | None
    note: str
    can_take_back: int
    items: list[BatchItem]
    next: int | None
    shown: int
    change: str | None = None


class BatchLine(View):
    """A list among others."""

    id: int
    file_name: str
    source: ListSource
    run_id: int | None
    run_code: str
    status: BatchStatus
    note: str
    by: str
    created_at: Moment
    enrolled_at: Moment | None
    lines: int
    enrolled: int
    waiting: int
    not_enrolled: int
    taken_back: int
    progress: BatchProgress | None


class Batches(View):
    items: list[BatchLine]
    next: int | None
    total: int


class Running(View):
    """The lists that are being worked on, for the header."""

    items: list[BatchLine]


class Chosen(View):
    """How many people a choice holds, and the first of them by name."""

    people: int
    names: list[str]


class SentenceOut(View):
    """A sentence with what it has done so far; `due` are those whom it still has to look at."""

    id: int
    kind: SentenceKind
    text: str
    target_id: int
    target_code: str
    source_id: int | None
    source_code: str
    tag: str
    organization: str
    group: str
    rate: str | None
    assistants: bool
    leaves: bool
    active: bool
    by: str
    made_at: Moment
    enrolled: int
    lined: int
    missed: int
    due: int
    last_at: Moment | None
    note: str
    change: str | None = None


class SentenceForeseen(View):
    """What a sentence does to those who are what it goes by already: how many they are, how many of them are on the target, get a
    seat there, or wait; and the sentence as it reads."""

    text: str
    there: int
    already: int
    seats: int
    waits: int
    total: str
    currency: str
    rates: list[BatchChoice]

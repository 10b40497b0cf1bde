"""What is answered about bulk."""

from __future__ import annotations

from archgate.actions.kernel.commands import Moment, View
from archgate.actions.people.views import OrganizationOut
from archgate.core.states import BatchStatus


class BatchItem(View):
    line: int
    given: str
    family: str
    name: str
    email: str | None
    phone: str | None
    number: str | None
    department: str
    rate: str
    party: int
    remarks: str
    no_email: bool
    somebody_new: bool
    odd: list[str]
    total: str
    verdict: str
    why: str
    person_id: int | None


class BatchSum(View):
    rate: str
    heads: int
    total: str


class BatchRate(View):
    code: str
    label: str


class BatchRows(View):
    """A page of lines; `next` is the line after which the next page begins."""

    items: list[BatchItem]
    next: int | None


class BatchOut(View):
    """A list as it stands: how it was read, what confirming does, and its first lines; `odd` counts lines that are fine but
    worth a look."""

    id: int
    run_id: int
    run_code: str
    run_title: str
    status: BatchStatus
    file_name: str
    reading: str
    headings: list[str]
    columns: dict[str, int]
    column_faults: list[str]
    organization: OrganizationOut | None
    counts: dict[str, int]
    people: int
    seats: int
    waits: int
    total: str
    sums: list[BatchSum]
    rates: list[BatchRate]
    currency: str
    capacity: int
    taken: int
    can_enroll: bool
    why: str
    earlier: Moment | None
    lines: int
    odd: int
    numbered: bool
    items: list[BatchItem]
    next: int | None
    change: str | None = None

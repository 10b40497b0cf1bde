"""The nightly check goes slice by slice, and one that is ended in the middle is gone on with."""

from datetime import timedelta

import pytest
from sqlalchemy import select, update

from archgate.actions.across import checks
from archgate.actions.kernel.unit_of_work import read_only
from archgate.clock import system_now
from archgate.tables.jobs import CheckRound
from archgate.tables.seats import RunSeats
from made import a_run, enrolled


@pytest.fixture
def office(alone):
    """All that is there is the test's own: a slice a few rows wide goes through it quickly."""
    return alone


@pytest.fixture
def small(monkeypatch):
    """Slices so small that every part has many."""
    parts = tuple(checks.Part(p.name, p.faults, p.of, p.step and 3) for p in checks.PARTS)
    monkeypatch.setattr(checks, "PARTS", parts)


def last_round(office):
    query = select(CheckRound).order_by(CheckRound.id.desc()).limit(1)
    return office.read(lambda d: d.session.scalar(query))


def broken(office, run_id, taken):
    office.act(
        lambda d: (
            d.session.execute(update(RunSeats).where(RunSeats.run_id == run_id).values(taken=taken)) and None
        )
    )


def test_slices_find_what_everything_finds(office, small):
    run = a_run(office)
    enrolled(office, run)
    assert checks.in_slices(office.sessions) == office.read(checks.everything) == "Everything agrees."
    broken(office, run["id"], 3)
    try:
        said = checks.in_slices(office.sessions)
        assert said == office.read(checks.everything)
        assert said == f"{run['code']}: The seat row says 3 taken, the enrollments say 1."
    finally:
        broken(office, run["id"], 1)
    assert last_round(office).done_at is not None


def test_one_that_is_ended_in_the_middle_goes_on_where_it_was(office, small, monkeypatch):
    a_run(office)
    told = []

    def killed(said):
        told.append(said)
        if len(told) == 4:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        checks.in_slices(office.sessions, killed)
    stood = last_round(office)
    assert stood.done_at is None and (stood.part, stood.after) > (0, 0)
    assert checks.in_slices(office.sessions) is None  # it left word a moment ago: somebody may be at it
    office.act(
        lambda d: (
            d.session.execute(update(CheckRound).values(alive_at=system_now() - timedelta(minutes=2)))
            and None
        )
    )
    seen = []
    assert checks.in_slices(office.sessions, seen.append) == "Everything agrees."
    again = last_round(office)
    assert again.id == stood.id and again.done_at is not None
    assert told[0] not in seen and len(seen) > 10


def test_a_slice_reads_no_more_than_its_rows(office):
    """What a slice of postings looks at does not grow with the table."""
    enrolled(office, a_run(office))
    part = checks.PARTS[0]
    first = read_only(office.sessions, lambda d: checks.next_span(d, part, 0))
    assert first is not None and first.last - first.after == part.step
    assert read_only(office.sessions, lambda d: checks.next_span(d, part, first.last)) is None

"""Who finds a run on the public pages, and who signs up for it: its settings, what they come to, and what contradicts itself."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time

from sqlalchemy import select

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.runs.commands import LocalMoment, PublicationFacts, PublicationPatch
from archgate.actions.runs.views import ContradictionOut, MendOut, PublicationChanged, PublicationOut
from archgate.actions.schedule import gates
from archgate.actions.seats import seats
from archgate.core import publication as core
from archgate.core.faults import refuse
from archgate.core.schedule import moment_of
from archgate.tables.catalog import AccessCode
from archgate.tables.courses import Run

NAMES = ("found_by", "signs_up", "shown_from", "shown_until", "promoted")
WORDS = {
    "found_by": "who finds it",
    "signs_up": "who signs up",
    "shown_from": "from when it is public",
    "shown_until": "until when it is public",
    "promoted": "whether it comes first",
}


def settings_of(run: Run) -> core.Publication:
    """What decides about a run, as the core sees it."""
    return core.Publication(
        run.course.published_n is not None,
        run.status,
        run.found_by,
        run.signs_up,
        run.shown_from,
        run.shown_until,
        run.client_id is not None,
        bool(run.course.elsewhere),
    )


def window_of(run: Run) -> tuple[datetime | None, datetime | None]:
    """The first moment at which sign-up opens, none where it is open from publication; and the last at which it closes."""
    windows = gates.sign_up_windows(run)
    opens = [first for first, _ in windows]
    closes = [last for _, last in windows]
    return (
        None if None in opens else min((o for o in opens if o), default=None),
        None if None in closes else max((c for c in closes if c), default=None),
    )


def codes_of(uow: UnitOfWork, run_id: int) -> Sequence[AccessCode]:
    query = select(AccessCode).where(AccessCode.run_id == run_id, AccessCode.active)
    return uow.session.scalars(query.order_by(AccessCode.id)).all()


def code_times(code: AccessCode) -> core.CodeTimes:
    return core.CodeTimes(code.starts_at, code.ends_at, code.most is None or code.used < code.most)


def contradictions_of(uow: UnitOfWork, run: Run) -> tuple[core.Contradiction, ...]:
    codes = tuple(code_times(code) for code in codes_of(uow, run.id))
    return core.contradictions(settings_of(run), codes, window_of(run), uow.now, uow.zone)


def publication(uow: UnitOfWork, run_id: int) -> PublicationOut:
    return publication_view(uow, get_run(uow, run_id))


def publication_view(uow: UnitOfWork, run: Run) -> PublicationOut:
    """The settings of a run, the sentence they come to, and what of them contradicts itself."""
    page = settings_of(run)
    return PublicationOut(
        run_id=run.id,
        found_by=run.found_by,
        signs_up=run.signs_up,
        shown_from=as_typed(uow, run.shown_from),
        shown_until=as_typed(uow, run.shown_until),
        promoted=run.promoted,
        sentence=core.sentence_of(page, window_of(run), uow.zone),
        codes=len(codes_of(uow, run.id)),
        course_public=page.course_public,
        contradictions=[_said(c) for c in contradictions_of(uow, run)],
    )


def _said(found: core.Contradiction) -> ContradictionOut:
    return ContradictionOut(
        setting=found.setting,
        sentence=found.sentence,
        mends=[
            MendOut(label=m.label, found_by=m.found_by, signs_up=m.signs_up, unset=m.unset or None)
            for m in found.mends
        ],
    )


def as_typed(uow: UnitOfWork, moment: datetime | None) -> str | None:
    """A moment as it is typed: the center's local time to the minute."""
    return f"{moment.astimezone(uow.zone):%Y-%m-%dT%H:%M}" if moment else None


def moment_typed(uow: UnitOfWork, text: LocalMoment | None) -> datetime | None:
    """A local time of the center as it was typed; one that clocks leave out is moved as `core.schedule.moment_of` has it."""
    if text is None:
        return None
    local = datetime.fromisoformat(text)
    return moment_of(local.date(), time(local.hour, local.minute), uow.zone)


def change_publication(uow: UnitOfWork, run_id: int, command: PublicationPatch) -> PublicationChanged:
    """Change who finds a run, who signs up, or when it is public. Who is on it stays on it. What then contradicts itself is answered
    with the ways to mend it; only an end before the beginning is refused."""
    run = seats.run_to_change(uow, run_id)
    names = [n for n in NAMES if n in command.set.model_fields_set]
    new, seen = _values(uow, command.set, names), _values(uow, command.seen, command.seen.model_fields_set)
    refuse_lost_update(new, seen, {name: getattr(run, name) for name in names})
    for name, value in new.items():
        setattr(run, name, value)
    if run.shown_from and run.shown_until and run.shown_until <= run.shown_from:
        raise refuse("/set/shown_until", "It would stop being public before it becomes so.")
    uow.session.flush()
    what = ", ".join(WORDS[n] for n in names) or "nothing"
    change = uow.log(Act.CHANGE_PUBLICATION, run.id, f"Changed {what} of {run.code}")
    return publication_view(uow, run).widened(PublicationChanged, change=change.key)


def _values(uow: UnitOfWork, facts: PublicationFacts, names: Sequence[str] | set[str]) -> dict[str, object]:
    values: dict[str, object] = {}
    for name in names:
        given = getattr(facts, name)
        values[name] = moment_typed(uow, given) if name in ("shown_from", "shown_until") else given
    for name in ("found_by", "signs_up", "promoted"):
        if name in values and values[name] is None:
            raise refuse(f"/set/{name}", "Say one.")
    return values

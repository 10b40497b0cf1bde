"""The page behind a link by which somebody outside answers: an offer, or the invitation of an interest list."""

from __future__ import annotations

from collections.abc import Callable

from archgate.actions.enrolling.line_views import ReplyPage
from archgate.actions.fees import quotes
from archgate.actions.fees.quotes import ResolvedAsk
from archgate.actions.fees.views import quote_view
from archgate.actions.kernel.unit_of_work import UnitOfWork
from archgate.actions.schedule import schedule
from archgate.core.faults import Refused
from archgate.core.schedule import moment_text
from archgate.tables.courses import Run
from archgate.tables.people import Person


def page_of(
    uow: UnitOfWork, run: Run, person: Person, said: str, resolve: Callable[[], ResolvedAsk]
) -> ReplyPage:
    """What such a page shows of a run and its price now. `said` is why it can no longer be answered, or empty; then it can,
    unless what was asked for is no longer to be had. Kind, heads and times are those of one seat on an invitation; an offer
    widens it by its own."""
    first = next((m for m in schedule.ordered(run) if m.starts_at > uow.now), None)
    quote = None
    if not said:
        try:
            quote = quote_view(quotes.priced(uow, resolve()))
        except Refused as refused:
            said = refused.faults[0].message
    return ReplyPage(
        kind="invitation",
        full=False,
        center=uow.center.name,
        name=person.given or person.name,
        title=run.title or run.course.title,
        heads=1,
        place=run.place.name if run.place else "",
        first=moment_text(first.starts_at, uow.zone) if first else None,
        stands=not said,
        said=said,
        until=None,
        asked_time=False,
        currency=run.currency,
        quote=quote,
    )


def by_the_person(uow: UnitOfWork) -> None:
    """What was done by a link is logged as the person's own, nobody's of the staff."""
    uow.session.flush()
    for change in uow.entries:
        change.user_id = None

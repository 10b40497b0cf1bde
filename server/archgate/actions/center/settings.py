"""The settings of the center: its name and papers, zone, currency, holidays, and from which sum on money needs two.

Zone and currency are what everything that was planned or posted goes by, so they stand once a run is published, or money posted.
"""

from __future__ import annotations

from collections.abc import Mapping
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from sqlalchemy import func, select

from archgate.actions.center.commands import CenterFacts, CenterPatch
from archgate.actions.center.views import CenterChanged, CenterOut, NumberExample
from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.lookups import logo_of
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.schedule import gates, places
from archgate.actions.seats import seats
from archgate.core.faults import refuse
from archgate.core.money import digits_of, format_amount, parse_amount
from archgate.core.schedule import WEEKDAY_NAMES
from archgate.core.states import NumberFormat, RunStatus
from archgate.papers.words import money_text
from archgate.tables.courses import Center, CenterLogo, Course, Run
from archgate.tables.fees import Rate
from archgate.tables.money import Posting

EXAMPLE = 123_456  # smallest units, in the list of number formats
MOST_DRAFTS = 200  # whose gates are worked out anew when the zone changes


def shown(uow: UnitOfWork) -> CenterOut:
    c = uow.center
    return CenterOut(
        name=c.name,
        address=c.address,
        time_zone=c.time_zone,
        currency=c.currency,
        region=c.region,
        first_weekday=c.first_weekday,
        paper_size=c.paper_size,
        number_format=c.number_format,
        confirm_above=sum_text(c),
        logo=c.logo_id is not None,
        zone_stays=why_zone_stays(uow),
        currency_stays=why_currency_stays(uow, None),
        number_formats=[
            NumberExample(format=f, example=money_text(EXAMPLE, c.currency, f)) for f in NumberFormat
        ],
    )


def sum_text(c: Center) -> str | None:
    return None if c.confirm_above is None else format_amount(c.confirm_above, c.currency)


def why_zone_stays(uow: UnitOfWork) -> str:
    """Why the time zone is fixed; empty where it is not."""
    query = select(func.count()).select_from(Run).where(Run.status != RunStatus.DRAFT)
    published = uow.session.scalar(query) or 0
    many = "A run was" if published == 1 else f"{published} runs were"
    return f"{many} published by it: deadlines that people were told would move." if published else ""


def why_currency_stays(uow: UnitOfWork, to: str | None) -> str:
    """Why the currency is fixed; empty where it is not. Amounts that are written down keep their number of decimals, so
    that `to` another with as many they can be taken over."""
    if uow.session.scalar(select(Posting.id).limit(1)):
        return "Money is posted in it."
    if to is None or digits_of(to) == digits_of(uow.center.currency):
        return ""
    own = uow.center.defaults or uow.center.confirm_above is not None
    priced = own or uow.session.scalar(select(Rate.id).limit(1))
    kept = any(uow.session.scalars(select(Course.defaults)))
    return f"Prices are written down, with other decimals than {to} has." if priced or kept else ""


def change(uow: UnitOfWork, command: CenterPatch) -> CenterChanged:
    """Change settings; what else goes by them is worked out in the same act."""
    lock_row(uow, Center, 1)
    facts = command.set
    said = said_of(facts)
    new = {
        n: said[n]
        for n in CenterFacts.model_fields
        if n in said and (said[n] is not None or n == "confirm_above")
    }
    c = uow.center
    now: dict[str, object] = {n: getattr(c, n) for n in CenterFacts.model_fields}
    now["confirm_above"] = sum_text(c)
    refuse_lost_update(new, said_of(command.seen), now)
    checked = checked_values(uow, facts, new)
    parts = told_of(c, checked)
    moved = {"time_zone", "currency"} & {n for n, v in checked.items() if v != getattr(c, n)}
    for name, value in checked.items():
        setattr(c, name, value)
    uow.session.flush()
    if moved:
        follow(uow, moved)
    act = Act.MOVE_THE_CENTER if moved else Act.CHANGE_THE_CENTER
    made = uow.log(act, 1, f"Settings: {'; '.join(parts) or 'nothing changed'}")
    return shown(uow).widened(CenterChanged, change=made.key)


def checked_values(uow: UnitOfWork, facts: CenterFacts, new: Mapping[str, object]) -> dict[str, object]:
    """New settings as they are kept. Raises Refused at the field that cannot be."""
    checked, c = dict(new), uow.center
    if facts.time_zone is not None and facts.time_zone != c.time_zone:
        try:
            ZoneInfo(facts.time_zone)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise refuse(
                "/set/time_zone", f'"{facts.time_zone}" is no time zone; one is America/New_York.'
            ) from None
        stays = why_zone_stays(uow)
        if stays:
            raise refuse("/set/time_zone", f"The time zone stays. {stays}")
    if facts.currency is not None and facts.currency != c.currency:
        try:
            digits_of(facts.currency)
        except ValueError:
            raise refuse("/set/currency", f'"{facts.currency}" is no currency of ISO 4217.') from None
        stays = why_currency_stays(uow, facts.currency)
        if stays:
            raise refuse("/set/currency", f"The currency stays. {stays}")
    if facts.region is not None:
        checked["region"] = places.check_region(facts.region, "/set/region")
    if facts.confirm_above is not None:
        try:
            checked["confirm_above"] = parse_amount(facts.confirm_above, facts.currency or c.currency)
        except ValueError as wrong:
            raise refuse("/set/confirm_above", str(wrong)) from None
    return checked


def told_of(c: Center, checked: Mapping[str, object]) -> list[str]:
    """What changes, from what to what."""

    def said(name: str, value: object) -> str:
        if name == "confirm_above":
            if value is None:
                return "any sum"
            return format_amount(int(str(value)), c.currency)
        if name == "first_weekday":
            return WEEKDAY_NAMES[int(str(value))]
        return " / ".join(str(value).splitlines()) or "nothing"

    words = {
        "confirm_above": "one person alone pays back or writes off up to", "first_weekday": "first day of the week",
        "number_format": "numbers on papers", "region": "public holidays of",
    }  # fmt: skip
    return [
        f"{words.get(name, name.replace('_', ' '))} {said(name, getattr(c, name))} to {said(name, value)}"
        for name, value in checked.items()
        if value != getattr(c, name)
    ]


def follow(uow: UnitOfWork, moved: set[str]) -> None:
    """Bring runs in step with another zone or currency; until now they are all drafts, or nothing was paid on them."""
    ids = list(uow.session.scalars(select(Run.id).order_by(Run.id).limit(MOST_DRAFTS + 1)))
    if len(ids) > MOST_DRAFTS:
        raise conflict("too-many", f"There are more than {MOST_DRAFTS} runs; set this before planning them.")
    for run_id in ids:
        run = seats.run_to_change(uow, run_id)
        if "currency" in moved:
            run.currency = uow.center.currency
        if "time_zone" in moved:
            gates.settle_gates(uow, run)
    uow.session.flush()


# --- the logo ---------------------------------------------------------------------------------------------


def set_logo(uow: UnitOfWork, content: bytes | None) -> CenterChanged:
    """Put a logo on papers to come, made anew from what was given; or take it off. Papers that were issued keep theirs."""
    lock_row(uow, Center, 1)
    if content is None and uow.center.logo_id is None:
        raise conflict("no-logo", "There is no logo.")
    row = CenterLogo(content=content, at=uow.now) if content is not None else None
    if row is not None:
        uow.session.add(row)
        uow.session.flush()
    uow.center.logo_id = row.id if row else None
    uow.session.flush()
    made = uow.log(Act.CHANGE_THE_CENTER, 1, f"{'Set' if content else 'Took off'} the logo of papers")
    return shown(uow).widened(CenterChanged, change=made.key)


def logo(uow: UnitOfWork) -> bytes:
    found = logo_of(uow, uow.center.logo_id)
    if found is None:
        raise not_found("A logo")
    return found

"""Kept quotes: a quote that stands for somebody through a day, word for word, whatever happens to the fees meanwhile.

It holds the price, not a seat. It is sent as a message, followed up by a reminder, and taken by enrolling from it.
"""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from sqlalchemy import select

from archgate.actions.fees import plans, quotes
from archgate.actions.kernel.answers import shown
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import Deed
from archgate.actions.messages import messages
from archgate.actions.money import payments
from archgate.actions.people import people
from archgate.core.faults import Fault, Refused
from archgate.core.money import parse_amount
from archgate.core.reader import Reader
from archgate.core.schedule import day_text
from archgate.papers.words import amount_text, money_text
from archgate.tables.courses import Run
from archgate.tables.fees import KeptQuote
from archgate.tables.people import Organization, Person
from archgate.tables.roster import Enrollment
from archgate.tables.today import Reminder

USUAL_DAYS = 14
FOLLOW_UP = timedelta(days=3)  # before the last day


def usual_last(deed: Deed) -> date:
    """Through which day a quote is kept unless said otherwise."""
    return deed.today + timedelta(days=deed.center.defaults.get("quote_days", USUAL_DAYS))


def keep(deed: Deed, body: dict[str, Any]) -> dict[str, Any]:
    """Keep a quote for a person. `total` is what the screen showed; `last` the day through which it stands."""
    faults: list[Fault] = []
    top = Reader(
        body, "", faults, f"{quotes.ASK_KEYS} run_id person_id organization_id total last note send follow_up"
    )
    run = get_run(deed, top.whole("run_id", "The run", 1, 2**62, need=True) or 0)
    person = people.get_person(deed, top.whole("person_id", "The person", 1, 2**62, need=True) or 0)
    organization_id = top.whole("organization_id", "The organization", 1, 2**62)
    total = top.text("total", "The total that was shown", need=True)
    last = top.day("last", "The last day") or usual_last(deed)
    note = top.value.get("note") or ""
    send, follow_up = top.flag("send", "Whether to send it"), top.day("follow_up", "The day to follow up")
    if not isinstance(note, str) or len(note) > 2000:
        top.fault("note", "The note is a text of up to 2000 characters.")
    if last < deed.today:
        top.fault("last", "A quote cannot end before today.")
    if follow_up and not deed.today <= follow_up <= last:
        top.fault("follow_up", f"Follow up from today through {day_text(last)}.")
    if send and not person.email:
        top.fault("send", f"{person.name} has no email; read the quote out instead.")
    if organization_id and deed.session.get(Organization, organization_id) is None:
        top.fault("organization_id", "There is no such organization.")
    if faults:
        raise Refused(faults)
    wish = quotes.wish_of(deed, run, body, person)
    quotes.refuse_rates(deed, wish, person, organization_id)
    quote, due = quotes.terms_for(deed, wish)
    view = quotes.quote_view(quote, due)
    if view["total"] != total:
        said = f"The total was {total} when it was shown and is {view['total']} now."
        raise conflict("total-changed", said, shown=total, now=view["total"], quote=view)
    row = KeptQuote(
        run_id=run.id, person_id=person.id, organization_id=organization_id, user_id=deed.user_id, ask=wish.document,
        quote=view, note=note, last=last, status="open", kept_at=deed.now,
    )  # fmt: skip
    if follow_up is None and last > deed.today:
        follow_up = max(deed.today + timedelta(days=1), last - FOLLOW_UP)
    if follow_up:
        reminder = Reminder(
            user_id=deed.user_id, made_by=deed.user_id, run_id=run.id, person_id=person.id, day=follow_up,
            text=f"Quote of {money_text(quote.total, quote.currency)} for {person.name} stands through {day_text(last)}.",
            made_at=deed.now, done_at=None,
        )  # fmt: skip
        deed.session.add(reminder)
        deed.session.flush()
        row.reminder_id = reminder.id
    deed.session.add(row)
    deed.session.flush()
    change = deed.log(
        "keep a quote", "quote", row.id,
        f"Kept a quote of {view['total']} on {run.code} for {person.name} through {day_text(last)}", run_id=run.id,
    )  # fmt: skip
    if send:
        title = run.title or run.course.title
        messages.write(deed, change, person.email, person.name, f"Our quote for {title}",
                       letter(deed, run, person, row), person.id, run.id)  # fmt: skip
    return {"change": change.key, "sent": send, **kept_view(deed, row)}


def letter(deed: Deed, run: Run, person: Person, row: KeptQuote) -> str:
    """A kept quote as a letter."""
    currency = row.quote["currency"]

    lines = [
        f"- {x['label']}{' x ' + str(x['quantity']) if x['quantity'] > 1 else ''}: {amount_text(x['amount'], currency)}"
        for x in row.quote["lines"]
    ]
    lines += [
        f"- {t['name']}{', in the price' if t['included'] else ''}: {amount_text(t['amount'], currency)}"
        for t in row.quote["taxes"]
    ]
    dues = [
        f"- {'at sign-up' if i['due'] == shown(deed.today) else day_text(date.fromisoformat(i['due']))}: {amount_text(i['amount'], currency)}"
        for i in row.quote["installments"]
    ]
    dates = f", from {day_text(run.meetings[0].date)}" if run.meetings else ""
    parts = [
        f"Dear {person.name},", f"this is what {run.title or run.course.title} ({run.code}{dates}) costs:",
        "\n".join(lines), f"Total {amount_text(row.quote['total'], currency)}. If you signed up today you would pay:", "\n".join(dues),
        f"This quote stands through {day_text(row.last)}. It does not hold a seat.", *([row.note] if row.note else []),
        deed.center.name,
    ]  # fmt: skip
    return "\n\n".join(parts)


def get_kept(deed: Deed, quote_id: int) -> KeptQuote:
    row = deed.session.get(KeptQuote, quote_id)
    if row is None:
        raise not_found("This quote")
    return row


def kept_view(deed: Deed, row: KeptQuote) -> dict[str, Any]:
    run, person = deed.session.get_one(Run, row.run_id), deed.session.get_one(Person, row.person_id)
    return {
        "id": row.id, "run_id": run.id, "run": run.code, "title": run.title or run.course.title, "person_id": person.id,
        "name": person.name, "organization_id": row.organization_id, "note": row.note, "last": shown(row.last),
        "status": "lapsed" if row.status == "open" and row.last < deed.today else row.status, "ask": row.ask,
        "quote": row.quote, "total": row.quote["total"], "currency": row.quote["currency"],
        "kept_at": deed.local(row.kept_at), "enrollment_id": row.enrollment_id,
    }  # fmt: skip


def list_kept(
    deed: Deed, person_id: int | None = None, run_id: int | None = None, every: bool = False
) -> list[dict[str, Any]]:
    """Kept quotes by their last day: those that stand, or all."""
    query = select(KeptQuote).order_by(KeptQuote.last, KeptQuote.id)
    if not every:
        query = query.where(KeptQuote.status == "open", KeptQuote.last >= deed.today)
    for column, value in ((KeptQuote.person_id, person_id), (KeptQuote.run_id, run_id)):
        if value is not None:
            query = query.where(column == value)
    return [kept_view(deed, r) for r in deed.session.scalars(query.limit(300))]


def drop(deed: Deed, quote_id: int) -> dict[str, Any]:
    """Drop a quote: it no longer stands, and nobody is reminded of it."""
    row = get_kept(deed, quote_id)
    if row.status != "open":
        raise conflict("not-open", f"This quote is {row.status}.")
    row.status = "dropped"
    settle_reminder(deed, row, done=True)
    name = deed.session.get_one(Person, row.person_id).name
    change = deed.log("drop a quote", "quote", row.id, f"Dropped the quote for {name}", run_id=row.run_id)
    return {"change": change.key, **kept_view(deed, row)}


def settle_reminder(deed: Deed, row: KeptQuote, done: bool) -> None:
    if row.reminder_id:
        deed.session.get_one(Reminder, row.reminder_id).done_at = deed.now if done else None


def standing(deed: Deed, quote_id: int, run: Run, person: Person) -> KeptQuote:
    """A quote that this person may sign up on now; refused with the reason."""
    row = get_kept(deed, quote_id)
    if (row.run_id, row.person_id) != (run.id, person.id):
        raise conflict("other-quote", "This quote was kept for another run or person.")
    if row.status != "open":
        raise conflict("not-open", f"This quote is {row.status}.")
    if row.last < deed.today:
        raise conflict("lapsed", f"This quote stood through {day_text(row.last)}.")
    return row


def quote_now(deed: Deed, row: KeptQuote, wish: quotes.Wish) -> tuple[int, dict[str, Any]]:
    """The total as kept, and its view with what is due if the sign-up were today."""
    total = parse_amount(row.quote["total"], row.quote["currency"])
    due = quotes.due_of(deed, wish, total, deed.today)
    return total, {**row.quote, "next_change": None, **plans.due_view(due, row.quote["currency"])}


def kept_quote(deed: Deed, quote_id: int) -> dict[str, Any]:
    """A kept quote as the desk shows it: its terms, what is due when signing up today, and whether there is a seat."""
    row = get_kept(deed, quote_id)
    run, person = get_run(deed, row.run_id), people.get_person(deed, row.person_id)
    standing(deed, quote_id, run, person)
    wish = quotes.wish_of(deed, run, row.ask, person, held=True)
    _, view = quote_now(deed, row, wish)
    words = payments.words_of(deed, run, person, row.organization_id)
    return {**view, **quotes.seat_view(deed, wish, row.quote["total"], words), "names": []}


def taken(deed: Deed, row: KeptQuote, enrollment: Enrollment) -> None:
    row.status, row.enrollment_id = "taken", enrollment.id
    settle_reminder(deed, row, done=True)


def open_again(deed: Deed, enrollment: Enrollment) -> None:
    """When a sign-up from a quote is taken back, the quote stands again."""
    row = deed.session.scalar(select(KeptQuote).where(KeptQuote.enrollment_id == enrollment.id))
    if row:
        row.status, row.enrollment_id = "open", None
        settle_reminder(deed, row, done=False)

"""The calculators: one JSON document in, one out. The core made usable on its own, from scripts and screens.

Amounts are strings with the currency's own decimals, dates ISO 8601, percents plain numbers in strings. A key
left out, or null, means an empty list, zero or no limit. Unknown keys are refused. Every fault of a document is
reported at once, with its JSON pointer.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from archgate.core.clashes import Busy, Clash, clashes_of
from archgate.core.faults import Fault, Refused
from archgate.core.money import format_amount
from archgate.core.pay import Facts, PayExtra, Term, pay_of
from archgate.core.plans import Due, DueKind, PlanLine, Settle, installments_of
from archgate.core.schedule import (
    MOST_MEETINGS,
    WEEKDAYS,
    Extra,
    Meeting,
    Pattern,
    Schedule,
    TooMany,
    meetings_of,
)
from archgate.core.states import Part, PayKind
from archgate.core.waitlist import Party, Rule, chances_of, in_order, next_offers
from archgate.documents.fees import quote_of
from archgate.documents.reader import Document, Reader, strict_date


def _finish(faults: list[Fault]) -> None:
    if faults:
        raise Refused(faults)


MOST_CLASHES = 5_000

# --- schedule ---------------------------------------------------------------------------------------------

PATTERN_KEYS = "first start minutes weekdays every_weeks count until on_closure instructor room"


def read_pattern(row: Reader) -> Pattern | None:
    before = len(row.faults)
    first = row.day("first", "The first date", need=True)
    start = row.clock("start", "The start time", need=True)
    minutes = row.whole("minutes", "The length in minutes", 1, 7 * 24 * 60, need=True)
    every = row.whole("every_weeks", "Every so many weeks", 1, 520) or 1
    count = row.whole("count", "The number of meetings", 1, MOST_MEETINGS)
    until = row.day("until", "The last day")
    if count is not None and until is not None:
        row.fault("until", "Give a number of meetings or a last day, not both.")
    if first and until and until < first:
        row.fault("until", "The last day is before the first date.")
    weekdays: list[int] = []
    for i, name in enumerate(row.take("weekdays", list, False, "The weekdays") or []):
        if name in WEEKDAYS:
            weekdays.append(WEEKDAYS.index(name))
        else:
            words = f'"{name}" is not a weekday; use MO, TU, WE, TH, FR, SA, SU.'
            row.faults.append(Fault(f"{row.at}/weekdays/{i}", words))
    closure = row.text("on_closure", "What happens on a closure") or "skip"
    if closure not in ("skip", "extend"):
        row.fault("on_closure", f'"{closure}" is neither skip nor extend.')
    instructors, room = read_instructors(row), row.text("room", "The room")
    if first is None or start is None or minutes is None or len(row.faults) > before:
        return None
    return Pattern(
        first,
        start,
        minutes,
        tuple(weekdays) or None,
        every,
        count,
        until,
        closure == "extend",
        instructors,
        room,
    )


MOST_INSTRUCTORS = 12  # of one meeting


def read_instructors(row: Reader) -> tuple[str, ...]:
    """Who teaches: one name, or a list of them; nobody twice."""
    typed = row.value.get("instructor")
    if not isinstance(typed, list):
        one = row.text("instructor", "The instructor")
        return (one,) if one else ()
    if len(typed) > MOST_INSTRUCTORS:
        row.fault("instructor", f"A meeting has at most {MOST_INSTRUCTORS} instructors.")
        return ()
    for n, name in enumerate(typed):
        if not isinstance(name, str) or not name.strip():
            row.faults.append(Fault(f"{row.at}/instructor/{n}", "An instructor is a name."))
    return tuple(dict.fromkeys(name for name in typed if isinstance(name, str) and name.strip()))


def instructors_document(names: tuple[str, ...]) -> object:
    """Who teaches, as a document says it: nobody, one name, or a list."""
    return list(names) if len(names) > 1 else next(iter(names), None)


def read_extra(row: Reader) -> Extra | None:
    day = row.day("date", "The date", need=True)
    start = row.clock("start", "The start time", need=True)
    minutes = row.whole("minutes", "The length in minutes", 1, 7 * 24 * 60, need=True)
    instructors, room = read_instructors(row), row.text("room", "The room")
    if day is None or start is None or minutes is None:
        return None
    return Extra(day, start, minutes, instructors, room)


def schedule_of(document: object) -> Document:
    """`calc schedule`: the meetings of patterns, closures and one-off meetings, and their clashes. At most 5,000 meetings of
    all patterns and one-offs together, and 5,000 clashes; more is refused."""
    faults: list[Fault] = []
    top = Reader(document, "", faults, "time_zone patterns closures extra busy")
    zone = top.zone()
    patterns = [read_pattern(r) for r in top.rows("patterns", "The patterns", PATTERN_KEYS)]
    extra = [
        read_extra(r) for r in top.rows("extra", "The one-off meetings", "date start minutes instructor room")
    ]
    closures: set[date] = set()
    for i, closure in enumerate(top.take("closures", list, False, "The closures") or []):
        try:
            closures.add(strict_date(closure if isinstance(closure, str) else ""))
        except ValueError:
            faults.append(
                Fault(f"/closures/{i}", f'A closure must be a date like 2027-09-14, not "{closure}".')
            )
    busy = [read_busy(r, zone) for r in top.rows("busy", "The busy times", "who start end")]
    _finish(faults)
    assert zone is not None
    try:
        schedule = meetings_of(
            tuple(p for p in patterns if p), zone, frozenset(closures), tuple(e for e in extra if e)
        )
    except TooMany as many:
        raise Refused([Fault("/patterns", str(many))]) from None
    except OverflowError:
        raise Refused([Fault("/patterns", "The dates go beyond the calendar.")]) from None
    clashing = clashes_of(schedule.meetings, tuple(b for b in busy if b), MOST_CLASHES)
    if len(clashing) > MOST_CLASHES:
        raise Refused([Fault("/patterns", f"These meetings clash more than {MOST_CLASHES:,} times.")])
    return {**schedule_document(schedule), "clashes": [clash_document(c, zone) for c in clashing]}


def read_busy(row: Reader, zone: ZoneInfo | None) -> Busy | None:
    who = row.text("who", "Who is busy", need=True)
    start = row.moment("start", "The start", zone, need=True)
    end = row.moment("end", "The end", zone, need=True)
    if who is None or start is None or end is None:
        return None
    if end <= start:
        row.fault("end", "The busy time ends before it begins.")
        return None
    return Busy(who, start, end)


def clash_document(clash: Clash, zone: ZoneInfo) -> Document:
    return {
        "who": clash.who,
        "kind": str(clash.kind),
        "a": clash.a,
        "b": clash.b,
        "start": clash.start.astimezone(zone).isoformat(),
        "end": clash.end.astimezone(zone).isoformat(),
    }


def schedule_document(schedule: Schedule) -> Document:
    return {
        "meetings": [meeting_document(m) for m in schedule.meetings],
        "hours": schedule.hours,
        "first": schedule.first.isoformat() if schedule.first else None,
        "last": schedule.last.isoformat() if schedule.last else None,
        "weeks": schedule.weeks,
        "dropped": [{"date": d.date.isoformat(), "why": d.why} for d in schedule.dropped],
        "warnings": list(schedule.warnings),
    }


def meeting_document(meeting: Meeting) -> Document:
    return {
        "n": meeting.n,
        "of": meeting.of,
        "date": meeting.date.isoformat(),
        "weekday": WEEKDAYS[meeting.date.weekday()],
        "start": meeting.start.isoformat(),
        "end": meeting.end.isoformat(),
        "minutes": meeting.minutes,
        "instructor": instructors_document(meeting.instructors),
        "room": meeting.room,
        "warnings": list(meeting.warnings),
    }


# --- plan -------------------------------------------------------------------------------------------------


def read_due(row: Reader) -> Due | None:
    rule = row.inner("due", "When the line is due", " ".join(DueKind))
    if rule is None or not isinstance(row.value.get("due"), dict):
        return None
    kind = rule.one_of(tuple(DueKind), True, "A due date")
    if kind is None:
        return None
    if kind == DueKind.ON:
        on = rule.day("on", "The due date", need=True)
        return Due(DueKind.ON, on=on) if on else None
    number = rule.whole(kind, "The number of days or months", 0, 36600, need=True)
    return None if number is None else Due(DueKind(kind), number)


def read_plan_line(row: Reader, currency: str | None) -> PlanLine | None:
    before = len(row.faults)
    row.one_of(("percent", "amount", "parts", "rest"), True, "A line")
    due = read_due(row)
    settle = row.text("settle", "Where the line is settled") or "any"
    if settle not in tuple(Settle):
        row.fault("settle", f'"{settle}" is none of online, desk, any.')
    percent = row.percent("percent", "The percent")
    amount = row.amount("amount", "The amount", currency)
    parts = row.whole("parts", "The parts", 1, 10**6)
    rest = row.flag("rest", "The rest")
    if due is None or len(row.faults) > before:
        return None
    return PlanLine(due, percent, amount, parts, rest, Settle(settle))


PLAN_LINE_KEYS = "percent amount parts rest due settle"


def plan_of(document: object) -> Document:
    """`calc plan`: the installments of a payment plan for a total and a sign-up date."""
    faults: list[Fault] = []
    top = Reader(document, "", faults, "currency total signed_up start lines")
    currency = top.currency()
    total = top.amount("total", "The total", currency, need=True)
    signed_up = top.day("signed_up", "The sign-up date", need=True)
    start = top.day("start", "The start")
    lines = [read_plan_line(r, currency) for r in top.rows("lines", "The lines", PLAN_LINE_KEYS)]
    _finish(faults)
    assert currency and total is not None and signed_up
    done = installments_of(tuple(x for x in lines if x), total, signed_up, start, currency)
    return {
        "installments": [
            {
                "n": i.n,
                "due": i.due.isoformat(),
                "amount": format_amount(i.amount, currency),
                "settle": str(i.settle),
                "why": i.why,
            }
            for i in done.installments
        ],
        "due_now": format_amount(done.due_now, currency),
        "due_later": format_amount(done.due_later, currency),
        "total": format_amount(done.total, currency),
    }


# --- waitlist ---------------------------------------------------------------------------------------------

LINE_KEYS = "time_zone capacity taken at offer_hours closes waiting rule leave_rate"
MOST_SEATS = 100_000


def moment_in(row: Reader, key: str, name: str, zone: ZoneInfo | None, need: bool = False) -> datetime | None:
    """A moment with the offset it was written with, or in the zone; local time without a zone is refused."""
    moment = row.moment(key, name, zone, need)
    if moment is None:
        return None
    written = datetime.fromisoformat(row.text(key, name) or "")
    if zone is None and written.tzinfo is None:
        row.fault(key, f"{name} needs an offset, as in 2027-08-20T10:00:00-04:00.")
    return moment.astimezone(zone or written.tzinfo)


def waitlist_of(document: object) -> Document:
    """The waitlist calculator: whom to offer what is free, until when, and everybody's place and chance.

    Moments carry an offset, or are local time in an optional `time_zone`; without either they are refused. Once `closes`
    has come nothing is offered; `until` is written in `time_zone`, else with the offset of `at`. Chances are four decimals, rounded half up.
    """
    faults: list[Fault] = []
    top = Reader(document, "", faults, LINE_KEYS)
    zone = top.zone() if top.has("time_zone") else None
    capacity = top.whole("capacity", "The capacity", 0, MOST_SEATS, need=True)
    taken = top.whole("taken", "The number of seats taken", 0, MOST_SEATS, need=True)
    at = moment_in(top, "at", "The moment", zone, need=True)
    hours = top.whole("offer_hours", "The hours of an offer", 1, 24 * 366, need=True)
    closes = moment_in(top, "closes", "The close of sign-up", zone)
    rule = top.text("rule", "The rule") or Rule.FIT
    rate = top.share("leave_rate", "The rate at which seats are given up")
    if rule not in list(Rule):
        top.fault("rule", "The rule is fit or strict.")
    parties, seen = [], set()
    for row in top.rows("waiting", "The waiting", "id people joined head_start"):
        name = row.text("id", "The id", need=True)
        people = row.whole("people", "The number of people", 1, MOST_SEATS, need=True)
        joined = moment_in(row, "joined", "The moment of joining", zone, need=True)
        start = row.whole("head_start", "The head start", -(10**6), 10**6) or 0
        if name in seen:
            row.fault("id", f'"{name}" stands twice in the line.')
        seen.add(name)
        if name is not None and people is not None and joined is not None:
            parties.append(Party(name, people, joined, start))
    if faults or capacity is None or taken is None or at is None or hours is None:
        raise Refused(faults)
    line = in_order(parties)
    offers, left = next_offers(line, max(0, capacity - taken), Rule(rule), at, hours, closes)
    chances = chances_of(line, capacity, taken, rate or Decimal(0))
    return {
        "offers": [{"id": o.party.id, "people": o.party.heads, "until": o.until.isoformat()} for o in offers],
        "left_over": left,
        "waiting": [
            {"id": p.id, "place": n, "chance": str(chance)}
            for n, (p, chance) in enumerate(zip(line, chances, strict=True), 1)
        ],
    }


# --- pay --------------------------------------------------------------------------------------------------

TERM_KEYS = "who part per_hour per_meeting flat per_head share_percent hours meetings"
MOST_COUNTED = 1_000_000


def read_term(row: Reader, currency: str | None) -> Term | None:
    before = len(row.faults)
    who = row.text("who", "Who is paid", need=True)
    kind = row.one_of(tuple(PayKind), True, "A term")
    part = row.text("part", "The part") or Part.LEAD
    if part not in tuple(Part):
        row.fault("part", f'"{part}" is none of {", ".join(Part)}.')
    hours = row.number("hours", "The hours", 2)
    meetings = row.whole("meetings", "The number of meetings", 0, MOST_COUNTED)
    percent = row.percent("share_percent", "The share")
    amounts = [row.amount(k, "The amount", currency) for k in PayKind if k is not PayKind.SHARE]
    if len(row.faults) > before or who is None or kind is None:
        return None
    amount = next((a for a in amounts if a is not None), 0)
    return Term(who, PayKind(kind), amount, percent or Decimal(0), hours, meetings, Part(part))


def read_pay_extra(row: Reader) -> PayExtra | None:
    who, label = row.text("who", "Who is paid", need=True), row.text("label", "The description", need=True)
    quantity = row.number("quantity", "The quantity", 4, need=True)
    unit = row.number("unit", "The unit price", 6, need=True)
    if who is None or label is None or quantity is None or unit is None:
        return None
    return PayExtra(who, label, quantity, unit)


def pay_of_document(document: object) -> Document:
    """`calc pay`: what instructors are paid for a run, each line with its reason, and what the center keeps.

    The label of a line of terms is the kind of pay, with the part where it is not the lead; of an extra line its own. People
    stand in the order in which they are named first. A percent of an hour's or a unit's decimals is not rounded before the
    line is. Shares over 100 together are refused at the term with which they pass it.
    """
    faults: list[Fault] = []
    keys = "currency hours meetings heads income payment_fees deduct terms extra"
    top = Reader(document, "", faults, keys)
    currency = top.currency()
    facts = Facts(
        currency or "",
        top.number("hours", "The hours", 2) or Decimal(0),
        top.whole("meetings", "The number of meetings", 0, MOST_COUNTED) or 0,
        top.whole("heads", "The number of heads", 0, MOST_COUNTED) or 0,
        top.amount("income", "The income", currency) or 0,
        top.amount("payment_fees", "The payment fees", currency) or 0,
        top.amount("deduct", "What is deducted", currency) or 0,
    )
    terms = [read_term(r, currency) for r in top.rows("terms", "The terms", TERM_KEYS)]
    extra = [read_pay_extra(r) for r in top.rows("extra", "The extra lines", "who label quantity unit")]
    _finish(faults)
    assert currency
    pay = pay_of(facts, [t for t in terms if t], [x for x in extra if x])
    warnings = ["The center pays more than comes in."] if pay.center < 0 else []
    return {
        "people": [
            {
                "who": p.who,
                "lines": [
                    {"label": x.label, "amount": format_amount(x.amount, currency), "why": x.why}
                    for x in p.lines
                ],
                "total": format_amount(p.total, currency),
            }
            for p in pay.people
        ],
        "center": format_amount(pay.center, currency),
        "warnings": warnings,
    }


CALCULATORS: dict[str, Callable[[object], Document]] = {
    "schedule": schedule_of,
    "quote": quote_of,
    "plan": plan_of,
    "waitlist": waitlist_of,
    "pay": pay_of_document,
}

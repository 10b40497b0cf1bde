"""Who the made-up center knows, and who signs up when."""

from __future__ import annotations

from datetime import date

from archgate.actions.bulk import batches, confirming, reading
from archgate.actions.bulk.commands import BatchChangeCommand
from archgate.actions.enrolling import enrollments, freed, roster, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.fees import fees as run_fees
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import PersonCommand, TagsCommand
from archgate.actions.runs import lifecycle
from archgate.demo.center import Center
from archgate.demo.desk import CLIENT
from archgate.demo.names import FAMILY, GIVEN
from archgate.demo.offerings import PlannedRun
from archgate.papers.lists import read_table

PEOPLE = 890
EVENTS = range(
    120, 150
)  # of the crowd are in the events of the script; all others sign up by phone at random
CLIENT_LIST = (
    "Personnel no,Name,Work email,Department\r\n"
    "00121,Teodora Vance,teodora.vance@example.org,Survey\r\n"
    "00134,Malik Ashdown,malik.ashdown@example.org,Masonry\r\n"
    "00140,Ingrid Whitlock,ingrid.whitlock@example.org,Masonry\r\n"
    "00152,Osei Castellan,osei.castellan@example.org,Survey\r\n"
    "00155,Brigid Thackeray,brigid.thackeray@example.org,Masonry\r\n"
    "00161,Emeka Corrigan,emeka.corrigan@example.org,Roofs\r\n"
)


def somebody(n: int) -> tuple[str, str, str | None]:
    """Given name, family name and email of the nth person of the crowd; one in 19 has no email."""
    round_ = n // len(GIVEN)
    first = GIVEN[(n * 7) % len(GIVEN)]
    last = FAMILY[(n * 11 + 3 * round_) % len(FAMILY)]
    return first, last, f"{first}.{last}@example.org".lower() if n % 19 else None


def everybody(center: Center) -> list[int]:
    """The people the center knows, added on the first day."""
    crowd = []
    for n in range(PEOPLE):
        first, last, email = somebody(n)
        body = {
            "given": first,
            "family": last,
            "email": email,
            "phone": f"555-01{n % 100:02d}",
            "anyway": True,
        }
        hour = 9 + n / 1000
        crowd.append(center.act(hour, people.create_person, command_of(PersonCommand, body)).id)
        tags = ["member"] if n % 3 == 0 else ["concession"] if n % 10 == 1 else []
        if tags:
            center.act(hour, people.tag_person, crowd[-1], command_of(TagsCommand, {"tags": tags}))
    return crowd


def sign_up_days(center: Center, plan: PlannedRun, first: date | None) -> list[int]:
    """On which days before today (counted back) people sign up: between opening and the close."""
    closes = (center.today - first).days + 1 if first else 0
    given_up = plan.cancelled[0] + 1 if plan.cancelled else 0
    latest = max(0, closes, given_up, 2 if plan.waits else 0)
    return sorted(center.chance.randint(latest, -plan.made - 1) for _ in range(plan.fill))


def sign_up(center: Center, plan: PlannedRun, run_id: int, crowd: list[int], hour: float) -> None:
    """One of the crowd signs up for a run by phone; who is on it already stays home."""
    person = center.chance.choice([p for n, p in enumerate(crowd) if n not in EVENTS])
    terms = center.read(hour, lambda d: run_fees.terms_view(get_run(d, run_id)))
    known = center.read(hour, quotes.choices, run_id, person, None).rates
    offered = [r for r in known if r.why_not is None]
    rate = center.chance.choice([offered[0], *offered]).id
    chosen = center.chance.choice([terms.plans[0], *terms.plans]).id
    quote = center.read(hour, quotes.quote_run, run_id, QuoteCommand(rate_id=rate, plan_id=chosen))
    try:
        center.act(
            hour,
            enrollments.enroll,
            EnrollCommand(run_id=run_id, person_id=person, total=quote.total, rate_id=rate, plan_id=chosen),
        )
    except Problem as problem:
        if problem.kind not in ("already-in", "already-waiting"):
            raise
        sign_up(center, plan, run_id, crowd, hour)


def events(center: Center, plan: PlannedRun, run_id: int, back: int, crowd: list[int]) -> None:
    """What else happened on a day: parties, a line, a withdrawal, a client's list, a run that is given up."""
    if plan.cancelled and back == plan.cancelled[0]:
        center.act(15, lifecycle.cancel_run, run_id, plan.cancelled[1])
    if (plan.course, plan.first) == ("DSW", 23):
        if back == 8:
            party(center, run_id, crowd[120], 3, "Comes with two neighbors; names to follow.")
        if back == 3:
            rows = center.read(14, roster.roster, run_id).rows
            center.act(14, freed.withdraw, rows[0].id)
    if plan.waits and back == 1:
        for n in range(plan.waits):
            heads = 3 if n == 1 else 1
            center.act(
                11 + n / 2,
                waitlist.join,
                JoinCommand(run_id=run_id, person_id=crowd[130 + n], heads=heads),
            )
    if plan.capacity == 200 and back == 2:
        data = CLIENT_LIST.encode()
        batch = center.act(15, reading.create_batch, run_id, "northgate.csv", data, read_table(data)).id
        client = center.read(15, organizations.find_organizations, CLIENT)[0].id
        center.act(15.1, reading.change_batch, batch, BatchChangeCommand(organization_id=client))
        shown = center.read(15.2, batches.batch_view, batch)
        center.act(15.2, confirming.confirm, batch, shown.people, shown.total)


def party(center: Center, run_id: int, person: int, heads: int, note: str) -> None:
    quote = center.read(13, quotes.quote_run, run_id, QuoteCommand(heads=heads))
    if quote.can_enroll:
        center.act(
            13,
            enrollments.enroll,
            EnrollCommand(run_id=run_id, person_id=person, total=quote.total, heads=heads, note=note),
        )

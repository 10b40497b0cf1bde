"""The made-up center Ashlar Quay, lived through day by day by the same actions that people use.

Made from a fixed seed and the clock's today: the same day gives the same center.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from typing import TypeVar

from sqlalchemy.orm import Session, sessionmaker

from archgate.actions.access import staff
from archgate.actions.across import today as today_list
from archgate.actions.across.commands import RemindCommand
from archgate.actions.bulk import bulk
from archgate.actions.bulk.commands import BatchChangeCommand
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.enrolling import enrollments, leaving, roster, waitlist
from archgate.actions.enrolling.commands import EnrollCommand, JoinCommand
from archgate.actions.fees import codes, course_defaults, kept_quotes, plans, quotes, stock, terms
from archgate.actions.fees import fees as run_fees
from archgate.actions.fees.commands import KeepCommand, QuoteCommand, StockCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch, CodeCommand, PlanCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.lookups import get_run
from archgate.actions.kernel.problems import Problem
from archgate.actions.kernel.unit_of_work import UnitOfWork, act
from archgate.actions.money import accounts, invoices, outstanding
from archgate.actions.money.commands import PaymentCommand
from archgate.actions.people import organizations, people
from archgate.actions.people.commands import NoteCommand, OrganizationCommand, PersonCommand, TagsCommand
from archgate.actions.runs import lifecycle, making, moving
from archgate.actions.runs.commands import CancelMeetingCommand, DecideCommand, RunCommand, RunPatch
from archgate.actions.runs.views import RunOut
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import BusyCommand, ClosureCommand, InstructorCommand, PlaceCommand
from archgate.clock import system_now
from archgate.core.reader import Document
from archgate.core.schedule import WEEKDAYS
from archgate.demo.center import PASSWORD, Center
from archgate.demo.names import FAMILY, GIVEN
from archgate.demo.rosters import alive
from archgate.jobs.worker import Worker
from archgate.papers.lists import read_table
from archgate.tables.access import User

T = TypeVar("T")
USERS = (
    ("ruth.okonjo@example.org", "Ruth Okonjo", "administrator"),
    ("peter.lindqvist@example.org", "Peter Lindqvist", "coordinator"),
)
CLIENT = "Northgate Trust"
OTHER_CLIENT = "Harbor Conservation"
DAYS = 75  # how long the center has been at work before today
PEOPLE = 150
CALLERS = 120  # of them sign up by phone at random; the others are in the events of the script

COURSES = (
    (
        "DSW",
        "A boundary wall in eight evenings",
        "Lay a dry-stone wall that stands: footing, hearting, throughs, cope.",
    ),
    (
        "LIME",
        "Lime plaster for old walls",
        "Mix, lay and finish lime plaster in three coats on lath and on stone.",
    ),
    ("GLASS", "Leaded glass: a small panel", "Cut, lead and solder a panel of your own design."),
    ("SLATE", "Slate roofing by hand", "Dress, hole and hang slate; flashings, valleys and a mended ridge."),
    ("TIMB", "Timber framing: a garden gate", "Mark out, cut and peg the joints of a small oak frame."),
    (
        "IRON",
        "Forged ironwork: hooks and hinges",
        "Draw down, bend and punch at the forge, safely and by eye.",
    ),
    ("READ", "Reading old buildings", "Six weeks online: what walls, roofs and openings tell of their age."),
    ("DRAW", "Drawing for masons", "Set out arches, moldings and templates at your own pace."),
    (
        "CARVE",
        "Stone carving: a leaf in limestone",
        "From the block to the finished leaf, with mallet and claw.",
    ),
)
CATEGORIES = {
    "DSW": "Stone",
    "CARVE": "Stone",
    "DRAW": "Stone",
    "LIME": "Walls and finishes",
    "GLASS": "Glass and iron",
    "IRON": "Glass and iron",
    "SLATE": "Roofs and timber",
    "TIMB": "Roofs and timber",
    "READ": "Understanding buildings",
}
PLACES: tuple[Document, ...] = (
    {
        "name": "Hall 2",
        "seats": 16,
        "facts": "Ground floor, sinks, dust extraction",
        "address": "4 Quay Lane",
    },
    {"name": "Roof shed", "seats": 10, "facts": "Two practice roofs", "address": "4 Quay Lane"},
    {"name": "Glass room", "seats": 10, "facts": "Light tables, soldering bench", "address": "4 Quay Lane"},
    {"name": "Forge", "seats": 8, "facts": "Eight hearths", "address": "6 Quay Lane"},
    {
        "name": "Long barn",
        "seats": 10,
        "facts": "Framing yard under a roof",
        "address": "Upper Farm",
        "address_public": False,
    },
    {
        "name": "Quarry yard",
        "kind": "outdoors",
        "seats": 14,
        "facts": "Bring boots; a tent when it rains",
        "address": "Old Quarry Road",
    },
    {"name": "Great barn", "seats": 220, "facts": "For large events"},
    {"name": "Online room", "kind": "online", "facts": "A link for each meeting"},
)
TEACHERS: tuple[Document, ...] = (
    {"name": "I. Marchetti", "email": "i.marchetti@example.org", "phone": "555-0171"},
    {"name": "A. Sorensen", "email": "a.sorensen@refused.example.org", "phone": "555-0172",
     "hours": [{"weekday": d, "from": "17:00", "to": "21:30"} for d in ("MO", "TU", "WE", "TH")]},
    {"name": "H. Dunmore", "email": "h.dunmore@example.org", "phone": "555-0173"},
    {"name": "M. Oyelaran", "email": "m.oyelaran@example.org", "phone": "555-0174"},
    {"name": "P. Hallam", "email": "p.hallam@example.org", "phone": "555-0175"},
    {"name": "C. Abernathy", "email": "c.abernathy@example.org", "phone": "555-0176"},
)  # fmt: skip

HALVES: Document = {
    "name": "Half now, half in 30 days",
    "lines": [
        {"percent": "50", "due": {"after_sign_up": 0}},
        {"percent": "50", "due": {"after_sign_up": 30}},
    ],
}
DEPOSIT: Document = {
    "name": "Deposit of 40, the rest on the first day",
    "lines": [
        {"amount": "40.00", "due": {"after_sign_up": 0}, "settle": "online"},
        {"rest": True, "due": {"after_start": 0}},
    ],
}
MONTHLY: Document = {
    "name": "Three equal parts by the month, from the start",
    "lines": [{"parts": 1, "due": {"months_after_start": k}} for k in range(3)],
}
NOW: Document = {"name": "All now", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}


def rates(fee: str, early: str, days: int, member: str = "", concession: str = "") -> list[Document]:
    """A standard rate with one early-bird step, and the others that a run has."""
    found: list[Document] = [
        {"label": "Standard", "amount": fee, "early": [{"days_before": days, "amount": early}]}
    ]
    if member:
        early_member = [{"days_before": days, "percent": "5"}]
        found.append({"label": "Member", "amount": member, "early": early_member, "tags": ["member"]})
    if concession:
        found.append({"label": "Concession", "amount": concession, "tags": ["concession"], "most": 6})
    return found


# What the center sells beside the seat, how much of it there is, and what runs start from.
HANDBOOK = {"label": "Handbook", "amount": "31.50", "most": 2, "item": "Handbook of dry-stone walling"}
TOOLS = {"label": "Tool set", "amount": "64.00", "item": "Hammer and chisel set"}
GLASS_PACK = {"label": "Glass pack", "amount": "24.00", "required": True}
STOCK = (("Handbook of dry-stone walling", 24), ("Hammer and chisel set", 5))
DEFAULTS = {
    "told": ["learner"],
    "taxes": [{"name": "State sales tax", "percent": "6", "included": False, "on": ["handbook", "tool-set"]}],
    "group": [{"from": 4, "percent": "5"}],
    "quote_days": 14,
    "refunds": {
        "steps": [{"days_before": 21, "percent": "100"}, {"days_before": 7, "percent": "50"}],
        "kept_fee": "15.00",
        "transfer_fee": "15.00",
    },
}
CENTER_PLANS: tuple[Document, ...] = (
    {"name": "Within 30 days of invoice", "note": "For organizations that pay by purchase order.",
     "lines": [{"percent": "100", "due": {"after_sign_up": 30}}]},
    {"name": "Nothing now, all on the first day", "details": True,
     "lines": [{"percent": "100", "due": {"after_start": 0}, "settle": "online"}]},
)  # fmt: skip


@dataclass(frozen=True)
class PlannedRun:
    """A run of the script: days count from today; `fill` is how many people sign up before today."""

    course: str
    made: int
    first: int
    weekday: str
    start: str
    minutes: int
    count: int
    capacity: int
    smallest: int
    place: str
    instructor: str
    rates: list[Document]
    plans: tuple[Document, ...]
    fill: int
    title: str = ""
    opens: int | None = None
    published: bool = True
    waits: int = 0
    note: str = ""
    sale: tuple[int, int, str] | None = None
    weeks_long: int = 0
    more: Document = field(default_factory=dict)


RUNS = (
    # Ended.
    PlannedRun("LIME", -73, -58, "SA", "09:30", 360, 3, 10, 5, "Hall 2", "I. Marchetti",
               rates("310.00", "280.00", 14), (DEPOSIT,), 8),
    # Running and full.
    PlannedRun("DSW", -70, -24, "TU", "17:30", 150, 8, 12, 6, "Quarry yard", "I. Marchetti",
               rates("236.00", "212.00", 14, "215.00"), (HALVES, NOW), 12),
    PlannedRun("SLATE", -68, -12, "MO", "18:00", 120, 6, 10, 5, "Roof shed", "A. Sorensen",
               rates("248.00", "224.00", 14), (HALVES,), 7),
    # Sign-up closed: it starts this evening.
    PlannedRun("IRON", -60, 0, "", "18:00", 180, 5, 8, 4, "Forge", "H. Dunmore",
               rates("320.00", "290.00", 21), (DEPOSIT, NOW), 8),
    # Open, under its smallest number.
    PlannedRun("GLASS", -50, 6, "SA", "10:00", 300, 4, 10, 6, "Glass room", "M. Oyelaran",
               rates("264.00", "238.00", 14, "240.00"), (DEPOSIT, HALVES), 4, more={"extras": [GLASS_PACK]}),
    # Open, going well, with a party.
    PlannedRun("DSW", -45, 23, "TH", "17:30", 150, 8, 14, 6, "Quarry yard", "I. Marchetti",
               rates("236.00", "212.00", 11, "215.00", "160.00"), (HALVES, MONTHLY), 9,
               note="The flyer says Hall 2. It meets in the quarry yard.", more={"extras": [HANDBOOK, TOOLS]}),
    # Full, with people in line.
    PlannedRun("TIMB", -40, 16, "SA", "09:00", 360, 4, 8, 5, "Long barn", "P. Hallam",
               rates("342.00", "310.00", 14, "318.00"), (HALVES, DEPOSIT), 8, waits=5),
    # A large one, filled by a client's list.
    PlannedRun("LIME", -20, 60, "SU", "09:30", 360, 3, 200, 40, "Great barn", "P. Hallam",
               rates("298.00", "268.00", 21, "270.00", "199.00"), (HALVES, MONTHLY), 14,
               title="Lime plaster: the open weekend school"),
    # Announced: sign-up opens in ten days.
    PlannedRun("SLATE", -12, 66, "MO", "18:00", 120, 6, 10, 5, "Roof shed", "A. Sorensen",
               rates("248.00", "224.00", 14), (HALVES,), 0, opens=10, title="Slate roofing, spring"),
    PlannedRun("IRON", -9, 40, "WE", "18:00", 180, 5, 8, 4, "Forge", "H. Dunmore",
               rates("320.00", "290.00", 21), (DEPOSIT, NOW), 3, title="Forged ironwork, winter",
               sale=(-2, 5, "275.00")),
    # Drafts: one ready but for its instructor, one that nobody could sign up for any more.
    PlannedRun("GLASS", -6, 75, "WE", "18:00", 120, 6, 8, 5, "Glass room", "",
               rates("276.00", "248.00", 14), (HALVES,), 0, title="Leaded glass: winter evenings", published=False),
    # A cohort online, an open run, a run for one client, and one that meets where others do.
    PlannedRun("READ", -30, 20, "WE", "19:00", 90, 6, 24, 8, "Online room", "C. Abernathy",
               rates("180.00", "160.00", 14), (HALVES,), 9,
               weeks_long=6, more={"kind": "cohort", "access_days": 60, "decision_rule": {"days_before": 10},
                     "week_names": ["Walls", "Roofs", "Openings", "Floors", "Changes", "Your own building"]}),
    PlannedRun("DRAW", -28, 0, "", "09:00", 60, 1, 100, 0, "", "C. Abernathy",
               [{"label": "Standard", "amount": "75.00"}], (NOW,), 6, more={"kind": "open", "access_days": 90}),
    PlannedRun("CARVE", -26, 9, "MO", "17:30", 150, 6, 12, 6, "Quarry yard", "I. Marchetti",
               rates("254.00", "228.00", 14), (HALVES,), 5, more={"decision_rule": {"days_before": 7}}),
    PlannedRun("CARVE", -8, 25, "TH", "18:00", 150, 6, 16, 6, "Quarry yard", "P. Hallam",
               rates("254.00", "228.00", 14), (HALVES,), 2, title="Stone carving, second group",
               more={"decision_rule": {"days_before": 14}}),
    PlannedRun("LIME", -14, 34, "FR", "09:30", 360, 2, 12, 0, "Hall 2", "C. Abernathy",
               [{"label": "Client", "amount": "260.00"}], (NOW,), 0, title="Lime plaster for Northgate Trust"),
    PlannedRun("TIMB", -5, -1, "FR", "18:30", 120, 3, 8, 4, "", "P. Hallam",
               rates("90.00", "80.00", 3), (NOW,), 0, title="Timber framing: three evenings", published=False),
)  # fmt: skip

CLIENT_LIST = (
    "Personnel no,Name,Work email,Department\r\n"
    "00121,Teodora Vance,teodora.vance@example.org,Survey\r\n"
    "00134,Malik Ashdown,malik.ashdown@example.org,Masonry\r\n"
    "00140,Ingrid Whitlock,ingrid.whitlock@example.org,Masonry\r\n"
    "00152,Osei Castellan,osei.castellan@example.org,Survey\r\n"
    "00155,Brigid Thackeray,brigid.thackeray@example.org,Masonry\r\n"
    "00161,Emeka Corrigan,emeka.corrigan@example.org,Roofs\r\n"
)
NOTES = (
    (4, "Prefers a call in the morning."),
    (9, "Asks for the ground-floor door; uses a stick."),
    (17, "Paid by check last year; the address on file is the new one."),
)


def next_weekday(day: date, weekday: str) -> date:
    """The first such weekday on or after a day; without one, the day itself."""
    if not weekday:
        return day
    wanted = WEEKDAYS.index(weekday)
    return day + timedelta(days=(wanted - day.weekday()) % 7)


def load(sessions: sessionmaker[Session], today: date, quick: bool) -> None:
    """Live through the days before `today`, and this morning."""
    center = Center(sessions, today, quick)
    center.day = today - timedelta(days=DAYS)
    for email, name, role in USERS:

        def add(uow: UnitOfWork, email: str = email, name: str = name, role: str = role) -> User:
            return staff.create_user(uow, email, name, role, PASSWORD, quick)

        center.users.append(act(sessions, add, at=center.at(8)))
    crowd = everybody(center)
    for name in (CLIENT, OTHER_CLIENT):
        center.act(8.5, organizations.create_organization, command_of(OrganizationCommand, {"name": name}))
    furnish(center)
    course_ids: dict[str, int] = {}
    signing_up: list[tuple[PlannedRun, int, list[int]]] = []
    for back in range(DAYS, -1, -1):
        center.day = today - timedelta(days=back)
        for plan in RUNS:
            if plan.made == -back:
                run = make_run(center, plan, course_ids)
                if plan.published:
                    center.act(10, making.publish_run, run.id)
                    signing_up.append((plan, run.id, sign_up_days(center, plan, run.first)))
        for plan, run_id, on_days in signing_up:
            for n in range(on_days.count(back)):
                sign_up(center, plan, run_id, crowd, 10.5 + n * 0.4 + center.chance.random() * 0.3)
            events(center, plan, run_id, back, crowd)
        if back % 2 == 0 and back:
            money_in(center)
    center.day = today
    desk_work(center, signing_up)
    offers(center, {(plan.course, plan.first): run for plan, run, _ in signing_up}, crowd)
    alive(center, {(plan.course, plan.first): run for plan, run, _ in signing_up}, crowd)
    worker = Worker.with_stand_ins(center.sessions)
    for minutes in (2, 10, 60, 600):
        worker.drain(system_now() + timedelta(minutes=minutes))
    worker.timed()
    for number, text in NOTES:
        center.act(9, people.add_note, crowd[number], command_of(NoteCommand, {"text": text}))


def furnish(center: Center) -> None:
    """Rooms and other places, instructors with their hours and absences, and the center's closed days."""
    center.act(8.6, places.set_region, "US")
    for place in PLACES:
        center.act(8.6, places.save_place, None, command_of(PlaceCommand, place))
    for teacher in TEACHERS:
        center.act(8.7, places.save_instructor, None, command_of(InstructorCommand, teacher))
    for name, number in STOCK:
        center.act(
            8.8,
            stock.count_stock,
            command_of(StockCommand, {"name": name, "add": number, "cause": "First delivery"}),
        )
    center.act(8.8, terms.change_center_defaults, command_of(CenterDefaultsPatch, {"set": DEFAULTS}))
    for plan in CENTER_PLANS:
        center.act(8.9, plans.make_plan, command_of(PlanCommand, plan))


def desk_work(center: Center, runs: list[tuple[PlannedRun, int, list[int]]]) -> None:
    """What the office did of late: a meeting cancelled, somebody ill, a run decided, a client's run, reminders."""
    today = center.today
    by = {(plan.course, plan.first): run for plan, run, _ in runs}
    teachers = {i.name: i.id for i in center.look(9, places.list_instructors)}
    rooms = {p.name: p.id for p in center.look(9, places.list_places)}
    center.act(
        8.8,
        places.add_closure,
        command_of(
            ClosureCommand,
            {
                "from": (today + timedelta(days=33)).isoformat(),
                "through": (today + timedelta(days=34)).isoformat(),
                "label": "Boiler works",
            },
        ),
    )
    ill = {
        "from": (today + timedelta(days=5)).isoformat(),
        "through": (today + timedelta(days=9)).isoformat(),
        "label": "ill",
    }
    center.act(9, places.add_busy, "instructor", teachers["M. Oyelaran"], command_of(BusyCommand, ill))
    shut = {
        "from": (today + timedelta(days=28)).isoformat(),
        "through": (today + timedelta(days=33)).isoformat(),
        "label": "New hearths",
    }
    center.act(9.1, places.add_busy, "place", rooms["Forge"], command_of(BusyCommand, shut))
    slate = center.look(9, making.run_view, by[("SLATE", -12)])
    coming = next(m for m in slate.dates if m.date > today)
    center.act(
        9.2,
        moving.cancel_meeting,
        coming.id,
        command_of(CancelMeetingCommand, {"why": "The instructor is ill."}),
    )
    center.act(9.3, lifecycle.decide, by[("DSW", 23)], command_of(DecideCommand, {"decision": "going ahead"}))
    later = (today + timedelta(days=2)).isoformat()
    center.act(
        9.3,
        lifecycle.decide,
        by[("GLASS", 6)],
        command_of(DecideCommand, {"decision": "waits", "until": later}),
    )
    client = center.look(9, organizations.find_organizations, CLIENT)[0].id
    contract = by[("LIME", 34)]
    center.act(
        9.4, making.change_run, contract, command_of(RunPatch, {"seen": {}, "set": {"client_id": client}})
    )
    for user, run, text in ((0, by[("GLASS", 6)], "Call the two who asked about Saturdays."),
                            (1, by[("TIMB", 16)], "Ask P. Hallam about a second group.")):  # fmt: skip
        body = {"day": today.isoformat(), "text": text, "run_id": run, "user_id": center.users[user].id}
        center.act(9.5, today_list.remind, command_of(RemindCommand, body))
    found = center.look(9.5, outstanding.payers)
    owed = next((p.account_id for p in found.payers if p.organization_id == client), None)
    if owed is not None:
        center.act(9.6, invoices.issue, owed)


def money_in(center: Center) -> None:
    """What came in on a day: most people pay what is due, some late, some more than they owe, a few not at all."""
    found = center.look(16, outstanding.payers)
    for payer in found.payers:
        due = payer.first_due is not None and payer.first_due <= center.day
        if not due or payer.organization_id or payer.account_id % 7 == 0 or center.chance.random() < 0.6:
            continue
        page = center.look(16, accounts.account_page, payer.account_id)
        first = page.open[0].left
        method = center.chance.choice(["cash", "check", "transfer", "transfer"])
        amount = first if center.chance.random() < 0.9 else f"{Decimal(first) + 10}"
        body = {
            "amount": amount,
            "method": method,
            "reference": f"No. {center.chance.randint(200, 999)}" if method == "check" else "",
        }
        center.act(16, accounts.take_payment, payer.account_id, command_of(PaymentCommand, body))


def offers(center: Center, runs: dict[tuple[str, int], int], crowd: list[int]) -> None:
    """Discount codes and who used them, and quotes that were kept for callers."""
    today = center.today
    wall = runs[("DSW", 23)]
    until = (today + timedelta(days=20)).isoformat()
    center.act(9.6, codes.make_code, command_of(CodeCommand, {"code": "OPENDAY", "percent": "10", "to": until, "most": 40,
                                                  "most_each": 1, "note": "Handed out on the open day"}))  # fmt: skip
    center.act(9.6, codes.make_code, command_of(CodeCommand, {"code": "NEIGHBOR", "off": "25.00", "number": 12, "run_ids": [wall],
                                                  "note": "Letter to the houses along the quay"}))  # fmt: skip
    lapsed = {"code": "SPRING", "percent": "5", "to": (today - timedelta(days=12)).isoformat()}
    center.act(9.6, codes.make_code, command_of(CodeCommand, lapsed))
    book = center.look(9, making.run_view, wall).extras[0].id
    for n, person in enumerate(crowd[140:142]):
        ask: Document = {"code": "OPENDAY", "extras": [{"extra_id": book, "count": 1}] if n else []}
        quote = center.look(10, quotes.quote_run, wall, command_of(QuoteCommand, ask))
        if quote.can_enroll:
            center.act(
                10,
                enrollments.enroll,
                command_of(EnrollCommand, {"run_id": wall, "person_id": person, "total": quote.total, **ask}),
            )
    kept: tuple[tuple[tuple[str, int], Document], ...] = (
        (("GLASS", 6), {"heads": 2}),
        (("IRON", 40), {}),
        (("LIME", 60), {"heads": 5}),
    )
    for n, (course, wish) in enumerate(kept):
        quote = center.look(10.5, quotes.quote_run, runs[course], command_of(QuoteCommand, wish))
        body = {**wish, "run_id": runs[course], "person_id": crowd[142 + n], "total": quote.total, "send": False,
                "last": (today + timedelta(days=(4, 14, 10)[n])).isoformat(),
                "note": ("", "Waits for a word from work.", "For the house team.")[n]}  # fmt: skip
        center.act(10.5, kept_quotes.keep, command_of(KeepCommand, body))


def somebody(n: int) -> tuple[str, str, str | None]:
    """Given name, family name and email of the nth person of the crowd; one in 19 has no email."""
    first = GIVEN[(n * 7 + n // len(GIVEN)) % len(GIVEN)]
    last = FAMILY[(n * 11 + n // len(FAMILY)) % len(FAMILY)]
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
        crowd.append(center.act(9 + n / 200, people.create_person, command_of(PersonCommand, body)).id)
        tags = ["member"] if n % 3 == 0 else ["concession"] if n % 10 == 1 else []
        if tags:
            center.act(9 + n / 200, people.tag_person, crowd[-1], command_of(TagsCommand, {"tags": tags}))
    return crowd


def make_run(center: Center, plan: PlannedRun, course_ids: dict[str, int]) -> RunOut:
    code, title, summary = next(c for c in COURSES if c[0] == plan.course)
    weekday = plan.weekday
    first = next_weekday(center.today + timedelta(days=plan.first), weekday)
    more = dict(plan.more)
    terms = [dict(r) for r in plan.rates]
    if plan.sale:
        begin, end, price = plan.sale
        sale_from, sale_to = (center.today + timedelta(days=n) for n in (begin, end))
        terms[0]["sale"] = {"from": sale_from.isoformat(), "to": sale_to.isoformat(), "amount": price}
    body: Document = {
        "title": plan.title,
        "place": plan.place,
        "instructor": plan.instructor,
        "note": plan.note,
        "capacity": plan.capacity,
        "smallest": plan.smallest,
        "sign_up_opens": None
        if plan.opens is None
        else (center.today + timedelta(days=plan.opens)).isoformat(),
        "pattern": {
            "on_closure": "extend",
            "first": first.isoformat(),
            "start": plan.start,
            "minutes": plan.minutes,
            "weekdays": [weekday or WEEKDAYS[first.weekday()]],
            "count": plan.count,
        },
        "rates": terms,
        "plans": list(plan.plans),
        **more,
    }
    if plan.more.get("kind") == "open":
        del body["pattern"]
    if plan.weeks_long:
        body["starts_on"] = first.isoformat()
        body["ends_on"] = (first + timedelta(days=7 * plan.weeks_long - 1)).isoformat()
    if plan.course in course_ids:
        body["course_id"] = course_ids[plan.course]
    else:
        body["course"] = {"code": code, "title": title, "summary": summary}
    run = center.act(9.5, making.create_run, command_of(RunCommand, body))
    if plan.course not in course_ids:
        center.act(
            9.6,
            course_defaults.keep_defaults,
            run.id,
            ["place", "instructor", "rates", "plans"],
        )
    if plan.course not in course_ids:
        category = {"seen": {}, "set": {"category": CATEGORIES[plan.course]}}
        center.act(9.7, courses.change_course, run.course.id, command_of(CoursePatch, category))
    course_ids[plan.course] = run.course.id
    return run


def sign_up_days(center: Center, plan: PlannedRun, first: date | None) -> list[int]:
    """On which days before today (counted back) people sign up: between opening and the close."""
    closes = (center.today - first).days + 1 if first else 0
    latest = max(0, closes, 2 if plan.waits else 0)
    return sorted(center.chance.randint(latest, -plan.made - 1) for _ in range(plan.fill))


def sign_up(center: Center, plan: PlannedRun, run_id: int, crowd: list[int], hour: float) -> None:
    """One of the crowd signs up for a run by phone; who is on it already stays home."""
    person = center.chance.choice(crowd[:CALLERS])
    terms = center.look(hour, lambda d: run_fees.terms_view(get_run(d, run_id)))
    known = center.look(hour, quotes.choices, run_id, person, None).rates
    offered = [r for r in known if r.why_not is None]
    rate = center.chance.choice([offered[0], *offered]).id
    chosen = center.chance.choice([terms.plans[0], *terms.plans]).id
    quote = center.look(hour, quotes.quote_run, run_id, QuoteCommand(rate_id=rate, plan_id=chosen))
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
    """What else happened on a day: parties, a line, a withdrawal, a client's list."""
    if plan.course == "DSW" and plan.first > 0:
        if back == 8:
            party(center, run_id, crowd[120], 3, "Comes with two neighbors; names to follow.")
        if back == 3:
            rows = center.look(14, roster.roster, run_id).rows
            center.act(14, leaving.withdraw, rows[0].id)
    if plan.waits and back == 1:
        for n in range(plan.waits):
            heads = 3 if n == 1 else 1
            center.act(
                11 + n / 2,
                waitlist.join,
                JoinCommand(run_id=run_id, person_id=crowd[130 + n], heads=heads),
            )
    if plan.capacity == 200 and back == 2:
        made = center.act(
            15,
            bulk.create_batch,
            run_id,
            "northgate.csv",
            CLIENT_LIST.encode(),
            read_table(CLIENT_LIST.encode()),
        )
        client = center.look(15, organizations.find_organizations, CLIENT)[0].id
        batch = center.act(
            15.1, bulk.change_batch, made.id, command_of(BatchChangeCommand, {"organization_id": client})
        )
        center.act(15.2, bulk.enroll_batch, batch.id, batch.people, batch.total)


def party(center: Center, run_id: int, person: int, heads: int, note: str) -> None:
    quote = center.look(13, quotes.quote_run, run_id, QuoteCommand(heads=heads))
    if quote.can_enroll:
        center.act(
            13,
            enrollments.enroll,
            EnrollCommand(run_id=run_id, person_id=person, total=quote.total, heads=heads, note=note),
        )

"""What the office of the made-up center did of late: decisions, payments, codes, quotes."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from archgate.actions.across import today as today_list
from archgate.actions.across.commands import RemindCommand
from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import codes, kept_quotes, quotes
from archgate.actions.fees.commands import KeepCommand, QuoteCommand
from archgate.actions.fees.term_commands import CodeCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import accounts, invoices, outstanding, paying_out
from archgate.actions.money.commands import PaymentCommand, WriteOffCommand
from archgate.actions.money.payments import on_file
from archgate.actions.people import organizations
from archgate.actions.runs import lifecycle, making, moving, showing
from archgate.actions.runs.commands import CancelMeetingCommand, DecideCommand, RunPatch
from archgate.actions.schedule import places
from archgate.actions.schedule.commands import BusyCommand, ClosureCommand
from archgate.actions.teaching import instructors
from archgate.demo import cards, catalog
from archgate.demo.cards import PracticeBank
from archgate.demo.center import Center
from archgate.demo.offerings import PlannedRun
from archgate.documents.reader import Document

CLIENT = "Northgate Trust"
OTHER_CLIENT = "Harbor Conservation"


def desk_work(center: Center, runs: list[tuple[PlannedRun, int, list[int]]]) -> None:
    """What the office did of late: a meeting cancelled, somebody ill, a run decided, a client's run, reminders."""
    today = center.today
    by = {(plan.course, plan.first): run for plan, run, _ in runs}
    teachers = {i.name: i.id for i in center.read(9, instructors.list_instructors)}
    rooms = {p.name: p.id for p in center.read(9, places.list_places)}
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
        "from": today.isoformat(),
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
    slate = center.read(9, showing.run_view, by[("SLATE", -12)])
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
    client = center.read(9, organizations.find_organizations, CLIENT)[0].id
    contract = by[("LIME", 34)]
    center.act(
        9.4, making.change_run, contract, command_of(RunPatch, {"seen": {}, "set": {"client_id": client}})
    )
    catalog.show(center, contract, found_by="invited")
    for user, run, text in ((0, by[("GLASS", 6)], "Call the two who asked about Saturdays."),
                            (1, by[("TIMB", 16)], "Ask P. Hallam about a second group.")):  # fmt: skip
        body = {"day": today.isoformat(), "text": text, "run_id": run, "user_id": center.users[user].id}
        center.act(9.5, today_list.remind, command_of(RemindCommand, body))
    owing = center.read(9.5, outstanding.payers, limit=None)
    owed = next((p.account_id for p in owing.items if p.organization_id == client), None)
    if owed is not None:
        center.act(9.6, invoices.issue, owed)
    large = next((p for p in reversed(owing.items) if not p.organization_id and Decimal(p.open) > 300), None)
    if large is not None:
        page = center.read(9.6, accounts.account_page, large.account_id)
        above = next((i.id for i in page.open if Decimal(i.left) > 150), None)
        body = {"installment_id": above, "why": "Moved away; the letter came back."}
        if above is not None:
            center.act(9.6, paying_out.write_off, large.account_id, command_of(WriteOffCommand, body))


def money_in(center: Center, bank: PracticeBank) -> None:
    """What came in on a day: most people pay what is due, some late, some more than they owe, a few not at all."""
    owing = center.read(16, outstanding.payers, limit=None)
    for payer in owing.items:
        due = payer.first_due is not None and payer.first_due <= center.day
        if not due or payer.organization_id or payer.account_id % 7 == 0 or center.chance.random() < 0.6:
            continue
        if center.read(16, on_file, payer.account_id) is not None:
            continue  # they think that their card pays
        page = center.read(16, accounts.account_page, payer.account_id)
        first = page.open[0].left
        method = center.chance.choice(["cash", "check", "transfer", "transfer"])
        if method == "transfer" and payer.account_id % 3 == 0:
            cards.pay_what_is_due(center, 16, bank, payer.account_id)
            continue
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
    book = center.read(9, showing.run_view, wall).extras[0].id
    for n, person in enumerate(crowd[140:142]):
        ask: Document = {"code": "OPENDAY", "extras": [{"extra_id": book, "count": 1}] if n else []}
        quote = center.read(10, quotes.quote_run, wall, command_of(QuoteCommand, ask))
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
    for n, (course, ask) in enumerate(kept):
        quote = center.read(10.5, quotes.quote_run, runs[course], command_of(QuoteCommand, ask))
        body = {**ask, "run_id": runs[course], "person_id": crowd[142 + n], "total": quote.total, "send": False,
                "last": (today + timedelta(days=(4, 14, 10)[n])).isoformat(),
                "note": ("", "Waits for a word from work.", "For the house team.")[n]}  # fmt: skip
        center.act(10.5, kept_quotes.keep, command_of(KeepCommand, body))

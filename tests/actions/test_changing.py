"""Sign-ups that change: extras, rates and prices later on, transfers, swaps, and meetings that fall out."""

import pytest
from sqlalchemy import select

from archgate.actions.across import undo
from archgate.actions.enrolling import changing, freed, transfers
from archgate.actions.enrolling.commands import ChangeCommand, GiveBackCommand, TransferCommand
from archgate.actions.fees import stock, terms
from archgate.actions.fees.commands import StockCommand
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts, invoices, paying_out
from archgate.actions.money.commands import PayerCommand, PaymentCommand, WriteOffCommand
from archgate.actions.runs import making, moving
from archgate.actions.runs.commands import CancelMeetingCommand, RunPatch
from archgate.core.faults import Refused
from archgate.tables.fees import StockItem
from archgate.tables.roster import Enrollment
from made import a_person, a_run, agrees, enrolled, number, roster_of, taken


def refusal(do):
    with pytest.raises(Refused) as refused:
        do()
    return {f.at: f.message for f in refused.value.faults}


def page(office, number):
    return office.read(lambda d: accounts.account_page(d, number))


def account(office, person):
    return office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": person["id"], "organization_id": None})
        )
    )["id"]


def pay(office, account_id, amount):
    body = {"amount": amount, "method": "cash"}
    return office.act(lambda d: accounts.take_payment(d, account_id, command_of(PaymentCommand, body)))


def change(office, held, preview=False, **body):
    return office.act(
        lambda d: changing.change(d, held["enrollment"], command_of(ChangeCommand, body)), preview=preview
    )


def on_hand(office, shelf):
    return office.read(lambda d: d.session.scalar(select(StockItem.on_hand).where(StockItem.name == shelf)))


@pytest.fixture
def with_books(office):
    """A run at 240.00 or 210.00 early, 150.00 for members, a book at 30.00 from stock of three taxed six percent on top."""
    shelf = f"Shelf {next(number)}"
    office.act(lambda d: stock.count_stock(d, command_of(StockCommand, {"name": shelf, "add": 3})))
    run = a_run(
        office,
        rates=[
            {"amount": "240.00", "early": [{"days_before": 18, "amount": "210.00"}]},
            {"code": "less", "label": "Less", "amount": "150.00", "by_agreement": True},
        ],
        extras=[{"label": "Book", "amount": "30.00", "most": 2, "item": shelf}],
        taxes=[{"name": "Sales tax", "percent": "6", "included": False, "on": ["book"]}],
    )  # fmt: skip
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    return {
        "run": run, "shelf": shelf, "enrollment": held["enrollment_id"], "book": run["extras"][0]["id"],
        "rates": [r["id"] for r in run["rates"]], "account": account(office, somebody), "person": somebody,
    }  # fmt: skip


def books(held, count):
    return [{"extra_id": held["book"], "count": count}] if count else []


def test_an_extra_added_later_is_spread_over_what_is_not_due_yet_and_undone_exactly(office, with_books):
    shown = change(office, with_books, preview=True, extras=books(with_books, 1))
    assert page(office, with_books["account"])["balance"] == "210.00"  # nothing was written
    assert [r["amount"] for r in shown["before"]] == ["105.00", "105.00"]
    assert [r["amount"] for r in shown["after"]] == ["105.00", "136.80"]  # the first half was due and stands
    done = change(office, with_books, extras=books(with_books, 1), total=shown["total"])
    assert (done["total_before"], done["total"]) == ("210.00", "241.80")
    after = page(office, with_books["account"])
    assert (after["balance"], [o["left"] for o in after["open"]]) == ("241.80", ["105.00", "136.80"])
    assert on_hand(office, with_books["shelf"]) == 2
    with pytest.raises(Problem, match="Nothing changes"):
        change(office, with_books, extras=books(with_books, 1))
    with pytest.raises(Problem, match=r"total was 241\.80"):
        change(office, with_books, extras=books(with_books, 2), total="241.80")
    office.act(lambda d: undo.undo(d, done["change"]))
    again = page(office, with_books["account"])
    assert (again["balance"], [o["left"] for o in again["open"]]) == ("210.00", ["105.00", "105.00"])
    assert on_hand(office, with_books["shelf"]) == 3
    agrees(office)


def test_an_extra_taken_out_again_goes_back_to_stock_and_what_was_paid_for_it_is_credit(office, with_books):
    change(office, with_books, extras=books(with_books, 2))
    pay(office, with_books["account"], "273.60")
    done = change(office, with_books, extras=[])
    assert (done["total"], done["credit"]) == ("210.00", "63.60")
    after = page(office, with_books["account"])
    assert (after["balance"], after["credit"], after["open"]) == ("-63.60", "63.60", [])
    assert on_hand(office, with_books["shelf"]) == 3
    office.act(lambda d: undo.undo(d, done["change"]))
    again = page(office, with_books["account"])
    assert (again["balance"], again["credit"], again["open"]) == ("0.00", "0.00", [])
    agrees(office)


def test_with_nothing_left_to_take_it_more_is_due_at_once_and_credit_settles_it(office, with_books):
    pay(office, with_books["account"], "220.00")
    done = change(office, with_books, extras=books(with_books, 1))
    assert sorted(r["amount"] for r in done["after"]) == ["105.00", "105.00", "31.80"]
    after = page(office, with_books["account"])
    assert (after["balance"], after["credit"], [o["left"] for o in after["open"]]) == (
        "21.80",
        "0.00",
        ["21.80"],
    )
    agrees(office)


def test_extras_have_their_limits_and_go_back_with_the_seat(office, with_books):
    assert (
        "most 2"
        in refusal(lambda: change(office, with_books, extras=books(with_books, 3)))["/extras/0/count"].lower()
    )
    change(office, with_books, extras=books(with_books, 2))
    gone = office.act(lambda d: freed.withdraw(d, with_books["enrollment"]))
    assert (page(office, with_books["account"])["balance"], on_hand(office, with_books["shelf"])) == (
        "0.00",
        3,
    )
    office.act(lambda d: undo.undo(d, gone["change"]))
    assert page(office, with_books["account"])["balance"] == "273.60"
    agrees(office)


def test_another_rate_is_priced_as_of_sign_up_and_what_was_agreed_keeps_its_price(office, with_books):
    late = office.later(days=20)  # the early price is over by then
    change(late, with_books, extras=books(with_books, 1))
    view = late.read(lambda d: changing.view(d, with_books["enrollment"]))["quote"]
    assert [(x["label"], x["amount"]) for x in view["lines"]] == [("Standard", "210.00"), ("Book", "30.00")]
    less = [{"rate_id": with_books["rates"][1], "count": 1}]
    done = change(late, with_books, people=less)
    assert (done["total"], [r["amount"] for r in done["after"]]) == ("181.80", ["105.00", "76.80"])
    back = change(late, with_books, people=[{"rate_id": with_books["rates"][0], "count": 1}])
    assert back["total"] == "241.80"  # early again: it counts from the day of sign-up
    fresh = change(late, with_books, fresh=True)
    assert fresh["total"] == "271.80"
    row = roster_of(late, with_books["run"])[0]
    assert (row["rate"], row["total"]) == ("Standard; Book", "271.80")
    agrees(office)


def test_a_price_is_agreed_anew_with_a_reason(office, with_books):
    agreed = {"amount": "100.00", "reason": "Helps to set up"}
    done = change(
        office, with_books, people=[{"rate_id": with_books["rates"][1], "count": 1, "agreed": agreed}]
    )
    assert (done["total"], [r["amount"] for r in done["after"]]) == ("100.00", ["100.00"])
    said = office.read(lambda d: changing.view(d, with_books["enrollment"]))["quote"]["lines"][0]["why"]
    assert "Helps to set up" in said
    two = [{"rate_id": with_books["rates"][1], "count": 2}]
    assert "/people" in refusal(lambda: change(office, with_books, people=two))
    assert "/why" in refusal(lambda: change(office, with_books, fresh=True, why="x" * 501))
    agrees(office)


def test_a_write_off_gives_way_before_a_lower_price_makes_credit(office, with_books):
    first, second = (o["id"] for o in page(office, with_books["account"])["open"])
    body = {"amount": "105.00", "method": "cash", "installments": [{"id": second, "amount": "105.00"}]}
    office.act(lambda d: accounts.take_payment(d, with_books["account"], command_of(PaymentCommand, body)))
    lost = {"installment_id": first, "why": "Never mind"}
    office.act(lambda d: paying_out.write_off(d, with_books["account"], command_of(WriteOffCommand, lost)))
    done = change(office, with_books, people=[{"rate_id": with_books["rates"][1], "count": 1}])
    assert (done["total"], done["credit"]) == ("150.00", "60.00")
    agrees(office)


# --- transfers and swaps ----------------------------------------------------------------------------------

POLICY = {"steps": [{"days_before": 30, "percent": "100"}], "kept_fee": "25.00", "transfer_fee": "15.00"}


def move(office, held, there, preview=False, **body):
    return office.act(
        lambda d: transfers.transfer(
            d, held["enrollment"], command_of(TransferCommand, {"run_id": there["id"], **body})
        ),
        preview=preview,
    )


def test_a_transfer_carries_the_money_along_and_is_undone(office, with_books):
    there = a_run(office)
    pay(office, with_books["account"], "105.00")
    shown = move(office, with_books, there, preview=True)
    assert taken(office, there) == 0
    done = move(office, with_books, there, total=shown["quote"]["total"])
    assert (done["paid"], done["kept"], done["carried"], done["owed"], done["credit"]) == (
        "105.00", "0.00", "105.00", "105.00", "0.00",
    )  # fmt: skip
    assert done["why"] == "There is no fee for a transfer; all of the price moves along."
    assert (taken(office, with_books["run"]), taken(office, there)) == (0, 1)
    after = page(office, with_books["account"])
    assert (after["balance"], [o["run"] for o in after["open"]]) == ("105.00", [there["code"]])
    agrees(office)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert (taken(office, with_books["run"]), taken(office, there)) == (1, 0)
    again = page(office, with_books["account"])
    assert (again["balance"], [o["left"] for o in again["open"]]) == ("105.00", ["105.00"])
    agrees(office)


def test_a_fee_for_a_transfer_is_kept_unless_staff_say_otherwise(office, with_books):
    there = a_run(office)
    set_policy = {"seen": {}, "set": {"refunds": POLICY}}
    kept = office.act(lambda d: terms.change_center_defaults(d, command_of(CenterDefaultsPatch, set_policy)))
    try:
        pay(office, with_books["account"], "210.00")
        shown = move(office, with_books, there, preview=True)
        assert (shown["kept"], shown["carried"], shown["owed"]) == ("15.00", "195.00", "15.00")
        assert shown["why"] == "The fee for a transfer, 15.00, is kept; the rest moves along."
        assert "/why" in refusal(lambda: move(office, with_books, there, keep="0.00"))
        done = move(office, with_books, there, keep="0.00", why="Our mistake")
        assert (done["kept"], done["carried"], done["owed"]) == ("0.00", "210.00", "0.00")
        agrees(office)
    finally:
        office.act(lambda d: undo.undo(d, kept["change"]))


def test_what_was_paid_goes_to_the_new_run_before_older_debts_of_the_payer(office, with_books):
    other = a_run(office)
    enrolled(office.later(minutes=1), other, with_books["person"])
    first = next(
        o for o in page(office, with_books["account"])["open"] if o["run"] == with_books["run"]["code"]
    )
    body = {"amount": "105.00", "method": "cash", "installments": [{"id": first["id"], "amount": "105.00"}]}
    office.act(lambda d: accounts.take_payment(d, with_books["account"], command_of(PaymentCommand, body)))
    done = move(
        office.later(days=40),
        with_books,
        a_run(
            office,
            pattern={"first": "2027-11-16", "start": "17:30", "minutes": 105, "weekdays": ["TU"], "count": 8},
        ),
    )
    assert (done["carried"], done["credit"]) == ("105.00", "0.00")
    agrees(office)


def test_a_transfer_is_refused_with_the_reason(office, with_books):
    assert "is on" in refusal(lambda: move(office, with_books, with_books["run"]))["/run_id"]
    full = a_run(office, capacity=1, smallest=0)
    enrolled(office, full)
    with pytest.raises(Problem, match="seat"):
        move(office, with_books, full)
    there = a_run(office)
    enrolled(office, there, with_books["person"])
    with pytest.raises(Problem, match="already on the roster"):
        move(office, with_books, there)
    with pytest.raises(Problem, match=r"total was 1\.00"):
        move(office, with_books, a_run(office), total="1.00")
    assert taken(office, with_books["run"]) == 1


def test_somebody_else_takes_the_seat_and_the_payer_stays(office, with_books):
    other = a_person(office)
    done = office.act(lambda d: transfers.swap(d, with_books["enrollment"], other["id"]))
    assert (done["name"], done["payer"]) == (other["name"], with_books["person"]["name"])
    assert [r["name"] for r in roster_of(office, with_books["run"])] == [other["name"]]
    assert page(office, with_books["account"])["balance"] == "210.00"
    with pytest.raises(Problem, match="already"):
        office.act(lambda d: transfers.swap(d, with_books["enrollment"], other["id"]))
    office.act(lambda d: undo.undo(d, done["change"]))
    assert [r["name"] for r in roster_of(office, with_books["run"])] == [with_books["person"]["name"]]
    agrees(office)


# --- a meeting that falls out -----------------------------------------------------------------------------


def test_a_cancelled_meeting_is_given_back_by_its_length_to_everybody_once(office, with_books):
    run, meeting = with_books["run"], with_books["run"]["dates"][7]["id"]
    change(office, with_books, extras=books(with_books, 1))
    other = a_person(office)
    enrolled(office, run, other)
    pay(office, account(office, other), "210.00")
    with pytest.raises(Problem, match="is held"):
        office.act(lambda d: changing.credit_meeting(d, meeting, command_of(GiveBackCommand, {})))
    office.act(
        lambda d: moving.cancel_meeting(d, meeting, command_of(CancelMeetingCommand, {"why": "Storm"}))
    )
    shown = office.act(
        lambda d: changing.credit_meeting(d, meeting, command_of(GiveBackCommand, {})), preview=True
    )
    # 210.00 among eight meetings is 26.25 each; the book is no part of it
    assert (shown["total"], [(p["amount"], p["credit"]) for p in shown["people"]]) == (
        "52.50", [("26.25", "0.00"), ("26.25", "26.25")],
    )  # fmt: skip
    done = office.act(
        lambda d: changing.credit_meeting(d, meeting, command_of(GiveBackCommand, {"total": "52.50"}))
    )
    held = page(office, with_books["account"])
    assert (held["balance"], held["entries"][-1]["kind"]) == ("215.55", "credit")
    assert page(office, account(office, other))["credit"] == "26.25"
    with pytest.raises(Problem, match="Nobody"):
        office.act(lambda d: changing.credit_meeting(d, meeting, command_of(GiveBackCommand, {})))
    agrees(office)
    office.act(lambda d: undo.undo(d, done["change"]))
    assert page(office, with_books["account"])["balance"] == "241.80"
    assert page(office, account(office, other))["credit"] == "0.00"
    agrees(office)


def test_all_meetings_that_fall_out_are_worth_the_price_and_a_replaced_one_nothing(office):
    run = a_run(
        office, rates=[{"amount": "100.00"}], taxes=[{"name": "Tax", "percent": "7", "included": False}]
    )
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    own = account(office, somebody)
    pay(office, own, "107.00")
    ids = [m["id"] for m in run["dates"]]
    instead = {"date": "2027-12-07", "start": "17:30", "minutes": 105}
    office.act(
        lambda d: moving.cancel_meeting(
            d, ids[0], command_of(CancelMeetingCommand, {"why": "", "replacement": instead})
        )
    )
    with pytest.raises(Problem, match="Nobody"):
        office.act(lambda d: changing.credit_meeting(d, ids[0], command_of(GiveBackCommand, {})))
    for meeting in ids[1:]:
        office.act(
            lambda d, n=meeting: moving.cancel_meeting(d, n, command_of(CancelMeetingCommand, {"why": ""}))
        )
        office.act(lambda d, n=meeting: changing.credit_meeting(d, n, command_of(GiveBackCommand, {})))
    total = office.read(lambda d: d.session.get_one(Enrollment, held["enrollment_id"]).total)
    assert 1330 <= total <= 1340  # an eighth of 107.00, the meeting that is still held
    assert page(office, own)["credit"] == f"{(10700 - total) / 100:.2f}"
    agrees(office)


# --- what papers say of sign-ups that change --------------------------------------------------------------


def test_papers_follow_what_a_sign_up_comes_to(office, with_books):
    own = with_books["account"]
    office.act(lambda d: invoices.issue(d, own))
    change(office, with_books, extras=books(with_books, 1))
    more = office.read(lambda d: invoices.of_account(d, own))
    assert (more["pending"], more["pending_total"], more["to_credit"]) == (1, "31.80", 0)
    second = office.act(lambda d: invoices.issue(d, own))
    document = office.read(lambda d: invoices.document(d, second["id"]))[1]
    assert [(x.what, x.amount) for x in document.lines] == [("Change of the sign-up", "$30.00")]
    assert [(x.what, x.amount) for x in document.taxes] == [("Sales tax", "$1.80")]
    office.act(lambda d: freed.withdraw(d, with_books["enrollment"]))
    less = office.read(lambda d: invoices.of_account(d, own))
    assert (less["pending"], less["to_credit"], less["to_credit_total"]) == (0, 1, "241.80")
    note = office.act(lambda d: invoices.credit_differences(d, own))
    assert (note["kind"], note["total"]) == ("credit note", "-241.80")
    document = office.read(lambda d: invoices.document(d, note["id"]))[1]
    assert [(x.what, x.amount) for x in document.lines] == [("Seat given back", "-$240.00")]
    for act in (invoices.issue, invoices.credit_differences):
        with pytest.raises(Problem, match=r"Everything|Nothing"):
            office.act(lambda d, a=act: a(d, own))
    agrees(office)


def test_the_receipt_note_of_a_run_is_on_its_papers(office, with_books):
    note = "Bring this receipt on the first evening."
    ask = {"seen": {"receipt_note": ""}, "set": {"receipt_note": note}}
    office.act(lambda d: making.change_run(d, with_books["run"]["id"], command_of(RunPatch, ask)))
    invoice = office.act(lambda d: invoices.issue(d, with_books["account"]))
    paid = pay(office, with_books["account"], "50.00")
    receipt = office.act(lambda d: invoices.receipt(d, paid["payment_id"]))
    for paper in (invoice, receipt):
        assert office.read(lambda d, n=paper["id"]: invoices.document(d, n))[1].notes == [note]

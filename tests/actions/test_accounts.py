"""Accounts: payments by hand, credit, refunds, write-offs and reversals, against the database and an independent ledger."""

import random
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal

import pytest
from beancount import loader
from beancount.core import data
from sqlalchemy import select

from archgate.actions.across import undo
from archgate.actions.enrolling import changing, freed, transfers, waitlist
from archgate.actions.enrolling.commands import (
    ChangeCommand,
    GiveBackCommand,
    JoinCommand,
    TransferCommand,
    WithdrawCommand,
)
from archgate.actions.fees import terms
from archgate.actions.fees.term_commands import CenterDefaultsPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts, invoices, money, outstanding, paying_out
from archgate.actions.money.commands import (
    PayerCommand,
    PaymentCommand,
    RefundCommand,
    WhyCommand,
    WriteOffCommand,
)
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand
from archgate.actions.runs import lifecycle, moving
from archgate.actions.runs.commands import CancelMeetingCommand
from archgate.core.faults import Refused
from archgate.tables.courses import Run
from archgate.tables.roster import Enrollment
from conftest import LONG
from made import Office, a_person, a_run, agrees, at_once, enrolled, number


@pytest.fixture
def run(office):
    return a_run(office)


@pytest.fixture
def payer(office, run):
    """Somebody who owes 210.00 in two halves, the first due at once."""
    somebody = a_person(office)
    enrolled(office, run, somebody)
    return account(office, somebody)


def account(office, person):
    number = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": person["id"], "organization_id": None})
        )
    )["id"]
    return page(office, number)


def page(office, number, at=None):
    return office.read(lambda d: accounts.account_page(d, number, at))


def pay(office, held, amount, method="cash", **more):
    body = {"amount": amount, "method": method, **more}
    return office.act(lambda d: accounts.take_payment(d, held["id"], command_of(PaymentCommand, body)))


def refusal(do):
    with pytest.raises(Refused) as refused:
        do()
    return {f.at: f.message for f in refused.value.faults}


def test_a_payment_settles_the_oldest_due_and_more_than_is_open_stays_as_credit(office, payer):
    assert (payer["balance"], [o["left"] for o in payer["open"]]) == ("210.00", ["105.00", "105.00"])
    first = pay(office, payer, "150.00", "check", reference="No. 118")
    assert (first["balance"], [o["left"] for o in first["open"]]) == ("60.00", ["60.00"])
    second = pay(office, payer, "100.00")
    assert (second["balance"], second["credit"], second["open"]) == ("-40.00", "40.00", [])
    entries = page(office, payer["id"])["entries"]
    assert [(e["kind"], e["amount"], e["balance"]) for e in entries] == [
        ("charge", "210.00", "210.00"), ("payment", "-150.00", "60.00"), ("payment", "-100.00", "-40.00"),
    ]  # fmt: skip
    assert entries[1]["cause"].startswith("Check from") and entries[1]["cause"].endswith("No. 118")
    agrees(office)


def test_a_payment_settles_what_was_chosen(office, payer):
    later = payer["open"][1]["id"]
    held = pay(office, payer, "60.00", installments=[{"id": later, "amount": "50.00"}])
    assert ([o["left"] for o in held["open"]], held["credit"]) == (["105.00", "55.00"], "10.00")
    said = refusal(lambda: pay(office, payer, "10.00", installments=[{"id": later, "amount": "55.01"}]))
    assert f"/installments/{later}" in said and "/installments" in said
    used = office.act(lambda d: accounts.use_credit(d, payer["id"]))
    assert [o["left"] for o in used["open"]] == ["95.00", "55.00"]
    with pytest.raises(Problem, match="no credit"):
        office.act(lambda d: accounts.use_credit(d, payer["id"]))
    agrees(office)


@pytest.mark.parametrize(
    ("body", "at"),
    [
        ({"amount": "0.00"}, "/amount"), ({"amount": "-5.00"}, "/amount"), ({"amount": "5"}, "/amount"),
        ({"method": "barter"}, "/method"), ({"method": "check"}, "/reference"), ({"method": "purchase order"}, "/reference"),
        ({"received_on": "2027-08-21"}, "/received_on"), ({"reference": 7}, "/reference"), ({"extra": 1}, "/extra"),
    ],
)  # fmt: skip
def test_a_faulty_payment_is_refused_beside_its_field(office, payer, body, at):
    more = {"amount": "5.00", "method": "cash", **body}
    assert at in refusal(
        lambda: office.act(lambda d: accounts.take_payment(d, payer["id"], command_of(PaymentCommand, more)))
    )


def test_a_payment_is_taken_back_with_a_reason_and_what_it_settled_is_open_again(office, payer):
    done = pay(office, payer, "210.00", "check", reference="119")
    assert "/why" in refusal(
        lambda: office.act(
            lambda d: accounts.reverse_payment(d, done["payment_id"], command_of(WhyCommand, {"why": " "}))
        )
    )
    back = office.act(
        lambda d: accounts.reverse_payment(
            d, done["payment_id"], command_of(WhyCommand, {"why": "The check bounced"})
        )
    )
    assert (back["balance"], [o["left"] for o in back["open"]]) == ("210.00", ["105.00", "105.00"])
    with pytest.raises(Problem, match="taken back already"):
        office.act(
            lambda d: accounts.reverse_payment(
                d, done["payment_id"], command_of(WhyCommand, {"why": "Again"})
            )
        )
    lines = office.read(accounts.till)["payments"]
    assert next(p for p in lines if p["id"] == done["payment_id"])["taken_back"] is True
    agrees(office)


def test_a_payment_is_undone_while_it_can_be(office, payer):
    done = pay(office, payer, "50.00")
    office.act(lambda d: undo.undo(d, done["change"]))
    assert page(office, payer["id"])["balance"] == "210.00"
    with pytest.raises(Problem, match="undone already"):
        office.act(lambda d: undo.undo(d, done["change"]))
    agrees(office)


def test_what_was_paid_on_a_seat_that_is_given_back_is_credit_and_settles_it_again_when_undone(office, run):
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    own = account(office, somebody)
    pay(office, own, "105.00")
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    after = page(office, own["id"])
    assert (after["balance"], after["credit"], after["open"]) == ("-105.00", "105.00", [])
    office.act(lambda d: undo.undo(d, gone["change"]))
    again = page(office, own["id"])
    assert (again["balance"], again["credit"], [o["left"] for o in again["open"]]) == (
        "105.00",
        "0.00",
        ["105.00"],
    )
    agrees(office)


def test_credit_is_paid_back_and_never_more_than_there_is(office, payer):
    done = pay(office, payer, "300.00", "transfer")
    body = {"amount": "90.01", "method": "transfer", "why": "Paid twice"}
    assert "/amount" in refusal(
        lambda: office.act(lambda d: paying_out.refund(d, payer["id"], command_of(RefundCommand, body)))
    )
    assert set(refusal(lambda: office.act(lambda d: paying_out.refund(d, payer["id"], command_of(RefundCommand, {"amount": "ten", "method": "order"}))))) == {
        "/amount", "/method", "/why",
    }  # fmt: skip
    back = office.act(
        lambda d: paying_out.refund(d, payer["id"], command_of(RefundCommand, {**body, "amount": "60.00"}))
    )
    assert (back["balance"], back["credit"]) == ("-30.00", "30.00")
    with pytest.raises(Problem, match="paid back already"):
        office.act(
            lambda d: accounts.reverse_payment(
                d, done["payment_id"], command_of(WhyCommand, {"why": "Wrong sum"})
            )
        )
    agrees(office)


def test_what_will_never_come_is_written_off_with_a_reason(office, payer):
    first = payer["open"][0]["id"]
    done = office.act(
        lambda d: paying_out.write_off(
            d, payer["id"], command_of(WriteOffCommand, {"installment_id": first, "why": "Moved away"})
        )
    )
    assert (done["balance"], [o["left"] for o in done["open"]]) == ("105.00", ["105.00"])
    said = refusal(
        lambda: office.act(
            lambda d: paying_out.write_off(
                d, payer["id"], command_of(WriteOffCommand, {"installment_id": first, "why": "Again"})
            )
        )
    )
    assert set(said) == {"/installment_id"}
    assert set(refusal(lambda: command_of(WriteOffCommand, {"installment_id": first}))) == {"/why"}
    agrees(office)


def test_the_balance_of_any_day_counts_what_was_effective_by_then(office, payer):
    pay(office.later(days=5), payer, "100.00", received_on=(office.at.date() + timedelta(days=2)).isoformat())
    day = office.at.date()
    for late, balance in ((0, "210.00"), (1, "210.00"), (2, "110.00"), (9, "110.00")):
        assert page(office.later(days=9), payer["id"], day + timedelta(days=late))["balance_at"] == balance
    assert page(office, payer["id"], day - timedelta(days=1))["entries"] == []


def test_the_till_of_a_day_by_method(office, payer):
    day = office.later(days=400 + next(number))
    pay(day, payer, "10.00")
    pay(day, payer, "15.00")
    gone = pay(day, payer, "99.00")
    day.act(lambda d: undo.undo(d, gone["change"]))
    pay(day, payer, "20.00", "transfer")
    found = day.read(accounts.till)
    assert [(m["method"], m["amount"]) for m in found["methods"]] == [
        ("cash", "25.00"),
        ("transfer", "20.00"),
    ]
    assert len(found["payments"]) == 4


def test_what_is_outstanding_by_age_week_and_month(office):
    run, somebody = a_run(office), a_person(office, family=f"Late{next(number)}")
    enrolled(office, run, somebody)
    later = office.later(days=40)  # the first half is 40 days late, the second 10
    found = later.read(lambda d: outstanding.outstanding(d, run["id"]))
    assert (found["open"], found["overdue"]) == ("210.00", "210.00")
    mine = later.read(lambda d: outstanding.payers(d, run["id"]))["items"][0]
    assert (mine["name"], mine["first_due"]) == (somebody["name"], "2027-08-20")
    assert mine["ages"] == {
        "current": "0.00",
        "1-30": "105.00",
        "31-60": "105.00",
        "61-90": "0.00",
        "over 90": "0.00",
    }
    assert found["expected"] == [{"week": "2027-09-27", "amount": "210.00"}]
    assert found["deferred"] == [{"month": "2027-11-01", "amount": "210.00"}]
    lines = later.read(outstanding.payer_lines)
    assert next(x for x in lines if x[0] == somebody["name"])[1:4] == ["210.00", "0.00", "105.00"]


def test_a_client_pays_for_many_from_one_account(office):
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Payers {next(number)}"})
        )
    )["id"]
    run = a_run(office)
    for _ in range(3):
        enrolled(office, run, organization_id=client)
    own = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": None, "organization_id": client})
        )
    )
    held = page(office, own["id"])
    assert (held["balance"], len(held["open"])) == ("630.00", 6)
    assert pay(office, held, "400.00", "purchase order", reference="PO 7")["balance"] == "230.00"
    agrees(office)
    for wrong in ((None, None), (1, 1)):
        assert refusal(
            lambda w=wrong: office.act(
                lambda d: accounts.account_for(
                    d, command_of(PayerCommand, dict(zip(("person_id", "organization_id"), w, strict=True)))
                )
            )
        )
    with pytest.raises(Problem, match="does not exist"):
        office.act(
            lambda d: accounts.account_for(
                d, command_of(PayerCommand, {"person_id": 10**9, "organization_id": None})
            )
        )
    with pytest.raises(Problem, match="does not exist"):
        office.read(lambda d: accounts.account_page(d, money.center_account(d, "income", "USD")))


def test_two_payments_at_once_never_settle_the_same_money_twice(office, payer):
    outcomes = at_once([lambda: pay(office, payer, "105.00") for _ in range(6)])
    assert all(isinstance(o, dict) for o in outcomes)
    after = page(office, payer["id"])
    assert (after["balance"], after["credit"], after["open"]) == ("-420.00", "420.00", [])
    agrees(office)


class Crash(Exception):
    """The process went down before the transaction was over."""


@dataclass(frozen=True)
class CrashingOffice(Office):
    def act(self, uow, once=None, preview=False):
        def crash(d):
            uow(d)
            d.session.flush()
            raise Crash

        return super().act(crash, once, preview)


def crashing(at, now):
    return CrashingOffice(at.sessions, at.user, at.at) if now else at


def with_a_tax(n):
    """The first run taxes its rate on top and sells a book; the second has the tax in its prices."""
    return {
        "extras": [{"label": "Book", "amount": "30.00"}],
        "taxes": [{"name": "Sales tax", "percent": "6", "included": n == 1}],
        "rates": [{"code": "standard", "label": "Standard", "amount": "240.00"}, {"code": "less", "label": "Less", "amount": "99.99", "by_agreement": True}],
    }  # fmt: skip


def a_change(office, enrollment, act, chance):
    """Another number of books, or another rate or agreed price, for a sign-up as it is."""

    def asked(uow):
        row = uow.session.get_one(Enrollment, enrollment)
        run = uow.session.get_one(Run, row.run_id)
        return [x.id for x in run.extras], [r.id for r in run.rates]

    extras, rates = office.read(asked)
    if act == "change":
        many = chance.randint(0, 3)
        return {"extras": [{"extra_id": extras[0], "count": many}] if many else []}
    agreed = {"amount": f"{chance.randint(0, 260)}.{chance.randint(0, 99):02d}", "reason": "friend"}
    if chance.random() < 0.5:
        return {"people": [{"rate_id": rates[1], "count": 1, "agreed": agreed}]}
    return {"people": [{"rate_id": rates[chance.randrange(2)], "count": 1}], "fresh": chance.random() < 0.5}


def every_plan_is_what_is_owed(uow):
    """The installments of every sign-up that holds its seat come to its total, and its quote says the same."""
    for row in uow.session.scalars(select(Enrollment).where(Enrollment.live == 1)):
        plan = sum(i.amount for i in row.installments if i.kind == "plan")
        assert plan == row.total == row.quote.total, row.id


@pytest.mark.parametrize("seed", range(40 if LONG else 4))
def test_every_account_is_the_sum_of_its_causes_whatever_is_done(office, seed):
    """Sign-ups, payments, refunds, transfers, changes, cancelled meetings, crashes and undo in random order."""
    chance = random.Random(seed)
    runs = [a_run(office, capacity=20, smallest=0, **with_a_tax(n)) for n in range(2)]
    run = runs[0]
    crowd = [a_person(office) for _ in range(3)]
    own = [account(office, p)["id"] for p in crowd]
    seated, undoable = {}, []
    for step in range(45):
        at = crashing(office.later(minutes=step), chance.random() < 0.1)
        who = chance.randrange(3)
        act = chance.choice(
            ["sign up"] * 3 + ["invoice", "pay", "pay", "withdraw", "undo", "refund", "write off", "credit", "transfer", "change", "price",
             "meeting", "cancel", "invoice", "credit note"]
        )  # fmt: skip
        run = runs[chance.randrange(2)]
        try:
            if act == "sign up":
                held = enrolled(at, run, crowd[who])
                seated[who] = held["enrollment_id"]
                undoable.append(held["change"])
            elif act == "pay":
                done = pay(
                    at, {"id": own[who]}, f"{chance.randint(1, 250)}.{chance.randint(0, 99):02d}", "transfer"
                )
                undoable.append(done["change"])
                if chance.random() < 0.3:
                    at.act(
                        lambda d, n=done["payment_id"]: accounts.reverse_payment(
                            d, n, command_of(WhyCommand, {"why": "wrong"})
                        )
                    )
            elif act == "withdraw" and who in seated:
                undoable.append(at.act(lambda d, n=seated[who]: freed.withdraw(d, n))["change"])
            elif act == "undo" and undoable:
                change = undoable.pop(chance.randrange(len(undoable)))
                at.act(lambda d, c=change: undo.undo(d, c))
            elif act == "refund":
                credit = page(at, own[who])["credit"]
                body = {"amount": credit, "method": "transfer", "why": "back"}
                at.act(lambda d, w=own[who], b=body: paying_out.refund(d, w, command_of(RefundCommand, b)))
            elif act == "write off":
                first = page(at, own[who])["open"][0]["id"]
                body = {"installment_id": first, "why": "lost"}
                at.act(
                    lambda d, w=own[who], b=body: paying_out.write_off(d, w, command_of(WriteOffCommand, b))
                )
            elif act == "credit":
                at.act(lambda d, w=own[who]: accounts.use_credit(d, w))
            elif act == "transfer" and who in seated:
                body = {"run_id": run["id"], "keep": f"{chance.randint(0, 20)}.00", "why": "asked"}
                done = at.act(
                    lambda d, n=seated[who], b=body: transfers.transfer(d, n, command_of(TransferCommand, b))
                )
                seated[who] = done["enrollment_id"]
                undoable.append(done["change"])
            elif act in ("change", "price") and who in seated:
                body = a_change(office, seated[who], act, chance)
                done = at.act(
                    lambda d, n=seated[who], b=body: changing.change(d, n, command_of(ChangeCommand, b))
                )
                undoable.append(done["change"])
            elif act == "meeting":
                fallen = chance.choice(run["dates"])["id"]
                at.act(
                    lambda d, m=fallen: moving.cancel_meeting(
                        d, m, command_of(CancelMeetingCommand, {"why": "storm"})
                    )
                )
                done = at.act(
                    lambda d, m=fallen: changing.credit_meeting(d, m, command_of(GiveBackCommand, {}))
                )
                undoable.append(done["change"])
            elif act == "cancel" and chance.random() < 0.1:
                undoable.append(at.act(lambda d, r=run: lifecycle.cancel_run(d, r["id"], ""))["change"])
            elif act == "invoice":
                at.act(lambda d, w=own[who]: invoices.issue(d, w))
            elif act == "credit note":
                at.act(lambda d, w=own[who]: invoices.credit_differences(d, w))
        except (Problem, Refused, IndexError, Crash):
            pass
    agrees(office)
    office.read(every_plan_is_what_is_owed)
    for n in own:
        held = page(office.later(days=1), n)
        assert held["balance"] == held["balance_at"]


def test_an_independent_ledger_reads_the_export_and_agrees_on_every_balance(office, payer):
    """beancount 3.2.0 (its loader checks that every transaction balances, and every balance that is asserted)."""
    pay(office, payer, "55.55", "check", reference='No. "7"')
    text = office.read(outstanding.ledger_file)
    entries, errors, _ = loader.load_string(text)
    assert errors == []
    kinds = {type(e) for e in entries}
    assert {data.Open, data.Transaction, data.Balance} <= kinds
    broken = text.replace("55.55 USD", "55.54 USD", 1)
    assert broken != text and loader.load_string(broken)[1]


def test_a_write_off_of_a_seat_that_is_given_back_is_taken_back_too(office, run):
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    own = account(office, somebody)
    first = own["open"][0]["id"]
    office.act(
        lambda d: paying_out.write_off(
            d, own["id"], command_of(WriteOffCommand, {"installment_id": first, "why": "Lost"})
        )
    )
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    after = page(office, own["id"])
    assert (after["balance"], after["credit"]) == ("0.00", "0.00")
    office.act(lambda d: undo.undo(d, gone["change"]))
    assert page(office, own["id"])["balance"] == "210.00"
    agrees(office)


# --- the refund policy at a withdrawal --------------------------------------------------------------------

POLICY = {
    "steps": [{"days_before": 30, "percent": "100"}, {"days_before": 7, "percent": "50"}],
    "kept_fee": "25.00",
}


@pytest.fixture
def policy(office):
    done = office.act(
        lambda d: terms.change_center_defaults(
            d, command_of(CenterDefaultsPatch, {"seen": {}, "set": {"refunds": POLICY}})
        )
    )
    yield
    office.act(lambda d: undo.undo(d, done["change"]))


def test_a_withdrawal_keeps_what_the_policy_says_and_the_rest_is_credit(office, run, policy):
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    own = account(office, somebody)
    pay(office, own, "150.00")
    shown = office.read(lambda d: freed.withdrawal(d, held["enrollment_id"]))
    assert (shown["kept"], shown["paid"], shown["credit"], shown["owed"]) == (
        "130.00",
        "150.00",
        "20.00",
        "0.00",
    )
    assert shown["why"] == "25 days before the start 50 percent is given back, less the kept fee of 25.00."
    gone = office.act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    assert (gone["kept"], gone["taken_back"]) == ("130.00", "80.00")
    after = page(office, own["id"])
    assert (after["balance"], after["credit"], after["open"]) == ("-20.00", "20.00", [])
    agrees(office)
    office.act(lambda d: undo.undo(d, gone["change"]))
    again = page(office, own["id"])
    assert (again["balance"], [o["left"] for o in again["open"]]) == ("60.00", ["60.00"])
    agrees(office)


def test_who_does_not_come_gives_the_seat_on_and_gets_nothing_back_unless_staff_differ(office):
    run = a_run(office, capacity=1, smallest=0)
    somebody, waits = a_person(office), a_person(office)
    held = enrolled(office, run, somebody)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waits["id"]}))
    )
    own = account(office, somebody)
    pay(office, own, "105.00")

    def leave(at, **how):
        return at.act(
            lambda d: freed.withdraw(
                d, held["enrollment_id"], command_of(WithdrawCommand, {"no_show": True, **how})
            )
        )

    with pytest.raises(Problem, match="has not begun"):
        leave(office)
    late = office.later(days=26)
    shown = late.read(lambda d: freed.withdrawal(d, held["enrollment_id"], None, True))
    assert (shown["kept"], shown["credit"], shown["owed"]) == ("210.00", "0.00", "105.00")
    assert shown["line"] == f"{waits['name']} is next in line and is offered it."
    assert set(refusal(lambda: leave(late, keep="0.00"))) == {"/why"}
    gone = leave(late)
    assert (gone["kept"], gone["why"]) == ("210.00", "Who does not come gets nothing back.")
    assert page(late, own["id"])["balance"] == "105.00"
    late.act(lambda d: undo.undo(d, gone["change"]))
    assert page(late, own["id"])["balance"] == "105.00"
    agrees(office)


def test_who_paid_nothing_still_owes_what_is_kept(office, run, policy):
    somebody = a_person(office)
    held = enrolled(office, run, somebody)
    office.later(days=20).act(lambda d: freed.withdraw(d, held["enrollment_id"]))
    after = page(office, account(office, somebody)["id"])
    assert (after["balance"], [o["left"] for o in after["open"]]) == ("210.00", ["210.00"])
    assert "5 days before the start 0 percent" in after["open"][0]["why"]
    assert pay(office.later(days=20), after, "210.00")["balance"] == "0.00"
    agrees(office)


def test_staff_may_keep_something_else_with_a_reason(office, run, policy):
    somebody = a_person(office)
    held = enrolled(office, run, somebody)

    def leave(**how):
        return office.act(
            lambda d: freed.withdraw(d, held["enrollment_id"], command_of(WithdrawCommand, how))
        )

    assert set(refusal(lambda: leave(keep="0.00"))) == {"/why"}
    assert set(refusal(lambda: leave(keep="210.01", why="x"))) == {"/keep"}
    assert set(refusal(lambda: leave(keep="ten"))) == {"/keep"}
    gone = leave(keep="0.00", why="Broke an arm")
    assert (gone["kept"], gone["why"]) == ("0.00", "Broke an arm")
    assert page(office, account(office, somebody)["id"])["balance"] == "0.00"
    agrees(office)


@pytest.mark.parametrize(
    ("held", "at"),
    [
        ({"steps": []}, "/set/refunds/steps"), ({"steps": [{"days_before": -1, "percent": "5"}]}, "/set/refunds/steps/0/days_before"),
        ({"steps": [{"days_before": 3, "percent": "5"}] * 2}, "/set/refunds/steps/1/days_before"),
        ({**POLICY, "kept_fee": "1"}, "/set/refunds/kept_fee"), ({"steps": [{"percent": "101"}]}, "/set/refunds/steps/0/percent"),
    ],
)  # fmt: skip
def test_a_faulty_policy_is_refused(office, held, at):
    assert at in refusal(
        lambda: office.act(
            lambda d: terms.change_center_defaults(
                d, command_of(CenterDefaultsPatch, {"seen": {}, "set": {"refunds": held}})
            )
        )
    )


def test_the_same_check_number_twice_is_asked_about(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    account = office.read(lambda d: d.session.get_one(Enrollment, held["enrollment_id"]).payer_id)
    body = {"amount": "50.00", "method": "check", "reference": " 1042 "}
    first = office.act(lambda d: accounts.take_payment(d, account, command_of(PaymentCommand, body)))
    with pytest.raises(Problem, match="Check 1042 was taken already") as problem:
        office.act(
            lambda d: accounts.take_payment(
                d, account, command_of(PaymentCommand, {**body, "reference": "1042", "amount": "60.00"})
            )
        )
    assert problem.value.kind == "same-check"
    office.act(
        lambda d: accounts.take_payment(d, account, command_of(PaymentCommand, {**body, "anyway": True}))
    )
    office.act(
        lambda d: accounts.reverse_payment(
            d, first["payment_id"], command_of(WhyCommand, {"why": "typed twice"})
        )
    )
    other = enrolled(office, run)
    others = office.read(lambda d: d.session.get_one(Enrollment, other["enrollment_id"]).payer_id)
    assert office.act(lambda d: accounts.take_payment(d, others, command_of(PaymentCommand, body)))[
        "payment_id"
    ], "another payer's checks are their own"


def test_payers_come_page_by_page_each_once_and_the_sums_are_of_all(office):
    for _ in range(3):
        enrolled(office, a_run(office))
    whole = office.read(lambda d: outstanding.payers(d, limit=None))
    sums = office.read(outstanding.outstanding)
    assert whole["next"] is None and whole["total"] == len(whole["items"]) >= 3
    seen, after, pages = [], "", 0
    while True:
        page = office.read(lambda d, after=after: outstanding.payers(d, after=after, limit=2))
        assert page["total"] == whole["total"]
        seen += page["items"]
        pages += 1
        if page["next"] is None:
            break
        after = page["next"]
    assert seen == whole["items"] and pages == -(-whole["total"] // 2) > 1
    days = [line["first_due"] or "9999" for line in seen]
    assert days == sorted(days)
    assert Decimal(sums["open"]) == sum(Decimal(line["open"]) for line in seen)
    assert Decimal(sums["credit"]) == sum(Decimal(line["credit"]) for line in seen)
    with pytest.raises(Problem):
        office.read(lambda d: outstanding.payers(d, after="no cursor"))


def test_what_the_list_says_of_a_payer_is_what_their_account_says(office):
    """The list is asked of the tables in one statement, an account by its rows: both must know the same."""
    run = a_run(office)
    for _ in range(2):
        enrolled(office, run)
    for line in office.read(lambda d: outstanding.payers(d, limit=None if LONG else 60))["items"]:
        of_account = office.read(lambda d, n=line["account_id"]: accounts.account_page(d, n))
        assert line["open"] == str(sum((Decimal(o["left"]) for o in of_account["open"]), Decimal("0.00")))
        assert line["credit"] == of_account["credit"]

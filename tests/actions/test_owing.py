"""What stands on installments and accounts is what the books say, whatever was done."""

import pytest
from sqlalchemy import text

from archgate.actions.across import undo
from archgate.actions.enrolling import freed
from archgate.actions.enrolling.commands import WithdrawCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.money import accounts, outstanding, owing
from archgate.actions.money.commands import PaymentCommand
from archgate.tables.money import Account
from archgate.tables.roster import Enrollment
from archgate.tables.seats import RunSeats
from made import a_person, a_run, enrolled


def kept_wrong(uow):
    """Whatever is kept other than the books say."""
    return [*owing.installment_faults(uow), *owing.account_faults(uow), *owing.run_faults(uow)]


@pytest.fixture
def seat(office):
    """A run, an enrollment of 210.00 in two installments, and the account of whoever pays."""
    run = a_run(office)
    done = enrolled(office, run)
    payer = office.read(lambda d: d.session.get_one(Enrollment, done["enrollment_id"]).payer_id)
    return run, done, payer


def stands(office, payer):
    account = office.read(lambda d: d.session.get_one(Account, payer))
    return account.open, account.balance


def pay(office, payer, amount):
    command = command_of(PaymentCommand, {"amount": amount, "method": "cash"})
    return office.act(lambda d: accounts.take_payment(d, payer, command))


def withdraw(office, seat_id):
    return office.act(lambda d: freed.withdraw(d, seat_id, command_of(WithdrawCommand, {"why": "Ill"})))


def test_what_is_open_follows_payments_withdrawals_and_what_is_taken_back(office, seat):
    run, done, payer = seat
    number = done["enrollment_id"]
    assert stands(office, payer) == (21000, 21000)
    paid = pay(office, payer, "50.00")
    assert stands(office, payer) == (16000, 16000)
    office.act(lambda d: undo.undo(d, paid["change"]))
    assert stands(office, payer) == (21000, 21000)
    pay(office, payer, "250.00")
    assert stands(office, payer) == (0, -4000)
    assert payer in {
        p["account_id"] for p in office.read(lambda d: outstanding.payers(d, limit=None))["items"]
    }
    left = withdraw(office, number)
    gone = office.read(lambda d: d.session.get_one(RunSeats, run["id"]).gone)
    assert gone == 1 and stands(office, payer)[0] == 0
    office.act(lambda d: undo.undo(d, left["change"]))
    assert office.read(lambda d: d.session.get_one(RunSeats, run["id"]).gone) == 0
    assert office.read(kept_wrong) == []


def test_one_payer_of_many_owes_the_sum_from_the_first_day_on(office):
    run, other = a_run(office), a_run(office)
    payer = a_person(office)
    for where in (run, other):
        for _ in range(2):
            enrolled(office, where, a_person(office), payer_person_id=payer["id"])
    account = office.read(
        lambda d: d.session.scalars(
            text("SELECT id FROM accounts WHERE person_id = :p").bindparams(p=payer["id"]).columns(Account.id)
        ).one()
    )
    assert stands(office, account) == (84000, 84000)
    page = office.read(lambda d: outstanding.payers(d, run["id"]))["items"]
    assert [(p["account_id"], p["open"]) for p in page] == [(account, "420.00")]
    rows = office.read(lambda d: outstanding.open_rows(d, run["id"], limit=1))
    assert rows["total"] == 4 and rows["next"]
    rest = office.read(lambda d: outstanding.open_rows(d, run["id"], after=rows["next"], limit=None))["items"]
    assert len(rest) == 3 and all(r["due"] >= rows["items"][0]["due"] for r in rest)
    assert office.read(kept_wrong) == []


def test_the_check_names_what_is_kept_wrongly(office, seat):
    _, done, payer = seat
    before = office.read(kept_wrong)

    def spoil(statement):
        with office.sessions.begin() as s:
            s.execute(text(statement), {"p": payer, "e": done["enrollment_id"]})
        try:
            return [f for f in office.read(kept_wrong) if f not in before]
        finally:
            with office.sessions.begin() as s:
                owing.keep_all(s.connection())

    assert spoil("UPDATE accounts SET balance = balance + 1 WHERE id = :p") == [
        f"What is kept of account {payer} is not what its books say."
    ]
    assert any("installment" in f for f in spoil("UPDATE installments SET open = 1 WHERE enrollment_id = :e"))
    run = f"UPDATE run_seats SET gone = 3 WHERE run_id = {seat[0]['id']}"
    assert any("given up" in f for f in spoil(run))
    assert spoil("UPDATE accounts SET first_due = NULL WHERE id = :p")
    assert office.read(kept_wrong) == before

"""Invoices, credit notes and receipts: numbered without gaps under threads and rollbacks, kept as issued, as PDF."""

import io

import pytest
from sqlalchemy import select

from archgate.actions.across import undo
from archgate.actions.enrolling import enrollments
from archgate.actions.enrolling.commands import EnrollCommand
from archgate.actions.fees import quotes
from archgate.actions.fees.commands import QuoteCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.money import accounts, invoices
from archgate.actions.money.commands import PayerCommand, PaymentCommand, WhyCommand
from archgate.actions.people import organizations
from archgate.actions.people.commands import OrganizationCommand, OrganizationPatch
from archgate.core.faults import Refused
from archgate.papers.invoices import html_of, pdf_of
from archgate.tables.money import Account
from archgate.tables.roster import Enrollment
from made import a_person, a_run, agrees, at_once, enrolled, number


@pytest.fixture
def payer(office):
    """Somebody with one sign-up of 210.00."""
    somebody = a_person(office, family=f"Bill & Sons <{next(number)}>")
    enrolled(office, a_run(office), somebody)
    return office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": somebody["id"], "organization_id": None})
        )
    )["id"]


def issue(office, account, **how):
    return office.act(lambda d: invoices.issue(d, account, **how))


def count_of(text):
    return int(text.rpartition("-")[2])


def test_an_invoice_takes_what_is_not_invoiced_and_a_credit_note_takes_it_back_whole(office, payer):
    first = issue(office, payer)
    assert (first["total"], first["number"].split("-")[0]) == ("210.00", "INV")
    with pytest.raises(Problem, match="Everything on this account is invoiced"):
        issue(office, payer)
    with pytest.raises(Refused) as said:
        office.act(lambda d: invoices.credit_note(d, first["id"], command_of(WhyCommand, {"why": " "})))
    assert said.value.faults[0].at == "/why"
    note = office.act(
        lambda d: invoices.credit_note(d, first["id"], command_of(WhyCommand, {"why": "Wrong address"}))
    )
    assert (note["kind"], note["total"], note["reverses_id"]) == ("credit note", "-210.00", first["id"])
    with pytest.raises(Problem, match="taken back already"):
        office.act(lambda d: invoices.credit_note(d, first["id"], command_of(WhyCommand, {"why": "Again"})))
    with pytest.raises(Problem, match="Only an invoice"):
        office.act(lambda d: invoices.credit_note(d, note["id"], command_of(WhyCommand, {"why": "No"})))
    again = issue(office, payer)
    assert count_of(again["number"]) == count_of(first["number"]) + 1
    held = office.read(lambda d: invoices.of_account(d, payer))
    assert [(i["kind"], i["taken_back"]) for i in held["items"]] == [
        ("invoice", False), ("credit note", False), ("invoice", True),
    ]  # fmt: skip


def test_an_organizations_invoice_names_every_learner_and_the_taxes(office):
    client = office.act(
        lambda d: organizations.create_organization(
            d, command_of(OrganizationCommand, {"name": f"Client {next(number)}"})
        )
    )["id"]
    run = a_run(office, taxes=[{"name": "Sales tax", "percent": "6", "included": False}])
    crowd = [a_person(office) for _ in range(3)]
    for somebody in crowd:
        total = "222.60"
        office.act(
            lambda d, p=somebody, t=total: enrollments.enroll(
                d,
                command_of(
                    EnrollCommand,
                    {"run_id": run["id"], "person_id": p["id"], "total": t, "organization_id": client},
                ),
            )
        )
    account = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": None, "organization_id": client})
        )
    )["id"]
    draft = html_of(office.read(lambda d: invoices.pro_forma(d, account)))
    assert "Pro-forma" in draft and "This is not an invoice." in draft
    done = issue(office, account)
    assert done["total"] == "667.80"
    _, document = office.read(lambda d: invoices.document(d, done["id"]))
    assert [t.amount for t in document.taxes] == ["$37.80"]
    assert all(p["name"] in html_of(document) for p in crowd)
    assert len(document.dues) == 6


def test_a_zero_total_makes_no_invoice(office):
    run = a_run(office, rates=[{"amount": "0.00"}])
    somebody = a_person(office)
    enrolled(office, run, somebody)
    account = office.act(
        lambda d: accounts.account_for(
            d, command_of(PayerCommand, {"person_id": somebody["id"], "organization_id": None})
        )
    )["id"]
    assert office.read(lambda d: invoices.of_account(d, account))["pending"] == 0
    with pytest.raises(Problem, match="comes to nothing"):
        issue(office, account)


def test_numbers_have_no_gap_whatever_happens_at_once_or_is_rolled_back(office):
    run = a_run(office)
    own = []
    for _ in range(8):
        somebody = a_person(office)
        enrolled(office, run, somebody)
        own.append(
            office.act(
                lambda d, p=somebody: accounts.account_for(
                    d, command_of(PayerCommand, {"person_id": p["id"], "organization_id": None})
                )
            )["id"]
        )

    def fails(account):
        def uow(d):
            invoices.issue(d, account)
            raise Problem(500, "broken", "After the number was taken")

        office.act(uow)

    outcomes = at_once(
        [*[lambda a=a: issue(office, a) for a in own], *[lambda a=a: fails(a) for a in own[:4]]]
    )
    issued = sorted(count_of(o["number"]) for o in outcomes if isinstance(o, dict))
    assert len(issued) == 8 and issued == list(range(issued[0], issued[0] + 8))
    agrees(office)


def test_a_receipt_is_numbered_once_and_none_is_given_for_what_was_taken_back(office, payer):
    paid = office.act(
        lambda d: accounts.take_payment(
            d, payer, command_of(PaymentCommand, {"amount": "50.00", "method": "check", "reference": "No. 9"})
        )
    )
    first = office.act(lambda d: invoices.receipt(d, paid["payment_id"]))
    assert first == office.act(lambda d: invoices.receipt(d, paid["payment_id"]))
    _, document = office.read(lambda d: invoices.document(d, first["id"]))
    assert document.lines[0].what == "Received by check, No. 9" and document.total == "$50.00"
    other = office.act(
        lambda d: accounts.take_payment(
            d, payer, command_of(PaymentCommand, {"amount": "5.00", "method": "cash"})
        )
    )
    office.act(
        lambda d: accounts.reverse_payment(d, other["payment_id"], command_of(WhyCommand, {"why": "Wrong"}))
    )
    with pytest.raises(Problem, match="taken back"):
        office.act(lambda d: invoices.receipt(d, other["payment_id"]))


def test_the_paper_is_a_pdf_and_nothing_typed_becomes_markup(office, payer):
    done = issue(office, payer)
    _, document = office.read(lambda d: invoices.document(d, done["id"]))
    assert "Bill &amp; Sons &lt;" in html_of(document)
    data = pdf_of(document)
    assert data.startswith(b"%PDF-") and len(data) > 2000
    assert io.BytesIO(data).read().rstrip().endswith(b"%%EOF")


def test_a_paper_shows_the_address_number_and_order_of_an_organization_and_every_learner(office):
    facts = {"name": f"Harbor {next(number)}", "address": "1 Pier\n\nNew York", "number": "EIN 12-3"}
    client = office.act(
        lambda d: organizations.create_organization(d, command_of(OrganizationCommand, facts))
    )
    run, one, two = a_run(office), a_person(office), a_person(office)
    quote = office.read(lambda d: quotes.quote_run(d, run["id"], command_of(QuoteCommand, {"heads": 3})))
    body = {
        "run_id": run["id"],
        "person_id": one["id"],
        "heads": 3,
        "total": quote["total"],
        "names": [two["name"]],
        "organization_id": client["id"],
    }
    held = office.act(lambda d: enrollments.enroll(d, command_of(EnrollCommand, body)))
    with office.sessions.begin() as session:
        session.get_one(Enrollment, held["enrollment_id"]).order_number = "PO-88"
        account = session.scalar(select(Account.id).where(Account.organization_id == client["id"]))
    paper = office.read(lambda d: invoices.pro_forma(d, account))
    assert paper["payer_lines"] == ["1 Pier", "New York", "No. EIN 12-3"]
    assert "Your order: PO-88" in paper["notes"] and "This is not an invoice." in paper["notes"]
    assert paper["lines"][0]["more"].startswith(f"{one['name']}, {two['name']}, 1 more, ")


def test_an_organization_is_changed_and_its_change_undone_and_names_are_once(office):
    def make(**f):
        return office.act(lambda d: organizations.create_organization(d, command_of(OrganizationCommand, f)))

    one, two = make(name=f"Org {next(number)}"), make(name=f"Org {next(number)}", email="a@example.org")

    def change(n, **f):
        return office.act(lambda d: organizations.change_organization(d, n, command_of(OrganizationPatch, f)))

    with pytest.raises(Problem):
        change(two["id"], set={"name": one["name"].upper()})
    with pytest.raises(Refused):
        change(two["id"], set={"email": "nowhere"})
    done = change(
        two["id"], set={"email": "", "address": "9 Quay"}, seen={"email": "a@example.org", "address": ""}
    )
    assert (done["email"], done["address"]) == (None, "9 Quay")
    with pytest.raises(Problem) as late:
        change(two["id"], set={"address": "8 Quay"}, seen={"address": ""})
    assert late.value.status == 409
    office.act(lambda d: undo.undo(d, done["change"]))
    back = office.read(
        lambda d: organizations.organization_view(organizations.get_organization(d, two["id"]))
    )
    assert (back["email"], back["address"]) == ("a@example.org", "")

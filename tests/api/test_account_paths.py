"""Accounts over HTTP: pay once a key, read it back as CSV, take it back."""

import csv
import io

import pytest

from made import run_form


@pytest.fixture
def account(clerk):
    made = clerk.post("/api/v1/runs", json=run_form()).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    somebody = clerk.post(
        "/api/v1/people", json={"given": "=Pia", "family": "Account", "anyway": True}
    ).json()["id"]
    body = {"run_id": made["id"], "person_id": somebody, "total": "210.00"}
    total = clerk.post(f"/api/v1/runs/{made['id']}/quote", json={}).json()["total"]
    assert clerk.post("/api/v1/enrollments", json={**body, "total": total}).status_code == 201
    return clerk.post("/api/v1/accounts", json={"person_id": somebody}).json()["id"]


def rows(answer):
    return list(csv.reader(io.StringIO(answer.content.decode("utf-8-sig"))))


def test_a_payment_sent_twice_comes_in_once_and_stands_in_every_list(clerk, account):
    body = {"amount": "100.00", "method": "cash"}
    sent = [
        clerk.post(
            f"/api/v1/accounts/{account}/payments", json=body, headers={"Idempotency-Key": "paid-once-1"}
        )
        for _ in range(2)
    ]
    assert [s.status_code for s in sent] == [201, 201] and sent[0].json() == sent[1].json()
    page = clerk.get(f"/api/v1/accounts/{account}").json()
    assert [e["kind"] for e in page["entries"]] == ["charge", "payment"]
    lines = rows(clerk.get(f"/api/v1/accounts/{account}/entries.csv"))
    assert lines[0] == ["Day", "Kind", "Cause", "Run", "Amount", "Balance"] and lines[2][4] == "-100.00"
    outstanding = rows(clerk.get("/api/v1/outstanding.csv"))
    assert any(line[0] == "'=Pia Account" for line in outstanding)  # no formula reaches a spreadsheet
    assert any(p["account_id"] == account for p in clerk.get("/api/v1/outstanding").json()["payers"])
    till = clerk.get("/api/v1/till").json()
    assert any(p["account_id"] == account and p["amount"] == "100.00" for p in till["payments"])
    back = clerk.post(f"/api/v1/payments/{sent[0].json()['payment_id']}/reverse", json={"why": "Wrong"})
    assert back.json()["balance"] == page["entries"][0]["balance"]
    assert "Assets:Payers" in clerk.get("/api/v1/ledger.txt").text


def test_what_cannot_be_is_refused_in_words(clerk, account):
    bad = clerk.post(f"/api/v1/accounts/{account}/payments", json={"amount": "1", "method": "x"}).json()
    assert {e["at"] for e in bad["errors"]} == {"/amount", "/method"}
    assert clerk.post("/api/v1/accounts", json={}).status_code == 422
    assert clerk.get("/api/v1/accounts/1000000000").status_code == 404
    nothing = clerk.post(
        f"/api/v1/accounts/{account}/refunds", json={"amount": "1.00", "method": "cash", "why": "x"}
    )
    assert nothing.json()["errors"][0]["at"] == "/amount"
    assert clerk.post(f"/api/v1/accounts/{account}/use-credit").status_code == 409


def test_an_invoice_is_a_pdf_with_its_number_and_is_issued_once_a_key(clerk, account):
    address = f"/api/v1/accounts/{account}/invoices"
    draft = clerk.get(f"/api/v1/accounts/{account}/pro-forma.pdf")
    assert draft.status_code == 200 and draft.content.startswith(b"%PDF-")
    sent = [clerk.post(address, json={}, headers={"Idempotency-Key": "invoice-once"}) for _ in range(2)]
    assert [s.status_code for s in sent] == [201, 201] and sent[0].json() == sent[1].json()
    made = sent[0].json()
    paper = clerk.get(f"/api/v1/invoices/{made['id']}/paper.pdf")
    assert (
        paper.headers["content-type"] == "application/pdf"
        and made["number"] in paper.headers["content-disposition"]
    )
    assert clerk.get(address).json()["pending"] == 0
    assert clerk.post(address, json={}).status_code == 409
    assert clerk.get(f"/api/v1/accounts/{account}/statement.pdf").content.startswith(b"%PDF-")
    note = clerk.post(f"/api/v1/invoices/{made['id']}/credit-note", json={"why": "Wrong"}).json()
    assert note["reverses_id"] == made["id"]
    assert clerk.get("/api/v1/invoices/1000000000/paper.pdf").status_code == 404


def test_a_withdrawal_is_shown_before_it_is_done(clerk, account):
    page = clerk.get(f"/api/v1/accounts/{account}").json()
    roster = clerk.get(f"/api/v1/runs/{page['entries'][0]['run_id']}/roster").json()
    number = roster["rows"][0][roster["columns"].index("id")]
    shown = clerk.get(f"/api/v1/enrollments/{number}/withdrawal").json()
    assert (shown["total"], shown["kept"]) == (page["balance"], "0.00")
    done = clerk.post(f"/api/v1/enrollments/{number}/withdraw", json={"keep": "10.00", "why": "Late"}).json()
    assert (done["kept"], done["why"]) == ("10.00", "Late")

"""Accounts over HTTP: pay once a key, read it back as CSV, take it back."""

import csv
import io

import pytest

from made import number, run_form


def a_published_run(clerk):
    made = clerk.post("/api/v1/runs", json=run_form()).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    return clerk.get(f"/api/v1/runs/{made['id']}").json()


def a_person_by_api(clerk, **facts):
    n = next(number)
    body = {"given": f"Pia{n}", "family": "Account", "email": f"pia{n}@example.org", "anyway": True, **facts}
    return clerk.post("/api/v1/people", json=body).json()["id"]


@pytest.fixture
def account(clerk):
    made = a_published_run(clerk)
    somebody = a_person_by_api(clerk, given="=Pia")
    body = {"run_id": made["id"], "person_id": somebody, "total": "210.00"}
    total = clerk.post(f"/api/v1/runs/{made['id']}/quote", json={}).json()["total"]
    assert clerk.post("/api/v1/enrollments", json={**body, "total": total}).status_code == 201
    return clerk.post("/api/v1/accounts", json={"person_id": somebody}).json()["id"]


def rows(answer):
    return list(csv.reader(io.StringIO(answer.content.decode("utf-8-sig"))))


def every_payer(clerk):
    """Page by page: whoever else owes something may stand on the pages before."""
    after = ""
    while after is not None:
        page = clerk.get("/api/v1/outstanding/payers", params={"after": after}).json()
        yield from page["items"]
        after = page["next"]


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
    assert any(p["account_id"] == account for p in every_payer(clerk))
    till = clerk.get("/api/v1/till").json()
    assert any(p["account_id"] == account and p["amount"] == "100.00" for p in till["payments"])
    back = clerk.post(f"/api/v1/payments/{sent[0].json()['payment_id']}/reverse", json={"why": "Wrong"})
    assert back.json()["balance"] == page["entries"][0]["balance"]
    assert "Assets:Payers" in clerk.get("/api/v1/ledger.txt").text


def test_what_cannot_be_is_refused_in_words(clerk, account):
    bad = clerk.post(f"/api/v1/accounts/{account}/payments", json={"amount": "one", "method": "x"}).json()
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


def test_a_sign_up_is_changed_moved_swapped_and_its_meeting_given_back(clerk):
    """Shown first, then done; what was shown is what is written."""
    run, there = (a_published_run(clerk) for _ in range(2))
    somebody, other = (a_person_by_api(clerk) for _ in range(2))
    body = {"run_id": run["id"], "person_id": somebody, "total": "210.00"}
    held = clerk.post("/api/v1/enrollments", json=body).json()["enrollment_id"]
    at = f"/api/v1/enrollments/{held}"
    assert clerk.get(at).json()["people"] == [{"rate_id": run["rates"][0]["id"], "count": 1}]
    fresh = clerk.post(f"{at}/change?preview=true", json={"fresh": True})
    assert fresh.status_code == 409 and fresh.json()["type"].endswith("nothing-to-do")
    shown = clerk.post(f"{at}/transfer?preview=true", json={"run_id": there["id"]}).json()
    assert (shown["total_before"], shown["kept"], shown["to"]) == ("210.00", "0.00", there["code"])
    moved = clerk.post(f"{at}/transfer", json={"run_id": there["id"], "total": "1.00"})
    assert moved.status_code == 409 and moved.json()["now"] == "210.00"
    moved = clerk.post(f"{at}/transfer", json={"run_id": there["id"], "total": "210.00"}).json()
    seat = f"/api/v1/enrollments/{moved['enrollment_id']}"
    assert clerk.get(seat).json()["came_from"] == run["code"]
    swapped = clerk.post(f"{seat}/swap", json={"person_id": other}).json()
    assert clerk.get(seat).json()["person_id"] == other
    assert clerk.post(f"/api/v1/changes/{swapped['change']}/undo").status_code == 200
    meeting = there["dates"][0]["id"]
    assert clerk.post(f"/api/v1/meetings/{meeting}/give-back", json={}).status_code == 409
    clerk.post(f"/api/v1/meetings/{meeting}/cancel", json={"why": "Flood"})
    back = clerk.post(f"/api/v1/meetings/{meeting}/give-back?preview=true", json={}).json()
    assert (back["total"], len(back["people"])) == ("26.25", 1)
    assert clerk.post(f"/api/v1/meetings/{meeting}/give-back", json={"total": "26.25"}).status_code == 200
    assert clerk.get(seat).json()["quote"]["total"] == "183.75"


def test_figures_open_to_their_entries_and_papers_are_sent(clerk):
    run, somebody = a_published_run(clerk), a_person_by_api(clerk)
    body = {"run_id": run["id"], "person_id": somebody, "total": "210.00"}
    held = clerk.post("/api/v1/enrollments", json=body).json()["enrollment_id"]
    account = clerk.get(f"/api/v1/enrollments/{held}").json()["account_id"]
    found = clerk.get(f"/api/v1/outstanding?run_id={run['id']}").json()
    week, month = found["expected"][0]["week"], found["deferred"][0]["month"]
    rows = clerk.get(f"/api/v1/outstanding/open?run_id={run['id']}&week={week}").json()["items"]
    assert sum(float(r["left"]) for r in rows) == float(found["expected"][0]["amount"])
    late = clerk.get(f"/api/v1/outstanding/open?run_id={run['id']}&age=over 90").json()
    assert late == {"items": [], "total": 0, "next": None}
    unearned = clerk.get(f"/api/v1/outstanding/unearned?run_id={run['id']}&month={month}").json()
    assert [(r["run"], r["amount"]) for r in unearned] == [(run["code"], "210.00")]
    for name in (f"open.csv?week={week}", f"unearned.csv?month={month}"):
        file = clerk.get(f"/api/v1/outstanding/{name}&run_id={run['id']}")
        assert run["code"] in file.text and file.headers["content-type"].startswith("text/csv")
    invoice = clerk.post(f"/api/v1/accounts/{account}/invoices", json={"send": False}).json()
    wrong = clerk.post(f"/api/v1/invoices/{invoice['id']}/send", json={"email": "nobody"})
    assert wrong.json()["errors"][0]["at"] == "/email"
    sent = clerk.post(f"/api/v1/invoices/{invoice['id']}/send", json={})
    assert sent.status_code == 202 and sent.json()["email"].endswith("@example.org")
    letter = next(
        m for m in clerk.get("/api/v1/messages").json()["items"] if invoice["number"] in m["subject"]
    )
    assert letter["invoice_id"] == invoice["id"]
    assert clerk.post(f"/api/v1/accounts/{account}/credit-notes", json={}).status_code == 409
    fee = {"amount": "50.00", "method": "transfer", "fee": "50.01"}
    assert clerk.post(f"/api/v1/accounts/{account}/payments", json=fee).json()["errors"][0]["at"] == "/fee"
    paid = clerk.post(f"/api/v1/accounts/{account}/payments", json={**fee, "fee": "1.50"}).json()
    assert paid["balance"] == "160.00"
    assert "1.50 USD" in clerk.get("/api/v1/ledger.txt").text
    assert clerk.post(f"/api/v1/changes/{paid['change']}/undo").status_code == 200

"""Fees over HTTP: one path from terms to a kept quote, codes as a file, payment details, and what is refused."""

import csv
import io

import pytest

from made import run_form


@pytest.fixture
def run(clerk):
    extras = [{"label": "Handbook", "amount": "31.50", "most": 2}]
    made = clerk.post("/api/v1/runs", json={**run_form(), "extras": extras}).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    return clerk.get(f"/api/v1/runs/{made['id']}").json()


def person(clerk, name, email=True):
    body = {
        "given": name,
        "family": "Quoted",
        "email": f"{name.lower()}@example.org" if email else None,
        "anyway": True,
    }
    return clerk.post("/api/v1/people", json=body).json()["id"]


def test_terms_come_back_as_sent_and_what_was_seen_stands_against_lost_updates(clerk, run):
    address = f"/api/v1/runs/{run['id']}/terms"
    group = [{"from": 3, "percent": "5"}]
    preview = clerk.patch(
        f"{address}?preview=true", json={"seen": {"group": []}, "set": {"group": group}}
    ).json()
    assert {"label": "Group from 3", "before": "none", "after": "5 percent off", "money": False} in preview[
        "touches"
    ]
    assert clerk.get(f"/api/v1/runs/{run['id']}").json()["group"] == []
    seen = {"rates": run["rates"], "extras": run["extras"], "plans": run["plans"], "group": run["group"]}
    done = clerk.patch(
        address,
        json={"seen": seen, "set": {**{k: v for k, v in seen.items() if k == "rate"}, "group": group}},
    )
    assert done.status_code == 200
    again = clerk.patch(
        address, json={"seen": {"group": []}, "set": {"group": [{"from": 9, "percent": "1"}]}}
    )
    assert (again.status_code, again.json()["fields"]["group"]["now"]) == (409, group)
    extras = [
        {**{k: v for k, v in x.items() if k in ("code", "label", "amount", "most")}, "amount": "30.00"}
        for x in run["extras"]
    ]
    changed = clerk.patch(address, json={"seen": {"extras": run["extras"]}, "set": {"extras": extras}})
    assert changed.status_code == 200
    assert clerk.get(f"/api/v1/runs/{run['id']}").json()["extras"][0]["amount"] == "30.00"


def test_from_a_quote_that_is_kept_to_a_seat_on_it(clerk, run):
    somebody = person(clerk, "Nadia")
    ask = {"extras": [{"extra_id": run["extras"][0]["id"], "count": 1}], "person_id": somebody}
    shown = clerk.post(f"/api/v1/runs/{run['id']}/quote", json=ask).json()
    body = {**ask, "run_id": run["id"], "total": shown["total"], "send": True, "note": "As we said."}
    kept = clerk.post("/api/v1/quotes", json=body, headers={"Idempotency-Key": "keep-it-once"})
    assert kept.status_code == 201
    assert (
        clerk.post("/api/v1/quotes", json=body, headers={"Idempotency-Key": "keep-it-once"}).json()
        == kept.json()
    )
    number = kept.json()["id"]
    assert number in [q["id"] for q in clerk.get(f"/api/v1/quotes?person_id={somebody}").json()]
    assert clerk.get(f"/api/v1/quotes/{number}").json()["total"] == shown["total"]
    sent = clerk.get("/api/v1/messages").json()["items"][0]
    assert sent["subject"].startswith("Our quote for") and "Handbook: $31.50" in sent["body"]
    seat = {"run_id": run["id"], "person_id": somebody, "total": shown["total"], "kept_quote_id": number}
    assert clerk.post("/api/v1/enrollments", json=seat).status_code == 201
    assert clerk.post(f"/api/v1/quotes/{number}/drop").status_code == 409


def test_a_set_of_codes_is_a_csv_file_that_a_spreadsheet_takes_as_text(clerk):
    made = clerk.post(
        "/api/v1/codes", json={"code": "HOUSES", "off": "25.00", "number": 5, "note": "=1+1"}
    ).json()
    answer = clerk.get(f"/api/v1/codes/{made['id']}/list.csv")
    assert answer.headers["content-disposition"] == 'attachment; filename="HOUSES.csv"'
    rows = list(csv.reader(io.StringIO(answer.content.decode("utf-8-sig"))))
    assert rows[0] == ["Code", "Uses", "Limit", "Used by"] and len(rows) == 6
    assert clerk.get(f"/api/v1/codes/{made['id']}").json()["people"] == []
    assert any(c["id"] == made["id"] for c in clerk.get("/api/v1/codes").json())
    bad = clerk.put(f"/api/v1/codes/{made['id']}", json={"off": "lots"}).json()
    assert bad["errors"][0]["at"] == "/off"


def test_prices_are_compared_and_read_out(clerk, run):
    found = clerk.get(f"/api/v1/prices?runs={run['id']}").json()
    assert [s["total"] for s in found["runs"][0]["lines"][0]["steps"]] == ["210.00", "240.00"]
    day = found["runs"][0]["lines"][0]["steps"][1]["from"]
    assert "$240.00: $120.00 now" in clerk.get(f"/api/v1/runs/{run['id']}/price-on/{day}").json()["text"]
    assert clerk.get("/api/v1/prices").status_code == 422
    for odd in ("rate_id=-1", "plan_id=0", f"rate_id={2**63}"):
        assert clerk.get(f"/api/v1/runs/{run['id']}/price-on/{day}?{odd}").status_code == 422, odd
    plan = clerk.post(
        "/api/v1/early-bird",
        json={"fee": "200.00", "share": "40", "target": "230.00", "days": 14, "rounding": "0.01"},
    )
    assert plan.json()["regular"] == "250.00"
    start = clerk.get(f"/api/v1/runs/{run['id']}/early-bird").json()
    applied = clerk.post(f"/api/v1/runs/{run['id']}/early-bird?preview=true", json={
        k: start[k] for k in ("fee", "share", "target", "days", "rounding")})  # fmt: skip
    assert applied.status_code == 200 and applied.json()["touches"]

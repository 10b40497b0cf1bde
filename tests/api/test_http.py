"""The API as a client sees it: problem documents, keys, the main path, calculators, and a description in step."""

import json

import pytest

from archgate.cli import api_description
from archgate.settings import ROOT
from made import DATA, number, run_form

PROBLEM = "application/problem+json"


def far_form(**changes):
    """A run far ahead of any real today."""
    form = run_form(**changes)
    form["pattern"] = {**form["pattern"], "first": "2099-09-15"}
    return form


@pytest.fixture
def run(clerk):
    made = clerk.post("/api/v1/runs", json=far_form()).json()
    assert clerk.post(f"/api/v1/runs/{made['id']}/publish").status_code == 200
    return clerk.get(f"/api/v1/runs/{made['id']}").json()


def person(clerk):
    return clerk.post("/api/v1/people", json={"given": "Api", "family": f"N{next(number)}"}).json()


def test_from_a_form_to_an_enrolled_person_and_back(clerk, run):
    somebody = person(clerk)
    quote = clerk.post(f"/api/v1/runs/{run['id']}/quote", json={}).json()
    assert quote["can_enroll"] and quote["seat"] == 1 and quote["lines"][0]["why"]
    body = {"run_id": run["id"], "person_id": somebody["id"], "total": quote["total"]}
    held = clerk.post("/api/v1/enrollments", json=body, headers={"Idempotency-Key": f"k-{next(number):08}"})
    assert held.status_code == 201
    roster = clerk.get(f"/api/v1/runs/{run['id']}/roster").json()
    assert roster["taken"] == 1 and roster["rows"][0][2] == somebody["name"]
    kept = clerk.get(f"/api/v1/enrollments/{held.json()['enrollment_id']}").json()
    assert kept["quote"]["total"] == quote["total"]
    gone = clerk.post(f"/api/v1/enrollments/{held.json()['enrollment_id']}/withdraw")
    assert gone.status_code == 200
    undone = clerk.post(f"/api/v1/changes/{gone.json()['change']}/undo")
    assert undone.json()["summary"].startswith("Undid: Withdrew Api")


def test_a_changed_total_answers_409_with_both(clerk, run):
    body = {"run_id": run["id"], "person_id": person(clerk)["id"], "total": "1.00"}
    answer = clerk.post("/api/v1/enrollments", json=body)
    assert (answer.status_code, answer.headers["content-type"]) == (409, PROBLEM)
    problem = answer.json()
    assert (problem["status"], problem["shown"], problem["now"]) == (409, "1.00", "210.00")


def test_the_same_key_and_body_is_one_person(clerk):
    key, body = {"Idempotency-Key": f"key-{next(number):010}"}, {"given": "Key", "family": f"N{next(number)}"}
    first, again = (clerk.post("/api/v1/people", json=body, headers=key).json() for _ in range(2))
    assert first["id"] == again["id"]
    other = clerk.post("/api/v1/people", json={**body, "given": "Other"}, headers=key)
    assert (other.status_code, other.json()["type"]) == (422, "urn:archgate:problem:key-reused")
    assert clerk.post("/api/v1/people", json=body, headers={"Idempotency-Key": "short"}).status_code == 422


def test_every_fault_comes_with_its_pointer(clerk):
    answer = clerk.post("/api/v1/runs", json=far_form(capacity=0, rates=[{"amount": "x"}]))
    problem = answer.json()
    assert answer.status_code == 422 and problem["type"] == "urn:archgate:problem:refused"
    assert {"/capacity", "/rates/0/amount"} <= {e["at"] for e in problem["errors"]}
    assert problem["detail"].startswith("2 things need mending")


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [("GET", "/api/v1/runs/999999999", 404), ("GET", "/api/v1/nothing", 404), ("PUT", "/api/v1/runs", 405),
     ("GET", "/api/v1/runs/abc", 422), ("GET", "/api/v1/runs?sign_up=perhaps", 422), ("GET", "/api/v1/runs?after=x", 422)],
)  # fmt: skip
def test_problems_are_rfc_9457_documents(clerk, method, path, status):
    """RFC 9457 sections 3 and 3.1: media type, and a status member that equals the HTTP status."""
    answer = clerk.request(method, path)
    assert (answer.status_code, answer.headers["content-type"]) == (status, PROBLEM)
    problem = answer.json()
    assert problem["status"] == status and problem["type"] and problem["title"] and problem["detail"]


def test_a_broken_body_is_a_problem_too(clerk):
    answer = clerk.post("/api/v1/people", content=b"{nonsense", headers={"Content-Type": "application/json"})
    assert (answer.status_code, answer.headers["content-type"]) == (422, PROBLEM)


def test_a_crash_says_that_nothing_was_saved(clerk, monkeypatch):
    def crash(*_):
        raise RuntimeError("secret detail")

    monkeypatch.setattr("archgate.actions.across.person_pages.find_people", crash)
    answer = clerk.get("/api/v1/people")
    assert (answer.status_code, answer.headers["content-type"]) == (500, PROBLEM)
    assert "secret" not in answer.text and "nothing was saved" in answer.text


def test_a_list_goes_onto_a_run(clerk):
    made = clerk.post("/api/v1/runs", json=far_form(capacity=40)).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    client = clerk.post("/api/v1/organizations", json={"name": f"Client {next(number)}"}).json()
    file = {"file": ("client-list.csv", (DATA / "client-list.csv").read_bytes(), "text/csv")}
    batch = clerk.post(f"/api/v1/runs/{made['id']}/batches", files=file).json()
    batch = clerk.patch(f"/api/v1/batches/{batch['id']}", json={"organization_id": client["id"]}).json()
    done = clerk.post(f"/api/v1/batches/{batch['id']}/enroll", json={"people": 24, "total": batch["total"]})
    assert done.status_code == 200 and done.json()["counts"]["enrolled"] == 24
    empty = clerk.post(f"/api/v1/runs/{made['id']}/batches", files={"file": ("x.csv", b"", "text/csv")})
    assert (empty.status_code, empty.json()["errors"][0]["message"]) == (422, "The file is empty.")


PLAN = {
    "currency": "USD",
    "total": "100.00",
    "signed_up": "2027-01-01",
    "lines": [{"percent": "100", "due": {"after_sign_up": 0}}],
}


def test_calculators_answer_over_http_to_whoever_is_signed_in(stranger, clerk):
    assert stranger.post("/api/v1/calc/plan", json=PLAN).status_code == 401
    answer = clerk.post("/api/v1/calc/plan", json=PLAN)
    assert answer.json()["due_now"] == "100.00"
    refused = clerk.post("/api/v1/calc/plan", json={**PLAN, "total": "1", "x": 1})
    assert refused.status_code == 422
    assert {e["at"] for e in refused.json()["errors"]} == {"/total", "/x"}
    assert clerk.post("/api/v1/calc/nothing", json={}).status_code == 404
    assert clerk.post("/api/v1/calc/plan", content=b"{").status_code == 400
    assert clerk.post("/api/v1/calc/plan", content=b" " * (2 * 1024 * 1024)).status_code == 413


def test_pages_of_the_front_end_are_served_for_every_address(stranger):
    page = stranger.get("/runs/5/roster")
    assert page.status_code == 200 and "__NONCE__" not in page.text
    nonce = page.headers["content-security-policy"].split("'nonce-")[1].split("'")[0]
    assert nonce in page.text
    assert stranger.get("/mark.svg").headers["content-type"].startswith("image/svg+xml")


def test_the_description_and_the_generated_client_are_in_step(tmp_path):
    """web/openapi.json is what the API says of itself, and the client was made from it (./archgate openapi)."""
    import subprocess

    assert (ROOT / "web" / "openapi.json").read_text() == api_description()
    made = tmp_path / "schema.d.ts"
    tool = ROOT / "web" / "node_modules" / ".bin" / "openapi-typescript"
    subprocess.run([tool, "openapi.json", "-o", made], cwd=ROOT / "web", check=True, capture_output=True)
    assert made.read_text() == (ROOT / "web" / "src" / "api" / "schema.d.ts").read_text()


def test_the_description_is_openapi_3_1_and_names_every_problem():
    described = json.loads(api_description())
    assert described["openapi"].startswith("3.1")
    for path, methods in described["paths"].items():
        for method, operation in methods.items():
            assert {"401", "404", "409", "422"} <= set(operation["responses"]), (method, path)
            assert operation["operationId"]

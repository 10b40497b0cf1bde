"""The paths of the desk over HTTP: parties, the line, people, finding, and what moved."""

import pytest

from api.test_http import far_form
from made import DATA, number

RATES = [{"label": "Standard", "amount": "240.00"}, {"label": "Member", "amount": "200.00"}]


def person(clerk, **facts):
    body = {"given": "Desk", "family": f"N{next(number)}", "anyway": True, **facts}
    return clerk.post("/api/v1/people", json=body).json()


@pytest.fixture
def run(clerk):
    made = clerk.post("/api/v1/runs", json=far_form(capacity=2, smallest=0, rates=RATES)).json()
    assert clerk.post(f"/api/v1/runs/{made['id']}/publish").status_code == 200
    return clerk.get(f"/api/v1/runs/{made['id']}").json()


def roster(clerk, run):
    return clerk.get(f"/api/v1/runs/{run['id']}/roster").json()


def test_a_party_then_a_line_then_a_seat(clerk, run):
    member = run["rates"][1]["id"]
    quote = clerk.post(f"/api/v1/runs/{run['id']}/quote", json={"heads": 2, "rate_id": member}).json()
    assert (quote["total"], quote["seat"], quote["heads"]) == ("400.00", 1, 2)
    body = {
        "run_id": run["id"],
        "person_id": person(clerk)["id"],
        "total": "400.00",
        "rate_id": member,
        "heads": 2,
    }
    held = clerk.post("/api/v1/enrollments", json=body).json()
    guest = person(clerk)
    place = f"/api/v1/enrollments/{held['enrollment_id']}/places/2"
    assert clerk.put(place, json={"person_id": guest["id"]}).json()["name"] == guest["name"]
    assert clerk.put(place.replace("/2", "/9"), json={"person_id": guest["id"]}).status_code == 404

    waiting = person(clerk)
    full = clerk.post(
        "/api/v1/enrollments", json={"run_id": run["id"], "person_id": waiting["id"], "total": "240.00"}
    )
    assert (full.status_code, full.json()["place"]) == (409, 1)
    lined = clerk.post("/api/v1/waiting", json={"run_id": run["id"], "person_id": waiting["id"]})
    assert (lined.status_code, lined.json()["place"]) == (201, 1)
    assert roster(clerk, run)["waiting"][0]["name"] == waiting["name"]
    clerk.post(f"/api/v1/enrollments/{held['enrollment_id']}/withdraw")
    number_in_line = lined.json()["waiting_id"]
    today = clerk.get(f"/api/v1/waiting/{number_in_line}/quote").json()
    seated = clerk.post(f"/api/v1/waiting/{number_in_line}/seat", json={"total": today["total"]})
    assert seated.status_code == 200 and roster(clerk, run)["taken"] == 1
    assert clerk.post(f"/api/v1/waiting/{number_in_line}/leave").status_code == 409
    undone = clerk.post(f"/api/v1/changes/{seated.json()['change']}/undo")
    assert undone.status_code == 200 and len(roster(clerk, run)["waiting"]) == 1
    left = clerk.post(f"/api/v1/waiting/{number_in_line}/leave")
    assert left.json()["name"] == waiting["name"]


def test_a_heads_number_out_of_range_is_a_fault_of_its_field(clerk, run):
    answer = clerk.post(f"/api/v1/runs/{run['id']}/quote", json={"heads": 0})
    assert (answer.status_code, answer.json()["errors"][0]["at"]) == (422, "/heads")


def test_a_person_is_found_changed_noted_and_shown(clerk):
    somebody = person(clerk, email=f"paths{next(number)}@example.org")
    near = clerk.get("/api/v1/people/near", params={"email": somebody["email"]}).json()
    assert [(p["id"], p["why"]) for p in near] == [(somebody["id"], "the same email")]
    change = {"seen": {"phone": None}, "set": {"phone": "555-0142"}}
    assert clerk.patch(f"/api/v1/people/{somebody['id']}", json=change).json()["phone"] == "555-0142"
    assert (
        clerk.patch(f"/api/v1/people/{somebody['id']}", json={**change, "set": {"phone": "555"}}).status_code
        == 409
    )
    assert (
        clerk.post(f"/api/v1/people/{somebody['id']}/notes", json={"text": "Knocks twice."}).status_code
        == 201
    )
    page = clerk.get(f"/api/v1/people/{somebody['id']}").json()
    assert page["notes"][0]["text"] == "Knocks twice." and len(page["log"]) == 3
    assert clerk.get("/api/v1/people/999999999").status_code == 404


def test_anything_is_found_and_the_season_drawn(clerk, run):
    hits = clerk.get("/api/v1/find", params={"q": run["code"]}).json()
    assert [r["id"] for r in hits["runs"]] == [run["id"]]
    assert clerk.get("/api/v1/find").json() == {"runs": [], "people": [], "courses": []}
    season = clerk.get("/api/v1/ribbon").json()
    assert season["from"] < season["to"]
    spans = {"since": "2099-09-01", "until": "2099-09-30", "q": run["code"]}
    assert clerk.get("/api/v1/runs", params=spans).json()["total"] == 1
    assert (
        clerk.get("/api/v1/runs", params={**spans, "since": "2100-01-01", "until": "2100-02-01"}).json()[
            "total"
        ]
        == 0
    )


def test_the_pulse_names_what_another_user_did(clerk, chief, run):
    seen = clerk.post("/api/v1/pulse", json={"run_id": run["id"]}).json()["revision"]
    body = {"run_id": run["id"], "person_id": person(chief)["id"], "total": "240.00"}
    chief.post("/api/v1/enrollments", json=body)
    changes = clerk.post("/api/v1/pulse", json={"seen": seen, "run_id": run["id"]}).json()["changes"]
    assert changes[-1]["own"] is False and changes[-1]["summary"].startswith("Enrolled Desk")


def test_a_course_keeps_defaults_and_its_next_run_has_them(clerk, run):
    course = run["course"]["id"]
    kept = clerk.post(f"/api/v1/runs/{run['id']}/defaults", json={"names": ["rates", "capacity"]})
    assert kept.status_code == 200
    form = far_form(capacity=None, rates=None, smallest=1)
    form.pop("course")
    made = clerk.post("/api/v1/runs", json={**form, "course_id": course}).json()
    assert made["capacity"] == 2 and [r["label"] for r in made["rates"]] == ["Standard", "Member"]
    usual = {name for name, origin in made["origins"].items() if origin["from"] == "course"}
    assert usual == {"rates", "capacity"}
    answer = clerk.patch(f"/api/v1/courses/{course}", json={"seen": {}, "set": {"code": ""}})
    assert answer.json()["errors"][0]["at"] == "/set/code"


def test_a_line_of_a_list_is_corrected_over_http(clerk):
    made = clerk.post("/api/v1/runs", json=far_form(capacity=200, smallest=0, rates=RATES)).json()
    clerk.post(f"/api/v1/runs/{made['id']}/publish")
    file = {"file": ("front-desk-export.csv", (DATA / "front-desk-export.csv").read_bytes(), "text/csv")}
    batch = clerk.post(f"/api/v1/runs/{made['id']}/batches", files=file).json()
    line = next(i for i in batch["items"] if i["line"] == 33)
    assert line["verdict"] == "needs fixing"
    # The run has no concession rate here, so every such line needs fixing and says which rates there are.
    assert batch["counts"]["needs fixing"] > 50
    fixed = clerk.patch(f"/api/v1/batches/{batch['id']}/rows/33", json={"email": "ignacy@example.org"}).json()
    assert next(i for i in fixed["items"] if i["line"] == 33)["verdict"] == "will enroll"
    assert clerk.patch(f"/api/v1/batches/{batch['id']}/rows/9999", json={"email": "x"}).status_code == 404


def test_a_file_of_200_mb_is_refused_before_it_is_read(clerk, run):
    headers = {"Content-Length": str(200 * 1024 * 1024), "Content-Type": "multipart/form-data; boundary=x"}
    answer = clerk.post(f"/api/v1/runs/{run['id']}/batches", content=b"--x", headers=headers)
    assert (answer.status_code, answer.json()["detail"]) == (413, "A file has at most 10 MB.")

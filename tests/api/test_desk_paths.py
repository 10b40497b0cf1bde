"""The paths of the desk over HTTP: parties, the line, people, finding, and what moved."""

import pytest

from api.test_http import far_form
from archgate.actions.kernel import signing
from archgate.api.roster import Roster
from archgate.papers.lists import read_table
from archgate.papers.rosters import html_of
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
    assert page["notes"][0]["text"] == "Knocks twice."
    assert len(clerk.get(f"/api/v1/logs/person/{somebody['id']}").json()["items"]) == 3
    assert clerk.get("/api/v1/people/999999999").status_code == 404


def test_anything_is_found_and_the_season_drawn(clerk, run):
    hits = clerk.get("/api/v1/find", params={"q": run["code"]}).json()
    assert [r["id"] for r in hits["runs"]] == [run["id"]]
    assert clerk.get("/api/v1/find").json() == {"runs": [], "people": [], "courses": [], "others": []}
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
    assert (answer.status_code, answer.json()["detail"]) == (413, "A file has at most 10 MB, a request 12.")


def test_the_roster_goes_out_in_the_shape_it_is_described_in(clerk, run):
    """It is written without being checked row by row; here it is."""
    somebody = person(clerk)
    total = clerk.post(f"/api/v1/runs/{run['id']}/quote", json={"heads": 2}).json()["total"]
    body = {"run_id": run["id"], "person_id": somebody["id"], "total": total, "heads": 2}
    assert clerk.post("/api/v1/enrollments", json=body).status_code == 201
    found = clerk.get(f"/api/v1/runs/{run['id']}/roster").json()
    assert Roster.model_validate(found).model_dump(mode="json") == found
    row = dict(zip(found["columns"], found["rows"][0], strict=True))
    assert (row["name"], row["heads"]) == (somebody["name"], 2)
    assert row["places"] == [{"n": 2, "person_id": None, "name": None}]


def test_papers_of_a_roster_are_files_of_their_kind(clerk, run):
    somebody = person(clerk, given="=Dora")
    body = {"run_id": run["id"], "person_id": somebody["id"], "total": "240.00", "note": "Nut allergy"}
    held = clerk.post("/api/v1/enrollments", json=body).json()["enrollment_id"]
    at = f"/api/v1/runs/{run['id']}/papers"
    for kind in ("sign-in.pdf", "badges.pdf", "contacts.pdf"):
        paper = clerk.get(f"{at}/{kind}")
        assert (paper.headers["content-type"], paper.content[:5]) == ("application/pdf", b"%PDF-")
    assert clerk.get(f"{at}/poster.pdf").status_code == 422
    assert clerk.get(f"{at}/sign-in.pdf?meeting_id=999999999").status_code == 404
    lines = clerk.get(f"{at}/roster.csv").text
    assert "'=Dora" in lines and "Nut allergy" not in lines
    assert "Nut allergy" in clerk.get(f"{at}/roster.csv?remarks=true").text
    sheet = clerk.post(
        f"/api/v1/runs/{run['id']}/roster-file", json={"kind": "xlsx", "enrollment_ids": [held]}
    )
    table = read_table(sheet.content)
    assert list(table.headings[:3]) == ["Seat", "Name", "Email"] and table.rows[0][1][1] == somebody["name"]
    shown = html_of("sign-in", {"title": "T", "code": "C", "center": "A", "remarks": False, "health": False, "sheets": [{"when": "", "place": "", "instructor": ""}],
                                "people": [{"name": "A & B", "note": "Nut allergy"}]})  # fmt: skip
    assert "A &amp; B" in shown and "Nut allergy" not in shown


def test_an_offer_is_answered_without_signing_in(clerk, stranger, run, office):
    people = [person(clerk, email=f"offer{next(number)}@example.org") for _ in range(3)]
    for somebody in people[:2]:
        body = {"run_id": run["id"], "person_id": somebody["id"], "total": "240.00"}
        clerk.post("/api/v1/enrollments", json=body)
    waits = clerk.post("/api/v1/waiting", json={"run_id": run["id"], "person_id": people[2]["id"]}).json()
    rows = clerk.get(f"/api/v1/runs/{run['id']}/roster").json()["rows"]
    clerk.post(f"/api/v1/enrollments/{rows[0][0]}/withdraw")
    assert clerk.post(f"/api/v1/waiting/{waits['waiting_id']}/offer", json={}).status_code == 200
    assert any(o["name"] == people[2]["name"] for o in clerk.get("/api/v1/today").json()["offers"])
    token = signing.token_for("o", waits["waiting_id"], 1)
    page = stranger.get(f"/api/v1/replies/{token}").json()
    assert (page["stands"], page["quote"]["total"]) == (True, "240.00")
    wrong = stranger.post(f"/api/v1/replies/{token}", json={"answer": "perhaps"})
    assert wrong.status_code == 422
    taken = stranger.post(f"/api/v1/replies/{token}", json={"answer": "take", "total": "240.00"})
    assert taken.json()["said"] == "You have taken it."
    assert stranger.get("/api/v1/replies/o1.1.forged").status_code == 404


def test_many_are_moved_and_withdrawn_together_and_undone(clerk, run):
    there = clerk.post("/api/v1/runs", json=far_form(capacity=5, smallest=0, rates=RATES)).json()
    clerk.post(f"/api/v1/runs/{there['id']}/publish")
    ids = []
    for _ in range(2):
        body = {"run_id": run["id"], "person_id": person(clerk)["id"], "total": "240.00"}
        ids.append(clerk.post("/api/v1/enrollments", json=body).json()["enrollment_id"])
    ask = {"enrollment_ids": ids, "to_run_id": there["id"]}
    assert len(clerk.post(f"/api/v1/runs/{run['id']}/move-many?preview=true", json=ask).json()["people"]) == 2
    moved = clerk.post(f"/api/v1/runs/{run['id']}/move-many", json=ask).json()
    assert clerk.get(f"/api/v1/runs/{there['id']}").json()["taken"] == 2
    assert clerk.post(f"/api/v1/changes/{moved['change']}/undo").status_code == 200
    assert clerk.get(f"/api/v1/runs/{run['id']}").json()["taken"] == 2
    gone = clerk.post(f"/api/v1/runs/{run['id']}/withdraw-many", json={"enrollment_ids": ids}).json()
    assert clerk.get(f"/api/v1/runs/{run['id']}").json()["taken"] == 0
    assert (
        clerk.post(f"/api/v1/runs/{run['id']}/withdraw-many", json={"enrollment_ids": ids}).status_code == 409
    )
    assert clerk.post(f"/api/v1/changes/{gone['change']}/undo").status_code == 200
    assert clerk.get(f"/api/v1/runs/{run['id']}").json()["taken"] == 2

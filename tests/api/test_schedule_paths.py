"""The schedule over HTTP: previews save nothing, repeated requests are done once, bad input is answered at its place."""

from datetime import date, timedelta

import pytest

from archgate.actions.kernel.commands import command_of
from archgate.actions.runs import moving
from archgate.actions.runs.commands import MoveRunCommand
from conftest import signed_in
from made import DATA, TODAY, a_person, a_run, enrolled, number, run_form


def next_tuesday(weeks=12):
    day = TODAY + timedelta(weeks=weeks)
    return day + timedelta(days=(1 - day.weekday()) % 7)


@pytest.fixture
def run(clerk):
    form = run_form(
        pattern={"first": next_tuesday().isoformat(), "start": "17:30", "minutes": 105, "count": 4}
    )
    made = clerk.post("/api/v1/runs", json=form).json()
    assert clerk.post(f"/api/v1/runs/{made['id']}/publish").status_code == 200
    return clerk.get(f"/api/v1/runs/{made['id']}").json()


def first(clerk, run):
    return clerk.get(f"/api/v1/runs/{run['id']}").json()["first"]


def test_a_preview_saves_nothing_and_the_same_key_moves_once(clerk, run):
    path, key = f"/api/v1/runs/{run['id']}/move", {"Idempotency-Key": f"move-{next(number):08}"}
    begin = date.fromisoformat(run["first"])
    seen = clerk.post(f"{path}?preview=true", json={"weeks": 1}).json()
    assert len(seen["dates"]) == 4 and first(clerk, run) == run["first"]
    answers = [clerk.post(path, json={"weeks": 1}, headers=key).json() for _ in range(3)]
    assert answers[0] == answers[1] == answers[2]
    assert first(clerk, run) == (begin + timedelta(weeks=1)).isoformat()
    other = clerk.post(path, json={"weeks": 2}, headers=key)
    assert other.status_code == 422 and other.json()["type"].endswith("key-reused")
    undone = clerk.post(f"/api/v1/changes/{answers[0]['change']}/undo")
    assert undone.status_code == 200 and first(clerk, run) == run["first"]


@pytest.mark.parametrize(
    ("path", "body", "at"),
    [
        ("move", {"weeks": "one"}, "/weeks"),
        ("extend", {"meetings": 0}, "/meetings"),
        ("extend", {"ends_on": "2099-01-01"}, "/ends_on"),
        ("meetings", {"date": "2027-02-30", "start": "17:30", "minutes": 60}, "/date"),
        ("decision", {"decision": "waits"}, "/until"),
        ("decision", {"decision": "cancelled"}, "/decision"),
    ],
)
def test_what_is_wrong_is_answered_at_its_place(clerk, run, path, body, at):
    answer = clerk.post(f"/api/v1/runs/{run['id']}/{path}", json=body)
    assert answer.status_code == 422
    assert at in {e["at"] for e in answer.json()["errors"]}, answer.json()


def test_a_colleagues_change_is_answered_with_both_values(clerk, chief, run):
    meeting = run["dates"][0]["id"]
    seen = {"start": "17:30"}
    assert (
        chief.patch(f"/api/v1/meetings/{meeting}", json={"seen": seen, "set": {"start": "18:00"}}).status_code
        == 200
    )
    answer = clerk.patch(f"/api/v1/meetings/{meeting}", json={"seen": seen, "set": {"start": "19:00"}})
    assert answer.status_code == 409 and answer.json()["fields"]["start"]["now"] == "18:00"


def test_a_meeting_is_cancelled_and_the_call_list_kept(clerk, run):
    meeting = run["dates"][0]["id"]
    free = clerk.get(f"/api/v1/meetings/{meeting}/free").json()
    assert free and {"date", "start", "why"} == set(free[0])
    done = clerk.post(
        f"/api/v1/meetings/{meeting}/cancel", json={"why": "ill", "replacement": {"date": free[0]["date"]}}
    ).json()
    assert [d["after"] is None for d in done["dates"]].count(True) == 1
    held = clerk.get(f"/api/v1/meetings/{meeting}/calls").json()
    assert held["cancelled"] and held["why"] == "ill"
    assert (
        clerk.put(f"/api/v1/meetings/{meeting}/paid", json={"paid": True}).json()["instructor_paid"] is True
    )
    assert clerk.put(f"/api/v1/meetings/{meeting}/calls/1", json={"outcome": "reached"}).status_code == 404


def test_files_come_in_by_their_content_and_go_out_as_attachments(clerk, run):
    path = f"/api/v1/runs/{run['id']}/files"
    bad = clerk.post(path, files={"file": ("contract.pdf", b"<script>", "application/pdf")})
    assert bad.status_code == 422 and "PDF" in bad.json()["detail"]
    made = clerk.post(path, files={"file": ("vertrag ü.pdf", b"%PDF-1.4 x", "application/pdf")}).json()
    answer = clerk.get(f"/api/v1/files/{made['id']}")
    assert answer.content == b"%PDF-1.4 x" and answer.headers["content-disposition"].startswith("attachment;")
    assert answer.headers["x-content-type-options"] == "nosniff"


def test_a_calendar_file_is_taken_and_a_wrong_one_is_answered(clerk):
    teacher = clerk.post("/api/v1/instructors", json={"name": f"H. Http{next(number)}"}).json()
    path = f"/api/v1/busy/instructor/{teacher['id']}"
    wrong = clerk.post(f"{path}/calendar", files={"file": ("x.ics", b"hello", "text/calendar")})
    assert wrong.status_code == 422 and wrong.json()["errors"][0]["at"] == "/file"
    good = clerk.post(
        f"{path}/calendar",
        files={"file": ("busy.ics", (DATA / "instructor-busy.ics").read_bytes(), "text/calendar")},
    )
    assert good.status_code == 200 and good.json()["added"] >= 0
    away = clerk.post(path, json={"from": "2099-03-01", "through": "2099-03-02", "label": "away"}).json()
    assert away["id"] in {b["id"] for b in clerk.get(path).json()}
    assert clerk.delete(f"/api/v1/busy/{away['id']}").status_code == 200
    faults = clerk.post(path, json={"from": "2099-03-02", "through": "2099-03-01", "start": "10:00"}).json()[
        "errors"
    ]
    assert {f["at"] for f in faults} == {"/through", "/end"}
    assert clerk.get("/api/v1/busy/car/1").status_code == 422


def test_closed_days_are_closed_opened_and_listed(clerk, chief):
    assert clerk.put("/api/v1/closures/region", json={"region": "US"}).status_code == 403
    assert chief.put("/api/v1/closures/region", json={"region": "XX"}).status_code == 422
    listed = chief.put("/api/v1/closures/region", json={"region": "US-NY"}).json()
    assert listed["region"] == "US-NY"
    days = {d["day"]: d for d in clerk.get("/api/v1/closures?year=2098").json()["days"]}
    assert days["2098-07-04"]["public"] and days["2098-07-04"]["closed"]
    assert clerk.put("/api/v1/closures/2098-07-04", json={"closed": False}).status_code == 200
    days = {d["day"]: d for d in clerk.get("/api/v1/closures?year=2098").json()["days"]}
    assert not days["2098-07-04"]["closed"]
    assert clerk.put("/api/v1/closures/2098-07-05", json={"closed": False}).status_code == 409
    done = clerk.post(
        "/api/v1/closures", json={"from": "2098-02-10", "through": "2098-02-12", "label": "Works"}
    ).json()
    assert done["meetings"] == 0
    clerk.post(f"/api/v1/changes/{done['change']}/undo")
    assert "2098-02-11" not in {d["day"] for d in clerk.get("/api/v1/closures?year=2098").json()["days"]}
    assert chief.put("/api/v1/closures/region", json={"region": ""}).json()["region"] == ""


def test_the_planner_the_day_and_the_month_hold_the_same_meetings(clerk, run):
    day = run["first"]
    plan = clerk.get(f"/api/v1/planner?since={day}&until={day}").json()
    at = plan["meeting_columns"].index
    mine = [m for m in plan["meetings"] if m[at("run_id")] == run["id"]]
    sheet = [m for m in clerk.get(f"/api/v1/days/{day}").json()["meetings"] if m["run_id"] == run["id"]]
    month = [
        m
        for m in clerk.get(f"/api/v1/months/{day[:7]}").json()["meetings"]
        if m["run_id"] == run["id"] and m["date"] == day
    ]
    assert [m[at("id")] for m in mine] == [m["id"] for m in sheet] == [m["id"] for m in month] != []
    assert (sheet[0]["start"], sheet[0]["end"], sheet[0]["decision"]) == ("17:30", "19:15", "undecided")
    assert clerk.get("/api/v1/planner?since=2027-01-02&until=2027-01-01").status_code == 422
    assert clerk.get("/api/v1/months/2027-13").status_code == 422


def test_places_are_kept_by_name_and_refused_with_every_fault(clerk):
    name = f"Kept {next(number)}"
    made = clerk.post("/api/v1/places", json={"name": name, "seats": 9}).json()
    twin = clerk.post(
        "/api/v1/places",
        json={
            "name": name.upper(),
            "time_zone": "Nowhere",
            "map_link": "javascript:x",
        },
    )
    assert {e["at"] for e in twin.json()["errors"]} == {"/name", "/time_zone", "/map_link"}
    wrong = clerk.post("/api/v1/places", json={"name": "X", "seats": 0, "kind": "boat"})
    assert {e["at"] for e in wrong.json()["errors"]} == {"/seats", "/kind"}
    assert (
        clerk.patch(f"/api/v1/places/{made['id']}", json={"seats": None, "address": "4 Quay Lane"}).json()[
            "seats"
        ]
        is None
    )
    assert clerk.patch("/api/v1/places/999999999", json={"seats": 1}).status_code == 404


def test_a_contract_run_lets_only_its_client_pay(office, clerk):
    run = a_run(office)
    client = clerk.post("/api/v1/organizations", json={"name": f"Paying client {next(number)}"}).json()
    body = {"seen": {"client_id": None}, "set": {"client_id": client["id"]}}
    assert clerk.patch(f"/api/v1/runs/{run['id']}", json=body).status_code == 200
    person = a_person(office)
    enrolled(office, run, person)
    held = clerk.get(f"/api/v1/people/{person['id']}").json()["enrollments"][0]
    assert held["payer"] == client["name"] and held["decision"] == "undecided"


def test_the_outbox_pages_and_filters(clerk, office):

    run = a_run(office)
    for _ in range(3):
        enrolled(office, run)
    office.act(lambda d: moving.move_run(d, run["id"], command_of(MoveRunCommand, {"days": 1})))
    page = clerk.get("/api/v1/messages?status=waits&limit=2").json()
    assert len(page["items"]) == 2 and page["total"] >= 3 and page["next"] == page["items"][-1]["id"]
    more = clerk.get(f"/api/v1/messages?status=waits&limit=2&before={page['next']}").json()
    assert more["items"] and not {m["id"] for m in more["items"]} & {m["id"] for m in page["items"]}
    assert clerk.get("/api/v1/messages?status=odd").status_code == 422
    assert clerk.get("/api/v1/jobs").json()["counts"]["queued"] >= 3


def test_checks_by_hand_are_for_administrators(clerk, chief):
    assert clerk.post("/api/v1/checks").status_code == 403
    assert "begins in a moment" in chief.post("/api/v1/checks").json()["found"]


def test_a_name_nobody_has_used_is_asked_about_before_it_is_kept(app, clerk):
    """The browser asks; without a yes nothing is made, and two known names in one field are told as two."""
    n, careful = next(number), signed_in(app, "coordinator@example.org")
    careful.says_yes = False
    one, two = (clerk.post("/api/v1/instructors", json={"name": f"{x}. Named{n}"}).json() for x in "IP")
    form = {**run_form(instructor=f"{one['name']}, {two['name']}"), "place": f"New Hall {n}"}
    form["pattern"] = {**form["pattern"], "first": "2099-09-15"}
    answer = careful.post("/api/v1/runs", json=form)
    problem = answer.json()
    assert answer.status_code == 409 and [x["kind"] for x in problem["names"]] == ["place", "instructor"]
    assert "are known: put a semicolon between several" in problem["names"][1]["hint"]
    held = {i["name"] for i in clerk.get("/api/v1/instructors").json()}
    assert form["instructor"] not in held, "nothing was kept"
    made = careful.post("/api/v1/runs", json={**form, "instructor": one["name"]},
                        headers={"Archgate-New-Names": f"New%20Hall%20{n}"})  # fmt: skip
    assert made.status_code == 201 and made.json()["place"] == f"New Hall {n}"


def test_a_place_or_an_instructor_is_taken_out_while_unused_and_undone(clerk):
    n = next(number)
    teacher = clerk.post("/api/v1/instructors", json={"name": f"U. Unused{n}"}).json()
    busy = {"from": "2099-01-01", "label": "away"}
    assert clerk.post(f"/api/v1/busy/instructor/{teacher['id']}", json=busy).status_code == 201
    gone = clerk.delete(f"/api/v1/instructors/{teacher['id']}")
    assert gone.status_code == 200 and teacher["id"] not in {
        i["id"] for i in clerk.get("/api/v1/instructors").json()
    }
    assert clerk.post(f"/api/v1/changes/{gone.json()['change']}/undo").status_code == 200
    assert teacher["id"] in {i["id"] for i in clerk.get("/api/v1/instructors").json()}
    form = run_form(instructor=teacher["name"])
    form["pattern"] = {**form["pattern"], "first": "2099-09-15"}
    clerk.post("/api/v1/runs", json=form)
    used = clerk.delete(f"/api/v1/instructors/{teacher['id']}")
    assert used.status_code == 409 and "is used by 8 meetings, 1 runs" in used.json()["detail"]


def test_any_of_many_organizations_is_found_and_the_chosen_one_stands_first(clerk):
    n = next(number)
    made = [
        clerk.post("/api/v1/organizations", json={"name": f"Zz Firm{n} no{k:02d}"}).json() for k in range(25)
    ]
    found = clerk.get("/api/v1/organizations", params={"q": f"firm{n} no24"}).json()
    assert [o["id"] for o in found] == [made[24]["id"]]
    chosen = clerk.get("/api/v1/organizations", params={"include": made[24]["id"]}).json()
    assert chosen[0]["id"] == made[24]["id"] and len(chosen) <= 21

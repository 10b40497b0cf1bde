"""The instructor's own page: what it shows and changes, what it never shows, and whose it is."""

import json

import pytest
from fastapi.testclient import TestClient

from archgate.actions.access import own_pages
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.people import people
from archgate.actions.people.commands import NoteCommand
from archgate.actions.runs import moving, showing
from archgate.actions.schedule.commands import OneOffForm
from archgate.actions.teaching import instructors, settings
from archgate.actions.teaching.commands import InstructorCommand, RulesCommand
from made import a_person, a_run, enrolled, number

WORD = "a word of my own"
RIGHTS = ("own_biography", "own_availability", "attendance", "rosters")


def own_browser(app, office, person_id):
    """A browser in which somebody is signed in to their own page."""
    office.act(lambda d: own_pages.invite(d, person_id))
    page = office.read(lambda d: own_pages.page_of(d, person_id))
    client = TestClient(app, base_url="http://testserver", raise_server_exceptions=False)
    token = signing.token_for("p", page.id, page.turn)
    assert client.post(f"/api/v1/own/links/{token}", json={"password": WORD}).status_code == 204
    return client


def a_teacher(office, **facts):
    n = next(number)
    body = {"name": f"O. Wn{n}", "email": f"own{n}@example.org", **facts}
    return office.act(lambda d: instructors.save(d, None, command_of(InstructorCommand, body)))


@pytest.fixture
def rules(office):
    def say(**facts):
        office.act(lambda d: settings.change(d, command_of(RulesCommand, facts)))

    say(**dict.fromkeys(RIGHTS, True))
    yield say
    say(**dict.fromkeys(RIGHTS, True))


@pytest.fixture
def teacher(office):
    return a_teacher(office, employment="outside", pay={"kind": "per_hour", "amount": "30.00"})


@pytest.fixture
def own(app, office, teacher):
    return own_browser(app, office, teacher["person_id"])


def soon(teacher, **more):
    """Four evenings, the first of them tomorrow."""
    pattern = {"first": "2027-08-21", "start": "17:30", "minutes": 60, "weekdays": ["SA"], "count": 4}
    return {"instructor": teacher["name"], "pattern": pattern, **more}


def test_their_page_shows_their_meetings_runs_and_pay_and_nothing_of_the_centers_money(
    office, own, teacher, rules
):
    run = a_run(office, **soon(teacher))
    person = a_person(office, phone="555-0142")
    office.act(lambda d: people.add_note(d, person["id"], command_of(NoteCommand, {"text": "Secret remark"})))
    enrolled(office, run, person)
    a_run(office)
    page = own.get("/api/v1/own/teaching").json()
    assert [m["run_id"] for m in page["meetings"]] == [run["id"]] * 4 and page["meetings"][0]["taken"] == 1
    assert [r["run_id"] for r in page["runs"]] == [run["id"]]
    roster = own.get(f"/api/v1/own/teaching/runs/{run['id']}").json()
    assert [p["name"] for p in roster["people"]] == [person["name"]]
    seen = json.dumps([page, roster])
    for hidden in (person["email"], "555-0142", "Secret remark", "240.00", "210.00", "income"):
        assert hidden not in seen, hidden


def test_a_run_a_meeting_and_a_paper_of_somebody_else_are_not_there(office, own, teacher, rules):
    other = a_teacher(office)
    run = a_run(office, **soon(other))
    for how, path in (
        ("GET", f"/runs/{run['id']}"),
        ("PUT", f"/meetings/{run['dates'][0]['id']}/attendance"),
        ("GET", "/agreements/1.pdf"),
        ("DELETE", "/absences/1"),
    ):
        answer = own.request(how, f"/api/v1/own/teaching{path}", json={"marks": {}} if how == "PUT" else None)
        assert answer.status_code == 404, path


def test_attendance_is_marked_for_ones_own_meeting_and_the_log_says_by_whom(
    office, own, clerk, teacher, rules
):
    run = a_run(office, **soon(teacher))
    person = a_person(office)
    enrolled(office, run, person)
    held = {"date": "2027-08-20", "start": "09:00", "minutes": 60}
    office.act(lambda d: moving.add_meeting(d, run["id"], command_of(OneOffForm, held)))
    dates = office.read(lambda d: showing.run_view(d, run["id"]))["dates"]
    first, second = dates[0]["id"], dates[1]["id"]
    path = "/api/v1/own/teaching/meetings/{}/attendance"
    marked = own.put(path.format(first), json={"marks": {person["id"]: "late"}}).json()
    assert marked["people"][0]["marks"] == {str(first): "late"}
    ahead = own.put(path.format(second), json={"marks": {person["id"]: "present"}})
    assert (ahead.status_code, ahead.json()["type"].split(":")[-1]) == (409, "ahead")
    stranger = own.put(path.format(first), json={"marks": {a_person(office)["id"]: "present"}})
    assert stranger.status_code == 422
    lines = clerk.get(f"/api/v1/logs/run/{run['id']}").json()["items"]
    assert any(line["summary"].startswith(f"{teacher['name']}: Attendance") for line in lines)


def test_availability_and_biography_are_their_own(own, teacher, rules):
    hours = [{"weekday": "MO", "from": "17:00", "to": "21:00"}]
    assert own.put("/api/v1/own/teaching/hours", json={"hours": hours}).json()["hours"] == hours
    wrong = own.put("/api/v1/own/teaching/hours", json={"hours": [{**hours[0], "to": "16:00"}]})
    assert wrong.json()["errors"][0]["at"] == "/hours/0"
    away = {"from": "2027-09-14", "through": "2027-09-12", "label": "away"}
    assert own.post("/api/v1/own/teaching/absences", json=away).json()["errors"][0]["at"] == "/through"
    page = own.post("/api/v1/own/teaching/absences", json={**away, "through": "2027-09-15"}).json()
    assert [b["label"] for b in page["absences"]] == ["away"]
    gone = own.delete(f"/api/v1/own/teaching/absences/{page['absences'][0]['id']}").json()
    assert gone["absences"] == []
    said = own.put("/api/v1/own/teaching/biography", json={"biography": "Lays walls."}).json()
    assert said["biography"] == "Lays walls."


def test_what_outside_instructors_may_is_set_by_the_center_and_the_employed_may_all(
    office, app, own, teacher, rules
):
    run = a_run(office, **soon(teacher))
    employed = a_teacher(office, employment="employed")
    inside = own_browser(app, office, employed["person_id"])
    rules(**dict.fromkeys(RIGHTS, False))
    asked = (
        ("PUT", "/biography", {"biography": "x"}),
        ("PUT", "/hours", {"hours": []}),
        ("POST", "/absences", {"from": "2027-09-14"}),
        ("DELETE", "/absences/1", None),
        ("GET", f"/runs/{run['id']}", None),
        ("PUT", f"/meetings/{run['dates'][0]['id']}/attendance", {"marks": {}}),
    )
    for how, path, body in asked:
        assert own.request(how, f"/api/v1/own/teaching{path}", json=body).status_code == 403, path
        assert inside.request(how, f"/api/v1/own/teaching{path}", json=body).status_code != 403, path
    page = own.get("/api/v1/own/teaching").json()
    assert page["rights"] == dict.fromkeys(("biography", "availability", "attendance", "rosters"), False)


def test_papers_and_the_feed_are_their_own(office, own, teacher, rules):
    a_run(office, **soon(teacher))
    for kind, begins in (("pdf", b"%PDF"), ("csv", b"\xef\xbb\xbfRun"), ("xlsx", b"PK")):
        assert own.get(f"/api/v1/own/teaching/statement/statement.{kind}").content.startswith(begins), kind
    one = own.post("/api/v1/own/teaching/feed").json()["path"]
    assert own.post("/api/v1/own/teaching/feed").json()["path"] == one
    other = own.post("/api/v1/own/teaching/feed?renew=true").json()["path"]
    assert own.get(other).text.count("BEGIN:VEVENT") == 4 and own.get(one).status_code == 404


def test_whoever_no_longer_teaches_sees_it_no_more(office, own, teacher, rules):
    assert own.get("/api/v1/own").json()["teaches"] is True
    office.act(lambda d: instructors.save(d, teacher["id"], command_of(InstructorCommand, {"active": False})))
    assert own.get("/api/v1/own/teaching").status_code == 403
    assert own.get("/api/v1/own").json()["teaches"] is False


def test_the_email_of_an_instructor_is_what_they_sign_in_by(office, app, own, clerk, teacher, rules):
    new = f"moved{next(number)}@example.org"
    answer = clerk.patch(f"/api/v1/instructors/{teacher['id']}", json={"email": new})
    assert answer.status_code == 200
    client = TestClient(app, base_url="http://testserver")
    assert client.post("/api/v1/own/session", json={"email": new, "password": WORD}).status_code == 204


def test_a_persons_page_leads_to_what_they_teach(clerk, office, teacher):
    learner = a_person(office)
    pages = [clerk.get(f"/api/v1/people/{n}").json() for n in (teacher["person_id"], learner["id"])]
    assert [p["instructor_id"] for p in pages] == [teacher["id"], None]

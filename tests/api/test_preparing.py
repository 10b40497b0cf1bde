"""Courses and runs that instructors prepare: what they reach, hand over and get back, and what the office sees and does of it."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import func, select

from actions.test_teaching_pay import a_picture
from api.test_own_teaching import a_teacher, own_browser
from archgate.actions.across import today
from archgate.actions.courses import texts
from archgate.actions.courses.commands import TextPatch
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.teaching import instructors, preparing, preparing_runs, reviewing, settings
from archgate.actions.teaching.commands import InstructorCommand, RulesCommand
from archgate.core.preparation import FIELDS, LIVE, STEPS, can_become, fields_of, out_of_reach
from archgate.core.states import PrepareRight, Preparing
from archgate.tables.courses import Course, Run
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.teaching import Preparation
from made import a_run, at_once, enrolled, number, published

MINE = "/api/v1/own/teaching/preparations"
RIGHTS = {right.value: right is not PrepareRight.PRICES for right in PrepareRight}


@pytest.fixture
def rules(office):
    def say(**facts):
        office.act(lambda d: settings.change(d, command_of(RulesCommand, facts)))

    say(**RIGHTS)
    yield say
    say(**RIGHTS)


@pytest.fixture
def teacher(office, rules):
    return a_teacher(office, employment="outside")


@pytest.fixture
def own(app, office, teacher):
    return own_browser(app, office, teacher["person_id"])


def begun(own, title=None, **how):
    made = own.post(MINE, json={"title": title or f"Prepared {next(number)}", **how})
    assert made.status_code == 201, made.text
    return made.json()


def write(own, prep, seen=None, **facts):
    return own.patch(f"{MINE}/{prep['id']}/text", json={"set": facts, "seen": seen or {}})


def a_ready(own, **how):
    prep = begun(own, **how)
    assert write(own, prep, summary="What it is.", description="**Stone.**").status_code == 200
    return prep


def own_run(**changes):
    return {"first": "2027-10-05", "start": "18:00", "minutes": 90, "count": 3, "capacity": 8, **changes}


# --- the rule -------------------------------------------------------------------------------------------------


@given(st.sets(st.sampled_from(PrepareRight)), st.sets(st.sampled_from(sorted(texts.LABELS))))
def test_what_is_out_of_reach_is_just_what_no_right_holds(rights, names):
    beyond = out_of_reach(names, rights)
    assert set(beyond) == {n for n in names if not any(n in FIELDS[r] for r in rights)}
    assert not fields_of(rights) & {"hidden", "seats_shown", "elsewhere", "title"}, "these are the office's"


def test_a_preparation_goes_from_hand_to_hand_and_ends_once():
    for to, since in STEPS.items():
        assert not since - LIVE, f"what is over never becomes {to}"
    assert not can_become(Preparing.DRAFT, Preparing.PUBLISHED) and not can_become(
        Preparing.HANDED_IN, Preparing.HANDED_IN
    )


# --- by the instructor ------------------------------------------------------------------------------------------


def test_a_new_course_with_a_run_goes_from_an_instructor_to_the_public(own, clerk, office, teacher):
    prep = a_ready(own)
    at = f"{MINE}/{prep['id']}"
    shown = own.post(f"{at}/runs", json=own_run()).json()
    (run,) = shown["runs"]
    assert (run["meetings"], run["capacity"], run["price"]) == (3, 8, None) and run["lacks"], (
        "the office says the price"
    )
    assert (
        clerk.get(f"/api/v1/courses/{prep['course_id']}/preparation").json()["preparation"]["status"]
        == "draft"
    )
    assert own.post(f"{at}/hand-in", json={"said": "Ready for spring"}).json()["status"] == "handed in"
    (line,) = [p for p in office.read(today.today)["prepared"] if p["id"] == prep["id"]]
    assert line["instructor"] == teacher["name"] and line["changed"] == ["Summary", "Description"]
    seen = clerk.get(f"/api/v1/courses/{prep['course_id']}/preparation").json()["preparation"]
    assert seen["said"] == "Ready for spring" and [f["label"] for f in seen["fields"]] == [
        "Summary",
        "Description",
    ]
    refused = clerk.post(f"/api/v1/preparations/{prep['id']}/publish")
    assert refused.status_code == 422 and run["code"] in refused.json()["detail"]
    with office.sessions() as session:
        assert session.get_one(Course, prep["course_id"]).published_n is None, "all of it, or nothing"
    terms = {
        "seen": {},
        "set": {
            "rates": [{"amount": "150.00"}],
            "plans": [{"name": "At once", "lines": [{"percent": "100", "due": {"after_sign_up": 0}}]}],
        },
    }
    assert clerk.patch(f"/api/v1/runs/{run['run_id']}/terms", json=terms).status_code == 200
    done = clerk.post(f"/api/v1/preparations/{prep['id']}/publish")
    assert done.status_code == 200 and done.json()["status"] == "published", done.text
    with office.sessions() as session:
        assert session.get_one(Course, prep["course_id"]).published_n == 1
        assert session.get_one(Run, run["run_id"]).status == "published"
        letter = (
            select(Message.subject).where(Message.to_email == teacher["email"]).order_by(Message.id.desc())
        )
        assert session.scalars(letter).first().endswith("is public")
    assert own.get(at).status_code == 404, "it is over"


def test_what_the_center_does_not_allow_is_refused_on_the_server_field_by_field(own, office, rules, teacher):
    prep = begun(own)
    rules(prepare_text=False)
    answer = write(own, prep, summary="x", program="y")
    assert answer.status_code == 422 and [e["at"] for e in answer.json()["errors"]] == ["/set/summary"]
    assert write(own, prep, program="y").status_code == 200
    for field, value in (
        ("elsewhere", "https://example.org"),
        ("hidden", ["price"]),
        ("seats_shown", "none"),
    ):
        assert write(own, prep, **{field: value}).json()["errors"][0]["at"] == f"/set/{field}"
    rules(prepare_pictures=False)
    file = {"file": ("a.png", a_picture(), "image/png")}
    assert own.post(f"{MINE}/{prep['id']}/pictures", files=file).status_code == 422
    rules(prepare_pictures=True)
    assert own.post(f"{MINE}/{prep['id']}/pictures", files=file).status_code == 201
    priced = own.post(f"{MINE}/{prep['id']}/runs", json=own_run(amount="90.00"))
    assert priced.status_code == 422 and priced.json()["errors"][0]["at"] == "/amount"
    rules(prepare_prices=True)
    assert (
        own.post(f"{MINE}/{prep['id']}/runs", json=own_run(amount="90.00")).json()["runs"][0]["price"]
        == "90.00"
    )
    rules(**dict.fromkeys(RIGHTS, False))
    assert own.post(MINE, json={"title": "Another"}).status_code == 403
    office.act(
        lambda d: instructors.save(
            d, teacher["id"], command_of(InstructorCommand, {"employment": "employed"})
        )
    )
    assert own.post(MINE, json={"title": f"Another {next(number)}"}).status_code == 201, (
        "the employed may all of it"
    )


def test_only_ones_own_courses_and_nothing_of_the_centers_money_or_people(app, own, office, teacher):
    run = a_run(office, instructor=teacher["name"])
    strange, person = a_run(office), a_run(office)
    enrolled(office, run)
    mine = {c["course_id"] for c in own.get("/api/v1/own/teaching/courses").json()["courses"]}
    assert mine == {run["course"]["id"]}
    assert own.post(MINE, json={"course_id": strange["course"]["id"]}).status_code == 404
    prep = own.post(MINE, json={"course_id": run["course"]["id"]}).json()
    seen = str(prep)
    assert "240.00" not in seen and "example.org" not in seen and person["code"] not in seen
    other = own_browser(app, office, a_teacher(office)["person_id"])
    for answer in (
        other.get(f"{MINE}/{prep['id']}"), write(other, prep, summary="Theirs"), other.delete(f"{MINE}/{prep['id']}"),
        other.post(f"{MINE}/{prep['id']}/hand-in", json={}), other.post(f"{MINE}/{prep['id']}/runs", json=own_run()),
    ):  # fmt: skip
        assert answer.status_code == 404
    assert (
        own.patch(f"{MINE}/{prep['id']}/runs/{run['id']}", json={"set": {"capacity": 99}}).status_code == 404
    )


def test_a_run_that_is_prepared_is_changed_moved_and_put_away(own, office, teacher):
    prep = begun(own)
    at = f"{MINE}/{prep['id']}/runs"
    run = own.post(at, json=own_run(weekdays=["TU"])).json()["runs"][0]
    changed = own.patch(
        f"{at}/{run['run_id']}",
        json={
            "set": {"capacity": 9, "note": "Bring gloves."},
            "seen": {"capacity": 8},
            "pattern": {**run["pattern"], "first": "2027-10-12"},
        },
    ).json()["runs"][0]
    assert (changed["capacity"], changed["first"], changed["note"]) == (9, "2027-10-12", "Bring gloves.")
    late = own.patch(f"{at}/{run['run_id']}", json={"set": {"capacity": 7}, "seen": {"capacity": 8}})
    assert late.status_code == 409, "somebody else set nine meanwhile"
    unknown = own.post(at, json=own_run(place="Nowhere at all"))
    assert unknown.status_code == 422 and "the office adds places" in unknown.json()["detail"]
    assert own.post(at, json=own_run(first="2020-01-01")).status_code in (201, 422)
    assert own.delete(f"{at}/{run['run_id']}").status_code == 200
    with office.sessions() as session:
        assert session.get_one(Run, run["run_id"]).status == "archived"


def test_the_dates_of_a_prepared_run_are_seen_planned_anew_and_changed_one_by_one(own, clerk):
    prep = begun(own)
    at = f"{MINE}/{prep['id']}/runs"
    run = own.post(at, json=own_run(weekdays=["TU", "TH"])).json()["runs"][0]
    assert run["pattern"] == {
        "first": "2027-10-05", "start": "18:00", "minutes": 90, "weekdays": ["TU", "TH"], "count": 3,
    }  # fmt: skip
    assert days_of(run) == ["2027-10-05", "2027-10-07", "2027-10-12"]
    here = f"{at}/{run['run_id']}"
    second = f"{here}/meetings/{run['dates'][1]['meeting_id']}"
    put = {"set": {"date": "2027-10-08", "start": "10:00"}, "seen": {"date": "2027-10-07", "start": "18:00"}}
    run = own.patch(second, json=put).json()["runs"][0]
    assert (run["dates"][1]["day"], run["dates"][1]["start"]) == ("2027-10-08", "10:00")
    again = own.patch(second, json={"set": {"date": "2027-10-09"}, "seen": {"date": "2027-10-07"}})
    assert again.status_code == 409, "it was put elsewhere meanwhile"
    moved = {"pattern": {**run["pattern"], "first": "2027-10-12"}, "pattern_seen": run["pattern"]}
    run = own.patch(here, json=moved).json()["runs"][0]
    assert days_of(run) == ["2027-10-12", "2027-10-15", "2027-10-19"], "what was put elsewhere moves along"
    shorter = {**moved, "pattern": {**moved["pattern"], "minutes": 60}}
    assert own.patch(here, json=shorter).status_code == 409, "planned anew meanwhile"
    once_a_week = {"pattern": {**run["pattern"], "weekdays": []}, "pattern_seen": run["pattern"]}
    run = own.patch(here, json=once_a_week).json()["runs"][0]
    assert days_of(run) == ["2027-10-12", "2027-10-19", "2027-10-26"], "on the day of the first date"
    longer = {**run["pattern"], "weekdays": ["WE"], "minutes": 120, "count": 4}
    run = own.patch(here, json={"pattern": longer, "pattern_seen": run["pattern"]}).json()["runs"][0]
    assert days_of(run) == ["2027-10-13", "2027-10-20", "2027-10-27", "2027-11-03"]
    assert {d["minutes"] for d in run["dates"]} == {120}
    for left in (3, 2, 1):
        run = own.delete(f"{here}/meetings/{run['dates'][-1]['meeting_id']}").json()["runs"][0]
        assert len(run["dates"]) == left
    last = own.delete(f"{here}/meetings/{run['dates'][0]['meeting_id']}")
    assert last.status_code == 422 and "at least one meeting" in last.json()["detail"]
    assert own.delete(f"{here}/meetings/1").status_code == 404
    nothing = own.patch(here, json={"pattern": {**longer, "start": "25:00"}})
    assert nothing.status_code == 422 and nothing.json()["errors"][0]["at"] == "/pattern/start"
    more = {"first": "2027-10-06", "start": "09:00", "minutes": 60, "weekdays": ["WE"], "count": 2}
    assert clerk.post(f"/api/v1/runs/{run['run_id']}/patterns", json=more).status_code == 201
    office_planned = own.patch(here, json={"pattern": longer})
    assert office_planned.status_code == 422 and "office has planned" in office_planned.json()["detail"]


def days_of(run):
    return [d["day"] for d in run["dates"]]


def test_whoever_may_say_prices_changes_them_and_nobody_else(own, rules):
    prep = begun(own)
    at = f"{MINE}/{prep['id']}/runs"
    run = own.post(at, json=own_run()).json()["runs"][0]
    assert run["price"] is None
    say = {"set": {"amount": "80.00"}}
    refused = own.patch(f"{at}/{run['run_id']}", json=say)
    assert refused.status_code == 422 and refused.json()["errors"][0]["at"] == "/set/amount"
    rules(prepare_prices=True)
    assert own.patch(f"{at}/{run['run_id']}", json=say).json()["runs"][0]["price"] == "80.00"
    late = own.patch(f"{at}/{run['run_id']}", json={"set": {"amount": "70.00"}, "seen": {"amount": "75.00"}})
    assert late.status_code == 409
    wrong = own.patch(f"{at}/{run['run_id']}", json={"set": {"amount": "8.123"}})
    assert wrong.status_code == 422 and wrong.json()["errors"][0]["at"] == "/set/amount"


def test_what_is_written_in_markdown_is_seen_as_the_public_would_without_what_does_harm(own, stranger):
    seen = own.post("/api/v1/own/teaching/markdown", json={"text": "**Stone** <script>alert(1)</script>"})
    assert seen.status_code == 200
    assert "<strong>Stone</strong>" in seen.json()["html"] and "<script" not in seen.json()["html"]
    assert stranger.post("/api/v1/own/teaching/markdown", json={"text": "x"}).status_code == 401


def test_nothing_that_has_not_changed_is_handed_in_and_what_lacks_is_said(own, office, teacher):
    run = a_run(office, instructor=teacher["name"])
    published(office, run["course"])
    prep = own.post(MINE, json={"course_id": run["course"]["id"]}).json()
    assert own.post(f"{MINE}/{prep['id']}/hand-in", json={}).status_code == 409
    assert write(own, prep, summary="").status_code == 200
    lacking = own.post(f"{MINE}/{prep['id']}/hand-in", json={})
    assert lacking.status_code == 422 and lacking.json()["errors"][0]["at"] == "/summary"


def test_what_is_given_up_leaves_what_the_office_wrote_meanwhile(own, office, teacher):
    run = a_run(office, instructor=teacher["name"])
    published(office, run["course"], description="As it was.")
    course = run["course"]["id"]
    prep = own.post(MINE, json={"course_id": course}).json()
    assert write(own, prep, summary="Mine.", description="Mine too.").status_code == 200
    facts = {"set": {"description": "The office's."}, "seen": {"description": "Mine too."}}
    office.act(lambda d: texts.write(d, course, command_of(TextPatch, facts)))
    assert own.delete(f"{MINE}/{prep['id']}").status_code == 200
    text = office.read(lambda d: texts.text_view(d, course))["text"]
    assert (text["summary"], text["description"]) == ("What it is.", "The office's.")


# --- between the two ----------------------------------------------------------------------------------------------


def test_two_never_overwrite_each_other(own, clerk, office, teacher):
    prep = a_ready(own)
    course = f"/api/v1/courses/{prep['course_id']}/text"
    assert (
        clerk.patch(
            course, json={"set": {"summary": "The office's."}, "seen": {"summary": "What it is."}}
        ).status_code
        == 200
    )
    mine = write(own, prep, seen={"summary": "What it is."}, summary="Mine.")
    assert mine.status_code == 409 and mine.json()["fields"]["summary"]["now"] == "The office's."
    assert write(own, prep, seen={"subtitle": ""}, subtitle="Other fields do not mind").status_code == 200


def test_what_is_handed_in_is_the_offices_until_it_comes_back_with_a_word(own, clerk, office, teacher):
    prep = a_ready(own)
    at = f"{MINE}/{prep['id']}"
    own.post(f"{at}/hand-in", json={})
    refused = write(own, prep, summary="Quickly")
    assert refused.status_code == 409 and "take it back" in refused.json()["detail"]
    assert own.post(f"{at}/take-back").json()["status"] == "draft"
    back = f"/api/v1/preparations/{prep['id']}/return"
    assert clerk.post(back, json={"word": "x"}).status_code == 409, "it is not with the office"
    own.post(f"{at}/hand-in", json={})
    assert clerk.post(back, json={"word": ""}).status_code == 422
    assert clerk.post(back, json={"word": "Say what to bring."}).json()["status"] == "returned"
    shown = own.get(at).json()
    assert (shown["status"], shown["word"], shown["writes"]) == ("returned", "Say what to bring.", True)
    with office.sessions() as session:
        body = session.scalars(
            select(Message.body).where(Message.to_email == teacher["email"]).order_by(Message.id.desc())
        ).first()
        assert "Say what to bring." in body and f"preparation={prep['id']}" in body
        log = select(Change.user_id).where(
            Change.subject == "course",
            Change.subject_id == prep["course_id"],
            Change.action == "hand in a course",
        )
        assert set(session.scalars(log)) == {None}, "it is the instructor's own"


def test_a_course_in_preparation_is_not_published_from_its_page_unread(own, clerk, office):
    prep = a_ready(own)
    page = f"/api/v1/courses/{prep['course_id']}/publish"
    refused = clerk.post(page)
    assert refused.status_code == 409 and "prepares this course" in refused.json()["detail"]
    assert clerk.post(f"/api/v1/preparations/{prep['id']}/finish").json()["status"] == "finished"
    assert write(own, prep, summary="Mine").status_code == 404
    assert clerk.post(page).status_code == 200


def test_two_decide_at_once_and_one_of_them_has(own, office, clerk, chief):
    prep = a_ready(own)
    own.post(f"{MINE}/{prep['id']}/hand-in", json={})
    at = f"/api/v1/preparations/{prep['id']}"
    answers = at_once(
        [
            lambda: clerk.post(f"{at}/publish"),
            lambda: chief.post(f"{at}/return", json={"word": "No"}),
            lambda: chief.post(f"{at}/publish"),
        ]
    )
    assert sorted(a.status_code for a in answers) == [200, 409, 409]
    with office.sessions() as session:
        assert session.get_one(Preparation, prep["id"]).status in ("published", "returned")


def test_a_double_press_begins_once(own, office, teacher):
    run = a_run(office, instructor=teacher["name"])
    answers = at_once([lambda: own.post(MINE, json={"course_id": run["course"]["id"]})] * 4)
    assert {a.json().get("id") for a in answers if a.status_code == 201} and all(
        a.status_code == 201 for a in answers
    )
    with office.sessions() as session:
        assert session.scalar(select(func.count()).where(Preparation.course_id == run["course"]["id"])) == 1


def test_one_at_a_time_prepares_a_course(app, own, office, teacher):
    other = a_teacher(office)
    run = a_run(office, instructor=f"{teacher['name']}; {other['name']}")
    assert own.post(MINE, json={"course_id": run["course"]["id"]}).status_code == 201
    theirs = own_browser(app, office, other["person_id"])
    refused = theirs.post(MINE, json={"course_id": run["course"]["id"]})
    assert refused.status_code == 409 and teacher["name"] in refused.json()["detail"]
    (course,) = theirs.get("/api/v1/own/teaching/courses").json()["courses"]
    assert course["by"] == teacher["name"] and course["preparation_id"] is None


def test_whom_the_center_trusts_publishes_alone_and_nobody_else(own, office, teacher):
    prep = a_ready(own)
    at = f"{MINE}/{prep['id']}/publish"
    assert own.post(at).status_code == 403 and prep["publishes"] is False
    office.act(
        lambda d: instructors.save(d, teacher["id"], command_of(InstructorCommand, {"publishes": True}))
    )
    assert own.post(at).status_code == 200
    with office.sessions() as session:
        assert session.get_one(Course, prep["course_id"]).published_n == 1


def test_the_list_says_what_is_in_preparation_by_whom_and_where_it_stands(own, clerk, teacher):
    draft, handed = a_ready(own), a_ready(own)
    own.post(f"{MINE}/{handed['id']}/hand-in", json={})
    listed = clerk.get("/api/v1/preparations").json()
    mine = [p for p in listed["items"] if p["instructor"] == teacher["name"]]
    assert [p["id"] for p in mine] == [handed["id"], draft["id"]], "what was handed in first"
    clerk.post(f"/api/v1/preparations/{handed['id']}/finish")
    assert handed["id"] in {p["id"] for p in clerk.get("/api/v1/preparations").json()["decided"]}


def test_a_number_of_preparations_and_runs_is_enough(own, office, monkeypatch):
    monkeypatch.setattr(preparing_runs, "MOST_RUNS", 1)
    monkeypatch.setattr(preparing, "MOST_LIVE", 2)
    prep = begun(own)
    own.post(f"{MINE}/{prep['id']}/runs", json=own_run())
    assert "up to 1 runs" in own.post(f"{MINE}/{prep['id']}/runs", json=own_run()).json()["detail"]
    begun(own)
    assert own.post(MINE, json={"title": "Too many"}).status_code == 409


def test_a_preparation_of_nobody_is_not_there(office):
    for act in (reviewing.publish, reviewing.finish):
        with pytest.raises(Problem, match="not"):
            office.act(lambda d, do=act: do(d, 999999))

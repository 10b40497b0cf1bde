"""A learner's own page: invited by message, a password by the link, signing in, and what is seen there."""

from __future__ import annotations

import re
from datetime import timedelta
from functools import partial

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from archgate.actions.access import own_pages, staff
from archgate.actions.across import merging
from archgate.actions.across.undo import undo
from archgate.actions.courses import courses
from archgate.actions.courses.commands import CoursePatch
from archgate.actions.enrolling import freed, waitlist
from archgate.actions.enrolling.commands import JoinCommand
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.core.faults import Refused
from archgate.tables.access import SignInLimit
from archgate.tables.log import Change
from archgate.tables.messages import Message
from archgate.tables.own_pages import OwnPage, OwnPageSession
from archgate.tables.waitlist import Waiting
from made import a_person, a_run, at_once, enrolled

WORD = "a word of their own"


@pytest.fixture(autouse=True)
def no_attempts_before(sessions):
    with sessions.begin() as session:
        session.query(SignInLimit).delete()


def invited(office, person):
    return office.act(lambda uow: own_pages.invite(uow, person["id"]))


def link_in(office, person):
    """The token of the link in the latest message to somebody."""
    query = select(Message.body).where(Message.person_id == person["id"]).order_by(Message.id.desc())
    found = re.search(r"/own/(\S+)", office.read(lambda uow: uow.session.scalars(query).first()))
    assert found, "the message holds no link"
    return found[1]


def test_from_the_invitation_to_the_page(office, clerk, stranger):
    person = a_person(office, given="Ines")
    path = f"/api/v1/people/{person['id']}/own-page"
    assert clerk.get(f"/api/v1/people/{person['id']}").json()["own_page"] is None
    made = clerk.post(path)
    assert made.status_code == 201 and made.json()["own_page"]["status"] == "invited"
    token = link_in(office, person)
    shown = stranger.get(f"/api/v1/own/links/{token}").json()
    assert (shown["stands"], shown["name"], shown["email"]) == (True, "Ines", person["email"])
    short = stranger.post(f"/api/v1/own/links/{token}", json={"password": "short"})
    assert short.status_code == 422 and short.json()["errors"][0]["at"] == "/password"
    assert stranger.get("/api/v1/own").status_code == 401
    assert stranger.post(f"/api/v1/own/links/{token}", json={"password": WORD}).status_code == 204
    assert stranger.get("/api/v1/own").json()["name"] == "Ines"
    cookie = next(c for c in stranger.cookies.jar if c.name == "archgate_own")
    assert cookie.has_nonstandard_attr("HttpOnly")
    # The link worked once; the session of the own page opens nothing of the staff's.
    used = stranger.get(f"/api/v1/own/links/{token}").json()
    assert not used["stands"] and "was used" in used["said"]
    assert stranger.post(f"/api/v1/own/links/{token}", json={"password": WORD + "2"}).status_code == 409
    assert stranger.get("/api/v1/people").status_code == 401
    assert clerk.get(f"/api/v1/people/{person['id']}").json()["own_page"]["status"] == "open"
    assert stranger.delete("/api/v1/own/session").status_code == 204
    assert stranger.get("/api/v1/own").status_code == 401
    body = {"email": f" {person['email'].upper()} ", "password": WORD}
    assert stranger.post("/api/v1/own/session", json=body).status_code == 204
    assert stranger.get("/api/v1/own").status_code == 200


def test_a_staff_session_opens_no_own_page(clerk):
    assert clerk.get("/api/v1/own").status_code == 401


def test_the_page_shows_courses_dates_and_what_is_due(office, stranger):
    run, full = a_run(office), a_run(office, capacity=1, smallest=0)
    enrolled(office, full)
    person = a_person(office)
    enrolled(office, run, person)
    office.act(
        lambda uow: waitlist.join(
            uow, command_of(JoinCommand, {"run_id": full["id"], "person_id": person["id"]})
        )
    )
    invited(office, person)
    stranger.post(f"/api/v1/own/links/{link_in(office, person)}", json={"password": WORD})
    held = office.read(lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"])))
    course = held["courses"][0]
    assert [c["code"] for c in held["courses"]] == [run["code"]]
    # 14 September 2027 at 17:30 is summer time in New York: four hours behind UTC (tz database).
    assert course["meetings"][0]["start"] == "2027-09-14T17:30:00-04:00" and len(course["meetings"]) == 8
    assert (course["total"], course["owed"], held["owed"]) == ("210.00", "210.00", "210.00")
    assert held["next_due"] == {"due": "2027-08-20", "amount": "105.00"}
    assert held["waiting"] == [
        {
            "title": full["course"]["title"],
            "code": full["code"],
            "place": 1,
            "heads": 1,
            "offer": None,
            "until": None,
            "chance": held["waiting"][0]["chance"],
        }
    ]
    later = office.later(days=60).read(
        lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"]))
    )
    assert len(later["courses"][0]["meetings"]) < 8, "meetings that are over are left out"
    over = office.later(days=300).read(
        lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"]))
    )
    assert over["courses"] == []


def test_money_of_another_payer_stays_with_the_payer(office):
    run, person, payer = a_run(office), a_person(office), a_person(office)
    enrolled(office, run, person, payer_person_id=payer["id"])
    mine = office.read(lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"])))
    assert mine["courses"][0]["total"] is None and mine["owed"] is None
    theirs = office.read(lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, payer["id"])))
    assert theirs["owed"] == "210.00" and theirs["courses"] == []


def test_of_two_browsers_at_once_one_uses_the_link(office):
    person = a_person(office)
    invited(office, person)
    token = link_in(office, person)
    acts = [
        partial(office.act, lambda uow, n=n: own_pages.set_password(uow, token, f"{WORD} {n}", True))
        for n in range(6)
    ]
    done = at_once(acts)
    assert sum(isinstance(d, str) for d in done) == 1
    assert all(isinstance(d, str) or d.kind == "link-over" for d in done)


def test_invitations_sent_again_keep_one_link_which_runs_out(office, stranger):
    person = a_person(office)
    invited(office, person)
    first = link_in(office, person)
    again = office.later(days=10)
    invited(again, person)
    assert link_in(office, person) == first
    assert office.later(days=20).read(lambda uow: own_pages.link_state(uow, first))["stands"]
    end = again.later(days=14, seconds=1)
    assert "run out" in end.read(lambda uow: own_pages.link_state(uow, first))["said"]
    assert stranger.get(f"/api/v1/own/links/{first[:-2]}xx").status_code == 404, "a signature not ours"


def test_asking_for_links_voids_none_that_waits(office, stranger):
    """Anybody may ask, for anybody's email: the link on its way goes on working."""
    person = a_person(office)
    invited(office, person)
    token = link_in(office, person)
    for _ in range(staff.MOST_BY_CLIENT + 3):
        stranger.post("/api/v1/own/new-link", json={"email": person["email"]})
    assert stranger.post(f"/api/v1/own/links/{token}", json={"password": WORD}).status_code == 204
    query = select(func.count()).select_from(Message).where(Message.person_id == person["id"])
    assert office.read(lambda uow: uow.session.scalar(query)) <= 1 + own_pages.MOST_LINKS


def test_the_page_follows_the_email_and_an_unused_invitation_ends(office, clerk, stranger):
    person, guest, other = a_person(office), a_person(office), a_person(office)
    for who in (person, other):
        invited(office, who)
        stranger.post(f"/api/v1/own/links/{link_in(office, who)}", json={"password": WORD})
    invited(office, guest)
    unused = link_in(office, guest)

    def change(who, email):
        body = {"set": {"email": email}, "seen": {"email": who["email"]}}
        return clerk.patch(f"/api/v1/people/{who['id']}", json=body)

    assert change(person, f"new.{person['email']}").status_code == 200
    body = {"email": f"new.{person['email']}", "password": WORD}
    assert stranger.post("/api/v1/own/session", json=body).status_code == 204
    assert stranger.post("/api/v1/own/session", json={**body, "email": person["email"]}).status_code == 401
    lost = change({**person, "email": f"new.{person['email']}"}, "")
    assert lost.status_code == 422 and "close the page first" in lost.json()["errors"][0]["message"]
    taken = change({**person, "email": f"new.{person['email']}"}, other["email"])
    assert taken.status_code == 422 and "signs in by" in taken.json()["errors"][0]["message"]
    assert change(guest, f"new.{guest['email']}").status_code == 200
    assert stranger.get(f"/api/v1/own/links/{unused}").status_code == 404
    assert office.read(lambda uow: own_pages.state_of(uow, guest["id"])) is None


def test_staff_see_no_personal_link(office, clerk):
    person = a_person(office)
    invited(office, person)
    letters = clerk.get(f"/api/v1/people/{person['id']}/messages").json()
    assert letters and "(their personal link)" in letters[0]["body"] and "/own/" not in letters[0]["body"]
    assert not any(
        "/own/" in m["body"] or "/reply/" in m["body"] for m in clerk.get("/api/v1/messages").json()["items"]
    )


@pytest.mark.parametrize("word", [" " * 10, "aaaaaaaaaaaa", " short     ", "x" * 201])
def test_what_is_no_password(office, word):
    person = a_person(office)
    invited(office, person)
    with pytest.raises(Refused, match="password"):
        office.act(lambda uow: own_pages.set_password(uow, link_in(office, person), word, True))
    with pytest.raises(Refused, match="password"):
        office.act(lambda uow: staff.create_user(uow, "w@example.org", "W", "coordinator", word, True))


def test_who_cannot_be_invited(office):
    nobody, person = a_person(office, email=""), a_person(office)
    with pytest.raises(Refused, match="no email"):
        invited(office, nobody)
    same = a_person(office, email=person["email"])
    invited(office, person)
    with pytest.raises(Problem, match="signs in by"):
        invited(office, same)
    office.act(lambda uow: own_pages.set_password(uow, link_in(office, person), WORD, True))
    with pytest.raises(Problem, match="set a password already"):
        invited(office, person)


def test_undo_drops_the_invitation_and_its_message_until_the_link_is_used(office):
    person = a_person(office)
    done = invited(office, person)
    token = link_in(office, person)
    office.act(lambda uow: undo(uow, done["change"]))
    assert office.read(lambda uow: own_pages.state_of(uow, person["id"])) is None
    with pytest.raises(Problem):
        office.read(lambda uow: own_pages.link_state(uow, token))
    done = invited(office, person)
    office.act(lambda uow: own_pages.set_password(uow, link_in(office, person), WORD, True))
    with pytest.raises(Problem):
        office.act(lambda uow: undo(uow, done["change"]))
    assert office.read(lambda uow: own_pages.state_of(uow, person["id"]))["status"] == "open"


def test_closing_ends_the_sessions(office, clerk, stranger):
    person = a_person(office)
    invited(office, person)
    stranger.post(f"/api/v1/own/links/{link_in(office, person)}", json={"password": WORD})
    assert stranger.get("/api/v1/own").status_code == 200
    path = f"/api/v1/people/{person['id']}/own-page"
    assert clerk.delete(path).json()["own_page"] is None
    assert stranger.get("/api/v1/own").status_code == 401
    assert clerk.delete(path).status_code == 409
    assert clerk.post(path).json()["own_page"]["status"] == "invited", "it can be opened anew"


def test_a_forgotten_password_is_set_anew_and_nobody_learns_who_has_a_page(office, stranger):
    person, other = a_person(office), a_person(office)
    invited(office, person)
    stranger.post(f"/api/v1/own/links/{link_in(office, person)}", json={"password": WORD})
    known = stranger.post("/api/v1/own/new-link", json={"email": person["email"]})
    unknown = stranger.post("/api/v1/own/new-link", json={"email": other["email"]})
    assert (known.status_code, known.json()) == (unknown.status_code, unknown.json())
    query = select(Message).where(Message.person_id == other["id"])
    assert office.read(lambda uow: uow.session.scalars(query).all()) == []
    token = link_in(office, person)
    assert stranger.get("/api/v1/own").status_code == 200, "asking alone signs nobody out"
    assert stranger.post(f"/api/v1/own/links/{token}", json={"password": WORD + " 2"}).status_code == 204
    body = {"email": person["email"], "password": WORD}
    assert stranger.post("/api/v1/own/session", json=body).status_code == 401
    assert stranger.post("/api/v1/own/session", json={**body, "password": WORD + " 2"}).status_code == 204


def test_guessing_is_stopped(stranger):
    body = {"email": "guess@example.org", "password": "not this one"}
    told = [
        stranger.post("/api/v1/own/session", json=body).status_code for _ in range(staff.MOST_BY_CLIENT + 1)
    ]
    assert told == [401] * staff.MOST_BY_CLIENT + [429]
    asked = [
        stranger.post("/api/v1/own/new-link", json={"email": body["email"]}).status_code for _ in range(6)
    ]
    assert asked == [202] * 5 + [429]


def test_a_new_person_can_be_invited_at_once_or_not_at_all(office, clerk):
    body = {"given": "Nela", "family": "Own-Page", "email": "nela.own@example.org", "invite": True}
    person = clerk.post("/api/v1/people", json=body).json()
    assert office.read(lambda uow: own_pages.state_of(uow, person["id"]))["status"] == "invited"
    lost = clerk.post("/api/v1/people", json={**body, "given": "Without", "email": ""})
    assert lost.status_code == 422 and lost.json()["errors"][0]["at"] == "/email"
    assert clerk.get("/api/v1/people", params={"q": "Without Own-Page"}).json() == [], "nothing half done"
    odd = clerk.post("/api/v1/people", json={**body, "invite": "maybe"})
    assert odd.status_code == 422 and odd.json()["errors"][0]["at"] == "/invite"


def test_merging_takes_a_page_along_under_the_kept_email_and_ends_an_unused_invitation(office):
    kept, gone, third = a_person(office), a_person(office), a_person(office)
    invited(office, gone)
    office.act(lambda uow: own_pages.set_password(uow, link_in(office, gone), WORD, True))
    office.act(lambda uow: merging.merge(uow, kept["id"], gone["id"]))
    assert office.read(lambda uow: own_pages.state_of(uow, kept["id"]))["email"] == kept["email"]
    invited(office, third)
    office.act(lambda uow: merging.merge(uow, kept["id"], third["id"]))
    query = select(OwnPage.email).where(OwnPage.person_id.in_([kept["id"], gone["id"], third["id"]]))
    assert office.read(lambda uow: uow.session.scalars(query).all()) == [kept["email"]]
    with pytest.raises(Problem, match="merged into another"):
        invited(office, third)
    fourth, fifth = a_person(office), a_person(office)
    invited(office, fifth)
    office.act(lambda uow: merging.merge(uow, fourth["id"], fifth["id"]))
    assert office.read(lambda uow: own_pages.state_of(uow, fourth["id"])) is None


def test_no_hash_gets_into_the_log_and_sessions_end(office, sessions):
    person = a_person(office)
    invited(office, person)
    token = office.act(lambda uow: own_pages.set_password(uow, link_in(office, person), WORD, True))
    query = select(Change).where(Change.subject == "person", Change.subject_id == person["id"])
    rows = [r for c in office.read(lambda uow: uow.session.scalars(query).all()) for r in c.rows]
    said = [{**(r["before"] or {}), **(r["after"] or {})} for r in rows]
    assert any("turn" in s for s in said) and not any("password" in s for s in said)
    with sessions.begin() as session:
        row = session.get_one(OwnPageSession, staff.token_hash(token))
        row.expires_at -= own_pages.SESSION_LIFE + timedelta(seconds=1)
    assert office.read(lambda uow: own_pages.person_behind(uow, token)) is None


def test_a_withdrawn_seat_leaves_the_page(office):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    office.act(lambda uow: freed.withdraw(uow, held["enrollment_id"]))
    page = office.read(lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"])))
    assert page["courses"] == []


def test_a_course_stays_while_access_to_it_goes_on(office):
    run = a_run(
        office, kind="cohort", starts_on="2027-09-13", ends_on="2027-10-22", access_days=30, pattern=None
    )
    person = a_person(office)
    enrolled(office, run, person)

    def shown(days):
        reading = office.later(days=days)
        page = reading.read(
            lambda uow: own_pages.own_page(uow, uow.session.get(own_pages.Person, person["id"]))
        )
        return [(c["code"], c["access_until"]) for c in page["courses"]]

    # Thirty days after 22 October are 21 November; 20 August is the office's day, 93 days before.
    assert shown(0) == shown(93) == [(run["code"], "2027-11-21")]
    assert shown(94) == []


# --- what they do there themselves --------------------------------------------------------------------------------


def at_home(office, stranger, person):
    """The browser of somebody who is signed in to their own page."""
    invited(office, person)
    token = link_in(office, person)
    assert stranger.post(f"/api/v1/own/links/{token}", json={"password": WORD}).status_code == 204
    return stranger


def withdrawal(browser, held, kept=None, preview=False):
    path = f"/api/v1/own/enrollments/{held['enrollment_id']}/withdrawal"
    return browser.post(path, params={"preview": preview}, json={"kept": kept})


def test_a_learner_withdraws_by_the_refund_policy_at_the_sum_that_was_shown(office, stranger):
    run, person = a_run(office, capacity=1, smallest=0), a_person(office)
    policy = {"steps": [{"days_before": 30, "percent": "100"}, {"days_before": 7, "percent": "50"}]}
    patch = command_of(CoursePatch, {"set": {"refunds": policy}})
    office.act(lambda d: courses.change_course(d, run["course"]["id"], patch))
    held = enrolled(office, run, person)
    waiter = a_person(office)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": waiter["id"]}))
    )
    browser = at_home(office, stranger, person)
    shown = withdrawal(browser, held, preview=True).json()
    assert (shown["kept"], shown["back"], shown["owed"]) == ("105.00", "0.00", "105.00")
    assert browser.get("/api/v1/own").json()["courses"][0]["enrollment_id"] == held["enrollment_id"]
    assert withdrawal(browser, held, kept="0.00").status_code == 409
    done = withdrawal(browser, held, kept="105.00")
    assert done.status_code == 200
    page = browser.get("/api/v1/own").json()
    assert page["courses"] == [] and page["past"][0]["status"] == "withdrawn" and page["owed"] == "105.00"
    offered = office.read(lambda d: d.session.query(Waiting).filter_by(run_id=run["id"]).one().status)
    assert offered == "offered", "the seat goes to whoever is next in line"
    assert withdrawal(browser, held).json()["detail"] == "You no longer hold a seat here."


def test_two_withdrawals_at_once_are_one(office, stranger):
    run, person = a_run(office), a_person(office)
    held = enrolled(office, run, person)
    browser = at_home(office, stranger, person)
    answers = at_once([partial(withdrawal, browser, held, "0.00") for _ in range(3)])
    assert sorted(a.status_code for a in answers) == [200, 409, 409]


def test_nobody_withdraws_somebody_elses_seat_nor_one_that_others_pay(office, stranger, clerk):
    run, person, other = a_run(office), a_person(office), a_person(office)
    theirs = enrolled(office, run, other)
    payer = clerk.post("/api/v1/organizations", json={"name": f"Payer {other['id']}"}).json()["id"]
    paid = enrolled(office, run, person, organization_id=payer)
    browser = at_home(office, stranger, person)
    assert withdrawal(browser, theirs).status_code == 404
    assert withdrawal(browser, paid).json()["detail"] == "Somebody else pays for this seat; please call us."
    assert browser.get("/api/v1/own").json()["courses"][0]["enrollment_id"] is None


def test_the_plan_past_runs_and_the_way_there_stand_on_the_page(office, stranger):
    run, person = a_run(office), a_person(office)
    enrolled(office, run, person)
    browser = at_home(office, stranger, person)
    (course,) = browser.get("/api/v1/own").json()["courses"]
    assert [(x["amount"], x["open"]) for x in course["dues"]] == [("105.00", "105.00"), ("105.00", "105.00")]
    assert len(course["meetings"]) == 8 and {"address", "map_link", "link"} <= course["meetings"][0].keys()


def test_an_offer_is_answered_from_the_page_and_a_chance_is_told_until_then(office, stranger):
    run, person = a_run(office, capacity=1, smallest=0), a_person(office)
    held = enrolled(office, run)
    office.act(
        lambda d: waitlist.join(d, command_of(JoinCommand, {"run_id": run["id"], "person_id": person["id"]}))
    )
    browser = at_home(office, stranger, person)
    (waits,) = browser.get("/api/v1/own").json()["waiting"]
    assert waits["offer"] is None and re.search(r"chance|likely", waits["chance"])
    office.act(
        lambda d: freed.withdraw(
            d, held["enrollment_id"], command_of(freed.WithdrawCommand, {"seat": {"to": "next"}})
        )
    )
    (waits,) = browser.get("/api/v1/own").json()["waiting"]
    token = waits["offer"].removeprefix("/reply/")
    assert browser.get(f"/api/v1/replies/{token}").json()["stands"]


def test_ones_own_data_and_password(office, stranger, app):
    person = a_person(office)
    browser = at_home(office, stranger, person)
    wrong = browser.put("/api/v1/own/person", json={"given": "", "family": "", "phone": "call"})
    assert {e["at"] for e in wrong.json()["errors"]} == {"/given", "/phone"}
    assert (
        browser.put(
            "/api/v1/own/person", json={"given": "Neu", "family": "Name", "phone": "555-0100"}
        ).status_code
        == 200
    )
    page = browser.get("/api/v1/own").json()
    assert (page["name"], page["phone"], page["email"]) == ("Neu", "555-0100", person["email"])
    other = TestClient(app, base_url="http://testserver")
    assert (
        other.post("/api/v1/own/session", json={"email": person["email"], "password": WORD}).status_code
        == 204
    )
    bad = browser.post("/api/v1/own/password", json={"now": "not this one", "password": "another long word"})
    assert bad.json()["errors"][0]["at"] == "/now"
    assert (
        browser.post("/api/v1/own/password", json={"now": WORD, "password": "short"}).json()["errors"][0][
            "at"
        ]
        == "/password"
    )
    assert (
        browser.post("/api/v1/own/password", json={"now": WORD, "password": "another long word"}).status_code
        == 200
    )
    assert browser.get("/api/v1/own").status_code == 200 and other.get("/api/v1/own").status_code == 401
    tries = [
        browser.post("/api/v1/own/password", json={"now": "guess", "password": "x" * 12}).status_code
        for _ in range(7)
    ]
    assert 429 in tries


def test_ones_own_calendar_holds_ones_own_dates_alone(office, stranger, clerk):
    run, other, person = a_run(office), a_run(office), a_person(office)
    enrolled(office, run, person)
    enrolled(office, other)
    browser = at_home(office, stranger, person)
    path = browser.put("/api/v1/own/calendar").json()["path"]
    text = browser.get(path).text
    assert text.count("BEGIN:VEVENT") == 8 and run["code"] in text and other["code"] not in text
    assert browser.put("/api/v1/own/calendar", params={"renew": True}).json()["path"] != path
    assert browser.get(path).status_code == 404
    assert clerk.put(f"/api/v1/feeds/person/{person['id']}").status_code == 404

"""Staff users by invitation, roles of the center's own, passwords, the second factor, sessions, and money that needs two."""

import re
from datetime import timedelta

import pyotp
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, update

from archgate.actions.access import second_factor, staff
from archgate.clock import system_now
from archgate.core.rights import Right
from archgate.tables.access import StaffRole, User
from archgate.tables.courses import Center
from archgate.tables.log import Change
from archgate.tables.messages import Message
from conftest import signed_in
from made import PASSWORD, a_person, a_run, at_once, enrolled, number

NEW = "another long enough word"


def invited(chief, role="desk", **more):
    n = next(number)
    page = chief.get("/api/v1/staff").json()
    role_id = next(r["id"] for r in page["roles"] if r["name"] == role)
    body = {"name": f"S. New{n}", "email": f"new{n}@example.org", "role_id": role_id, **more}
    answer = chief.post("/api/v1/staff", json=body)
    assert answer.status_code == 201, answer.json()
    return answer.json()["user"]


def link_to(sessions, email):
    """The token of the newest link that was written to somebody."""
    with sessions() as session:
        query = select(Message.body).where(Message.to_email == email).order_by(Message.id.desc()).limit(1)
        return re.search(r"/password/(\S+)", session.scalar(query))[1]


def at_work(app, sessions, chief, role="desk"):
    """Somebody new who set a password and is signed in: who they are, and their browser."""
    user = invited(chief, role)
    token = link_to(sessions, user["email"])
    browser = TestClient(app)
    assert browser.post(f"/api/v1/password-links/{token}", json={"password": PASSWORD}).status_code == 204
    assert sign_in(browser, user["email"]).status_code == 200
    return user, browser


def sign_in(browser, email, password=PASSWORD, code=None):
    return browser.post("/api/v1/session", json={"email": email, "password": password, "code": code})


def on_page(chief, user):
    return next(u for u in chief.get("/api/v1/staff").json()["users"] if u["id"] == user["id"])


def change(chief, user, **facts):
    return chief.patch(f"/api/v1/staff/{user['id']}", json={"set": facts})


# --- by invitation ----------------------------------------------------------------------------------------


def test_somebody_is_invited_sets_a_password_by_a_link_that_works_once_and_signs_in(app, sessions, chief):
    user = invited(chief)
    assert (user["status"], user["role"]) == ("invited", "desk") and user["link_until"]
    token, browser = link_to(sessions, user["email"]), TestClient(app)
    assert sign_in(browser, user["email"], "").status_code == 401, "no password is no way in"
    shown = browser.get(f"/api/v1/password-links/{token}").json()
    assert (shown["stands"], shown["name"]) == (True, user["name"])
    weak = browser.post(f"/api/v1/password-links/{token}", json={"password": "short"})
    assert weak.status_code == 422 and "10 characters" in weak.json()["errors"][0]["message"]
    done = at_once(
        [lambda: TestClient(app).post(f"/api/v1/password-links/{token}", json={"password": PASSWORD})] * 3
    )
    assert sorted(d.status_code for d in done) == [204, 409, 409]
    assert browser.get(f"/api/v1/password-links/{token}").json()["said"].startswith("This link was used")
    me = sign_in(browser, user["email"]).json()
    assert me["role"] == "desk" and me["rights"] == ["read", "enroll", "keep people", "take money"]
    assert on_page(chief, user)["status"] == "active" and on_page(chief, user)["last"]


def test_what_was_sent_shows_no_link_to_other_staff_and_no_hash_is_in_the_log(app, sessions, chief, clerk):
    user, _ = at_work(app, sessions, chief)
    outbox = clerk.get("/api/v1/messages").text
    assert user["email"] in outbox and "/password/s" not in outbox and "their personal link" in outbox
    with sessions() as session:
        changes = session.scalars(
            select(Change).where(Change.subject == "user", Change.subject_id == user["id"])
        )
        rows = [row for change in changes for row in change.rows if row["table"] == "users"]
    assert rows and not any({"password", "totp_secret"} & {*(r["after"] or {})} for r in rows)


def test_an_email_is_somebodys_once_and_must_be_one(chief):
    user = invited(chief)
    role = user["role_id"]
    again = chief.post("/api/v1/staff", json={"name": "N", "email": user["email"].upper(), "role_id": role})
    assert again.status_code == 422 and "signs in by" in again.json()["errors"][0]["message"]
    wrong = chief.post("/api/v1/staff", json={"name": "N", "email": "nowhere", "role_id": 99})
    assert {e["at"] for e in wrong.json()["errors"]} == {"/email", "/role_id"}


def test_an_ended_account_is_out_at_once_and_its_links_are_dead_and_it_is_taken_back(app, sessions, chief):
    user, browser = at_work(app, sessions, chief)
    chief.post(f"/api/v1/staff/{user['id']}/link")
    token = link_to(sessions, user["email"])
    assert browser.get("/api/v1/runs").status_code == 200
    assert change(chief, user, active=False).json()["user"]["status"] == "ended"
    assert browser.get("/api/v1/runs").status_code == 401
    assert sign_in(browser, user["email"]).status_code == 401
    assert browser.get(f"/api/v1/password-links/{token}").json()["stands"] is False
    assert change(chief, user, active=True).json()["user"]["status"] == "active"
    assert sign_in(browser, user["email"]).status_code == 200


def test_what_somebody_else_changed_meanwhile_is_answered_with_both(chief):
    user = invited(chief)
    body = {"set": {"name": "Mine"}, "seen": {"name": user["name"]}}
    assert change(chief, user, name="Theirs").status_code == 200
    answer = chief.patch(f"/api/v1/staff/{user['id']}", json=body)
    assert (answer.status_code, answer.json()["fields"]["name"]["now"]) == (409, "Theirs")


def test_somebody_is_always_left_who_keeps_the_staff(app, sessions, chief, users):
    own = users["administrator"].id
    assert change(chief, {"id": own}, active=False).json()["errors"][0]["message"].startswith("Nobody ends")
    desk = next(r["id"] for r in chief.get("/api/v1/staff").json()["roles"] if r["name"] == "desk")
    assert change(chief, {"id": own}, role_id=desk).json()["type"].endswith("nobody-left")
    role = users["administrator"].role_id
    lost = chief.patch(f"/api/v1/staff-roles/{role}", json={"set": {"rights": ["read"]}})
    assert lost.json()["type"].endswith("nobody-left")
    invited(chief, "administrator")  # who never set a password does not count
    assert change(chief, {"id": own}, role_id=desk).status_code == 409
    # Two administrators who each make the other a reader, at once: one of them stays.
    first, one = at_work(app, sessions, chief, "administrator")
    second, other = at_work(app, sessions, chief, "administrator")
    with sessions.begin() as session:
        session.execute(update(User).where(User.id == own).values(active=False))
    try:
        done = at_once(
            [lambda: change(one, second, role_id=desk), lambda: change(other, first, role_id=desk)]
        )
        assert sorted(d.status_code for d in done)[0] == 200
        assert sorted(d.status_code for d in done)[1] in (403, 409)
    finally:
        with sessions.begin() as session:
            session.execute(update(User).where(User.id == own).values(active=True))
    for user in (first, second):
        change(chief, user, active=False)


# --- roles ------------------------------------------------------------------------------------------------


def test_the_first_roles_are_there_and_the_administrator_may_do_everything(sessions):
    with sessions() as session:
        rows = {r.name: set(r.rights) for r in session.scalars(select(StaffRole))}
    assert {"administrator", "coordinator", "finance", "desk", "reader"} <= set(rows)
    assert rows["administrator"] == {r.value for r in Right} and rows["reader"] == {"read"}


def test_a_role_is_made_and_what_it_allows_holds_from_the_next_click(app, sessions, chief):
    name = f"evening desk {next(number)}"
    made = chief.post("/api/v1/staff-roles", json={"name": name, "rights": ["enroll"]}).json()["role"]
    assert made["rights"] == ["read", "enroll"], "whoever may do anything may read"
    user, browser = at_work(app, sessions, chief, name)
    assert browser.post("/api/v1/people", json={"given": "X"}).status_code == 403
    refused = browser.post("/api/v1/people", json={"given": "X"}).json()["detail"]
    assert (
        refused
        == f"The role {name} may not keep people: add and change people and organizations, write to them."
    )
    body = {"set": {"rights": ["read", "enroll", "keep people"]}, "seen": {"rights": ["read", "enroll"]}}
    assert chief.patch(f"/api/v1/staff-roles/{made['id']}", json=body).status_code == 200
    assert browser.post("/api/v1/people", json={"given": f"X{next(number)}"}).status_code == 201
    assert chief.patch(f"/api/v1/staff-roles/{made['id']}", json=body).status_code == 200, "twice is once"
    held = chief.delete(f"/api/v1/staff-roles/{made['id']}")
    assert held.status_code == 409 and user["name"] in held.json()["detail"]
    change(
        chief,
        user,
        role_id=next(r["id"] for r in chief.get("/api/v1/staff").json()["roles"] if r["name"] == "reader"),
    )
    assert chief.delete(f"/api/v1/staff-roles/{made['id']}").status_code == 200
    same = chief.post("/api/v1/staff-roles", json={"name": "Desk", "rights": []})
    assert same.status_code == 422, "names differ by more than their case"
    assert chief.post("/api/v1/staff-roles", json={"name": "x", "rights": ["fly"]}).status_code == 422


def test_what_one_may_not_do_one_may_not_undo(app, office, chief, clerk, users):
    person = a_person(office)
    made = clerk.patch(f"/api/v1/people/{person['id']}", json={"set": {"given": "Renamed"}, "seen": {}})
    key = made.json()["change"]
    refused = signed_in(app, "finance@example.org").post(f"/api/v1/changes/{key}/undo")
    assert refused.status_code == 403 and "may not keep people" in refused.json()["detail"]
    assert clerk.post(f"/api/v1/changes/{key}/undo").status_code == 200


# --- passwords --------------------------------------------------------------------------------------------


def test_a_password_is_changed_by_oneself_and_other_sessions_end(app, sessions, chief):
    user, browser = at_work(app, sessions, chief)
    other = TestClient(app)
    sign_in(other, user["email"])
    wrong = browser.post("/api/v1/me/password", json={"now": "not it at all", "password": NEW})
    assert wrong.json()["errors"] == [{"at": "/now", "message": "This is not your password."}]
    own = browser.post("/api/v1/me/password", json={"now": PASSWORD, "password": user["email"]})
    assert own.json()["errors"][0]["message"] == "The email is not a password."
    assert browser.post("/api/v1/me/password", json={"now": PASSWORD, "password": NEW}).status_code == 200
    assert (
        other.get("/api/v1/session").status_code == 401 and browser.get("/api/v1/session").status_code == 200
    )
    assert sign_in(other, user["email"]).status_code == 401
    assert sign_in(other, user["email"], NEW).status_code == 200


def test_a_forgotten_password_is_set_anew_by_a_link_and_nobody_learns_who_works_here(app, sessions, chief):
    user, browser = at_work(app, sessions, chief)
    stranger = TestClient(app, headers={"X-Forwarded-For": "203.0.113.80"})
    said = [
        stranger.post("/api/v1/password-links", json={"email": e})
        for e in (user["email"], "nobody@example.org")
    ]
    assert said[0].json() == said[1].json() and {s.status_code for s in said} == {202}
    token = link_to(sessions, user["email"])
    assert stranger.post(f"/api/v1/password-links/{token}", json={"password": NEW}).status_code == 204
    assert browser.get("/api/v1/session").status_code == 401, "every session ends"
    assert sign_in(browser, user["email"], NEW).status_code == 200
    bad = token[:-2] + ("aa" if not token.endswith("aa") else "bb")
    assert stranger.get(f"/api/v1/password-links/{bad}").status_code == 404


def test_a_link_runs_out(app, sessions, chief):
    user = invited(chief)
    token = link_to(sessions, user["email"])
    with sessions.begin() as session:
        row = session.get_one(User, user["id"])
        row.link_at = row.link_at - staff.LINK_LIFE - timedelta(seconds=1)
    assert (
        TestClient(app)
        .get(f"/api/v1/password-links/{token}")
        .json()["said"]
        .startswith("This link has run out")
    )
    late = TestClient(app).post(f"/api/v1/password-links/{token}", json={"password": NEW})
    assert late.status_code == 409


# --- the second factor ------------------------------------------------------------------------------------


@pytest.fixture
def code_now(monkeypatch):
    """A clock of codes that can be moved on, so that a test need not wait half a minute for the next."""
    held = {"at": system_now()}
    monkeypatch.setattr(second_factor, "system_now", lambda: held["at"])

    def code(secret, later=0):
        held["at"] += timedelta(seconds=later)
        return pyotp.TOTP(secret).at(held["at"])

    return code


def with_second_factor(browser, code_now):
    begun = browser.post("/api/v1/me/second-factor").json()
    assert begun["picture"].startswith("data:image/svg+xml")
    wrong = browser.post("/api/v1/me/second-factor/confirm", json={"code": "000000"})
    assert wrong.status_code == 422 and "does not fit" in wrong.json()["errors"][0]["message"]
    done = browser.post("/api/v1/me/second-factor/confirm", json={"code": code_now(begun["secret"])})
    assert done.status_code == 200
    return begun["secret"], done.json()["codes"]


def test_a_code_is_asked_for_after_the_password_and_works_once(app, sessions, chief, code_now):
    user, browser = at_work(app, sessions, chief)
    secret, spare = with_second_factor(browser, code_now)
    assert len(set(spare)) == 10
    fresh, code = TestClient(app), code_now(secret, later=30)
    assert sign_in(fresh, user["email"], "wrong password").json()["type"].endswith("wrong-sign-in")
    assert sign_in(fresh, user["email"]).json()["type"].endswith("code-asked")
    assert sign_in(fresh, user["email"], code="123456").json()["type"].endswith("wrong-code")
    done = at_once([lambda: sign_in(TestClient(app), user["email"], code=f" {code[:3]} {code[3:]} ")] * 3)
    assert sorted(d.status_code for d in done) == [200, 401, 401]
    outcomes = [s["outcome"] for s in browser.get("/api/v1/me").json()["sign_ins"]]
    assert outcomes.count("wrong code") == 3 and "wrong password" in outcomes and "signed in" in outcomes


def test_codes_are_guessed_only_so_often_from_wherever(app, sessions, chief, code_now, monkeypatch):
    user, browser = at_work(app, sessions, chief)
    secret, _ = with_second_factor(browser, code_now)
    monkeypatch.setattr(staff, "MOST_CODES", 3)
    tried = [sign_in(TestClient(app), user["email"], code=f"00000{n}").status_code for n in range(4)]
    assert tried == [401, 401, 401, 429]
    assert sign_in(TestClient(app), user["email"], code=code_now(secret, later=30)).status_code == 429


def test_a_recovery_code_works_once_and_new_ones_take_their_place(app, sessions, chief, code_now):
    user, browser = at_work(app, sessions, chief)
    secret, spare = with_second_factor(browser, code_now)
    assert sign_in(TestClient(app), user["email"], code=spare[0].upper()).status_code == 200
    assert sign_in(TestClient(app), user["email"], code=spare[0]).status_code == 401
    assert browser.get("/api/v1/me").json()["codes_left"] == 9
    new = browser.post("/api/v1/me/recovery-codes", json={"code": code_now(secret, later=30)}).json()["codes"]
    assert sign_in(TestClient(app), user["email"], code=spare[1]).status_code == 401
    assert sign_in(TestClient(app), user["email"], code=new[1]).status_code == 200
    assert browser.post("/api/v1/me/second-factor/end", json={"code": new[2]}).status_code == 200
    assert sign_in(TestClient(app), user["email"]).status_code == 200


def test_a_role_can_demand_it_and_then_nothing_else_is_open(app, sessions, chief, code_now):
    name = f"careful {next(number)}"
    body = {"name": name, "rights": ["enroll"], "second_factor": True}
    chief.post("/api/v1/staff-roles", json=body)
    user, browser = at_work(app, sessions, chief, name)
    assert browser.get("/api/v1/session").json()["set_up"] is True
    assert browser.get("/api/v1/runs").json()["type"].endswith("second-factor")
    secret, _ = with_second_factor(browser, code_now)
    assert browser.get("/api/v1/runs").status_code == 200
    kept = browser.post("/api/v1/me/second-factor/end", json={"code": code_now(secret, later=30)})
    assert kept.json()["type"].endswith("demanded")
    lost = chief.delete(f"/api/v1/staff/{user['id']}/second-factor")
    assert lost.status_code == 200 and browser.get("/api/v1/session").status_code == 401


def test_guesses_at_ones_own_password_and_codes_are_limited(app, sessions, chief):
    _, browser = at_work(app, sessions, chief)
    wrong = {"now": "not it at all", "password": NEW}
    codes = [browser.post("/api/v1/me/password", json=wrong).status_code for _ in range(12)]
    assert codes == [422] * 10 + [429] * 2


# --- sessions ---------------------------------------------------------------------------------------------


def test_ones_sessions_are_seen_and_ended_and_nobody_elses(app, sessions, chief, clerk):
    user, browser = at_work(app, sessions, chief)
    other = TestClient(app, headers={"User-Agent": "Another browser"})
    sign_in(other, user["email"])
    shown = browser.get("/api/v1/me").json()["sessions"]
    assert [s["this"] for s in shown].count(True) == 1
    theirs = next(s for s in shown if s["browser"] == "Another browser")
    assert clerk.delete(f"/api/v1/me/sessions/{theirs['handle']}").status_code == 404
    assert browser.delete(f"/api/v1/me/sessions/{theirs['handle']}").status_code == 200
    assert other.get("/api/v1/session").status_code == 401
    sign_in(other, user["email"])
    assert browser.delete("/api/v1/me/sessions").status_code == 200
    assert (
        other.get("/api/v1/session").status_code == 401 and browser.get("/api/v1/session").status_code == 200
    )
    log = chief.get(f"/api/v1/staff/sign-ins?user_id={user['id']}").json()["sign_ins"]
    assert len([s for s in log if s["outcome"] == "signed in"]) == 3
    assert log[0]["browser"] == "Another browser" and log[0]["name"] == user["name"]


# --- money that needs two ---------------------------------------------------------------------------------


@pytest.fixture
def above_a_hundred(sessions):
    def limit(value):
        with sessions.begin() as session:
            session.get_one(Center, 1).confirm_above = value

    limit(100_00)
    yield
    limit(None)


@pytest.fixture
def payer(office, clerk, above_a_hundred):
    """An account with 400.00 open and 300.00 of credit of its own."""
    run, person = a_run(office), a_person(office)
    enrolled(office, run, person)
    account = clerk.post("/api/v1/accounts", json={"person_id": person["id"]}).json()["id"]
    page = clerk.get(f"/api/v1/accounts/{account}").json()
    return account, page["open"]


def waiting(browser, account):
    return browser.get(f"/api/v1/accounts/{account}").json()["waiting"]


def decide(browser, item, confirm=True, said=None):
    return browser.post(
        f"/api/v1/money-waiting/{item['id']}/decision", json={"confirm": confirm, "said": said}
    )


def test_a_write_off_above_the_sum_waits_for_somebody_else_and_is_posted_once(app, clerk, payer):
    account, open_ = payer
    body = {"installment_id": open_[0]["id"], "why": "Moved away"}
    before = clerk.get(f"/api/v1/accounts/{account}").json()["balance"]
    asked = clerk.post(f"/api/v1/accounts/{account}/write-offs", json=body)
    assert (asked.status_code, asked.json()["waits"], asked.json()["balance"]) == (201, True, before)
    again = clerk.post(f"/api/v1/accounts/{account}/write-offs", json=body)
    assert again.status_code == 409, "the same is asked once"
    (item,) = waiting(clerk, account)
    assert item["own"] and not item["mine"] and item["asked_by"] == "Test coordinator"
    assert decide(clerk, item).json()["detail"] == "You asked for this; somebody else confirms it."
    desk, finance = signed_in(app, "desk@example.org"), signed_in(app, "finance@example.org")
    assert decide(desk, item).status_code == 403
    on_today = finance.get("/api/v1/today").json()["money"]
    assert item["id"] in [m["id"] for m in on_today]
    done = at_once([lambda: decide(finance, item)] * 3)
    assert sorted(d.status_code for d in done) == [200, 409, 409]
    page = clerk.get(f"/api/v1/accounts/{account}").json()
    assert page["waiting"] == [] and float(before) - float(page["balance"]) == float(item["amount"]) > 100
    assert [e["kind"] for e in page["entries"]].count("write-off") == 1
    log = clerk.get(f"/api/v1/logs/account/{account}").json()["items"]
    assert "(asked by Test coordinator)" in log[0]["summary"] and log[0]["by"] == "Test finance"


def test_a_refusal_says_why_and_ones_own_wish_is_taken_back(app, clerk, payer):
    account, open_ = payer
    body = {"installment_id": open_[0]["id"], "why": "Moved away"}
    finance = signed_in(app, "finance@example.org")
    clerk.post(f"/api/v1/accounts/{account}/write-offs", json=body)
    (item,) = waiting(clerk, account)
    assert decide(finance, item, confirm=False).status_code == 422
    assert decide(finance, item, confirm=False, said="They pay in May.").status_code == 200
    assert decide(finance, item).json()["detail"] == "Test finance refused this already."
    clerk.post(f"/api/v1/accounts/{account}/write-offs", json=body)
    (own,) = waiting(clerk, account)
    assert decide(clerk, own, confirm=False).status_code == 200 and waiting(clerk, account) == []
    assert clerk.get(f"/api/v1/accounts/{account}").json()["open"] == open_


def test_what_changed_since_it_was_asked_for_is_not_written_off(app, clerk, payer):
    account, open_ = payer
    body = {"installment_id": open_[0]["id"], "why": "Moved away"}
    clerk.post(f"/api/v1/accounts/{account}/write-offs", json=body)
    (item,) = waiting(clerk, account)
    clerk.post(f"/api/v1/accounts/{account}/payments", json={"amount": "5.00", "method": "cash"})
    late = decide(signed_in(app, "finance@example.org"), item)
    assert late.status_code == 409 and "Another sum is open" in late.json()["detail"]
    assert [m["id"] for m in waiting(clerk, account)] == [item["id"]], "it still waits"


def test_a_refund_in_small_parts_waits_as_well_once_together_they_pass_the_sum(clerk, payer, sessions):
    account, _ = payer
    sum_of = {"method": "transfer", "why": "Paid too much"}
    paid = clerk.post(f"/api/v1/accounts/{account}/payments", json={"amount": "900.00", "method": "cash"})
    assert paid.status_code == 201
    first = clerk.post(f"/api/v1/accounts/{account}/refunds", json={"amount": "60.00", **sum_of}).json()
    assert first["waits"] is False
    second = clerk.post(f"/api/v1/accounts/{account}/refunds", json={"amount": "60.00", **sum_of}).json()
    assert second["waits"] is True
    third = clerk.post(f"/api/v1/accounts/{account}/refunds", json={"amount": "40.00", **sum_of}).json()
    assert third["waits"] is False, "100 is not above 100"

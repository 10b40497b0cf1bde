"""Signing in and out, and who may do what."""

import re

import anyio
import pytest
from fastapi.testclient import TestClient

from api.test_own_teaching import RIGHTS, a_teacher, own_browser
from archgate.actions.access import staff
from archgate.actions.kernel.commands import command_of
from archgate.actions.teaching import settings
from archgate.actions.teaching.commands import RulesCommand
from archgate.app import create_app, routes_of
from archgate.settings import ROOT, Settings
from archgate.tables.access import UserSession
from conftest import signed_in
from made import PASSWORD, a_person, at_once, number

OPEN_TO_ALL = {
    ("POST", "/api/v1/session"),
    ("DELETE", "/api/v1/session"),
    ("POST", "/api/v1/password-links"),
    ("GET", "/api/v1/password-links/{token}"),
    ("POST", "/api/v1/password-links/{token}"),
    ("GET", "/api/v1/replies/{token}"),  # a signed link is the secret
    ("POST", "/api/v1/replies/{token}"),
    ("GET", "/api/v1/own/links/{token}"),
    ("POST", "/api/v1/own/links/{token}"),
    ("GET", "/api/v1/own"),  # by a session of its own
    ("POST", "/api/v1/own/enrollments/{enrollment_id}/withdrawal"),
    ("PUT", "/api/v1/own/person"),
    ("POST", "/api/v1/own/password"),
    ("PUT", "/api/v1/own/calendar"),
    ("POST", "/api/v1/own/session"),
    ("DELETE", "/api/v1/own/session"),
    ("POST", "/api/v1/own/new-link"),
    ("GET", "/api/v1/evaluate/{token}"),  # the link of a letter
    ("GET", "/api/v1/evaluate/{token}/{instructor_id}.jpg"),
    ("POST", "/api/v1/evaluate/{token}"),
    ("GET", "/api/v1/apply"),  # anybody may apply while applications are open
    ("POST", "/api/v1/apply"),
    ("GET", "/api/v1/calendars/{token}.ics"),  # the address itself is the secret
    ("GET", "/api/v1/catalog/runs/{run_id}"),  # whoever finds a run, or brings its link or its code
    ("POST", "/api/v1/catalog/runs/{run_id}/code"),
    ("POST", "/api/v1/catalog/runs/{run_id}/quote"),
    ("POST", "/api/v1/catalog/runs/{run_id}/kept-seats"),
    ("POST", "/api/v1/catalog/runs/{run_id}/sign-ups"),
    ("POST", "/api/v1/catalog/runs/{run_id}/waiting"),
    ("POST", "/api/v1/catalog/runs/{run_id}/requests"),
    ("POST", "/api/v1/catalog/runs/{run_id}/interest"),
    ("GET", "/api/v1/catalog/courses/{course_id}/interest"),
    ("POST", "/api/v1/catalog/courses/{course_id}/interest"),
    ("GET", "/api/v1/card-payments/{token}"),  # the key of the payment is the secret
    ("POST", "/api/v1/card-payments/{token}/page"),
    ("GET", "/api/v1/pay-links/{token}"),  # the link of a letter
    ("POST", "/api/v1/pay-links/{token}"),
    ("POST", "/api/v1/own/payments"),  # by a session of its own
    ("POST", "/api/v1/payment-notices"),  # by the signature of the payment service
}
EMAIL = "coordinator@example.org"


def sign_in(client, email=EMAIL, password=PASSWORD):
    return client.post("/api/v1/session", json={"email": email, "password": password})


def test_signing_in_says_who_and_where_and_sets_a_cookie_scripts_cannot_read(stranger):
    answer = sign_in(stranger)
    assert (answer.status_code, answer.json()["role"], answer.json()["center"]) == (
        200,
        "coordinator",
        "Test Center",
    )
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie and "path=/" in cookie


@pytest.mark.parametrize(
    ("email", "password"), [(EMAIL, "wrong"), ("nobody@example.org", PASSWORD), ("", "")]
)
def test_a_wrong_email_or_password_is_refused_the_same_way(stranger, email, password):
    answer = sign_in(stranger, email, password)
    assert answer.status_code == 401
    assert answer.json()["detail"] == "Email and password do not fit together."


def test_attempts_are_limited_for_each_client(app):
    client, email = TestClient(app), f"guess{next(number)}@example.org"
    assert [sign_in(client, email, "wrong").status_code for _ in range(7)] == [401] * 5 + [429] * 2


def from_address(app, sessions, address):
    """A client at an address of its own, behind a proxy that the settings trust."""
    settings = Settings("", True, False, ROOT / "web" / "dist", ("testserver",), ("127.0.0.1", "10.0.0.0/8"))
    made = create_app(settings, sessions)
    return TestClient(made, client=("10.1.2.3", 5), headers={"X-Forwarded-For": f"6.6.6.6, {address}"})


def test_anonymous_attempts_shut_nobody_else_out(app, sessions, users):
    """Five and more wrong passwords for a staff email from one client: the right one works from another, and behind a
    trusted proxy clients are told apart."""
    attacker = from_address(app, sessions, "203.0.113.7")
    assert [sign_in(attacker, EMAIL, "wrong").status_code for _ in range(6)][-1] == 429
    assert sign_in(attacker).status_code == 429, "not by the right password either, from there"
    assert sign_in(from_address(app, sessions, "203.0.113.8")).status_code == 200


def test_a_device_that_signed_in_before_is_not_shut_out_by_others_at_its_address(app, sessions, users):
    known, attacker = (from_address(app, sessions, "203.0.113.9") for _ in range(2))
    assert sign_in(known).status_code == 200
    assert [sign_in(attacker, EMAIL, "wrong").status_code for _ in range(6)][-1] == 429
    assert sign_in(known).status_code == 200
    assert [sign_in(known, EMAIL, "wrong").status_code for _ in range(6)][-1] == 429, "its own guesses count"


def test_a_header_is_believed_from_a_trusted_proxy_only(app):
    client, email = (
        TestClient(app, headers={"X-Forwarded-For": "1.2.3.4"}),
        f"spoof{next(number)}@example.org",
    )
    told = []
    for n in range(7):
        client.headers["X-Forwarded-For"] = f"198.51.100.{n}"
        told.append(sign_in(client, email, "wrong").status_code)
    assert told == [401] * 5 + [429] * 2


def test_sixty_guesses_at_once_are_no_more_than_one_after_the_other(app):
    email = f"many{next(number)}@example.org"
    codes = [o.status_code for o in at_once([lambda: sign_in(TestClient(app), email, "wrong")] * 60)]
    assert sorted(codes) == [401] * 5 + [429] * 55


def test_signing_out_ends_the_session_for_good(app):
    client = TestClient(app)
    sign_in(client)
    token = client.cookies["archgate_session"]
    assert client.delete("/api/v1/session").status_code == 204
    client.cookies.set("archgate_session", token)
    assert client.get("/api/v1/session").status_code == 401


def test_the_token_is_kept_only_as_a_hash_and_passwords_as_argon2id(app, sessions, users):
    client = TestClient(app)
    sign_in(client)
    token = client.cookies["archgate_session"]
    with sessions() as session:
        assert session.get(UserSession, token) is None
        assert session.get(UserSession, staff.token_hash(token)) is not None
        assert session.get_one(type(users["coordinator"]), users["coordinator"].id).password.startswith(
            "$argon2id$"
        )


def test_an_ended_session_is_no_session(app, sessions):
    client = TestClient(app)
    sign_in(client)
    with sessions.begin() as session:
        row = session.get_one(UserSession, staff.token_hash(client.cookies["archgate_session"]))
        row.expires_at = row.created_at
    answer = client.get("/api/v1/runs")
    assert (answer.status_code, answer.json()["type"]) == (401, "urn:archgate:problem:signed-out")


OWN_TEACHING = "/api/v1/own/teaching"  # by the session of an own page of somebody who teaches


def asked(client, method, full):
    return client.request(method, re.sub(r"\{\w+\}", "999999999", full))


OWN_ACCOUNT = "/api/v1/me"  # one's own, whatever one's role


@pytest.mark.parametrize("role", ["coordinator", "administrator", "finance", "desk", "reader"])
def test_every_endpoint_is_closed_to_strangers_and_names_the_act_it_needs(stranger, app, users, role):
    """The walk: every endpoint as nobody and as each role of the staff. What is open to all is listed here by name."""
    acts, refused, browser = 0, 0, signed_in(app, f"{role}@example.org")
    for full, route in routes_of():
        named = [d.call.act_named for d in route.dependant.dependencies if hasattr(d.call, "act_named")]
        for method in route.methods:
            if (method, full) in OPEN_TO_ALL:
                continue
            assert asked(stranger, method, full).status_code == 401, (method, full)
            if full.startswith(f"{OWN_ACCOUNT}/sessions") or (method, full) == (
                "POST",
                f"{OWN_ACCOUNT}/second-factor",
            ):
                continue  # what they do is tried where it belongs
            answer = asked(browser, method, full)
            if full.startswith(OWN_TEACHING):  # staff have no own page by being staff
                assert answer.status_code == 401, (method, full)
                continue
            # With a session it is anything but 401; 403 only where the role lacks the act.
            allowed = all(users[role].may(act) for act in named)
            assert (answer.status_code == 403) is (not allowed), (method, full)
            assert answer.status_code != 401
            acts += 1
            refused += not allowed
            own = full == "/api/v1/session" or full.startswith(OWN_ACCOUNT)
            assert named or own, f"{full} names no act"
    assert acts > 200 and (refused > 0) is (role != "administrator")


@pytest.mark.parametrize("role", ["learner", "employed", "freelance", "outside"])
def test_every_endpoint_as_a_learner_and_as_instructors_of_every_kind(app, office, role):
    """The same walk by the sessions of own pages: nothing of the staff's, and one's own teaching only for those who teach;
    what outside and freelance instructors may not is refused once the center says so."""
    teaches = role != "learner"
    person = a_teacher(office, employment=role)["person_id"] if teaches else a_person(office)["id"]
    own = own_browser(app, office, person)
    rights = dict.fromkeys(RIGHTS, False)
    office.act(lambda d: settings.change(d, command_of(RulesCommand, rights)))
    try:
        walked = {
            (method, full): asked(own, method, full).status_code
            for full, route in routes_of()
            for method in sorted(route.methods)
            if (method, full) not in OPEN_TO_ALL
        }
    finally:
        office.act(lambda d: settings.change(d, command_of(RulesCommand, dict.fromkeys(RIGHTS, True))))
    staffs = {code for (_, full), code in walked.items() if not full.startswith(OWN_TEACHING)}
    assert staffs == {401}
    mine = {full: code for (_, full), code in walked.items() if full.startswith(OWN_TEACHING)}
    assert len(mine) >= 9
    if role == "learner":
        assert set(mine.values()) == {403}
    else:
        assert mine[OWN_TEACHING] == 200 and 401 not in mine.values()
        shut = role != "employed"
        assert (mine[f"{OWN_TEACHING}/runs/{{run_id}}"] == 403) is shut
        assert (mine[f"{OWN_TEACHING}/absences/{{busy_id}}"] == 403) is shut


@pytest.mark.parametrize(
    "headers",
    [{"Origin": "http://evil.example"}, {"Sec-Fetch-Site": "cross-site"}, {"Origin": "null"}],
)
def test_writes_from_other_sites_are_refused(clerk, headers):
    answer = clerk.post("/api/v1/people", json={"given": "X"}, headers=headers)
    assert (answer.status_code, answer.json()["type"]) == (403, "urn:archgate:problem:other-origin")


def test_writes_from_our_own_pages_pass(clerk):
    headers = {"Origin": "http://testserver", "Sec-Fetch-Site": "same-origin"}
    assert (
        clerk.post("/api/v1/people", json={"given": f"N{next(number)}"}, headers=headers).status_code == 201
    )


@pytest.mark.parametrize("path", ["/", "/planner", "/api/v1/session", "/api/v1/nothing"])
def test_every_answer_carries_the_security_headers(stranger, path):
    headers = stranger.get(path).headers
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["x-frame-options"] == "DENY"
    policy = headers["content-security-policy"]
    assert "default-src 'none'" in policy and "unsafe" not in policy


def test_an_oversized_body_is_refused(clerk):
    answer = clerk.post("/api/v1/people", content=b"x", headers={"Content-Length": str(10**9)})
    assert answer.status_code == 413


def asked_plainly(app, path):
    """What the application answers to a path as it stands, which a client would tidy up before it asks."""
    sent = []

    async def receive():
        return {"type": "http.request", "body": b"", "more_body": False}

    async def send(message):
        sent.append(message)

    scope = {"type": "http", "method": "GET", "path": path, "raw_path": path.encode(), "query_string": b"", "root_path": "",
             "headers": [(b"host", b"testserver")], "client": ("127.0.0.1", 1), "server": ("testserver", 80),
             "scheme": "http", "http_version": "1.1", "asgi": {"version": "3.0"}}  # fmt: skip
    anyio.run(app, scope, receive, send)
    return sent[0]["status"], b"".join(m.get("body", b"") for m in sent[1:])


@pytest.mark.parametrize("way", ["/../", "/assets/../../", "/./../", "//", "/assets/..\\..\\", "/..%2f"])
def test_files_outside_the_front_end_are_not_served(tmp_path, sessions, way):
    """A file stands right beside the front end's own; no way of writing the path leads there."""
    (tmp_path / "web").mkdir()
    (tmp_path / "web" / "index.html").write_text("the front page")
    (tmp_path / "web" / "mark.svg").write_text("the mark")
    (tmp_path / "secret.txt").write_text("a secret")
    beside = create_app(Settings("", True, False, tmp_path / "web", hosts=("testserver",)), sessions)
    assert asked_plainly(beside, "/mark.svg") == (200, b"the mark")
    for path in (f"{way}secret.txt", f"{way}{tmp_path.name}/secret.txt", f"{way}{tmp_path}/secret.txt"):
        status, body = asked_plainly(beside, path)
        assert b"a secret" not in body and (status, body) in ((200, b"the front page"), (404, body))


def test_the_front_end_serves_nothing_that_a_path_alone_would_find(tmp_path, sessions):
    """A file that comes after the start is not found either: only what was read then is served."""
    (tmp_path / "index.html").write_text("the front page")
    app = create_app(Settings("", True, False, tmp_path, hosts=("testserver",)), sessions)
    (tmp_path / "later.txt").write_text("a secret")
    assert asked_plainly(app, "/later.txt") == (200, b"the front page")

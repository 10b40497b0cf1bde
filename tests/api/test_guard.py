"""Requests that fell a careless server: too large, too slow, half sent, of another host, or sent while the database is silent."""

import asyncio
import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from http.client import HTTPConnection

import pytest
import uvicorn
from sqlalchemy.exc import OperationalError

from archgate.actions.center.center import make_center
from archgate.actions.kernel import unit_of_work
from archgate.api import guard
from archgate.app import create_app, routes_of
from archgate.own_server import OwnServer, free_port
from archgate.serving import OPTIONS, Patient
from archgate.settings import ROOT, Settings, host_name, settings_from
from archgate.tables.engine import engine_for, sessions_of
from archgate.tables.migrate import migrate
from made import number

JSON = {"Content-Type": "application/json"}


@pytest.fixture(scope="module")
def served(sessions, users):
    """The application behind real sockets, less patient than in use."""
    settings = Settings("", True, False, ROOT / "web" / "dist")
    port = free_port()
    config = uvicorn.Config(create_app(settings, sessions), host="127.0.0.1", port=port, **OPTIONS)
    server, ours = uvicorn.Server(config), config.bind_socket()  # as `serve` does for several processes
    thread = threading.Thread(target=server.run, args=([ours],), daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    yield port
    server.should_exit = True
    thread.join(10)


def talk(port, *pieces, wait=6.0):
    """What the server says to these bytes until it ends the connection, or None when it does not end it in time."""
    with socket.create_connection(("127.0.0.1", port), timeout=wait) as client:
        for piece in pieces:
            with contextlib.suppress(OSError):
                client.sendall(piece)
        said = b""
        with contextlib.suppress(ConnectionResetError):
            try:
                while got := client.recv(65536):
                    said += got
            except TimeoutError:
                return None
        return said


def test_a_head_that_does_not_end_is_ended(served):
    """The reader of heads knows no limit of its own: 64 KB, and the connection is closed without a word."""
    assert (
        talk(served, b"GET / HTTP/1.1\r\nHost: localhost\r\n", *[b"X-More: " + b"a" * 9000 + b"\r\n"] * 12)
        == b""
    )
    large = b"X-More: " + b"a" * 20_000 + b"\r\n"
    said = talk(
        served, b"GET /api/v1/session HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n", large, b"\r\n"
    )
    assert said and said.startswith(b"HTTP/1.1 401")


def test_a_body_without_a_length_is_refused_once_it_is_too_large(served):
    """500 MB in chunks made the server as large; now it ends at 12."""
    head = b"POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n"
    chunk = b"100000\r\n" + b" " * 0x100000 + b"\r\n"
    said = talk(served, head, *([chunk] * 16))
    assert b"413" in said.split(b"\r\n")[0] and b"a request 12" in said


def test_a_body_that_stops_half_way_ends(served, monkeypatch):
    monkeypatch.setattr(guard, "CHUNK_WAIT", 0.4)
    head = b"POST /api/v1/session HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{"
    said = talk(served, head)
    assert said is not None and b" 408 " in said.split(b"\r\n")[0] and b"did not arrive whole" in said


@pytest.mark.parametrize("sent", [b"", b"GET / HTTP/1.1\r\nHost: loc"])
def test_a_head_that_never_ends_is_ended(served, monkeypatch, sent):
    monkeypatch.setattr("archgate.serving.HEAD_WAIT", 0.4)
    assert talk(served, sent) == b""


def test_patience_is_for_heads_and_not_for_answers(served, monkeypatch):
    """A request that is being answered is not ended, however impatient the server is with heads."""
    monkeypatch.setattr("archgate.serving.HEAD_WAIT", 0.2)
    connection = HTTPConnection("127.0.0.1", served, timeout=10)
    for _ in range(3):
        connection.request("GET", "/")
        answer = connection.getresponse()
        assert answer.status == 200 and len(answer.read()) > 200
    assert issubclass(Patient, asyncio.Protocol)


def test_the_body_of_an_answer_is_not_held_back_until_its_head_is_acknowledged(served, monkeypatch):
    """TCP_NODELAY is set on every connection, also of a socket that asyncio does not take for TCP."""
    seen, wait = [], Patient._wait

    def looking(self):
        ours = self.transport.get_extra_info("socket")
        seen.append((ours.proto, ours.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)))
        wait(self)

    monkeypatch.setattr(Patient, "_wait", looking)
    connection = HTTPConnection("127.0.0.1", served, timeout=10)
    connection.request("GET", "/")
    assert connection.getresponse().status == 200
    assert seen and all(proto == 0 and without_delay for proto, without_delay in seen)


@pytest.mark.parametrize("host", ["evil.example", "localhost.evil.example", "", "a b", "[::1"])
def test_another_host_is_not_served(stranger, host):
    answer = stranger.get("/api/v1/session", headers={"Host": host})
    assert answer.status_code == 421 and answer.headers["x-content-type-options"] == "nosniff"


def test_hosts_are_named_in_the_settings():
    held = settings_from(
        {"ARCHGATE_ADDRESS": "https://School.example.org/x", "ARCHGATE_HOSTS": "inside.example.org"}
    )
    assert held.secure_cookie
    assert (
        held.serves("school.example.org:443")
        and held.serves("INSIDE.example.org")
        and held.serves("127.0.0.1:1")
    )
    assert not held.serves("other.example.org") and host_name("[::1]:80") == "::1"
    with pytest.raises(ValueError, match="ARCHGATE_PROXIES"):
        settings_from({"ARCHGATE_PROXIES": "nonsense"})
    with pytest.raises(ValueError, match="whole number from 1 to 64"):
        settings_from({"ARCHGATE_PROCESSES": "many"})


def test_behind_https_cookies_are_secure_and_browsers_are_told_to_stay(sessions, users):
    from fastapi.testclient import TestClient

    settings = settings_from({"ARCHGATE_ADDRESS": "https://school.example.org", "ARCHGATE_QUICK_HASH": "1"})
    client = TestClient(create_app(settings, sessions), base_url="https://school.example.org")
    body = {"email": "coordinator@example.org", "password": "a long enough word"}
    answer = client.post("/api/v1/session", json=body)
    assert "secure" in answer.headers["set-cookie"].lower()
    assert answer.headers["strict-transport-security"].startswith("max-age=")


@pytest.mark.parametrize(
    "path", ["/%00", "/" + "x" * 300, "/..%2f..%2fetc%2fpasswd", "/assets/nothing.js", "/%ff"]
)
def test_strange_addresses_are_pages_or_nothing(stranger, path):
    assert stranger.get(path).status_code in (200, 404)


@pytest.mark.parametrize(
    "origin", ["http://[::1", "http://evil.example", "null", "http://testserver@evil.example"]
)
def test_strange_origins_are_refused(clerk, origin):
    assert clerk.post("/api/v1/people", json={}, headers={"Origin": origin}).status_code == 403


def test_what_no_text_can_hold_is_refused_at_its_place(stranger, clerk):
    lone = stranger.post("/api/v1/session", content=b'{"email": "\\ud800", "password": "x"}', headers=JSON)
    assert lone.status_code == 422
    said = clerk.post(
        "/api/v1/people", json={"given": "A\x00b", "family": "New\nline", "note": "two\nlines"}
    ).json()
    assert {(e["at"], e["message"]) for e in said["errors"]} == {
        ("/given", "This holds a control character (U+0000); take it out."),
        ("/family", "This holds a line end; take it out."),
    }
    deep = b'{"a":' * 100 + b"1" + b"}" * 100
    assert clerk.post("/api/v1/people", content=deep, headers=JSON).status_code == 422


def test_signs_that_hide_are_written_out(clerk):
    made = clerk.post(
        "/api/v1/people", json={"given": "Ann\u202e", "family": f"Hid\u200bden{next(number)}"}
    ).json()
    assert made["name"].startswith("Ann‹U+202E› Hid‹U+200B›den")


@pytest.mark.parametrize(
    ("method", "path"),
    [("GET", "/api/v1/calendars/f%C3%A9.ics"), ("POST", "/api/v1/changes/%C3%A9/undo"), ("GET", "/api/v1/months/9999-12"),
     ("GET", "/api/v1/messages?limit=-3598"), ("GET", "/api/v1/replies/%E2%82%AC"), ("GET", "/api/v1/own/links/%00"),
     ("GET", "/api/v1/days/9999-12-31"), ("GET", "/api/v1/planner?since=0001-01-01&until=9999-12-31"),
     ("GET", "/api/v1/runs/99999999999999999999999999"), ("GET", "/api/v1/people?limit=-1")],
)  # fmt: skip
def test_strange_addresses_of_the_api_are_answered_in_words(clerk, method, path):
    answer = clerk.request(method, path)
    assert answer.status_code < 500, answer.text


def test_a_time_away_to_the_end_of_the_calendar_is_answered_in_words(clerk):
    teacher = clerk.post("/api/v1/instructors", json={"name": f"E. End {next(number)}"}).json()["id"]
    body = {"from": "2099-01-01", "through": "9999-12-31", "label": "away"}
    answer = clerk.post(f"/api/v1/busy/instructor/{teacher}", json=body)
    assert answer.status_code == 422 and answer.json()["errors"][0]["at"] == "/through"


def test_every_body_refuses_what_it_does_not_know(chief):
    """Of all endpoints with a body: a key that nobody named is refused, never passed on."""
    asked = 0
    for path, route in routes_of():
        model = route.body_field.field_info.annotation if route.body_field else None
        fields = getattr(model, "model_fields", None)
        if model is None or (fields and any("UploadFile" in str(f.annotation) for f in fields.values())):
            continue
        for method in route.methods:
            address = path
            for name in route.param_convertors:
                address = address.replace("{" + name + "}", "999999999" if name.endswith("id") else "x")
            answer = chief.request(method, address, json={"uow": 1, "way_in": "list", "self": 2})
            said = (
                answer.status_code == 200 and "is not a known key" in answer.text
            )  # a preview says it beside
            assert said or 400 <= answer.status_code < 500, (method, path, answer.text[:200])
            asked += 1
    assert asked > 80


def test_an_enrollment_takes_no_word_that_is_not_its_own(clerk):
    body = {"run_id": 1, "person_id": 1, "total": "0.00", "way_in": "public", "uow": 1}
    problem = clerk.post("/api/v1/enrollments", json=body).json()
    assert {e["at"] for e in problem["errors"]} == {"/way_in", "/uow"}
    assert problem["errors"][0]["message"].endswith("is not a known key here.")


def test_a_crash_carries_the_security_headers_and_ends_the_connection(clerk, monkeypatch):
    monkeypatch.setattr("archgate.actions.across.person_pages.find_people", lambda *_: 1 / 0)
    answer = clerk.get("/api/v1/people")
    assert answer.status_code == 500 and answer.headers["connection"] == "close"
    assert answer.headers["x-frame-options"] == "DENY" and "content-security-policy" in answer.headers


def test_a_calculator_bounds_all_meetings_together_and_says_so(clerk):
    pattern = {
        "first": "2027-01-04",
        "start": "10:00",
        "minutes": 60,
        "weekdays": ["MO"],
        "count": 500,
        "room": "r",
    }
    body = {"time_zone": "UTC", "patterns": [pattern] * 40}
    began = time.monotonic()
    answer = clerk.post("/api/v1/calc/schedule", json=body)
    assert answer.status_code == 422 and "more than 5,000 meetings" in answer.json()["detail"]
    body["patterns"] = [{**pattern, "count": 80}] * 40
    answer = clerk.post("/api/v1/calc/schedule", json=body)
    assert answer.status_code == 422 and "more than 5,000 times" in answer.json()["detail"]
    assert time.monotonic() - began < 20
    text = subprocess.run(
        [sys.executable, "-m", "archgate.cli", "calc", "--help"], capture_output=True, text=True, check=True,
        env={**os.environ, "PYTHONPATH": str(ROOT / "server")},
    ).stdout  # fmt: skip
    assert "5,000 meetings" in text


def test_the_words_for_a_lost_database_are_told_from_a_fault_of_ours():
    lost = OperationalError("SELECT 1", {}, Exception(2013, "Lost connection"))
    assert unit_of_work.is_database_trouble(lost)
    assert not unit_of_work.is_database_trouble(
        OperationalError("SELECT 1", {}, Exception(1054, "Unknown column"))
    )


def test_while_the_database_is_silent_pages_go_on_and_the_rest_is_told_so(tmp_path):
    """A server that is stopped, not ended: connections stay, nothing answers."""
    own = OwnServer(tmp_path, quick=True)
    own.start()
    try:
        own.create_database("silent")
        engine = engine_for(own.url("silent"), pool=5, wait=2)
        migrate(engine)
        made = sessions_of(engine)
        make_center(made, "Silent", "America/New_York", "USD")
        port = free_port()
        server = uvicorn.Server(uvicorn.Config(
            create_app(Settings("", True, False, ROOT / "web" / "dist"), made), host="127.0.0.1", port=port, **OPTIONS
        ))  # fmt: skip
        thread = threading.Thread(target=server.run, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        assert ask(port, "/api/v1/own")[0] == 401
        own.process.send_signal(signal.SIGSTOP)
        outcomes = []
        threads = [
            threading.Thread(target=lambda: outcomes.append(ask(port, "/api/v1/own/links/x")))
            for _ in range(60)
        ]
        for t in threads:
            t.start()
        time.sleep(0.3)
        status, seconds, body = ask(port, "/")
        assert status == 200 and seconds < 2 and b"<!doctype html>" in body.lower()
        for t in threads:
            t.join(20)
        assert len(outcomes) == 60 and {o[0] for o in outcomes} == {503} and max(o[1] for o in outcomes) < 10
        assert b"does not answer just now" in outcomes[0][2]
        own.process.send_signal(signal.SIGCONT)
        for _ in range(40):
            if ask(port, "/api/v1/own")[0] == 401:
                break
            time.sleep(0.5)
        assert ask(port, "/api/v1/own")[0] == 401
        server.should_exit = True
        thread.join(10)
        engine.dispose()
    finally:
        own.process.send_signal(signal.SIGCONT)
        own.stop()


def ask(port, path):
    began = time.monotonic()
    connection = HTTPConnection("127.0.0.1", port, timeout=20)
    connection.request("GET", path)
    answer = connection.getresponse()
    body = answer.read()
    connection.close()
    return answer.status, time.monotonic() - began, body

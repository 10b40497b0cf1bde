"""Every request that every screen sends, on a center ten times the demo's: few statements, and no large table read whole."""

import shutil

import pytest
from sqlalchemy import event
from starlette.testclient import TestClient

from archgate.actions.seats import made_of
from archgate.app import create_app
from archgate.bench.base import EMAIL, WORD
from archgate.bench.center import big_center
from archgate.bench.screens import requests_of
from archgate.settings import ROOT, settings_from

SIZE = 6_000  # enrollments; the demo has about six hundred
MOST = 15  # statements, the session's included
MORE = {
    "payment": 20,  # an act: its books are read before and after
    "/runs/{run_id}": 16,  # with the access codes, which may contradict who signs up
}
LARGE = 1_000  # rows


@pytest.fixture(scope="module")
def asked(monkeypatch_module):
    """Each request with the statements it sent, and what the database says of how it reads for them."""
    found = {}
    with big_center(SIZE) as bench:
        monkeypatch_module.setenv("ARCHGATE_DATABASE_URL", bench.url)
        client = TestClient(create_app(settings_from(), bench.sessions), base_url="http://localhost")
        assert client.post("/api/v1/session", json={"email": EMAIL, "password": WORD}).status_code == 200
        sent = []

        def listen(connection, cursor, statement, parameters, context, many):
            sent.append((statement, parameters))

        for request in requests_of(bench.engine):
            event.listen(bench.engine, "before_cursor_execute", listen)
            answer = (
                client.get(request.address)
                if request.body is None
                else client.post(request.address, json=request.body)
            )
            event.remove(bench.engine, "before_cursor_execute", listen)
            assert answer.status_code in (200, 201), (request.name, answer.text)
            found[request.name] = len(sent), whole_reads(bench.engine, sent)
            sent.clear()
        made_of.SHELVES.pop(bench.engine, None)  # what was kept of it is gone with its server
    shutil.rmtree(next((ROOT / "var" / "bench").glob(f"center-{SIZE}-*")))
    return found


@pytest.fixture(scope="module")
def monkeypatch_module():
    with pytest.MonkeyPatch.context() as patch:
        yield patch


def whole_reads(engine, sent):
    """The statements that read a large table from end to end, with its name in them."""
    found = []
    with engine.connect() as c:
        for statement, parameters in sent:
            if statement.lstrip().startswith("SELECT"):
                plan = c.exec_driver_sql(f"EXPLAIN {statement}", parameters).mappings().all()
                found += [
                    (row["table"], row["rows"], statement[:300])
                    for row in plan
                    if row["type"] == "ALL" and not row["table"].startswith("<") and int(row["rows"]) > LARGE
                ]
    return found


def test_no_request_of_a_screen_sends_more_statements_than_it_may(asked):
    assert len(asked) > 60
    many = {name: n for name, (n, _) in asked.items() if n > MORE.get(name, MOST)}
    assert many == {}


def test_no_request_of_a_screen_reads_a_large_table_whole(asked):
    assert {name: reads for name, (_, reads) in asked.items() if reads} == {}
